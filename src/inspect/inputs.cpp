// A level as a list of things that a person changes, with keys of what a bake makes of them.

#include <algorithm>
#include <map>

#include "bake/keys.hpp"
#include "bake/set_keys.hpp"
#include "base/hash.hpp"
#include "level/field_keys.hpp"
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

/// Adds what of x one key of a sheet says, as `path` and that key's last word.
template <class T>
void add_settings(const std::string& path, const T& x, std::vector<SettingValue>& out) {
    for_fields(x, [&](const Field& f, const auto& v) {
        using Value = std::remove_cvref_t<decltype(v)>;
        const std::size_t dot = f.sheet.find('.');
        if (dot == std::string_view::npos || f.sheet.find(',') != std::string_view::npos || f.stands_for)
            return;
        SettingValue setting{.key = path + std::string(f.sheet.substr(dot)),
                             .text = {},
                             .numbers = {},
                             .unit = std::string(f.unit),
                             .low = f.low,
                             .high = f.high};
        if constexpr (Worded<Value>)
            setting.text = word_of(v);
        else if constexpr (std::same_as<Value, bool>)
            setting.text = flag_word(f, v);
        else if constexpr (std::same_as<Value, Rgb> || std::same_as<Value, std::string> ||
                           (std::same_as<T, BakeSet> && std::same_as<Value, std::vector<float>>))
            return;  // colours are said in several ways, names are part of the path, gains go by group
        else if constexpr (std::is_enum_v<Value>)
            return;  // has no word of its own
        else if (!few_numbers(v, setting.numbers))
            return;
        for (double& number : setting.numbers) number /= f.per_unit;
        out.push_back(std::move(setting));
    });
}

}  // namespace

std::vector<SettingValue> settings_of(const Level& level) {
    std::vector<SettingValue> out;
    add_settings("lightmap", level.lightmap, out);
    add_settings("quality", level.quality, out);
    add_settings("probes", level.probes, out);
    add_settings("occlusion", level.occlusion, out);
    add_settings("prelit", level.prelit, out);
    add_settings("check", level.check, out);
    for (const Light& light : level.lights) add_settings("light." + light.name, light, out);
    for (const BakeSet& set : level.sets) {
        add_settings("set." + set.name, set, out);
        for (std::size_t g = 0; g < level.groups.size(); ++g)
            out.push_back({.key = "set." + set.name + ".gain." + level.groups[g],
                           .text = {},
                           .numbers = {g < set.gains.size() ? static_cast<double>(set.gains[g]) : 1.0},
                           .unit = {},
                           .low = 0,
                           .high = 1e9});
    }
    for (const Volume& volume : level.volumes) add_settings("volume." + volume.name, volume, out);
    return out;
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
