#include "bake/occlusion.hpp"

#include <algorithm>

#include "bake/guide_denoise.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t own_seed = 0x6f70656eu;  ///< Directions other than those of the links.

/// What the rays of one texel say.
struct Openness {
    float mean = 0;
    float scatter = 0, halves = 0;  ///< Variance of the mean, by scatter and by the two halves.
    float seen = 0;                 ///< Harmonic mean distance to what was met, at most the reach, metres.
};

Openness look_around(const OcclusionSource& s, std::size_t i) {
    const Receiver& r = s.rows.receivers[i];
    const std::uint32_t seed = combine_bits(s.rows.seeds[i], own_seed);
    const Frame frame(r.normal);
    float sum[2] = {}, squares = 0, near = 0;
    const int half = std::max(1, s.rays / 2);
    for (int k = 0; k < 2 * half; ++k) {
        const auto index = static_cast<std::uint32_t>(k);
        const Vec3 w = gather_direction(r, frame, sobol_point(seed, index));
        Rgb tint;
        const Hit hit = s.caster.gathered({r.position, w, s.reach}, gather_seed(seed, index), tint);
        const float share = hit.surface == none ? 1 : std::min(1.0f, hit.distance / s.reach);
        sum[k < half ? 0 : 1] += share * share;
        squares += share * share * share * share;
        near += 1 / std::max(share, 0.01f);
    }
    const auto n = static_cast<float>(2 * half);
    const float mean = (sum[0] + sum[1]) / n, apart = (sum[0] - sum[1]) / n;
    return {.mean = mean,
            .scatter = std::max(0.0f, squares / n - mean * mean) / n,
            .halves = apart * apart,
            .seen = s.reach * n / near};
}

}  // namespace

std::vector<float> measure_openness(const OcclusionSource& s, Job& job) {
    const std::size_t count = s.texels.size();
    std::vector<Openness> looked(count);
    job.parallel(count, 256, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (s.wanted[i]) looked[i] = look_around(s, i);
    });
    LightField field(count, 1);
    for (std::size_t i = 0; i < count; ++i) field.add(i, 0, {looked[i].mean, 0, 0});
    if (s.graph) {
        DenoiseGuide guide{.reach = {}, .variance = {}, .groups = 1};
        std::vector<float> halves;
        for (const Openness& o : looked) {
            guide.reach.push_back(std::max(o.seen, 1e-3f));
            guide.variance.push_back(o.scatter);
            halves.push_back(o.halves);
        }
        temper_variance(*s.graph, s.wanted, halves, guide, job);
        denoise({s.texels, *s.graph, s.wanted}, guide, {field}, job);
    }
    std::vector<float> open(count);
    for (std::size_t i = 0; i < count; ++i) open[i] = std::clamp(field.get(i, 0).r, 0.0f, 1.0f);
    return open;
}

}  // namespace stasigraph
