// The noise of probes: four at each of some places, so near that their light is the same and their rays are
// not.

#include <fmt/core.h>

#include <algorithm>

#include "probe_twins.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

/// At up to 500 places of a level's own probes, in every set: a probe's noise over the mean of six facings.
void bench_probe_noise(const char* file) {
    constexpr std::size_t most_places = 500;
    Level level = load_level(file);
    level.reflections.clear();
    level.reflection_rules.clear();
    Job job;
    const std::vector<ProbePlace> all = place_probes(level, job).places;
    const std::size_t every = all.size() / most_places + 1;
    std::vector<Vec3> places;
    for (std::size_t i = 0; i < all.size(); i += every) places.push_back(all[i].position);
    level.placed = test::places_of_twins(places);
    Baker baker(level, job);
    const Baked baked = baker.light(level, job);
    fmt::print("{:<24}{:>8} {:>9} {:>9} {:>9} {:>9} {:>12}\n", "set", "places", "median", "90 of 100",
               "95 of 100", "worst", "within 2 %");
    for (const BakedSet& set : baked.sets) {
        std::vector<float> noise;
        const std::vector<test::ProbeNoise> told = test::noise_of_twins(set.probes);
        for (std::size_t i = 0; i < told.size(); ++i)
            if (told[i].mean > 0 && baked.probes.front_share[i * test::twins] >= 0.7f)
                noise.push_back(told[i].noise);
        if (noise.empty()) continue;
        std::sort(noise.begin(), noise.end());
        const auto at = [&](std::size_t percent) { return 100 * noise[percent * (noise.size() - 1) / 100]; };
        const auto within = std::upper_bound(noise.begin(), noise.end(), 0.02f) - noise.begin();
        fmt::print("{:<24}{:>8} {:>7.2f} % {:>7.2f} % {:>7.2f} % {:>7.1f} % {:>10.1f} %\n", set.name,
                   noise.size(), at(50), at(90), at(95), at(100),
                   100.0 * static_cast<double>(within) / static_cast<double>(noise.size()));
    }
}
