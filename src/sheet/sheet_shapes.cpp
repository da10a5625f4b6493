#include "sheet/sheet_shapes.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "sheet/sheet_fields.hpp"

namespace stasigraph {

namespace {

/// The node that an entry lies in, with everything in metres of its own; nothing where it names none.
const SceneNode* node_of(const Entry& e, const Level& level) {
    const auto node = e.text("node");
    if (!node) return nullptr;
    const auto place = std::find_if(level.nodes.begin(), level.nodes.end(),
                                    [&](const SceneNode& p) { return p.name == *node; });
    if (place == level.nodes.end()) e.fail("node", "is no node of the scene", "Check its name.");
    return &*place;
}

}  // namespace

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

std::vector<float> detail::read_numbers(const Entry& e, std::string_view key, const Field& f) {
    const toml::array* list = e.node(key)->as_array();
    std::vector<float> out;
    for (std::size_t i = 0; list && i < list->size(); ++i)
        if (const auto x = (*list)[i].value<double>(); x && *x >= f.low && *x <= f.high)
            out.push_back(static_cast<float>(*x * f.per_unit));
    if (!list || out.size() != list->size() || out.empty())
        e.fail(key, "is not a list of numbers from " + to_text(f.low) + " to " + to_text(f.high),
               "Write for example [0.3, 1.6]" + (f.unit.empty() ? "" : ", in " + std::string(f.unit)) + ".");
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
            e.fail(key, "says nothing of this shape", "Take it out, or set shape; it is \"" + shape + "\".");
}

void read_corners(const Entry& e, const Level& level, const char* low_key, const char* high_key, Volume& v) {
    const Vec3 low = *e.vector(low_key, -far, far), high = *e.vector(high_key, -far, far);
    if (!(low.x < high.x && low.y < high.y && low.z < high.z))
        e.fail(high_key, std::string("does not lie above ") + low_key + " on every axis", "");
    v.middle = (low + high) * 0.5f;
    v.half = (high - low) * 0.5f;
    if (const auto turn = e.number("turn", -360, 360)) {
        const float t = static_cast<float>(*turn) * degree;
        v.axes = {Vec3{std::cos(t), 0, std::sin(t)}, Vec3{0, 1, 0}, Vec3{-std::sin(t), 0, std::cos(t)}};
    }
    const SceneNode* place = node_of(e, level);
    if (!place) return;
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

Vec3 place_of(const Entry& e, const Level& level, const char* key) {
    const Vec3 p = *e.vector(key, -far, far);
    const SceneNode* place = node_of(e, level);
    return place ? transform_point(place->to_world, p) : p;
}

namespace {

void read_box(const Entry& e, const Level& level, Volume& v) {
    need_keys(e, {"low", "high"}, "It needs its low and high corner in metres.");
    refuse_keys(e, {"at", "radius", "from", "to"}, "box");
    read_corners(e, level, "low", "high", v);
}

}  // namespace

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

}  // namespace stasigraph
