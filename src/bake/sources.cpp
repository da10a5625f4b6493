#include "bake/sources.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr float unseen_share = 1.0f / 16;  ///< Of the light that is metered to middle grey: four stops less.

/// So many links of each neighbour tell how open to the sky a row is; below the share explicit samples are
/// worth nothing.
constexpr std::uint32_t links_asked = 16;
constexpr float least_open = 0.01f;

/// The light that a set is exposed for, lux, by the mean logarithm over lit rows.
double metered(const std::vector<float>& total, const std::vector<float>& area, std::size_t set,
               std::size_t sets) {
    double sum = 0, whole = 0;
    for (std::size_t i = 0; i < area.size(); ++i) {
        const float e = total[i * sets + set];
        if (!(e > 0)) continue;
        sum += static_cast<double>(area[i]) * std::log2(static_cast<double>(e));
        whole += static_cast<double>(area[i]);
    }
    return whole > 0 ? std::exp2(sum / whole) : 0;
}

}  // namespace

float unseen_light(float exposure) {
    // ISO 2720: 2^ev / 8 nit are metered to middle grey, which reflects 18 % of pi times that.
    return unseen_share * std::exp2(exposure) / 8 * pi / 0.18f;
}

std::vector<float> explicit_sky_worth(const TexelSet& texels, const std::vector<std::uint8_t>& valid,
                                      const Links& links, Job& job) {
    const auto sky_links = [&](std::size_t i) {
        const std::uint32_t n = std::min(links.length(i), links_asked);
        const std::uint32_t* words = &links.words[links.first[i]];
        return static_cast<float>(std::count(words, words + n, sky_word)) / static_cast<float>(n);
    };
    std::vector<float> open(texels.size(), 0.0f), worth(texels.size(), 1.0f);
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (valid[i]) open[i] = sky_links(i);
    });
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            float sum = 0, count = 0;
            texels.for_neighbours(static_cast<std::uint32_t>(i), 2, [&](std::uint32_t n) {
                if (!valid[n]) return;
                sum += open[n];
                count += 1;
            });
            if (!(count > 0)) continue;
            const float share = sum / count;
            worth[i] = share < least_open ? 0 : share;
        }
    });
    return worth;
}

Rgb gathered_sky_sum(const SkyLight& sky, const RowSource& rows, const Links& links, std::size_t row,
                     std::uint32_t count, const SkyWeights& weights) {
    Rgb sum;
    if (sky.even() && links.tints_of(row).empty()) {
        const auto* words = &links.words[links.first[row]];
        return sky.radiance({}) * static_cast<float>(std::count(words, words + count, sky_word));
    }
    gathered_sky(sky, rows, links, row, count, weights, [&](std::uint32_t, Vec3, Rgb e) { sum += e; });
    return sum;
}

std::vector<float> estimate_noise(const Level& level, const RowSource& rows, const Links& links,
                                  const SkyLight& sky, const RowSkyWeights& weights,
                                  const std::vector<Rgb>& albedo, const LightField& light,
                                  const std::vector<float>& area, const NoiseQuestion& question, Job& job) {
    const std::size_t count = light.rows, sets = level.sets.size();
    const std::uint32_t first = question.first;
    std::vector<float> noise(count, 0.0f);
    // What every row receives and sends under every set, side by side; the last row sends nothing.
    std::vector<float> total(count * sets), sent((count + 1) * sets, 0.0f);
    job.parallel(count, 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t s = 0; s < sets; ++s) {
                Rgb e;
                for (std::size_t g = 0; g < level.groups.size(); ++g)
                    e += light.get(i, g) * level.sets[s].gains[g];
                total[i * sets + s] = luminance(e);
                sent[i * sets + s] = luminance(e * albedo[i]);
            }
    });
    std::vector<float> floor(sets, 0.0f), sky_gain(sets, 0.0f);
    for (std::size_t s = 0; s < sets; ++s) {
        const std::optional<float>& exposure = level.sets[s].exposure;
        floor[s] = exposure ? unseen_light(*exposure)
                            : unseen_share * static_cast<float>(metered(total, area, s, sets));
        if (level.sky.group != none) sky_gain[s] = pi * level.sets[s].gains[level.sky.group];
    }
    job.parallel(count, 1024, [&](std::size_t begin, std::size_t end) {
        std::vector<float> from_sky(first);
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t* words = &links.words[links.first[i]];
            if (level.sky.group != none) {
                if (sky.even())
                    std::fill(from_sky.begin(), from_sky.end(), luminance(sky.radiance({})));
                else
                    gathered_sky(sky, rows, links, i, first, weights.at(i),
                                 [&](std::uint32_t k, Vec3, Rgb e) { from_sky[k] = luminance(e); });
            }
            for (std::size_t s = 0; s < sets; ++s) {
                if (!(floor[s] > 0)) continue;
                float mean = 0, square = 0;
                for (std::uint32_t k = 0; k < first; ++k) {
                    const float v = words[k] == sky_word
                                        ? sky_gain[s] * from_sky[k]
                                        : sent[std::min<std::size_t>(words[k], count) * sets + s];
                    mean += v;
                    square += v * v;
                }
                const auto n = static_cast<float>(first);
                const float variance = std::max(0.0f, square / n - mean / n * (mean / n)) / n;
                noise[i] = std::max(noise[i], std::sqrt(variance) / std::max(total[i * sets + s], floor[s]));
            }
        }
    });
    return noise;
}

std::vector<std::uint32_t> row_lengths(const TexelSet& texels, const std::vector<std::uint8_t>& valid,
                                       const std::vector<float>& noise, const NoiseQuestion& question,
                                       Job& job) {
    std::vector<std::uint32_t> lengths(noise.size(), question.first);
    job.parallel(noise.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!valid[i]) continue;
            float square = 0, count = 0;
            texels.for_neighbours(static_cast<std::uint32_t>(i), 2, [&](std::uint32_t n) {
                if (!valid[n]) return;
                square += noise[n] * noise[n];
                count += 1;
            });
            const float here = count > 0 ? std::sqrt(square / count) : noise[i];
            const float factor = here / question.noise;
            while (static_cast<float>(lengths[i]) < static_cast<float>(question.first) * factor * factor &&
                   lengths[i] < question.most)
                lengths[i] *= 2;
        }
    });
    return lengths;
}

}  // namespace stasigraph
