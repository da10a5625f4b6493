#include "stasigraph/volume.hpp"

#include <algorithm>

namespace stasigraph {

const char* to_text(ProbeRule rule) {
    constexpr const char* names[probe_rules] = {"hand", "lattice", "walkable", "explore", "objects", "light"};
    return names[static_cast<int>(rule)];
}

Volume box_volume(std::string name, Vec3 low, Vec3 high, float spacing) {
    Volume v;
    v.name = std::move(name);
    v.middle = (low + high) * 0.5f;
    v.half = (high - low) * 0.5f;
    v.spacing = spacing;
    return v;
}

bool holds(const Volume& v, Vec3 place) {
    constexpr float rim = 1e-4f;  // metres: rounding must not lose what lies on it
    const Vec3 d = place - v.middle;
    if (v.shape == VolumeShape::sphere) return length(d) <= v.radius + rim;
    if (v.shape == VolumeShape::capsule) {
        const Vec3 along = v.end - v.middle;
        const float t = std::clamp(dot(d, along) / std::max(dot(along, along), 1e-12f), 0.0f, 1.0f);
        return length(d - along * t) <= v.radius + rim;
    }
    return std::abs(dot(d, v.axes[0])) <= v.half.x + rim && std::abs(dot(d, v.axes[1])) <= v.half.y + rim &&
           std::abs(dot(d, v.axes[2])) <= v.half.z + rim;
}

Vec3 size_of(const Volume& v) {
    if (v.shape == VolumeShape::box) return v.half * 2;
    const std::array<Vec3, 2> b = bounds_of(v);
    return b[1] - b[0];
}

Vec3 place_in(const Volume& v, Vec3 share) {
    const Vec3 size = size_of(v);
    const Vec3 d{size.x * (share.x - 0.5f), size.y * (share.y - 0.5f), size.z * (share.z - 0.5f)};
    if (v.shape == VolumeShape::box) return v.middle + v.axes[0] * d.x + v.axes[1] * d.y + v.axes[2] * d.z;
    const std::array<Vec3, 2> b = bounds_of(v);
    return (b[0] + b[1]) * 0.5f + d;
}

std::array<Vec3, 2> bounds_of(const Volume& v) {
    if (v.shape == VolumeShape::sphere) {
        const Vec3 r{v.radius, v.radius, v.radius};
        return {v.middle - r, v.middle + r};
    }
    if (v.shape == VolumeShape::capsule) {
        const Vec3 r{v.radius, v.radius, v.radius};
        return {min(v.middle, v.end) - r, max(v.middle, v.end) + r};
    }
    const auto size = [&](float Vec3::*c) {
        return std::abs(v.axes[0].*c) * v.half.x + std::abs(v.axes[1].*c) * v.half.y +
               std::abs(v.axes[2].*c) * v.half.z;
    };
    const Vec3 half{size(&Vec3::x), size(&Vec3::y), size(&Vec3::z)};
    return {v.middle - half, v.middle + half};
}

}  // namespace stasigraph
