#include "sheet/sheet_reflections.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "probe/planes.hpp"
#include "sheet/sheet_fields.hpp"

namespace stasigraph {

namespace {

/// What single probes and rules say alike.
template <class T>
void read_capture(const Entry& e, const Level& level, T& r, std::size_t number) {
    r.name = e.text("name").value_or("reflection " + std::to_string(number));
    const auto taken = [&](const auto& other) { return other.name == r.name; };
    if (std::any_of(level.reflections.begin(), level.reflections.end(), taken) ||
        std::any_of(level.reflection_rules.begin(), level.reflection_rules.end(), taken))
        e.fail("name", "is the name of another reflection too", "Names must differ.");
    read_fields(e, r);
    if ((r.resolution & (r.resolution - 1)) != 0)
        e.fail("resolution", "is no power of two between 32 and 1024", "Use 128, 256 or 512.");
}

void note_glob(const Entry& e, const char* key, const std::string& pattern, Level& level) {
    if (pattern != "*" && std::none_of(level.surfaces.begin(), level.surfaces.end(), [&](const Surface& s) {
            return glob_match(pattern, s.node) || glob_match(pattern, s.name);
        }))
        note_unmatched(level, e, pattern, surface_names(level), key);
}

void read_fill(const Entry& e, ReflectionRule& r) {
    for (const std::string& name : texts(e, "fill")) {
        if (name != "rooms" && name != "water" && name != "ground")
            e.fail("fill", "there is no such rule as " + name,
                   "Use \"rooms\", \"water\" and \"ground\", one or several.");
        (name == "rooms" ? r.rooms : name == "water" ? r.water : r.ground) = true;
    }
}

/// Probes that are found.
void add_rule(const Entry& e, Level& level, std::size_t number) {
    ReflectionRule r;
    read_capture(e, level, r, number);
    refuse_keys(e,
                {"shape", "capture", "parallax", "room_low", "room_high", "at", "radius", "normal", "size"},
                "found by fill");
    read_fill(e, r);
    if (const auto name = e.text("volume")) {
        refuse_keys(e, {"low", "high", "turn", "node"}, "that of a volume");
        const auto at = std::find_if(level.volumes.begin(), level.volumes.end(),
                                     [&](const Volume& v) { return v.name == *name; });
        if (at == level.volumes.end())
            e.fail("volume", "there is no such volume",
                   "Give a [[volume]] this name, or write low and high.");
        r.region = *at;
    } else {
        need_keys(e, {"low", "high"}, "Write low and high, or the name of a volume.");
        read_corners(e, level, "low", "high", r.region);
        r.region.rules[static_cast<int>(ProbeRule::explore)] = true;
    }
    r.region.name = r.name;
    r.region.floor = e.text("floor").value_or(r.region.floor);
    if (e.has("seeds")) r.region.seeds = vectors(e, "seeds");
    for (const Vec3 s : r.region.seeds)
        if (!holds(r.region, s)) e.fail("seeds", "a seed lies outside of the region", "Move it in.");
    if ((r.rooms || r.ground) && r.region.seeds.empty() &&
        std::none_of(level.cameras.begin(), level.cameras.end(),
                     [&](const Camera& c) { return holds(r.region, c.eye); }))
        e.fail("seeds", "there is nowhere to explore from",
               "Write seeds = [[x, y, z]], or put a camera in it.");
    if (!r.region.floor.empty()) note_glob(e, "floor", r.region.floor, level);
    if (r.water) note_glob(e, "on", r.on, level);
    note_glob(e, "sees", r.sees, level);
    level.reflection_rules.push_back(std::move(r));
}

/// A flat mirror: on surfaces that are named, or a rectangle.
void add_plane(const Entry& e, Level& level, std::size_t number) {
    refuse_keys(e,
                {"low", "high", "radius", "capture", "fill", "volume", "seeds", "spacing", "height", "blend"},
                "plane");
    if (e.has("on") == e.has("at"))
        e.fail(
            "on", "a plane needs either surfaces or a place",
            "Write on = \"glob of surfaces\", or at = [x, y, z], normal = [0, 1, 0] and size = [4.0, 3.0].");
    if (e.has("on")) {
        refuse_keys(e, {"turn", "node", "normal", "size", "parallax", "room_low", "room_high"},
                    "plane on surfaces");
        ReflectionRule r{.near = 0};
        read_capture(e, level, r, number);
        r.on = e.needed_text("on");
        r.water = r.everywhere = true;
        note_glob(e, "sees", r.sees, level);
        level.reflection_rules.push_back(std::move(r));
        return;
    }
    ReflectionProbe p{.near = 0};
    read_capture(e, level, p, number);
    p.shape = ReflectionShape::plane;
    p.middle = place_of(e, level, "at");
    need_keys(e, {"size"}, "Write its length and width in metres: size = [4.0, 3.0].");
    const toml::array* size = e.node("size")->as_array();
    const auto part = [&](std::size_t i) {
        return size && size->size() == 2 ? (*size)[i].value<double>() : std::nullopt;
    };
    if (!part(0) || !part(1) || !(*part(0) > 0 && *part(1) > 0 && *part(0) <= far && *part(1) <= far))
        e.fail("size", "is not two lengths in metres", "Write for example size = [4.0, 3.0].");
    const Vec3 normal = normalize(e.vector("normal", -far, far).value_or(Vec3{0, 1, 0}));
    if (!(length(normal) > 0.5f)) e.fail("normal", "points nowhere", "Write for example [0, 1, 0].");
    // Along the horizon, where there is one: a wall's mirror stands upright.
    const Vec3 level_axis = cross(Vec3{0, 1, 0}, normal);
    const float turn = number_or(e, "turn", -360, 360, 0) * degree;
    const Vec3 first = length(level_axis) > 1e-3f ? normalize(level_axis) : Vec3{1, 0, 0},
               second = cross(first, normal);
    p.axes = {first * std::cos(turn) + second * std::sin(turn), normal, {}};
    p.axes[2] = cross(p.axes[0], normal);
    p.half = {static_cast<float>(*part(0)) / 2, plane_reach, static_cast<float>(*part(1)) / 2};
    p.blend = 0;
    p.capture = p.middle + normal * plane_lift;
    p.parallax = false;
    note_glob(e, "sees", p.sees, level);
    level.reflections.push_back(std::move(p));
}

void add_probe(const Entry& e, Level& level, std::size_t number) {
    refuse_keys(e, {"on", "normal", "size", "volume", "seeds", "spacing", "height"},
                e.text("shape").value_or("box"));
    ReflectionProbe p;
    read_capture(e, level, p, number);
    if (e.text("shape") == "capsule")
        e.fail("shape", "is no shape of a reflection probe", "Use \"box\", \"sphere\" or \"plane\".");
    Volume v;
    read_shape(e, level, v);
    p.shape = v.shape == VolumeShape::sphere ? ReflectionShape::sphere : ReflectionShape::box;
    p.middle = p.room_middle = p.capture = v.middle;
    p.half = p.room_half = v.half;
    p.radius = v.radius;
    p.axes = v.axes;
    if (e.has("capture")) p.capture = place_of(e, level, "capture");
    p.parallax = e.flag("parallax").value_or(p.shape == ReflectionShape::box || e.has("room_low"));
    if (e.has("room_low") || e.has("room_high")) {
        need_keys(e, {"room_low", "room_high"}, "A room needs both of its corners.");
        Volume room;
        read_corners(e, level, "room_low", "room_high", room);
        p.room_middle = room.middle;
        p.room_half = room.half;
    } else if (p.shape == ReflectionShape::sphere) {
        p.room_half = {p.radius, p.radius, p.radius};
    }
    note_glob(e, "sees", p.sees, level);
    level.reflections.push_back(std::move(p));
}

}  // namespace

void apply_reflection(const Entry& e, Level& level) {
    const std::size_t number = level.reflections.size() + level.reflection_rules.size() + 1;
    if (e.has("fill")) return add_rule(e, level, number);
    if (e.text("shape") == "plane") return add_plane(e, level, number);
    add_probe(e, level, number);
}

}  // namespace stasigraph
