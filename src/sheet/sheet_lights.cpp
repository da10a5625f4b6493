#include "sheet/sheet_lights.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "level/light_keys.hpp"
#include "sheet/sheet_fields.hpp"

namespace stasigraph {

namespace {

Vec3 sun_travel(double azimuth, double elevation) {
    // Azimuth clockwise from north (-Z) as seen from above; the light travels from there to the level.
    const double a = azimuth * exact_degree, e = elevation * exact_degree;
    return {static_cast<float>(-std::sin(a) * std::cos(e)), static_cast<float>(-std::sin(e)),
            static_cast<float>(std::cos(a) * std::cos(e))};
}

/// `across` made square to the direction; where it lies along it, level and to the right.
void square_axes(Light& light, Vec3 wish) {
    const Vec3 d = light.direction, rest = wish - d * dot(wish, d);
    // Square already: rounding must not turn it a little with every entry that leaves it alone.
    if (std::abs(dot(wish, d)) < 1e-6f && std::abs(length(wish) - 1) < 1e-6f) {
        light.across = wish;
        return;
    }
    if (length(rest) > 1e-3f * length(wish) && length(wish) > 0) {
        light.across = normalize(rest);
        return;
    }
    const Vec3 level = cross(d, {0, 1, 0});
    light.across = length(level) > 1e-3f ? normalize(level) : Vec3{1, 0, 0};
}

bool is_area(const Light& light) {
    return light.kind == LightKind::rectangle || light.kind == LightKind::disc ||
           light.kind == LightKind::tube;
}

/// The light's colour at another luminance; white where it has none.
void set_strength(Light& light, float value) {
    for (Rgb* color : {&light.color, &light.unit}) {
        const float now = luminance(*color);
        *color = (now > 0 ? *color * (1 / now) : Rgb{1, 1, 1}) * value;
    }
}

void apply_color(const Entry& e, Light& light) {
    if (const auto color = e.color("color", 1e6)) light.color = *color * max_channel(light.color);
    const float strength = std::max(luminance(light.color), 1e-20f);
    if (const auto k = e.number("kelvin", 1000, 20000))
        light.color = kelvin_to_rgb(static_cast<float>(*k)) * strength;
    if (const auto tint = e.color("tint", 1e6)) {
        const Rgb tinted = light.color * *tint;
        if (!(luminance(tinted) > 0)) e.fail("tint", "leaves nothing of the light's colour", "");
        light.color = tinted * (strength / luminance(tinted));
    }
}

void apply_size(const Entry& e, Light& light) {
    const auto size = [&](const char* key, bool zero, float& to) {
        const auto v = e.number(key, -far, far);
        if (!v) return;
        if (!is_key_of(light.kind, key))
            e.fail(key, "is no size of light " + light.name,
                   "Rectangles have width and height, discs a "
                   "radius, tubes length and radius, points and spots a radius.");
        if (*v < 0 || (*v == 0 && !zero))
            e.fail(key, *v < 0 ? "is a negative size" : "is a size of zero", "Use metres, more than 0.");
        if (*v > 1000) e.fail(key, "is a size over 1000 metres", "Use metres.");
        to = static_cast<float>(*v);
    };
    size("radius", !is_area(light), light.radius);
    size("width", false, light.width);
    size("height", false, light.height);
    size("length", false, light.width);
    read_fields(e, light);
    for (const char* key : {"inner", "outer", "edge"})
        if (e.has(key) && !is_key_of(light.kind, key))
            e.fail(key, "is for spots only", "Use kind = \"spot\".");
    if (light.inner_cone > light.outer_cone)
        e.fail("inner", "inner cone is wider than the outer one", "Both are half angles in degrees.");
}

void aim_sun(const Entry& e, Light& light) {
    for (const char* key : {"at", "across"})
        if (e.has(key)) e.fail(key, "is not for suns", "Use azimuth and elevation, or from and toward.");
    if (e.has("from") || e.has("toward")) {
        const Vec3 d =
            e.vector("toward", -far, far).value_or(Vec3{}) - e.vector("from", -far, far).value_or(Vec3{});
        if (!(length(d) > 0)) e.fail(e.has("from") ? "from" : "toward", "from and toward are one point", "");
        light.direction = normalize(d);
    }
    if (e.has("azimuth") || e.has("elevation")) {
        // What is not said keeps its present value.
        const double elevation =
            std::asin(std::clamp(-static_cast<double>(light.direction.y), -1.0, 1.0)) / exact_degree;
        const double azimuth =
            std::atan2(-static_cast<double>(light.direction.x), static_cast<double>(light.direction.z)) /
            exact_degree;
        light.direction = sun_travel(e.number("azimuth", -360, 720).value_or(azimuth),
                                     e.number("elevation", -90, 90).value_or(elevation));
    }
    square_axes(light, light.across);
}

/// Place and aim, in the space that `frame` maps to the world.
void aim_lamp(const Entry& e, const Affine& frame, Light& light) {
    for (const char* key : {"azimuth", "elevation", "from", "diameter"})
        if (e.has(key)) e.fail(key, "is for suns only", "Use at and toward.");
    if (const auto v = e.vector("at", -far, far)) light.position = transform_point(frame, *v);
    if (const auto v = e.vector("toward", -far, far)) {
        const Vec3 d = transform_point(frame, *v) - light.position;
        if (!(length(d) > 0)) e.fail("toward", "is the same point as the light", "");
        light.direction = normalize(d);
    }
    Vec3 across = light.across;
    if (const auto v = e.vector("across", -far, far)) {
        if (!(length(*v) > 0)) e.fail("across", "is no direction", "");
        across = normalize(transform_vector(frame, *v));
        // A tube may lie anyhow: it has no front.
        if (light.kind == LightKind::tube) light.direction = Frame(across).tangent;
    }
    square_axes(light, across);
}

/// Attaches a photometric profile; the lamp is as strong as its table says unless the entry says otherwise.
void apply_profile(const Entry& e, SheetFiles& files, Light& light, Level& level) {
    if (!e.has("profile")) return;
    if (!is_key_of(light.kind, "profile"))
        e.fail("profile", "is for points and spots", "Area lights and suns shine by their shape.");
    const std::string name = e.needed_text("profile");
    auto at = std::find_if(files.profiles.begin(), files.profiles.end(),
                           [&](const auto& p) { return p.first == name; });
    if (at == files.profiles.end()) {
        const std::filesystem::path path = files.open(e, "profile");
        files.profiles.push_back({name, read_ies(read_file(path), name)});
        at = files.profiles.end() - 1;
    }
    const auto known = std::find_if(level.profiles.begin(), level.profiles.end(),
                                    [&](const Profile& p) { return p.name == at->second.profile.name; });
    light.profile = static_cast<std::uint32_t>(known - level.profiles.begin());
    if (known == level.profiles.end()) level.profiles.push_back(at->second.profile);
    set_strength(light, at->second.profile.peak);
}

void apply_strength(const Entry& e, const SheetFiles& files, const Level& level, Light& light) {
    const std::string unit(unit_key(light.kind));
    for (const char* other : {"lux", "candela", "nit"})
        if (e.has(other) && unit != other)
            e.fail(other, "is the wrong unit for light " + light.name,
                   "Suns take lux, points and spots candela, rectangles, discs and tubes nit: use " + unit +
                       ".");
    if (const auto v = e.number(unit, 0, 1e9)) set_strength(light, static_cast<float>(*v));
    if (const auto v = e.number("lumens", 0, 1e9)) {
        if (!is_key_of(light.kind, "lumens")) e.fail("lumens", "is no unit for suns", "Use lux.");
        if (e.has(unit)) e.fail("lumens", "stands beside " + unit, "Say one of the two.");
        const float each = lumens_per_unit(light, level.profiles);
        if (!(each > 0)) e.fail("lumens", "a light without any size or cone cannot send lumens", "");
        set_strength(light, static_cast<float>(*v) / each);
    }
    if (light.profile != none && e.has("profile")) {
        const IesFile& file = std::find_if(files.profiles.begin(), files.profiles.end(), [&](const auto& p) {
                                  return p.second.profile.name == level.profiles[light.profile].name;
                              })->second;
        const auto tilt =
            static_cast<float>(std::acos(std::clamp(-light.direction.y, -1.0f, 1.0f)) / exact_degree);
        light.color = light.color * file.tilt_factor(tilt);
        light.unit = light.unit * file.tilt_factor(tilt);
    }
    if (const auto v = e.number("gain", 0, 1e6)) light.color = light.color * static_cast<float>(*v);
}

void apply_light(const Entry& e, const Affine& frame, SheetFiles& files, Light& light, Level& level) {
    if (!(max_channel(light.unit) > 0)) light.unit = light.color;
    if (const auto group = e.text("group")) light.group = group_index(level, *group);
    apply_color(e, light);
    apply_size(e, light);
    if (light.kind == LightKind::sun)
        aim_sun(e, light);
    else
        aim_lamp(e, frame, light);
    apply_profile(e, files, light, level);
    apply_strength(e, files, level, light);
}

/// A light as new as an entry starts from, at a frame's origin, along its -Z.
Light new_light(const Entry& e, const Affine& frame) {
    Light light{.name = e.needed_text("name")};
    e.needed_text("kind");
    light.kind = e.word<LightKind>("kind");
    light.position = frame.origin;
    light.direction = normalize(-frame.z);
    square_axes(light, frame.x);
    if (light.kind == LightKind::sun) light.angular_diameter = static_cast<float>(0.53 * exact_degree);
    if (light.kind == LightKind::rectangle) light.width = light.height = 1;
    if (light.kind == LightKind::disc) light.radius = 0.5f;
    if (light.kind == LightKind::tube) {
        light.width = 1;
        light.radius = 0.02f;
        // A tube lies along the node's X.
    }
    const float strength = light.kind == LightKind::sun ? 100000.0f : is_area(light) ? 1000.0f : 100.0f;
    light.color = {strength, strength, strength};
    return light;
}

Affine inverse(const Affine& m) {
    const float d = determinant(m);
    const Vec3 r0 = cross(m.y, m.z) * (1 / d), r1 = cross(m.z, m.x) * (1 / d), r2 = cross(m.x, m.y) * (1 / d);
    Affine i{{r0.x, r1.x, r2.x}, {r0.y, r1.y, r2.y}, {r0.z, r1.z, r2.z}, {}};
    i.origin = -transform_vector(i, m.origin);
    return i;
}

/// Whether `place` is `ancestor` or below it.
bool is_below(const Level& level, std::uint32_t place, std::uint32_t ancestor) {
    for (; place != none; place = level.nodes[place].parent)
        if (place == ancestor) return true;
    return false;
}

/// Surfaces of the scene that hang on a place or below it.
std::vector<std::uint32_t> surfaces_below(const Level& level, std::uint32_t place) {
    std::vector<std::uint32_t> found;
    for (std::uint32_t p = 0; place != none && p < level.nodes.size(); ++p)
        if (is_below(level, p, place))
            for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
                if (level.surfaces[s].copy_of == none &&
                    level.surfaces[s].source_node == level.nodes[p].source_node)
                    found.push_back(s);
    return found;
}

/// What a rig of an earlier bake left at these places; it is put there anew.
void forget_copies(Level& level, const std::vector<std::uint32_t>& places) {
    if (std::none_of(level.nodes.begin(), level.nodes.end(), [](const SceneNode& p) { return p.rig_copy; }))
        return;
    std::erase_if(level.surfaces, [&](const Surface& s) {
        const auto at = std::find_if(level.nodes.begin(), level.nodes.end(),
                                     [&](const SceneNode& p) { return p.source_node == s.source_node; });
        return s.copy_of == none && at != level.nodes.end() && at->rig_copy &&
               std::any_of(places.begin(), places.end(),
                           [&](std::uint32_t i) { return at->name.starts_with(level.nodes[i].name + "/"); });
    });
}

std::vector<std::uint32_t> places_matching(const Level& level, const std::string& pattern) {
    std::vector<std::uint32_t> found;
    for (std::uint32_t i = 0; i < level.nodes.size(); ++i)
        if (!level.nodes[i].rig_copy && glob_match(pattern, level.nodes[i].name)) found.push_back(i);
    return found;
}

}  // namespace

void apply_light_entry(const Entry& e, SheetFiles& files, Level& level) {
    // Without a node, a new lamp hangs at the origin and shines down.
    constexpr Affine world, down{{1, 0, 0}, {0, 0, -1}, {0, 1, 0}, {}};
    if (e.has("kind") || (e.has("name") && !e.has("match"))) {
        if (e.has("match"))
            e.fail("match", "stands beside kind", "Change lights with match, add one with kind.");
        const auto add = [&](Light light) {
            for (const Light& other : level.lights)
                if (other.name == light.name)
                    e.fail("name", "there is a light \"" + light.name + "\" already",
                           "Give this one another name, or change that one with match.");
            level.lights.push_back(std::move(light));
        };
        if (!e.has("node")) {
            Light light = new_light(e, down);
            apply_light(e, world, files, light, level);
            add(std::move(light));
            return;
        }
        const std::string pattern = e.needed_text("node");
        const std::vector<std::uint32_t> found = places_matching(level, pattern);
        for (const std::uint32_t i : found) {
            Light light = new_light(e, level.nodes[i].to_world);
            if (found.size() > 1) light.name = level.nodes[i].name + "/" + light.name;
            apply_light(e, level.nodes[i].to_world, files, light, level);
            add(std::move(light));
        }
        if (found.empty()) e.fail("node", "matches no node", "The light has no place; check the name.");
        return;
    }
    if (e.has("node")) e.fail("node", "is for new lights", "Add kind and name, or take it out.");
    const std::string match = e.needed_text("match");
    bool any = false;
    for (Light& light : level.lights)
        if (glob_match(match, light.name)) {
            any = true;
            apply_light(e, world, files, light, level);
        }
    if (!any) note_unmatched(level, e, match, light_names(level));
}

void apply_rig(const Entry& e, SheetFiles& files, Level& level) {
    const std::string name = e.needed_text("name"), match = e.needed_text("match");
    std::vector<Entry> lamps;
    if (const toml::node* node = e.node("light")) {
        const toml::array* list = node->as_array();
        if (!list || !node->is_array_of_tables())
            e.fail("light", "must be written as tables", "Write [[rig.light]] under the rig.");
        for (const toml::node& lamp : *list) lamps.emplace_back(*lamp.as_table(), e.file(), "rig.light");
    }
    std::uint32_t model = none;
    if (const auto model_name = e.text("model")) {
        const std::vector<std::uint32_t> found = places_matching(level, *model_name);
        if (found.size() != 1)
            e.fail("model", found.empty() ? "is no node" : "are several nodes",
                   "Name one node of the scene.");
        model = found[0];
        if (!(std::abs(determinant(level.nodes[model].to_world)) > 0))
            e.fail("model", "has a transform that flattens it", "");
    }
    if (lamps.empty() && model == none)
        e.fail("name", "has neither lamps nor a model", "Add [[rig.light]] tables, or model = \"node\".");
    const std::vector<std::uint32_t> found = places_matching(level, match);
    if (found.empty()) return note_unmatched(level, e, match, node_names(level));
    if (model != none) forget_copies(level, found);
    const std::vector<std::uint32_t> parts = surfaces_below(level, model);
    for (const std::uint32_t i : found) {
        const SceneNode place = level.nodes[i];
        for (const Entry& lamp : lamps) {
            Light light = new_light(lamp, place.to_world);
            if (light.kind == LightKind::sun) lamp.fail("kind", "a rig holds no suns", "Use [[light]].");
            light.name = place.name + "/" + light.name;
            apply_light(lamp, place.to_world, files, light, level);
            level.lights.push_back(std::move(light));
        }
        // The model itself may match: it stands there already.
        if (model == none || is_below(level, i, model)) continue;
        const Affine move = place.to_world * inverse(level.nodes[model].to_world);
        for (const std::uint32_t s : parts) {
            const Surface& from = level.surfaces[s];
            Surface copy = from;
            copy.name = place.name + "/" + from.name;
            copy.node = place.name;
            copy.to_world = move * from.to_world;
            copy.copy_of = s;
            level.surfaces.push_back(std::move(copy));
        }
    }
}

void keep_suns(Level& level, int count) {
    std::vector<std::uint32_t> suns;
    for (std::uint32_t i = 0; i < level.lights.size(); ++i)
        if (level.lights[i].kind == LightKind::sun && level.lights[i].role != BakeRole::realtime)
            suns.push_back(i);
    if (suns.size() <= static_cast<std::size_t>(count)) return;
    std::stable_sort(suns.begin(), suns.end(), [&](std::uint32_t a, std::uint32_t b) {
        return luminance(level.lights[a].color) > luminance(level.lights[b].color);
    });
    std::string kept, left;
    std::vector<std::uint8_t> gone(level.lights.size(), 0);
    for (std::size_t k = 0; k < suns.size(); ++k) {
        const bool keep = k < static_cast<std::size_t>(count);
        std::string& list = keep ? kept : left;
        list += (list.empty() ? "" : ", ") + level.lights[suns[k]].name;
        gone[suns[k]] = !keep;
    }
    const std::string text = "the level has " + std::to_string(suns.size()) + " suns: " + kept + " stays, " +
                             left + (suns.size() - static_cast<std::size_t>(count) == 1 ? " is" : " are") +
                             " left out; suns = " + std::to_string(suns.size()) + " under [level] keeps all";
    level.notes.push_back(text);
    level.remarks.push_back(
        {.finding = "many-suns", .name = left, .text = text, .count = static_cast<double>(suns.size())});
    std::size_t i = 0;
    std::erase_if(level.lights, [&](const Light&) { return gone[i++] != 0; });
}

}  // namespace stasigraph
