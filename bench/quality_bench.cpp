// How clean a bake is: its error against a converged one, before and after smoothing.

#include <fmt/core.h>

#include <chrono>
#include <cmath>
#include <cstdlib>

#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

constexpr int converged_links = 2048;

double seconds_since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

struct Errors {
    double light = 0, by_links = 0;
};

/// Root mean square over all lightmap texels, each against its own light or a twentieth of the mean. By
/// area, or every texel alike.
Errors errors_of(const std::vector<TexelLight>& ours, const std::vector<TexelLight>& truth, bool by_area) {
    const auto weight = [&](std::size_t i) {
        // Whether a texel counts as invalid, and where it then moved, is told by its links.
        const bool both =
            ours[i].exported && ours[i].valid && truth[i].valid && ours[i].position == truth[i].position;
        return both ? (by_area ? static_cast<double>(ours[i].area) : 1.0) : 0.0;
    };
    const auto links = [](const TexelLight& t) {
        return static_cast<double>(luminance(t.total - t.sampled));
    };
    const auto all = [](const TexelLight& t) { return static_cast<double>(luminance(t.total)); };
    double whole = 0, mean = 0, mean_links = 0;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        whole += weight(i);
        mean += weight(i) * all(truth[i]);
        mean_links += weight(i) * links(truth[i]);
    }
    Errors e;
    const auto add = [&](double& to, std::size_t i, double is, double should, double typical) {
        const double off = (is - should) / std::max(should, 0.05 * typical);
        to += weight(i) * off * off;
    };
    for (std::size_t i = 0; i < ours.size(); ++i) {
        add(e.light, i, all(ours[i]), all(truth[i]), mean / whole);
        add(e.by_links, i, links(ours[i]), links(truth[i]), mean_links / whole);
    }
    return {std::sqrt(e.light / whole), std::sqrt(e.by_links / whole)};
}

struct QualityRun {
    double seconds = 0;  ///< Lighting, links recorded.
    std::vector<std::vector<TexelLight>> sets;
};

std::vector<QualityRun> light(Level level, int links, std::vector<Denoise> ways, Job& job) {
    level.quality.links = links;
    Baker baker(level, job);
    baker.light(level, job);  // direct light is sampled once, and not timed
    std::vector<QualityRun> runs;
    for (const Denoise way : ways) {
        level.quality.denoise = way;
        const auto start = std::chrono::steady_clock::now();
        baker.light(level, job);
        QualityRun run{.seconds = seconds_since(start), .sets = {}};
        for (std::uint32_t s = 0; s < level.sets.size(); ++s) run.sets.push_back(baker.texels(s));
        runs.push_back(std::move(run));
    }
    return runs;
}

}  // namespace

void bench_quality(const char* file, const std::vector<int>& links) {
    Level level = load_level(file);
    complete_level(level);
    level.quality.tier = Tier::glance;
    level.lightmap.density *= 2;  // half of that of `proof`
    level.volumes.clear();
    Job job;
    const auto truth = light(level, converged_links, {Denoise::off}, job)[0].sets;
    fmt::print(
        "error against {} links a texel, half the density of proof; off, smoothed, times\n"
        "                     every texel alike                        by area\n"
        "links  set           all light            by links            all light            by links\n",
        converged_links);
    for (const int n : links) {
        const auto runs = light(level, n, {Denoise::off, Denoise::automatic}, job);
        for (std::size_t s = 0; s < level.sets.size(); ++s) {
            fmt::print("{:>5}  {:<10}", n, level.sets[s].name);
            for (const bool by_area : {false, true}) {
                const Errors off = errors_of(runs[0].sets[s], truth[s], by_area),
                             on = errors_of(runs[1].sets[s], truth[s], by_area);
                fmt::print("  {:>4.1f} % {:>4.1f} % {:>4.1f}   {:>4.1f} % {:>4.1f} % {:>4.1f}",
                           off.light * 100, on.light * 100, off.light / on.light, off.by_links * 100,
                           on.by_links * 100, off.by_links / on.by_links);
            }
            fmt::print("\n");
        }
    }
}
