// What check() takes, and how its word on thin walls compares with what bakes say afterwards.

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
    const Level level = load_level(file);
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

    // By surfaces on which a wall parts light, at the density of the tier.
    constexpr std::uint32_t scenes = 200;
    std::map<std::string, std::size_t> counts;
    std::size_t both = 0, check_alone = 0, bake_alone = 0, bake_alone_much = 0, errors = 0;
    for (std::uint32_t seed = 0; seed < scenes; ++seed) {
        Level scene = test::clutter(seed);
        scene.quality.tier = Tier::glance;
        scene.lightmap.density *=
            tier_options(Tier::proof).density_scale / tier_options(Tier::glance).density_scale;
        std::vector<std::string> said, shown;
        for (const Finding& f : check(scene, job).findings) {
            ++counts[f.id];
            errors += f.severity == Severity::error ? 1 : 0;
            if (f.id == "thin-wall" || f.id == "sheet-wall") said.push_back(f.names[1]);
        }
        Atlas atlas;
        const std::vector<SharedTexels> shared = bake(scene, atlas, job).shared;
        for (const SharedTexels& s : shared) shown.push_back(s.surface);
        for (const std::string& name : said)
            ++(std::find(shown.begin(), shown.end(), name) != shown.end() ? both : check_alone);
        for (const SharedTexels& s : shared)
            if (std::find(said.begin(), said.end(), s.surface) == said.end()) {
                ++bake_alone;
                bake_alone_much += s.texels >= 8 ? 1 : 0;
            }
    }
    fmt::print("{} heaps of clutter: {} findings that are errors\n", scenes, errors);
    for (const auto& [id, count] : counts) fmt::print("  {:>5} {}\n", count, id);
    fmt::print(
        "surfaces on which a wall is too thin: {} by check and bake, {} by check alone, {} by the bake alone "
        "({} of them with 8 pairs of texels or more)\n",
        both, check_alone, bake_alone, bake_alone_much);
}
