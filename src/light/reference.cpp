#include "stasigraph/reference.hpp"

#include <algorithm>

#include "light/direct.hpp"

namespace stasigraph {

namespace {

class Tracer {
public:
    Tracer(const Level& level, std::uint32_t set)
        : level_(level),
          gains_(level.sets[set].gains),
          textures_(level),
          caster_(level, textures_, [](const Surface& s) { return s.part != Part::moving; }) {
        for (std::uint32_t g = 0; g < level.groups.size(); ++g)
            groups_.emplace_back(level, textures_, caster_, g);
        if (level.sky.group != none) sky_ = level.sky.radiance * gains_[level.sky.group];
    }

    ReferenceLight irradiance(const Receiver& receiver, const ReferenceSettings& settings,
                              std::uint32_t seed) const {
        DirectLight::Scratch scratch;
        ReferenceLight sum;
        for (int i = 0; i < settings.paths; ++i)
            path(receiver, settings.bounces, combine_bits(seed, static_cast<std::uint32_t>(i)), scratch, sum);
        const float each = 1.0f / static_cast<float>(settings.paths);
        return {sum.direct * each, sum.bounced * each};
    }

private:
    /// Light sampled explicitly, one sample for each light.
    Rgb direct_light(const Receiver& r, std::uint32_t seed, DirectLight::Scratch& scratch) const {
        Rgb sum;
        for (std::uint32_t g = 0; g < groups_.size(); ++g)
            if (gains_[g] > 0)
                groups_[g].gather(r, 1, {}, combine_bits(seed, g), scratch,
                                  [&](Vec3 w, Rgb light) { sum += light * (r.weight(w) * gains_[g]); });
        return sum;
    }

    void path(Receiver r, int bounces, std::uint32_t seed, DirectLight::Scratch& scratch,
              ReferenceLight& sum) const {
        RandomStream random(seed, 0x70617468u);
        Rgb carried{pi, pi, pi};  // what radiance met by the next gather ray adds to E here
        sum.direct += direct_light(r, combine_bits(seed, 0), scratch);
        for (int bounce = 0;; ++bounce) {
            const Vec3 w = gather_direction(r, Frame(r.normal), random.next2());
            const Hit hit = caster_.closest({r.position, w});
            if (hit.surface == none) {
                (bounce == 0 ? sum.direct : sum.bounced) += carried * sky_;
                return;
            }
            const Surface& surface = level_.surfaces[hit.surface];
            if ((hit.back && !level_.materials[surface.material].double_sided) ||
                (bounces >= 0 && bounce >= bounces))
                return;
            const RayCaster::Place place = caster_.place(hit);
            r = surface_receiver(place.position, place.normal, place.face_normal);
            carried = carried * textures_.albedo(level_, surface, hit.triangle, hit.u, hit.v);
            sum.bounced +=
                carried *
                direct_light(r, combine_bits(seed, static_cast<std::uint32_t>(bounce) + 1), scratch) *
                (1 / pi);
            if (bounce < 2) continue;
            // Russian roulette by what is still carried, from the third vertex on.
            const float stay = std::min(0.95f, max_channel(carried) / pi);
            if (!(random.next() < stay)) return;
            carried = carried * (1 / stay);
        }
    }

    const Level& level_;
    std::vector<float> gains_;
    TextureSet textures_;
    RayCaster caster_;
    std::vector<DirectLight> groups_;
    Rgb sky_;
};

}  // namespace

std::vector<ReferenceLight> reference_light(const Level& level, std::uint32_t set,
                                            const std::vector<ReferencePoint>& points,
                                            const ReferenceSettings& settings, Job& job) {
    const Tracer tracer(level, set);
    std::vector<ReferenceLight> light(points.size());
    job.begin("reference", points.size());
    job.parallel(points.size(), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            light[i] = tracer.irradiance(
                surface_receiver(points[i].position, points[i].normal, points[i].face_normal), settings,
                combine_bits(settings.seed, static_cast<std::uint32_t>(i)));
        job.advance(end - begin);
    });
    return light;
}

}  // namespace stasigraph
