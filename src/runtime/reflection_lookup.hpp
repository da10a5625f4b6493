#pragma once
// Which reflection probes answer at a point, by how much, and where to look in them. Standard library only,
// C++17, nothing allocated: the game and the baker look up by the same code.

#include "runtime/net_lookup.hpp"

namespace stasigraph::runtime {

enum class Reach : std::uint32_t { box, sphere, plane };

/// What a lookup needs of a reflection probe. Axes are a right-handed frame of unit vectors; a plane's second
/// is its normal.
struct ReflectionVolume {
    Reach reach = Reach::box;
    Point middle{}, half{}, axis[3] = {};
    float radius = 0, blend = 0;
    Point capture{};
    bool parallax = false;
    Point room_middle{}, room_half{};
};

namespace detail {

inline float at_axis(const ReflectionVolume& p, Point offset, int axis) {
    return dot(offset, p.axis[axis]);
}

/// 1 up to a rim, 0 from `blend` beyond it on. Walls stand on rims, so that fading starts outside.
inline float faded(float beyond, float blend) {
    if (!(beyond > 0)) return 1;
    return beyond < blend ? 1 - beyond / blend : 0;
}

}  // namespace detail

/// How much a probe has to say for a surface there, 0 to 1.
inline float reflection_share(const ReflectionVolume& p, Point at, Point normal) {
    // A little off its surface: the other side of a wall is farther from this room than the wall is thick.
    constexpr float most_off = 0.25f;
    const float off = p.reach == Reach::plane ? 0 : p.blend < most_off ? p.blend : most_off;
    const Point d = at + normal * off - p.middle;
    if (p.reach == Reach::sphere) return detail::faded(std::sqrt(dot(d, d)) - p.radius, p.blend);
    const float half[3] = {p.half.x, p.half.y, p.half.z};
    float beyond = -1e30f;
    for (int a = 0; a < 3; ++a) {
        const float past = std::abs(detail::at_axis(p, d, a)) - half[a];
        beyond = past > beyond ? past : beyond;
    }
    if (p.reach != Reach::plane) return detail::faded(beyond, p.blend);
    // What lies along a plane does so up to the edge of the mirror.
    if (beyond > 0) return 0;
    // Whole up to 8 degrees of tilt, nothing from 25 on: ripples count, the rim of the pool does not.
    constexpr float whole = 0.99f, least = 0.906f;
    const float tilt = dot(normal, p.axis[1]);
    return tilt >= whole ? 1 : tilt <= least ? 0 : (tilt - least) / (whole - least);
}

/// At most this many probes answer at a point. In their order each has its share of what those before left
/// over.
inline constexpr int most_reflections = 4;
inline bool reflections_full(int count, float left) {
    return count >= most_reflections || !(left > 1e-3f);
}

/// Where to look in a probe's map for what is seen from a point along a direction: towards the place where
/// that ray leaves the room. Points outside of it count as on its wall. Without a room: the direction itself.
inline Point reflection_lookup(const ReflectionVolume& p, Point at, Point direction) {
    if (!p.parallax) return direction;
    const float half[3] = {p.room_half.x, p.room_half.y, p.room_half.z};
    const Point d = at - p.room_middle;
    Point from = p.room_middle;
    float far = 1e30f;
    for (int a = 0; a < 3; ++a) {
        const float there = detail::at_axis(p, d, a), along = detail::at_axis(p, direction, a);
        const float held = there < -half[a] ? -half[a] : there > half[a] ? half[a] : there;
        from = from + p.axis[a] * held;
        if (along > 1e-12f || along < -1e-12f) {
            const float t = ((along > 0 ? half[a] : -half[a]) - held) / along;
            far = t < far ? t : far;
        }
    }
    const Point to = from + direction * far - p.capture;
    const float length = std::sqrt(dot(to, to));
    return far < 1e29f && length > 0 ? to * (1 / length) : direction;
}

}  // namespace stasigraph::runtime
