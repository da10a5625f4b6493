// A level as a list of things that a person changes, with keys of what a bake makes of them.

#include <algorithm>
#include <map>

#include "bake/keys.hpp"
#include "bake/set_keys.hpp"
#include "base/hash.hpp"
#include "level/field_keys.hpp"
#include "level/light_keys.hpp"
#include "level/texture.hpp"
#include "level/words.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/reflect.hpp"
#include "stasigraph/survey.hpp"

namespace stasigraph {

namespace {

std::string image_key(const Level& level, const TextureUse& use) {
    if (use.image == none) return "none";
    Hasher h("texture");
    add_texture(h, level, use);
    return h.key();
}

/// A flag as sheets say it.
std::string_view flag_word(const Field& f, bool v) {
    if (f.yes.empty()) return v ? "true" : "false";
    return v ? f.yes : f.no;
}

/// Numbers of a member that has few; false for others.
template <class T>
bool few_numbers(const T& x, std::vector<double>& out) {
    const auto add = [&](auto... v) { (out.push_back(static_cast<double>(v)), ...); };
    if constexpr (std::is_arithmetic_v<T> || std::is_enum_v<T>) {
        add(x);
    } else if constexpr (std::same_as<T, Vec3>) {
        add(x.x, x.y, x.z);
    } else if constexpr (std::same_as<T, Rgb>) {
        add(x.r, x.g, x.b);
    } else if constexpr (std::same_as<T, Affine>) {
        for (const Vec3 v : {x.x, x.y, x.z, x.origin}) add(v.x, v.y, v.z);
    } else if constexpr (std::same_as<T, std::optional<int>> || std::same_as<T, std::optional<float>>) {
        if (x) add(*x);
    } else if constexpr (std::same_as<T, std::vector<float>>) {
        out.assign(x.begin(), x.end());
    } else {
        return false;
    }
    return true;
}

/// Collects the values of one item.
class Item {
public:
    Item(const Level& level, std::string kind, std::string name)
        : level_(level), item_{std::move(kind), std::move(name), {}} {}
    Item& numbers(std::string key, std::vector<double> v) {
        item_.values.push_back({std::move(key), {}, std::move(v)});
        return *this;
    }
    Item& color(std::string key, Rgb c) {
        std::vector<double> v;
        few_numbers(c, v);
        return numbers(std::move(key), std::move(v));
    }
    Item& text(std::string key, std::string v) {
        item_.values.push_back({std::move(key), std::move(v), {}});
        return *this;
    }
    /// Every member of x that a bake depends on, but those that stand for something else.
    template <class T>
    Item& fields(const T& x, std::uint32_t of = depends::everything) {
        for_fields(x, [&](const Field& f, const auto& v) {
            if ((f.depends & of) != 0 && !f.stands_for) value(f, v);
        });
        return *this;
    }
    InputItem done() { return std::move(item_); }

private:
    template <class T>
    void value(const Field& f, const T& v) {
        std::vector<double> few;
        std::string key(f.name);
        if constexpr (Worded<T>) {
            text(std::move(key), std::string(word_of(v)));
        } else if constexpr (std::same_as<T, bool>) {
            text(std::move(key), std::string(flag_word(f, v)));
        } else if constexpr (std::same_as<T, TextureUse>) {
            text(std::move(key), image_key(level_, v));
        } else if constexpr (std::same_as<T, std::string>) {
            text(std::move(key), v.empty() ? "none" : v);
        } else if (few_numbers(v, few)) {
            if (few.empty() && !f.empty.empty())
                text(std::move(key), std::string(f.empty));
            else
                numbers(std::move(key), std::move(few));
        } else {
            Hasher h("value");
            detail::add_value(h, level_, v);
            text(std::move(key), h.key());
        }
    }
    const Level& level_;
    InputItem item_;
};

std::string group_name(const Level& level, std::uint32_t group) {
    return group == none ? "none" : level.groups[group];
}

InputItem surface_item(const Level& level, const Surface& s, const std::string& mesh) {
    const Material& m = level.materials[s.material];
    Item item(level, "surface", s.name);
    item.text("mesh", mesh);
    if (s.part == Part::moving)
        return item.text("part", std::string(word_of(s.part)))
            .fields(s, depends::places | depends::reflections)
            .done();
    // The gain is told as part of what it is of.
    item.fields(s, ~depends::direct).fields(m, ~(depends::direct | depends::passage));
    Hasher passage("passage");
    passage.number(is_transmissive(m));
    if (is_transmissive(m)) add_fields(passage, level, m, depends::passage);
    return item.text("passage", passage.key())
        .color("emission", m.emission * s.emission_gain)
        .text("emission_texture", image_key(level, m.emission_texture))
        .text("group", group_name(level, s.group))
        .done();
}

InputItem light_item(const Level& level, const Light& l) {
    std::string profile = "none";
    if (l.profile != none) {
        Hasher h("profile");
        add_fields(h, level, level.profiles[l.profile], depends::content);
        profile = level.profiles[l.profile].name + " " + h.key();
    }
    return Item(level, "light", l.name)
        .fields(l)
        .text("group", group_name(level, l.group))
        .text("profile", profile)
        .done();
}

InputItem sky_item(const Level& level) {
    return Item(level, "sky", "sky")
        .fields(level.sky)
        .text("group", group_name(level, level.sky.group))
        .done();
}

InputItem set_item(const Level& level, const BakeSet& set) {
    Item item(level, "set", set.name);
    for (std::uint32_t g = 0; g < level.groups.size(); ++g) item.color(level.groups[g], set.gain(g));
    if (set.step != none) {
        const SeriesStep& step = level.series[set.step];
        std::vector<double> sun;
        few_numbers(step.light == none ? step.sky.sun : -step.sun.direction, sun);
        item.numbers("place of the sun", sun);
    }
    return item.fields(set, depends::direct | depends::prelit).done();
}

/// From where charts are seen, where those that nobody sees are shrunk.
InputItem sight_item(const Level& level) {
    Hasher h("sight");
    add_sight(h, level);
    return Item(level, "sight", "sight").text("from", h.key()).done();
}

/// All of them: what one sees is another one's matter as well where both answer.
InputItem reflections_item(const Level& level) {
    Level alone;
    alone.reflections = level.reflections;
    alone.reflection_rules = level.reflection_rules;
    alone.cameras = level.cameras;
    return Item(level, "reflections", "reflections").text("settings", reflections_key(alone)).done();
}

/// What decides pages and what rays see, before any chart is cut.
std::string inputs_unlit_key(const Level& level) {
    Hasher h("inputs of the ground");
    h.text(unlit_key(level, Atlas{}));
    h.text(charts_key(level));
    return h.key();
}

/// Puts in what a member is and which words it could be. False for what no single key tells: globs, shapes,
/// and colours, which are said in several ways.
template <class T>
bool tell_value(const Field& f, const T& v, SettingValue& to) {
    if constexpr (Worded<T>) {
        to.text = word_of(v);
        for (const auto& known : Words<T>::all) to.words.emplace_back(known.first);
        return true;
    } else if constexpr (std::same_as<T, bool>) {
        to.text = flag_word(f, v);
        for (const bool either : {true, false}) to.words.emplace_back(flag_word(f, either));
        return true;
    } else if constexpr (std::is_enum_v<T> || std::same_as<T, std::string> || std::same_as<T, Rgb> ||
                         std::same_as<T, std::vector<Rgb>>) {
        return false;
    } else {
        if (!few_numbers(v, to.numbers)) return false;
        if (to.numbers.empty()) to.text = f.empty;
        if (!f.empty.empty()) to.words.emplace_back(f.empty);
        if (f.zero_unsaid && to.numbers == std::vector<double>{0}) to.numbers.clear();
        for (double& number : to.numbers) number /= f.per_unit;
        return true;
    }
}

/// Collects what can be said of a level by keys of its sheet.
class SettingList {
public:
    /// What single keys say of x. `path`: of an entry of many, "light.sun"; empty for a table that stands
    /// once. Without what `has` says to be of no use.
    template <class T, class Has>
    void add(const std::string& path, const T& x, Has&& has) {
        for_fields(x, [&](const Field& f, const auto& v) {
            const std::size_t dot = f.sheet.rfind('.');
            if (dot == std::string_view::npos || f.sheet.find(',') != std::string_view::npos || f.stands_for)
                return;
            const std::string_view key = f.sheet.substr(dot + 1);
            if (!has(key)) return;
            SettingValue setting{.key = path.empty() ? std::string(f.sheet) : path + "." + std::string(key),
                                 .text = {},
                                 .numbers = {},
                                 .unit = std::string(f.unit),
                                 .low = f.low,
                                 .high = f.high};
            if (tell_value(f, v, setting)) out.push_back(std::move(setting));
        });
    }
    template <class T>
    void add(const T& x) {
        add("", x, [](std::string_view) { return true; });
    }
    void number(std::string key, double value, const char* unit, double low, double high) {
        out.push_back(
            {.key = std::move(key), .text = {}, .numbers = {value}, .unit = unit, .low = low, .high = high});
    }
    std::vector<SettingValue> out;
};

void add_light(SettingList& list, const Light& light) {
    const std::string path = "light." + light.name;
    const std::string_view unit = unit_key(light.kind);
    list.number(path + "." + std::string(unit), static_cast<double>(luminance(light.color)),
                unit == "lux"       ? "lx"
                : unit == "candela" ? "cd"
                                    : "nit",
                0, 1e9);
    if (light.kind == LightKind::sun) {
        const auto degrees = [](float radians) { return static_cast<double>(radians) / fields::per_degree; };
        const double azimuth = degrees(std::atan2(-light.direction.x, light.direction.z));
        list.number(path + ".azimuth", azimuth < 0 ? azimuth + 360 : azimuth, "degrees", -360, 720);
        list.number(path + ".elevation", degrees(std::asin(std::clamp(-light.direction.y, -1.0f, 1.0f))),
                    "degrees", -90, 90);
    }
    // A light's kind is what it is; another one is another light.
    list.add(path, light, [&](std::string_view key) {
        return key != "kind" && is_key_of(light.kind, key) &&
               (key != "range" || light.kind != LightKind::sun);
    });
    if (is_key_of(light.kind, "length"))
        list.number(path + ".length", static_cast<double>(light.width), "m", 0, 1000);
}

void add_set(SettingList& list, const Level& level, const BakeSet& set) {
    // What a series or a layer made is no entry of the sheet.
    if (set.step != none || set.layer != none) return;
    list.add("set." + set.name, set, [](std::string_view key) { return key != "gain"; });
    for (std::size_t g = 0; g < level.groups.size(); ++g)
        list.number("set." + set.name + ".gain." + level.groups[g],
                    g < set.gains.size() ? static_cast<double>(set.gains[g]) : 1.0, "", 0, 1e6);
}

void add_volume(SettingList& list, const Volume& volume) {
    if (volume.by_default) return;
    list.add("volume." + volume.name, volume, [&](std::string_view key) {
        return key == "to"       ? volume.shape == VolumeShape::capsule
               : key == "radius" ? volume.shape != VolumeShape::box
                                 : true;
    });
    list.add("volume." + volume.name + ".figure", volume.figure, [](std::string_view) { return true; });
}

}  // namespace

std::vector<SettingValue> settings_of(const Level& level) {
    SettingList list;
    list.add(level.lightmap);
    list.add(level.quality);
    list.add(level.probes);
    list.add(level.occlusion);
    list.add(level.prelit);
    list.add(level.check);
    for (const Light& light : level.lights) add_light(list, light);
    for (const BakeSet& set : level.sets) add_set(list, level, set);
    for (const Volume& volume : level.volumes) add_volume(list, volume);
    return std::move(list.out);
}

LevelInputs inputs_of(const Level& given) {
    Level level = given;
    complete_level(level);
    LevelInputs out;
    std::map<std::uint32_t, std::string> meshes;
    for (const Surface& s : level.surfaces) {
        std::string& mesh = meshes[s.mesh];
        if (mesh.empty()) {
            Hasher h("mesh");
            add_shared(h, level.meshes[s.mesh]);
            add_fields(h, level, *level.meshes[s.mesh], depends::charts);
            mesh = h.key();
        }
        out.items.push_back(surface_item(level, s, mesh));
    }
    for (const Light& l : level.lights) out.items.push_back(light_item(level, l));
    out.items.push_back(sky_item(level));
    for (const Volume& v : level.volumes) out.items.push_back(Item(level, "volume", v.name).fields(v).done());
    if (has_probes(level)) {
        Hasher h("probes");
        h.array(level.hand_probes);
        Item probes(level, "probes", "probes");
        probes.text("by hand", h.key()).fields(level.probes);
        if (level.placed) probes.text("placed", placed_key(level, *level.placed, "inputs"));
        out.items.push_back(probes.done());
    }
    if (explores_from_cameras(level))
        for (const Camera& c : level.cameras)
            out.items.push_back(Item(level, "camera", c.name).fields(c, depends::places).done());
    if (level.lightmap.shrink_unseen) out.items.push_back(sight_item(level));
    if (has_reflections(level)) out.items.push_back(reflections_item(level));
    for (const BakeSet& set : level.sets) out.items.push_back(set_item(level, set));
    out.items.push_back(Item(level, "quality", "quality").fields(level.quality).done());
    out.items.push_back(Item(level, "lightmap", "lightmap").fields(level.lightmap).done());
    out.items.push_back(Item(level, "occlusion", "occlusion").fields(level.occlusion).done());
    out.items.push_back(Item(level, "prelit", "prelit").fields(level.prelit).done());

    InputKeys& keys = out.keys;
    keys.unlit = inputs_unlit_key(level);
    Hasher costs("costs");
    for (const int v : {static_cast<int>(level.quality.tier), level.quality.links}) costs.number(v);
    for (const float v : {level.quality.noise, level.lightmap.density}) costs.number(v);
    keys.costs = costs.key();
    keys.visibility = visibility_key(level, keys.unlit);
    keys.occlusion = level.occlusion.reach > 0 ? occlusion_key(level, keys.unlit) : "none";
    keys.probes = !has_probes(level) ? "none"
                  : level.placed     ? placed_key(level, *level.placed, probe_key(level, keys.unlit))
                                     : probe_key(level, keys.unlit);
    keys.reflections = reflections_key(level);
    for (NamedKey& layer : layer_light_keys(level, keys.unlit))
        keys.layers.push_back({std::move(layer.name), std::move(layer.key)});
    for (NamedKey& set : set_keys(level, keys.unlit))
        keys.sets.push_back({std::move(set.name), std::move(set.key)});
    return out;
}

}  // namespace stasigraph
