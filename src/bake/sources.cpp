#include "bake/sources.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr float unseen_share = 1.0f / 16;  ///< Of the light that is metered to middle grey: four stops less.

/// This many links of each neighbour tell how open to the sky a row is; below the share direct samples get
/// nothing.
constexpr std::uint32_t links_asked = 16;
constexpr float least_open = 0.01f;
/// A share of the group's own mean. Where a group gives less, its light does not tell with which exposure one
/// looks at it.
constexpr double matters = 1e-3;

}  // namespace

float unseen_light(float exposure) {
    // ISO 2720: 2^ev / 8 nit are metered to middle grey, which reflects 18 % of pi times that.
    return unseen_share * std::exp2(exposure) / 8 * pi / 0.18f;
}

std::vector<float> find_sky_sample_share(const TexelSet& texels, const TexelStates& states,
                                         const Links& links, Job& job) {
    const auto sky_links = [&](std::size_t i) {
        const std::uint32_t n = std::min(links.length(i), links_asked);
        const std::uint32_t* words = links.row(i);
        return static_cast<float>(std::count(words, words + n, sky_word)) / static_cast<float>(n);
    };
    std::vector<float> open(texels.size(), 0.0f), sampled(texels.size(), 1.0f);
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (is_valid(states[i])) open[i] = sky_links(i);
    });
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            float sum = 0, count = 0;
            texels.for_neighbours(static_cast<std::uint32_t>(i), 2, [&](std::uint32_t n) {
                if (!is_valid(states[n])) return;
                sum += open[n];
                count += 1;
            });
            if (!(count > 0)) continue;
            const float share = sum / count;
            sampled[i] = share < least_open ? 0 : share;
        }
    });
    return sampled;
}

SkySum gathered_sky_sum(const SkyLight& sky, const RecordedRows& recorded, const LinkRange& range,
                        const SkyWeights& weights, SkySum before) {
    if (sky.even() && recorded.links.tints_of(range.row).empty()) {
        const std::uint32_t* words = recorded.links.row(range.row);
        const auto n = static_cast<float>(std::count(words, words + range.end, sky_word));
        const float light = luminance(sky.radiance({}));
        return {sky.radiance({}) * n, light * light * n, range.end};
    }
    gathered_sky(sky, recorded, range, weights, [&](std::uint32_t, Vec3, Rgb e) {
        before.sum += e;
        before.square += luminance(e) * luminance(e);
    });
    before.count = range.end;
    return before;
}

namespace {

/// Calls f(luminance, area) for all rows that a group lights.
template <class F>
void for_lit(const LightField& light, std::size_t group, const std::vector<float>& area, F f) {
    for (std::size_t i = 0; i < light.rows; ++i)
        if (const auto e = static_cast<double>(luminance(light.get(i, group))); e > 0)
            f(e, static_cast<double>(area[i]));
}

/// A group's mean light as weighed by itself: what it typically is where it lights.
double typical_light(const LightField& light, std::size_t group, const std::vector<float>& area) {
    double sum = 0, square = 0;
    for_lit(light, group, area, [&](double e, double a) {
        sum += a * e;
        square += a * e * e;
    });
    return sum > 0 ? square / sum : 0;
}

}  // namespace

float group_floor(const LightField& light, std::size_t group, const std::vector<float>& area) {
    return unseen_share * static_cast<float>(matters * typical_light(light, group, area));
}

float looked_at_floor(const LightField& light, std::size_t group, const std::vector<float>& area) {
    const double least = matters * typical_light(light, group, area);
    if (!(least > 0)) return 0;
    double logs = 0, whole = 0;
    for_lit(light, group, area, [&](double e, double a) {
        if (e < least) return;
        logs += a * std::log2(e);
        whole += a;
    });
    return unseen_share * static_cast<float>(std::exp2(logs / whole));
}

std::vector<float> estimate_noise(NoisyLight& s, std::size_t groups, const NoiseQuestion& question,
                                  Job& job) {
    const std::size_t count = s.light.rows;
    const std::uint32_t first = question.first;
    job.parallel(groups, 1, [&](std::size_t g, std::size_t) {
        if (!(s.floor[g] > 0)) s.floor[g] = group_floor(s.light, g, s.area);
    });
    // What every row sends of each group, side by side.
    LightField sent;
    sent.rows = count;
    sent.stride = (groups + 7) / 8 * 8;
    sent.values.assign(count * sent.stride, 0.0f);
    job.parallel(count, 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t g = 0; g < groups; ++g)
                sent.values[i * sent.stride + g] = luminance(s.light.get(i, g) * s.albedo[i]);
    });
    HalfField half;
    reflect(sent, std::vector<Rgb>(count, {1, 1, 1}), half, job);
    std::vector<float> noise(count * groups, 0.0f);
    s.mean.assign(count * groups, 0.0f);
    s.links.for_rows(1024, job, [&](std::size_t begin, std::size_t end) {
        std::vector<float> mean(sent.stride), square(sent.stride);
        for (std::size_t i = begin; i < end; ++i) {
            link_moments(s.links.row(i), first, half, mean, square);
            for (std::size_t g = 0; g < groups; ++g)
                if (s.sky[g]) {
                    mean[g] += pi * luminance((*s.sky[g])[i].sum);
                    square[g] += pi * pi * (*s.sky[g])[i].square;
                }
            const auto n = static_cast<float>(first);
            for (std::size_t g = 0; g < groups; ++g) {
                const float variance = std::max(0.0f, square[g] / n - mean[g] / n * (mean[g] / n)) / n;
                const float against = std::max(luminance(s.light.get(i, g)), s.floor[g]);
                s.mean[i * groups + g] = mean[g] / n;
                if (against > 0) noise[i * groups + g] = std::sqrt(variance) / against;
            }
        }
    });
    return noise;
}

RowLengths row_lengths(const TexelSet& texels, const TexelStates& states, const std::vector<float>& noise,
                       const NoiseQuestion& question, Job& job) {
    const std::size_t groups = texels.size() > 0 ? noise.size() / texels.size() : 1;
    RowLengths lengths{.first = question.first,
                       .groups = groups,
                       .log2_scale = std::vector<std::uint8_t>(texels.size() * groups, 0)};
    job.parallel(texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        std::vector<float> square(groups);
        for (std::size_t i = begin; i < end; ++i) {
            if (!is_valid(states[i])) continue;
            float count = 0;
            std::fill(square.begin(), square.end(), 0.0f);
            texels.for_neighbours(static_cast<std::uint32_t>(i), 2, [&](std::uint32_t n) {
                if (!is_valid(states[n])) return;
                for (std::size_t g = 0; g < groups; ++g)
                    square[g] += noise[n * groups + g] * noise[n * groups + g];
                count += 1;
            });
            for (std::size_t g = 0; g < groups; ++g) {
                const float here =
                    count > 0 ? square[g] / count : noise[i * groups + g] * noise[i * groups + g];
                std::uint8_t& d = lengths.log2_scale[i * groups + g];
                while (static_cast<float>(1u << d) < here / (question.noise * question.noise) &&
                       question.first << d < question.most)
                    ++d;
            }
        }
    });
    return lengths;
}

}  // namespace stasigraph
