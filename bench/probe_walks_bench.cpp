// How well probes tell light where a figure's body can be, room by room, against exact light.

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "probe/net.hpp"
#include "probe/thin.hpp"
#include "shapes.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/link_zones.hpp"
#include "stasigraph/stasigraph.hpp"
#include "trace/ray_caster.hpp"

using namespace stasigraph;

namespace {

constexpr std::size_t places_of_room = 300;
/// Metres that a part of a figure keeps from what stands still, and how far over a floor it is at most.
constexpr float room_to_move = 0.2f, height = 1.9f;

/// Free places that a probe of a room sees, spread around all of them. The same in every run.
std::vector<Vec3> places_in(const RayCaster& caster, const ProbeNet& net,
                            const std::vector<std::uint32_t>& probes) {
    std::vector<Vec3> out;
    test::Numbers numbers(7);
    for (int tries = 0; out.size() < places_of_room && tries < 100000; ++tries) {
        const Vec3 from = net.position[probes[static_cast<std::size_t>(numbers.next() *
                                                                       static_cast<float>(probes.size()))]];
        const Vec3 to = from + Vec3{2 * numbers.next() - 1, 2 * numbers.next() - 1, 2 * numbers.next() - 1};
        const Vec3 way = to - from;
        const float far = length(way);
        if (!(far > 0) || caster.blocked({from, way * (1 / far), far})) continue;
        bool free = caster.blocked({to, {0, -1, 0}, height});
        for (const Vec3 side : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
            free = free && !caster.blocked({to, side, room_to_move});
        if (free) out.push_back(to);
    }
    return out;
}

struct WalkErrors {
    std::vector<float> told;  ///< Of what probes tell around the place,
    std::vector<float> here;  ///< and of what one right there would.
};

void print(const std::string& room, const std::string& set, WalkErrors e) {
    std::sort(e.told.begin(), e.told.end());
    std::sort(e.here.begin(), e.here.end());
    const auto at = [](const std::vector<float>& v, std::size_t percent) {
        return 100 * v[percent * (v.size() - 1) / 100];
    };
    const auto over = e.told.end() - std::upper_bound(e.told.begin(), e.told.end(), 0.25f);
    fmt::print("{:<16}{:<20}{:>7.1f} % {:>7.1f} % {:>7.1f} % {:>7.1f} % {:>9.1f} % {:>7.1f} %\n", room, set,
               at(e.told, 50), at(e.told, 95), at(e.told, 100),
               100.0 * static_cast<double>(over) / static_cast<double>(e.told.size()), at(e.here, 50),
               at(e.here, 95));
}

}  // namespace

/// Of a level that is baked: 300 places in each zone, or in all where there are none, up, down and to the
/// side, in every set; errors of perceptual lightness.
void bench_probe_walks(const char* file) {
    const Level level = load_level(file);
    const SavedBake bake = load_bake(default_output(file), level, "");
    if (bake.stale) fmt::print("the bake is out of date\n");
    Job job;
    const ZoneLinks links = link_zones(level, bake.probes.position, bake.reflections, job);
    std::map<std::string, std::vector<std::uint32_t>> rooms;
    for (std::uint32_t p = 0; p < bake.probes.size(); ++p)
        if (bake.probes.front_share[p] >= 0.7f)
            rooms[links.probe[p] == none ? "elsewhere" : level.zones[links.probe[p]].name].push_back(p);
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part == Part::still; });
    const std::vector<Vec3> facings{{0, 1, 0}, {0, -1, 0}, {0.8f, 0, 0.6f}};
    fmt::print("{:<16}{:<20}{:>9} {:>9} {:>9} {:>9} {:>21}\n", "room", "set", "half", "95 of 100", "worst",
               "over 25", "a probe there: half, 95");
    for (const auto& [room, probes] : rooms) {
        const std::vector<Vec3> places = places_in(caster, bake.probes, probes);
        if (places.empty()) continue;
        for (const BakedSet& set : bake.sets) {
            const ViewLight light{&set, &bake.probes, &bake.visibility, nullptr, nullptr};
            const std::vector<ExactLight> exact = exact_light(level, bake.atlas, light, places, facings, job);
            const auto recipe = std::find_if(level.sets.begin(), level.sets.end(),
                                             [&](const BakeSet& s) { return s.name == set.name; });
            const float white = white_of(*recipe, set.probes);
            WalkErrors errors;
            for (std::size_t i = 0; i < places.size(); ++i) {
                const ProbeWeights weights = probe_weights(bake.probes, places[i]);
                for (std::size_t f = 0; f < facings.size(); ++f) {
                    const ExactLight& e = exact[i * facings.size() + f];
                    const Rgb told = probe_irradiance(weights, set.probes, set.lamps, places[i], facings[f]);
                    errors.told.push_back(lightness_apart(e.irradiance, told, white));
                    errors.here.push_back(lightness_apart(e.irradiance, e.as_probe, white));
                }
            }
            print(room, set.name, std::move(errors));
        }
    }
}
