// How well probes tell light where a figure's body can be, room by room, against exact light.

#include <fmt/core.h>

#include <algorithm>

#include "dim_levels.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

struct LitBench {
    Level level;
    Atlas atlas;
    Baked baked;
};

/// A level of test::dim_levels(), with probes wherever one can walk or fly, baked at proof.
LitBench baked_in_code(const std::string& name, Job& job) {
    LitBench b{.level = test::dim_level(name), .atlas = {}, .baked = {}};
    b.level.volumes.clear();
    b.level.hand_probes.clear();
    b.level.quality.tier = Tier::proof;
    complete_level(b.level);
    add_default_volume(b.level);
    const PlacedProbes placed = place_probes(b.level, job);
    fmt::print("{} probes of {} candidates, {:.1f} % at 95 of 100\n", placed.places.size(),
               placed.figures.thinned, 100 * placed.figures.error_95);
    b.level.placed = placed.places;
    b.baked = bake(b.level, b.atlas, job);
    return b;
}

LitBench read_back(const char* file) {
    LitBench b{.level = load_level(file), .atlas = {}, .baked = {}};
    SavedBake bake = load_bake(default_output(file), b.level, "");
    if (bake.stale) fmt::print("the bake is out of date\n");
    b.atlas = std::move(bake.atlas);
    b.baked = std::move(bake);
    b.baked.occlusion = {};
    return b;
}

}  // namespace

/// Of a level that is baked, or of one of test::dim_levels() by name: 300 places in each zone, or in all
/// where there are none, in every set.
void bench_probe_walks(const char* file) {
    Job job;
    const std::vector<std::string> built = test::dim_levels();
    const LitBench b = std::find(built.begin(), built.end(), file) != built.end() ? baked_in_code(file, job)
                                                                                  : read_back(file);
    fmt::print("{:<16}{:<20}{:>9} {:>9} {:>9} {:>9} {:>21}\n", "room", "set", "half", "95 of 100", "worst",
               "over 25", "a probe there: half, 95");
    for (const RoomProbes& r : judge_probes(b.level, b.atlas, b.baked, 300, job))
        fmt::print("{:<16}{:<20}{:>7.1f} % {:>7.1f} % {:>7.1f} % {:>7.1f} % {:>9.1f} % {:>7.1f} %\n", r.room,
                   r.set, 100 * r.half, 100 * r.at_95, 100 * r.worst, 100 * r.over_quarter,
                   100 * r.half_there, 100 * r.at_95_there);
}
