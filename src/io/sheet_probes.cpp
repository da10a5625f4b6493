#include "io/sheet_probes.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"

namespace stasigraph {

namespace {

constexpr double far = 1e6;
constexpr float degree = pi / 180;

float number_or(const Entry& e, const char* key, double low, double high, float usual) {
    return static_cast<float>(e.number(key, low, high).value_or(static_cast<double>(usual)));
}

/// An array's items as vectors; the whole as one where it is one.
std::vector<Vec3> vectors(const Entry& e, const char* key) {
    std::vector<Vec3> out;
    if (!e.has(key)) return out;
    const toml::array* list = e.node(key)->as_array();
    bool good = list != nullptr;
    for (std::size_t i = 0; good && i < list->size(); ++i) {
        const toml::array* a = (*list)[i].as_array();
        float v[3] = {};
        good = a && a->size() == 3;
        for (std::size_t k = 0; good && k < 3; ++k) {
            const auto x = (*a)[k].value<double>();
            good = x && std::abs(*x) <= far;
            if (good) v[k] = static_cast<float>(*x);
        }
        out.push_back({v[0], v[1], v[2]});
    }
    if (!good)
        e.fail(key, "is not a list of points", "Write for example [[1.0, 2.0, 3.0], [4.0, 2.0, 3.0]].");
    return out;
}

std::vector<std::string> texts(const Entry& e, const char* key) {
    if (const auto one = e.node(key)->value_exact<std::string>()) return {*one};
    std::vector<std::string> out;
    const toml::array* list = e.node(key)->as_array();
    for (std::size_t i = 0; list && i < list->size(); ++i)
        if (const auto v = (*list)[i].value_exact<std::string>()) out.push_back(*v);
    if (!list || out.size() != list->size() || out.empty())
        e.fail(key, "is not a text or a list of texts", "Write for example [\"lattice\", \"objects\"].");
    return out;
}

void need_keys(const Entry& e, std::initializer_list<const char*> keys, const char* remedy) {
    for (const char* key : keys)
        if (!e.has(key)) e.fail(key, "is missing", remedy);
}

void refuse_keys(const Entry& e, std::initializer_list<const char*> keys, const std::string& shape) {
    for (const char* key : keys)
        if (e.has(key))
            e.fail(key, "says nothing of a volume of this shape",
                   "Take it out, or set shape; it is \"" + shape + "\".");
}

void read_box(const Entry& e, const Level& level, Volume& v) {
    need_keys(e, {"low", "high"}, "A volume needs its low and high corner in metres.");
    refuse_keys(e, {"at", "radius", "from", "to"}, "box");
    const Vec3 low = *e.vector("low", -far, far), high = *e.vector("high", -far, far);
    if (!(low.x < high.x && low.y < high.y && low.z < high.z))
        e.fail("high", "does not lie above low on every axis", "");
    v.middle = (low + high) * 0.5f;
    v.half = (high - low) * 0.5f;
    if (const auto turn = e.number("turn", -360, 360)) {
        const float t = static_cast<float>(*turn) * degree;
        v.axes = {Vec3{std::cos(t), 0, std::sin(t)}, Vec3{0, 1, 0}, Vec3{-std::sin(t), 0, std::cos(t)}};
    }
    const auto node = e.text("node");
    if (!node) return;
    const auto place = std::find_if(level.places.begin(), level.places.end(),
                                    [&](const Place& p) { return p.name == *node; });
    if (place == level.places.end()) e.fail("node", "is no node of the scene", "Check its name.");
    const Affine& m = place->to_world;
    v.middle = transform_point(m, v.middle);
    float* half[3] = {&v.half.x, &v.half.y, &v.half.z};
    for (int a = 0; a < 3; ++a) {
        const Vec3 along = transform_vector(m, v.axes[a]);
        *half[a] *= length(along);
        v.axes[a] = normalize(along);
    }
    // Square again, whatever the node's scale does to it.
    v.axes[1] = normalize(v.axes[1] - v.axes[0] * dot(v.axes[0], v.axes[1]));
    v.axes[2] = cross(v.axes[0], v.axes[1]);
}

void read_shape(const Entry& e, const Level& level, Volume& v) {
    const std::string shape = e.text("shape").value_or("box");
    if (shape == "box") return read_box(e, level, v);
    if (shape != "sphere" && shape != "capsule")
        e.fail("shape", "is no shape of a volume", "Use \"box\", \"sphere\" or \"capsule\".");
    refuse_keys(e, {"low", "high", "turn", "node"}, shape);
    if (shape == "sphere") {
        v.shape = VolumeShape::sphere;
        need_keys(e, {"at", "radius"}, "A sphere needs its middle, at, and its radius in metres.");
        refuse_keys(e, {"from", "to"}, shape);
        v.middle = *e.vector("at", -far, far);
    } else {
        v.shape = VolumeShape::capsule;
        need_keys(e, {"from", "to", "radius"},
                  "A capsule needs the ends of its axis, from and to, and its radius.");
        refuse_keys(e, {"at"}, shape);
        v.middle = *e.vector("from", -far, far);
        v.end = *e.vector("to", -far, far);
    }
    v.radius = static_cast<float>(*e.number("radius", 1e-3, far));
}

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
    v.seeds = vectors(e, "seeds");
    read_fill(e, v);
    read_figure(e, v);
    read_heights(e, v);
    for (const auto& [pattern, key] :
         {std::pair{v.floor, "floor"}, std::pair{v.around == "*" ? "" : v.around, "around"}})
        if (!pattern.empty() &&
            std::none_of(level.surfaces.begin(), level.surfaces.end(), [&](const Surface& s) {
                return glob_match(pattern, s.node) || glob_match(pattern, s.name);
            }))
            level.notes.push_back(e.where(key) + ": \"" + pattern + "\" matches nothing");
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
    for (const Place& p : level.places)
        if (glob_match(pattern, p.name)) {
            level.hand_probes.push_back(p.to_world.origin);
            any = true;
        }
    if (!any) e.fail("node", "matches no node", "The probe has no place; check the name.");
}

void apply_probe_settings(const Entry& e, Level& level) {
    level.probes.tolerance = number_or(e, "tolerance", 0, 1, 0);
    level.probes.budget = static_cast<int>(e.number("budget", 0, 1e6).value_or(0));
    level.probes.merge = number_or(e, "merge", 0, 1000, 0);
}

}  // namespace stasigraph
