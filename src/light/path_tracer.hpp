#pragma once
// Paths from a point until they leave, end or fade: the unbiased, slow way to know the light there.

#include <algorithm>

#include "light/direct.hpp"
#include "stasigraph/reference.hpp"

namespace stasigraph {

/// Threads: const use is safe from any number of threads.
/// Owner:   borrows all three; the caster holds what a bake sees.
class PathTracer {
public:
    PathTracer(const Level& level, std::uint32_t set, const TextureSet& textures, const RayCaster& caster)
        : level_(level), textures_(textures), caster_(caster), sky_(level.sky) {
        for (std::uint32_t g = 0; g < level.groups.size(); ++g) gains_.push_back(level.sets[set].gain(g));
        groups_.reserve(2 * level.groups.size());
        for (const BakeRole role : {BakeRole::whole, BakeRole::bounce})
            for (std::uint32_t g = 0; g < level.groups.size(); ++g)
                groups_.emplace_back(LitScene{level, textures_, caster_, sky_}, g, role);
        if (level.sky.group != none) sky_gain_ = gains_[level.sky.group];
    }

    ReferenceLight irradiance(const Receiver& receiver, const ReferenceOptions& settings,
                              std::uint32_t seed) const {
        DirectLight::Scratch scratch;
        ReferenceLight sum;
        for (int i = 0; i < settings.paths; ++i)
            path(receiver, settings.bounces, combine_bits(seed, static_cast<std::uint32_t>(i)), scratch, sum);
        const float each = 1.0f / static_cast<float>(settings.paths);
        return {sum.direct * each, sum.bounced * each};
    }

private:
    /// Light sampled directly: lights of one role, each group told apart into a few parts.
    Rgb direct_light(const Receiver& r, BakeRole role, std::uint32_t seed,
                     DirectLight::Scratch& scratch) const {
        constexpr LightEffort effort{.samples = 1, .cut = 2, .error = 0};
        Rgb sum;
        const std::size_t count = gains_.size(), from = role == BakeRole::whole ? 0 : count;
        for (std::uint32_t g = 0; g < count; ++g)
            if (max_channel(gains_[g]) > 0)
                groups_[from + g].gather(r, {effort, weights, combine_bits(seed, g)}, scratch,
                                         [&](Vec3 w, Rgb light) { sum += light * gains_[g] * r.weight(w); });
        return sum;
    }

    void path(Receiver r, int bounces, std::uint32_t seed, DirectLight::Scratch& scratch,
              ReferenceLight& sum) const {
        RandomStream random(seed, 0x70617468u);
        Rgb carried{pi, pi, pi};  // what radiance met by the next gather ray adds to E here
        sum.direct += direct_light(r, BakeRole::whole, combine_bits(seed, 0), scratch);
        for (int bounce = 0;; ++bounce) {
            const Vec3 w = gather_direction(r, Frame(r.normal), random.next2());
            Rgb tint;
            const Hit hit = caster_.gathered({r.position, w},
                                             gather_seed(seed, static_cast<std::uint32_t>(bounce)), tint);
            carried = carried * tint;
            if (hit.surface == none) {
                const float share = weights.gathered_weight(sky_.density(w), r.gather_density(w));
                (bounce == 0 ? sum.direct : sum.bounced) += carried * sky_.radiance(w) * sky_gain_ * share;
                return;
            }
            const Surface& surface = level_.surfaces[hit.surface];
            if ((hit.back && !level_.materials[surface.material].double_sided) ||
                (bounces >= 0 && bounce >= bounces))
                return;
            const RayCaster::SurfacePoint place = caster_.place(hit);
            r = surface_receiver(place.position, place.normal, place.face_normal);
            carried = carried * textures_.albedo(level_, surface, hit.triangle, hit.u, hit.v);
            // What a light of which bounces alone are baked sends straight is theirs to reflect.
            const std::uint32_t own = combine_bits(seed, static_cast<std::uint32_t>(bounce) + 1);
            sum.bounced += carried *
                           (direct_light(r, BakeRole::whole, own, scratch) +
                            direct_light(r, BakeRole::bounce, mix_bits(own), scratch)) *
                           (1 / pi);
            if (bounce < 2) continue;
            // Russian roulette by what is still carried, from the third vertex on.
            const float stay = std::min(0.95f, max_channel(carried) / pi);
            if (!(random.next() < stay)) return;
            carried = carried * (1 / stay);
        }
    }

    /// One direct sample of the sky beside one gather ray.
    static constexpr SkyWeights weights{1, 1};

    const Level& level_;
    std::vector<Rgb> gains_;
    const TextureSet& textures_;
    const RayCaster& caster_;
    SkyLight sky_;
    std::vector<DirectLight> groups_;  ///< Lights baked whole, group by group, then those for bounces alone.
    Rgb sky_gain_;
};

}  // namespace stasigraph
