// What check() takes, how its word on thin walls compares with what bakes say afterwards, and what leaks in
// two hundred heaps of clutter.

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <map>

#include "shapes.hpp"
#include "stasigraph/check.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/survey.hpp"

using namespace stasigraph;

namespace {

double seconds_of(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

}  // namespace

void bench_check(const std::string& file) {
    const Level level = load_level_to_check(file);
    Job job;
    Checked checked;
    std::vector<double> times;
    for (int k = 0; k < 3; ++k) times.push_back(seconds_of([&] { checked = check(level, job); }));
    std::sort(times.begin(), times.end());
    const double surveyed = seconds_of([&] { survey(level, job); });
    fmt::print(
        "check of {}: {:.2f} s (best of three {:.2f}), survey {:.2f} s: {:.2f} of it; {} errors, {} "
        "warnings, {} hints, {} accepted\n",
        level.name, times[1], times[0], surveyed, times[1] / surveyed, checked.errors, checked.warnings,
        checked.hints, checked.accepted);
}

namespace {

std::vector<Leak> leaks_of(const Level& level, Job& job) {
    Atlas charts;
    const Baked baked = bake(level, charts, job);
    const ViewLight light{&baked.sets[0], &baked.probes, &baked.visibility, &baked.occlusion,
                          &baked.reflections};
    return find_leaks(level, charts, {light}, 2000, job)[0];
}

}  // namespace

void bench_heaps(Tier tier, std::uint32_t first, std::uint32_t end) {
    Job job;
    std::map<std::string, std::size_t> counts;
    std::size_t both = 0, check_alone = 0, bake_alone = 0, errors = 0, leaks_whole = 0, leaks_in_parts = 0;
    for (std::uint32_t seed = first; seed < end; ++seed) {
        Level scene = test::clutter(seed);
        scene.quality.tier = tier;
        // At the density of `proof`, whatever the tier.
        scene.lightmap.density *= tier_options(Tier::proof).density_scale / tier_options(tier).density_scale;
        scene.volumes.clear();
        std::vector<std::string> said, shown;
        for (const Finding& f : check(scene, job).findings) {
            ++counts[f.id];
            errors += f.severity == Severity::error ? 1 : 0;
            if (f.id == "thin-wall" || f.id == "sheet-wall") said.push_back(f.names[1]);
        }
        Level cut = scene;
        complete_level(cut);
        part_surfaces(cut, job);
        const std::vector<Leak> in_parts = leaks_of(cut, job);
        for (const Leak& l : in_parts)
            fmt::print(
                "heap {}: {} at {:.3f} {:.3f} {:.3f}: {:.0f} lux, exact light there {:.0f} to {:.0f}\n", seed,
                cut.surfaces[l.surface].name, l.at.x, l.at.y, l.at.z, l.lux, l.least, l.most);
        leaks_in_parts += in_parts.size();
        const std::vector<Leak> whole = leaks_of(scene, job);
        leaks_whole += whole.size();
        for (const Leak& l : whole) shown.push_back(scene.surfaces[l.surface].name);
        std::sort(shown.begin(), shown.end());
        shown.erase(std::unique(shown.begin(), shown.end()), shown.end());
        for (const std::string& name : said)
            ++(std::find(shown.begin(), shown.end(), name) != shown.end() ? both : check_alone);
        for (const std::string& name : shown)
            bake_alone += std::find(said.begin(), said.end(), name) == said.end() ? 1 : 0;
    }
    fmt::print("{} heaps of clutter: {} findings that are errors\n", end - first, errors);
    for (const auto& [id, count] : counts) fmt::print("  {:>5} {}\n", count, id);
    fmt::print(
        "surfaces on which a wall is too thin: {} by check and bake, {} by check alone, {} by the bake "
        "alone; places that leak: {} with surfaces in one piece, {} in parts\n",
        both, check_alone, bake_alone, leaks_whole, leaks_in_parts);
}
