#include "sheet/sheet_probes.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "sheet/sheet_shapes.hpp"

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

void read_figure(const Entry& e, Volume& v) {
    if (!e.has("figure")) return;
    const toml::table* t = e.node("figure")->as_table();
    if (!t)
        e.fail("figure", "is not a table",
               "Write figure = { height = 1.8, radius = 0.3, step = 0.4, slope = 45 }.");
    for (const auto& [key, value] : *t) {
        const auto x = value.value<double>();
        float* to = key.str() == "height"   ? &v.figure.height
                    : key.str() == "radius" ? &v.figure.radius
                    : key.str() == "step"   ? &v.figure.step
                    : key.str() == "slope"  ? &v.figure.slope
                                            : nullptr;
        if (!to || !x)
            e.fail("figure",
                   to ? std::string(key.str()) + " is not a number" : "has no key " + std::string(key.str()),
                   "It has height, radius and step in metres, and slope in degrees.");
        *to = static_cast<float>(*x) * (to == &v.figure.slope ? degree : 1);
    }
}

void read_heights(const Entry& e, Volume& v) {
    if (!e.has("heights")) return;
    const toml::array* list = e.node("heights")->as_array();
    v.heights.clear();
    for (std::size_t i = 0; list && i < list->size(); ++i)
        if (const auto x = (*list)[i].value<double>()) v.heights.push_back(static_cast<float>(*x));
    if (!list || v.heights.size() != list->size() || v.heights.empty())
        e.fail("heights", "is not a list of numbers", "Write for example [0.3, 1.6], metres over ground.");
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
    v.except = e.flag("except").value_or(false);
    v.priority = number_or(e, "priority", -1e6, 1e6, v.priority);
    v.spacing = number_or(e, "spacing", 0.05, 1000, v.spacing);
    v.clearance = number_or(e, "clearance", 0, 10, v.clearance);
    v.near = number_or(e, "near", 0, 1000, v.near);
    v.floor = e.text("floor").value_or("");
    v.around = e.text("around").value_or(v.around);
    read_seeds(e, v);
    for (const Vec3 s : v.seeds)
        if (!holds(v, s))
            e.fail("seeds", "a seed lies outside of the volume", "Move it in, or make the volume larger.");
    read_fill(e, v);
    read_figure(e, v);
    read_heights(e, v);
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
    const std::string by_default = e.text("default").value_or("on");
    if (by_default != "on" && by_default != "off")
        e.fail("default", "is neither \"on\" nor \"off\"",
               "\"off\": a level without volumes gets no probes; \"on\": it gets a volume over all of it.");
    level.probes.by_default = by_default == "on";
    level.probes.tolerance = number_or(e, "tolerance", 0, 1, 0);
    level.probes.budget = static_cast<int>(e.number("budget", 0, 1e6).value_or(0));
    level.probes.merge = number_or(e, "merge", 0, 1000, 0);
}

}  // namespace stasigraph
