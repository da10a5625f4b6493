// How well probes tell light where a figure's body can be, room by room, against exact light.

#include <algorithm>
#include <map>

#include "picture/viewer.hpp"
#include "probe/body_places.hpp"
#include "probe/decimate.hpp"
#include "probe/net.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/link_zones.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

constexpr float far_off = 0.25f;  ///< Of lightness: anybody sees that.

float at_share(const std::vector<float>& ascending, std::size_t percent) {
    return ascending.empty() ? 0 : ascending[percent * (ascending.size() - 1) / 100];
}

}  // namespace

std::vector<RoomProbes> judge_probes(const Level& level, const Atlas& atlas, const Baked& baked,
                                     std::size_t places, Job& job) {
    const ProbeNet& net = baked.probes;
    if (net.size() == 0)
        throw Error{.what = "the bake has no probes",
                    .where = level.name,
                    .value = "",
                    .remedy = "Add a [[volume]] and bake."};
    const ZoneLinks links = link_zones(level, net.position, baked.reflections, job);
    std::map<std::string, std::vector<std::uint32_t>> rooms;
    const runtime::NetView view = view_of(net);
    for (std::uint32_t p = 0; p < net.size(); ++p)
        if (runtime::detail::answers(view, p))
            rooms[links.probe[p] == none ? "elsewhere" : level.zones[links.probe[p]].name].push_back(p);
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_still, job.threads());
    const RayCaster& caster = tree->rays();
    const std::vector<Vec3> facings{{0, 1, 0}, {0, -1, 0}, {0.8f, 0, 0.6f}};
    std::vector<RoomProbes> out;
    job.begin(Stage::judge_probes, rooms.size() * baked.sets.size());
    for (const auto& [room, probes] : rooms) {
        std::vector<Vec3> around;
        for (const std::uint32_t p : probes) around.push_back(net.position[p]);
        const std::vector<Vec3> at = body_places(level, caster, around, places, true);
        for (const BakedSet& set : baked.sets) {
            job.advance(1);
            const auto recipe = std::find_if(level.sets.begin(), level.sets.end(),
                                             [&](const BakeSet& s) { return s.name == set.name; });
            if (at.empty() || recipe == level.sets.end()) continue;
            const ViewLight light{.set = &set, .probes = &net, .visibility = &baked.visibility};
            const std::vector<ExactLight> exact = exact_light({level, atlas}, light, at, facings, job);
            const float white = white_of(*recipe, set.probes);
            RoomProbes r{.room = room, .set = set.name, .places = at.size()};
            std::vector<float> told, there;
            for (std::size_t i = 0; i < exact.size(); ++i) {
                const Vec3 place = at[i / facings.size()], facing = facings[i % facings.size()];
                const Rgb rgb =
                    probe_irradiance(probe_weights(net, place), set.probes, set.lamps, place, facing);
                told.push_back(lightness_apart(exact[i].irradiance, rgb, white));
                there.push_back(lightness_apart(exact[i].irradiance, exact[i].as_probe, white));
                if (told.back() > r.worst) {
                    r.worst = told.back();
                    r.worst_at = place;
                }
            }
            const auto over = std::count_if(told.begin(), told.end(), [](float e) { return e > far_off; });
            r.over_quarter = static_cast<float>(over) / static_cast<float>(told.size());
            std::sort(told.begin(), told.end());
            std::sort(there.begin(), there.end());
            r.half = at_share(told, 50);
            r.at_95 = at_share(told, 95);
            r.half_there = at_share(there, 50);
            r.at_95_there = at_share(there, 95);
            out.push_back(r);
        }
    }
    return out;
}

}  // namespace stasigraph
