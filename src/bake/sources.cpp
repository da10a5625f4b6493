#include "bake/sources.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 256;

/// Light below this share of a set's mean counts as that much: noise in the dark is not seen.
constexpr double dark_share = 0.05;

}  // namespace

std::vector<Rgb> light_texels(const DirectLight& light, const RowSource& rows, int samples,
                              const EmitterWeights& weights, std::uint32_t seed, Job& job) {
    std::vector<Rgb> out(rows.size());
    if (light.empty()) {
        job.advance(rows.size());
        return out;
    }
    job.parallel(rows.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t i = begin; i < end; ++i) {
            const Receiver& r = rows.receivers[i];
            light.gather(r, samples, weights, combine_bits(rows.seeds[i], seed), scratch,
                         [&](Vec3 w, Rgb e) { out[i] += e * r.weight(w); });
        }
        job.advance(end - begin);
    });
    return out;
}

NoiseEstimate estimate_noise(const Level& level, const Links& links, const std::vector<Rgb>& albedo,
                             const LightField& light, const std::vector<float>& area, float noise,
                             std::uint32_t first, std::uint32_t most, Job& job) {
    const std::size_t rows = light.rows;
    NoiseEstimate estimate{std::vector<std::uint32_t>(rows, first), std::vector<float>(rows, 0.0f)};
    for (const BakeSet& set : level.sets) {
        std::vector<float> total(rows), sent(rows + 1, 0.0f);
        job.parallel(rows, 1024, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                Rgb e;
                for (std::size_t g = 0; g < level.groups.size(); ++g) e += light.get(i, g) * set.gains[g];
                total[i] = luminance(e);
                sent[i] = luminance(e * albedo[i]);
            }
        });
        double sum = 0, whole = 0;
        for (std::size_t i = 0; i < rows; ++i) {
            sum += static_cast<double>(total[i] * area[i]);
            whole += static_cast<double>(area[i]);
        }
        const float sky =
            level.sky.group == none ? 0 : luminance(level.sky.radiance) * pi * set.gains[level.sky.group];
        const auto floor = static_cast<float>(whole > 0 ? dark_share * sum / whole : 0);
        if (!(floor > 0)) continue;
        job.parallel(rows, 1024, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                const std::uint32_t* words = &links.words[links.first[i]];
                float mean = 0, square = 0;
                for (std::uint32_t k = 0; k < first; ++k) {
                    const float v = words[k] == sky_word ? sky : sent[std::min<std::size_t>(words[k], rows)];
                    mean += v;
                    square += v * v;
                }
                const auto n = static_cast<float>(first);
                const float variance = std::max(0.0f, square / n - mean / n * (mean / n)) / n;
                estimate.noise[i] =
                    std::max(estimate.noise[i], std::sqrt(variance) / std::max(total[i], floor));
            }
        });
    }
    for (std::size_t i = 0; i < rows; ++i) {
        const float factor = estimate.noise[i] / noise;
        while (static_cast<float>(estimate.lengths[i]) < static_cast<float>(first) * factor * factor &&
               estimate.lengths[i] < most)
            estimate.lengths[i] *= 2;
    }
    return estimate;
}

}  // namespace stasigraph
