// How well probes tell light where a figure's body can be, room by room, against exact light.

#include <fmt/core.h>

#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

/// Of a level that is baked: 300 places in each zone, or in all where there are none, in every set.
void bench_probe_walks(const char* file) {
    const Level level = load_level(file);
    const SavedBake bake = load_bake(default_output(file), level, "");
    if (bake.stale) fmt::print("the bake is out of date\n");
    Job job;
    const Baked baked{.sets = bake.sets,
                      .visibility = bake.visibility,
                      .occlusion = {},
                      .probes = bake.probes,
                      .reflections = bake.reflections,
                      .figures = {}};
    fmt::print("{:<16}{:<20}{:>9} {:>9} {:>9} {:>9} {:>21}\n", "room", "set", "half", "95 of 100", "worst",
               "over 25", "a probe there: half, 95");
    for (const RoomProbes& r : judge_probes(level, bake.atlas, baked, 300, job))
        fmt::print("{:<16}{:<20}{:>7.1f} % {:>7.1f} % {:>7.1f} % {:>7.1f} % {:>9.1f} % {:>7.1f} %\n", r.room,
                   r.set, 100 * r.half, 100 * r.at_95, 100 * r.worst, 100 * r.over_quarter,
                   100 * r.half_there, 100 * r.at_95_there);
}
