#include "sheet/sheet_probes.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "sheet/sheet_fields.hpp"

namespace stasigraph {

namespace {

void read_fill(const Entry& e, Volume& v) {
    if (!e.has("fill")) return;
    std::fill(std::begin(v.rules), std::end(v.rules), false);
    for (const std::string& name : texts(e, "fill")) {
        bool known = false;
        for (int r = 1; r < probe_rules; ++r)
            if (name == to_text(static_cast<ProbeRule>(r))) v.rules[r] = known = true;
        if (!known)
            e.fail("fill", "there is no such rule as " + name,
                   "Use \"lattice\", \"walkable\", \"explore\", \"objects\" and \"light\", one or several.");
    }
}

void read_seeds(const Entry& e, Volume& v) {
    if (!e.has("seeds") || !e.node("seeds")->is_string()) {
        v.seeds = vectors(e, "seeds");
        return;
    }
    v.from_floors = e.text("seeds") == "floors";
    if (!v.from_floors)
        e.fail("seeds", "is neither a list of points nor \"floors\"",
               "Write seeds = [[x, y, z]], or seeds = \"floors\" for wherever one can stand.");
}

}  // namespace

void apply_volume(const Entry& e, Level& level) {
    Volume v;
    v.name = e.text("name").value_or("volume " + std::to_string(level.volumes.size() + 1));
    if (std::any_of(level.volumes.begin(), level.volumes.end(),
                    [&](const Volume& other) { return other.name == v.name; }))
        e.fail("name", "is the name of another volume too", "Names of volumes must differ.");
    read_shape(e, level, v);
    read_fields(e, v);
    read_seeds(e, v);
    for (const Vec3 s : v.seeds)
        if (!holds(v, s))
            e.fail("seeds", "a seed lies outside of the volume", "Move it in, or make the volume larger.");
    read_fill(e, v);
    if (e.has("figure"))
        read_fields(e.inner("figure", "figure = { height = 1.8, radius = 0.3, step = 0.4, slope = 45 }"),
                    v.figure);
    for (const auto& [pattern, key] :
         {std::pair{v.floor, "floor"}, std::pair{v.around == "*" ? "" : v.around, "around"}})
        if (!pattern.empty() && std::none_of(level.surfaces.begin(), level.surfaces.end(),
                                             [&, pattern = pattern](const Surface& s) {
                                                 return glob_match(pattern, s.node) ||
                                                        glob_match(pattern, s.name);
                                             }))
            note_unmatched(level, e, pattern, surface_names(level), key);
    level.volumes.push_back(std::move(v));
}

void apply_probe(const Entry& e, Level& level) {
    if (e.has("at") == e.has("node"))
        e.fail("at", "needs either a place or nodes", "Write at = [x, y, z] in metres, or node = \"glob\".");
    if (e.has("at")) {
        level.hand_probes.push_back(*e.vector("at", -far, far));
        return;
    }
    const std::string pattern = e.needed_text("node");
    bool any = false;
    for (const SceneNode& p : level.nodes)
        if (glob_match(pattern, p.name)) {
            level.hand_probes.push_back(p.to_world.origin);
            any = true;
        }
    if (!any) e.fail("node", "matches no node", "The probe has no place; check the name.");
}

void apply_probe_options(const Entry& e, Level& level) {
    read_fields(e, level.probes);
}

}  // namespace stasigraph
