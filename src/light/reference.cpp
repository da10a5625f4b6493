#include "light/reference.hpp"

namespace stasigraph {

ReferenceTracer::ReferenceTracer(const Level& level, const TextureSet& textures, const RayCaster& caster,
                                 std::vector<float> gains)
    : level_(level), textures_(textures), caster_(caster), gains_(std::move(gains)) {
    for (std::uint32_t g = 0; g < level.groups.size(); ++g) groups_.emplace_back(level, textures, caster, g);
}

Rgb ReferenceTracer::direct_light(const Receiver& r, std::uint32_t seed, DirectLight::Scratch& scratch) const {
    Rgb sum;
    for (std::uint32_t g = 0; g < groups_.size(); ++g)
        if (gains_[g] > 0)
            groups_[g].gather(r, 1, {}, combine_bits(seed, g), scratch,
                              [&](Vec3 w, Rgb light) { sum += light * (r.weight(w) * gains_[g]); });
    return sum;
}

ReferenceTracer::Light ReferenceTracer::irradiance(const Receiver& receiver, int paths, int bounces, std::uint32_t seed) const {
    DirectLight::Scratch scratch;
    Light sum;
    const Rgb sky = level_.sky.group == none ? Rgb{} : level_.sky.radiance * gains_[level_.sky.group];
    for (int path = 0; path < paths; ++path) {
        RandomStream random(seed, static_cast<std::uint32_t>(path));
        Receiver r = receiver;
        Rgb carried{pi, pi, pi};                // radiance met by a gather ray to irradiance here
        sum.direct += direct_light(r, combine_bits(seed, mix_bits(static_cast<std::uint32_t>(path))), scratch);
        for (int bounce = 0;; ++bounce) {
            const Vec3 w = gather_direction(r, Frame(r.normal), random.next2());
            const Hit hit = caster_.closest({r.position, w});
            if (hit.surface == none) {
                (bounce == 0 ? sum.direct : sum.bounced) += carried * sky;
                break;
            }
            const Surface& surface = level_.surfaces[hit.surface];
            if (hit.back && !level_.materials[surface.material].double_sided) break;
            if (bounces >= 0 && bounce >= bounces) break;
            const RayCaster::Place place = caster_.place(hit);
            r = surface_receiver(place.position, place.normal, place.face_normal);
            carried = carried * textures_.albedo(level_, surface, hit.triangle, hit.u, hit.v);
            sum.bounced += carried * direct_light(r, combine_bits(seed, mix_bits(static_cast<std::uint32_t>(path)) + static_cast<std::uint32_t>(bounce) + 1), scratch) * (1 / pi);
            // Russian roulette by what is still carried, from the third vertex on.
            if (bounce >= 2) {
                const float stay = std::min(0.95f, max_channel(carried) / pi);
                if (!(random.next() < stay)) break;
                carried = carried * (1 / stay);
            }
        }
    }
    const float each = 1.0f / static_cast<float>(paths);
    return {sum.direct * each, sum.bounced * each};
}

}  // namespace stasigraph
