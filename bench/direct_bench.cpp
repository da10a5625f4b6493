// Directly sampled light: how far a bake is off what many more rays say, for each group alone, links and
// bounces aside.

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "bench_tier.hpp"
#include "picture/dots.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

struct OwnLight {
    std::vector<float> light;  ///< Luminance of the directly sampled light, lux.
    std::vector<std::uint8_t> valid;
};

/// By group. `seconds`: receives what the light of all groups took.
std::vector<OwnLight> light_of(const Level& level, double& seconds, Job& job) {
    Baker baker(level, job);
    const auto start = std::chrono::steady_clock::now();
    baker.light(level, job);
    seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    std::vector<OwnLight> out;
    for (std::uint32_t s = 0; s < level.sets.size(); ++s) {
        OwnLight& own = out.emplace_back();
        for (const TexelLight& t : baker.texels(s)) {
            own.light.push_back(luminance(t.sampled));
            own.valid.push_back(t.exported && t.valid ? 1 : 0);
        }
    }
    return out;
}

/// Of bakes with other seeds, and an eighth of the noise asked for.
std::vector<OwnLight> mean_of_bakes(Level level, Job& job) {
    constexpr int bakes = 3;
    level.quality.noise = tier_options(level.quality).noise / 8;
    std::vector<OwnLight> mean;
    double seconds = 0;
    for (int k = 0; k < bakes; ++k) {
        level.quality.seed += 101;
        const std::vector<OwnLight> more = light_of(level, seconds, job);
        if (k == 0) {
            mean = more;
            continue;
        }
        for (std::size_t s = 0; s < mean.size(); ++s)
            for (std::size_t i = 0; i < mean[s].light.size(); ++i) {
                mean[s].light[i] += (more[s].light[i] - mean[s].light[i]) / static_cast<float>(k + 1);
                mean[s].valid[i] = mean[s].valid[i] && more[s].valid[i];
            }
    }
    return mean;
}

/// Nothing where the group lights nothing.
void print_group(const std::string& name, const OwnLight& ours, const OwnLight& truth) {
    constexpr double least_share = 0.01;
    double sum = 0, square = 0, own = 0, apart = 0;
    for (std::size_t i = 0; i < ours.light.size(); ++i) {
        if (!ours.valid[i] || !truth.valid[i]) continue;
        const auto here = static_cast<double>(truth.light[i]),
                   off = static_cast<double>(ours.light[i]) - here;
        sum += here;
        square += here * here;
        own += static_cast<double>(ours.light[i]);
        apart += off * off;
    }
    if (!(sum > 0)) return;
    const auto least = static_cast<float>(least_share * square / sum);
    std::size_t lit = 0, over[3] = {};
    float worst = 0;
    for (std::size_t i = 0; i < ours.light.size(); ++i) {
        const float a = ours.light[i], b = truth.light[i];
        if (!ours.valid[i] || !truth.valid[i] || !(std::max(a, b) > 0.2f * least)) continue;
        ++lit;
        const float off = std::abs(a - b) / std::max(b, least);
        for (int step = 0; step < 3; ++step) over[step] += off > dot_steps[step] ? 1 : 0;
        worst = std::max(worst, off);
    }
    fmt::print("{:<16}{:>8} | {:>9}{:>8}{:>8} | {:>6.0f} % {:>6.2f} % {:>7.3f} %\n", name, lit, over[0],
               over[1], over[2], 100 * worst, 100 * std::sqrt(apart / square), 100 * (own / sum - 1));
}

}  // namespace

/// Texels whose directly sampled light is off by over 10, 20 and 50 % of the mean of bakes with other seeds
/// and an eighth of the noise asked for. Light under a hundredth of what its group typically is counts as
/// that much.
void bench_direct(const std::string& file, const std::string& tier, float density) {
    Level level = load_level(file);
    level.volumes.clear();
    level.hand_probes.clear();
    level.reflections.clear();
    level.reflection_rules.clear();
    level.quality.tier = tier_called(tier);
    level.quality.bounces = 0;
    level.quality.denoise = Denoise::off;
    level.lightmap.density *= density;
    complete_level(level);
    level.sets.clear();
    for (std::size_t g = 0; g < level.groups.size(); ++g) {
        BakeSet& set = level.sets.emplace_back();
        set.name = level.groups[g];
        set.gains.assign(level.groups.size(), 0.0f);
        set.gains[g] = 1;
    }
    Job job;
    double seconds = 0;
    const std::vector<OwnLight> ours = light_of(level, seconds, job);
    const std::vector<OwnLight> truth = mean_of_bakes(level, job);
    fmt::print("light of all groups: {:.1f} s\n{:<16}{:>8} | over 10 %{:>8}{:>8} | {:>8} {:>8} {:>8}\n",
               seconds, "group", "lit", "20 %", "50 %", "worst", "rms", "mean off");
    for (std::size_t s = 0; s < ours.size(); ++s) print_group(level.sets[s].name, ours[s], truth[s]);
}
