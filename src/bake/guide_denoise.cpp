#include "bake/guide_denoise.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr std::uint32_t most_looked_at = 64;
/// Rows are spread evenly, so that their mean varies less than their links scatter: measured on the demo
/// level against rows of 2048, this share of the scatter by length at 32 links, and falling by that power.
constexpr float even_share = 0.8f, even_power = 0.25f;
/// A link that met nothing usable tells of something this many spacings away; nearer than the second: that.
constexpr float absorbed_distance = 0.4f, least_distance = 0.08f;
constexpr float open_reach = 1e3f;  ///< Metres; of texels that see the sky alone.

}  // namespace

DenoiseGuide guide_denoise(const GuideSource& s, Job& job) {
    const std::size_t count = s.texels.size(), groups = s.groups, stride = s.light.stride;
    DenoiseGuide guide{.reach = std::vector<float>(count, open_reach),
                       .variance = std::vector<float>(count * groups, 0.0f),
                       .groups = groups};
    const std::vector<float> spacing = grid_spacing(s.texels);
    HalfField sent;
    reflect(s.light, s.albedo, sent, job);
    job.parallel(count, 256, [&](std::size_t begin, std::size_t end) {
        std::vector<float> squares(stride);
        for (std::size_t i = begin; i < end; ++i) {
            if (!s.wanted[i]) continue;
            const std::uint32_t length = s.lengths[i], n = std::min(length, most_looked_at);
            add_squares(&s.links.words[s.links.first[i]], n, sent, squares);
            if (s.sky_group != none) {
                Rgb sky;
                gathered_sky(s.sky, s.rows, s.links, i, n, s.weights,
                             [&](std::uint32_t, Vec3, Rgb e) { sky += e * e * (pi * pi); });
                float* own = &squares[3 * s.sky_group];
                own[0] += sky.r;
                own[1] += sky.g;
                own[2] += sky.b;
            }
            const auto links = static_cast<float>(length);
            const float share = even_share * std::pow(32 / links, even_power) / links;
            for (std::size_t g = 0; g < groups; ++g) {
                float scatter = 0;
                for (std::size_t c = 3 * g; c < 3 * g + 3; ++c) {
                    const float mean = s.by_links.values[i * stride + c];
                    scatter += std::max(0.0f, squares[c] / static_cast<float>(n) - mean * mean);
                }
                guide.variance[i * groups + g] = scatter * share;
            }
            const float unit = spacing[s.texels.grid[i]];
            float near = 0;
            for (std::uint32_t k = 0; k < n; ++k) {
                const std::uint32_t word = s.links.words[s.links.first[i] + k];
                if (word == absorbed_word)
                    near += 1 / (absorbed_distance * unit);
                else if (word != sky_word)
                    near += 1 / std::max(least_distance * unit,
                                         stasigraph::length(s.texels.position[word] - s.texels.position[i]));
            }
            if (near > 0) guide.reach[i] = std::min(open_reach, static_cast<float>(n) / near);
        }
    });
    return guide;
}

}  // namespace stasigraph
