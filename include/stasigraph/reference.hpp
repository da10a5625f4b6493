#pragma once
// The reference: a plain path tracer, unbiased and slow, that the transport solver is held against.

#include <cstdint>
#include <vector>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

struct ReferencePoint {
    Vec3 position, normal, face_normal;  ///< On a surface; unit vectors on its lit side.
};

struct ReferenceOptions {
    int paths = 1024;  ///< For each point. >= 1.
    int bounces = -1;  ///< < 0: until Russian roulette ends a path, without bias.
    std::uint32_t seed = 1;
};

struct ReferenceLight {
    Rgb direct, bounced;  ///< Lux; the sky seen directly is direct.
};

/// Irradiance at points under one set. Shares the ray caster and the light sampling with the bake, and
/// nothing of its texels and links. Same numbers for any number of threads. Cost: points times paths times
/// path length.
std::vector<ReferenceLight> reference_light(const Level& level, std::uint32_t set,
                                            const std::vector<ReferencePoint>& points,
                                            const ReferenceOptions& settings, Job& job);

}  // namespace stasigraph
