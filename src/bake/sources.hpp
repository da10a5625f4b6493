#pragma once
// What the rows of a level receive straight from its sources: the first term of the solve.

#include "light/direct.hpp"
#include "transport/links.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// Explicitly sampled light of one group on every texel: three floats a texel, lux.
std::vector<Rgb> light_texels(const DirectLight& light, const RowSource& rows, int samples,
                              const EmitterWeights& weights, std::uint32_t seed, Job& job);

/// Calls add(row, direction, radiance) for every gather ray within the used lengths that met an emitter of
/// the group, radiance being weighed against explicit sampling; in row order, on the calling thread.
template <class Add>
void gathered_emission(const DirectLight& light, const RowSource& rows, const Links& links,
                       const std::vector<std::uint32_t>& lengths, const RayCaster& caster,
                       const EmitterWeights& weights, Add&& add) {
    const Emitters& emitters = light.emitters();
    if (emitters.empty()) return;
    Emitters::Choice choice;
    std::uint32_t weighed = none;
    for (const EmitterHit& hit : links.emitter_hits) {
        const std::uint32_t e = emitters.find(hit.surface);
        if (e == none || hit.link >= lengths[hit.row]) continue;
        const Receiver& r = rows.receivers[hit.row];
        if (hit.row != weighed) emitters.weigh(r, choice);
        weighed = hit.row;
        const float facing = std::abs(dot(caster.corners(hit.surface, hit.triangle).normal, hit.direction));
        const float density =
            facing > 0 ? emitters.area_density(choice, e, hit.triangle) * hit.distance * hit.distance / facing
                       : 0;
        const float share = weights.gathered_weight(density, r.gather_density(hit.direction));
        add(hit.row, hit.direction,
            emitters.emission({.emitter = e,
                               .triangle = hit.triangle,
                               .u = hit.u,
                               .v = hit.v,
                               .position = {},
                               .normal = {}}) *
                share);
    }
}

/// For each row and set, how uncertain its light is, and how many links would bring it under `noise`.
struct NoiseEstimate {
    std::vector<std::uint32_t> lengths;  ///< Powers of two times the first length.
    std::vector<float> noise;            ///< Relative standard error with the first length, worst set.
};
NoiseEstimate estimate_noise(const Level& level, const Links& links, const std::vector<Rgb>& albedo,
                             const LightField& light, const std::vector<float>& area, float noise,
                             std::uint32_t first, std::uint32_t most, Job& job);

}  // namespace stasigraph
