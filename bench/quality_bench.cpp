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

/// Root mean square over the lightmapped area, each texel against its own light or a twentieth of the mean.
Errors errors_of(const std::vector<TexelLight>& ours, const std::vector<TexelLight>& truth) {
    const auto both = [&](std::size_t i) { return ours[i].exported && ours[i].valid && truth[i].valid; };
    const auto links = [](const TexelLight& t) { return static_cast<double>(luminance(t.total - t.sampled)); };
    const auto all = [](const TexelLight& t) { return static_cast<double>(luminance(t.total)); };
    double area = 0, mean = 0, mean_links = 0;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        if (!both(i)) continue;
        const auto a = static_cast<double>(ours[i].area);
        area += a;
        mean += a * all(truth[i]);
        mean_links += a * links(truth[i]);
    }
    Errors e;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        if (!both(i)) continue;
        const auto a = static_cast<double>(ours[i].area);
        e.light +=
            a * std::pow((all(ours[i]) - all(truth[i])) / std::max(all(truth[i]), 0.05 * mean / area), 2);
        e.by_links += a * std::pow((links(ours[i]) - links(truth[i])) /
                                       std::max(links(truth[i]), 0.05 * mean_links / area),
                                   2);
    }
    return {std::sqrt(e.light / area), std::sqrt(e.by_links / area)};
}

struct Run {
    double seconds = 0;  ///< Lighting, links recorded.
    std::vector<std::vector<TexelLight>> sets;
};

std::vector<Run> light(Level level, int links, std::vector<Denoise> ways, Job& job) {
    level.quality.links = links;
    Baker baker(level, job);
    baker.light(level, job);  // direct light is sampled once, and not timed
    std::vector<Run> runs;
    for (const Denoise way : ways) {
        level.quality.denoise = way;
        const auto start = std::chrono::steady_clock::now();
        baker.light(level, job);
        Run run{.seconds = seconds_since(start), .sets = {}};
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
    level.volumes.clear();
    Job job;
    const auto truth = light(level, converged_links, {Denoise::off}, job)[0].sets;
    fmt::print("error against {} links a texel, density of glance\n", converged_links);
    fmt::print("links  set          light off    on  times   by links off    on  times   smoothing\n");
    for (const int n : links) {
        const auto runs = light(level, n, {Denoise::off, Denoise::automatic}, job);
        for (std::size_t s = 0; s < level.sets.size(); ++s) {
            const Errors off = errors_of(runs[0].sets[s], truth[s]), on = errors_of(runs[1].sets[s], truth[s]);
            fmt::print("{:>5}  {:<12} {:>5.1f} % {:>5.1f} %  {:>4.1f}        {:>5.1f} % {:>5.1f} %  {:>4.1f}   {:>6.2f} s\n", n,
                       level.sets[s].name, off.light * 100, on.light * 100, off.light / on.light,
                       off.by_links * 100, on.by_links * 100, off.by_links / on.by_links,
                       runs[1].seconds - runs[0].seconds);
        }
    }
}
