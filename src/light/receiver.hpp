#pragma once
#include <algorithm>

#include "base/random.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// What light falls on: a point of a surface, or a point in the air that takes light from everywhere.
struct Receiver {
    Vec3 position;             ///< Where rays start, already off the surface.
    Vec3 normal, face_normal;  ///< Unit length; unused in the air.
    bool in_air = false;

    /// The share of light from this direction that counts: the cosine on a surface, 1 in the air.
    float weight(Vec3 direction) const {
        if (in_air) return 1.0f;
        return dot(face_normal, direction) > 0 ? std::max(0.0f, dot(normal, direction)) : 0.0f;
    }
    /// Density per steradian of the gather directions.
    float gather_density(Vec3 direction) const {
        return in_air ? 1.0f / (4.0f * pi) : std::max(0.0f, dot(normal, direction)) / pi;
    }
};

/// The receiver at a point of a surface.
inline Receiver surface_receiver(Vec3 position, Vec3 normal, Vec3 face_normal) {
    return {
        .position = position + face_normal * ray_start_offset, .normal = normal, .face_normal = face_normal};
}

/// A cosine-distributed direction about the receiver's normal, mirrored up where it would go below the face.
inline Vec3 gather_direction(const Receiver& r, const Frame& frame, Vec2 random) {
    const Vec3 w = frame.to_world(cosine_direction(random));
    return w - r.face_normal * (2 * std::min(0.0f, dot(r.face_normal, w)));
}

}  // namespace stasigraph
