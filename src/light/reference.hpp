#pragma once
#include "light/direct.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// The plain path tracer the transport solver is held against: unbiased, slow, explicit light sampling at every
/// vertex, no links, no texels. Shares the ray caster and the light sampling with the bake and nothing else.
///
/// Threads: const members are safe from any number of threads. Owner: borrows its arguments.
class ReferenceTracer {
public:
    ReferenceTracer(const Level& level, const TextureSet& textures, const RayCaster& caster, std::vector<float> gains);

    struct Light {
        Rgb direct, bounced;        ///< Lux.
    };
    /// Irradiance at a receiver on a surface, mean of `paths` paths. bounces < 0 means until Russian roulette ends it.
    Light irradiance(const Receiver& receiver, int paths, int bounces, std::uint32_t seed) const;

private:
    Rgb direct_light(const Receiver& r, std::uint32_t seed, DirectLight::Scratch& scratch) const;

    const Level& level_;
    const TextureSet& textures_;
    const RayCaster& caster_;
    std::vector<float> gains_;
    std::vector<DirectLight> groups_;
};

}  // namespace stasigraph
