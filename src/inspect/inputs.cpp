// A level as a list of things that a person changes, with keys of what a bake makes of them.

#include <algorithm>
#include <map>

#include "bake/keys.hpp"
#include "bake/set_keys.hpp"
#include "base/hash.hpp"
#include "level/texture.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

namespace {

/// Collects the values of one item.
class Item {
public:
    Item(std::string kind, std::string name) : item_{std::move(kind), std::move(name), {}} {}
    Item& number(const char* key, double v) { return numbers(key, {v}); }
    Item& numbers(const char* key, std::vector<double> v) {
        item_.values.push_back({key, {}, std::move(v)});
        return *this;
    }
    Item& vector(const char* key, Vec3 v) { return numbers(key, {as(v.x), as(v.y), as(v.z)}); }
    Item& color(const char* key, Rgb c) { return numbers(key, {as(c.r), as(c.g), as(c.b)}); }
    Item& text(const char* key, std::string v) {
        item_.values.push_back({key, std::move(v), {}});
        return *this;
    }
    static double as(float v) { return static_cast<double>(v); }
    InputItem done() { return std::move(item_); }

private:
    InputItem item_;
};

std::string image_key(const Level& level, const TextureUse& use) {
    if (use.image == none) return "none";
    Hasher h("texture");
    add_texture(h, level, use);
    return h.key();
}

std::string group_name(const Level& level, std::uint32_t group) {
    return group == none ? "none" : level.groups[group];
}

const char* name_of(Part part) {
    return part == Part::still ? "static" : part == Part::moving ? "moving" : "bake-only";
}
const char* name_of(LitBy by) {
    return by == LitBy::lightmap ? "lightmap" : by == LitBy::probes ? "probes" : "nothing";
}
const char* name_of(BakeRole role) {
    return role == BakeRole::whole ? "whole" : role == BakeRole::bounce ? "bounce" : "realtime";
}

InputItem surface_item(const Level& level, const Surface& s, const std::string& mesh) {
    const Material& m = level.materials[s.material];
    Item item("surface", s.name);
    const Affine& a = s.to_world;
    std::vector<double> place;
    for (const Vec3 v : {a.x, a.y, a.z, a.origin})
        for (const float c : {v.x, v.y, v.z}) place.push_back(Item::as(c));
    item.text("part", name_of(s.part)).text("mesh", mesh).numbers("place", place);
    if (s.part == Part::moving) return item.done();
    Hasher passage("passage"), color("color");
    add_passage(passage, level, m);
    color.color(m.base_color);
    color.text(image_key(level, m.base_texture));
    item.text("lit_by", name_of(s.lit_by))
        .number("density", Item::as(s.density))
        .number("unwrap", static_cast<double>(s.unwrap))
        .text("passage", passage.key())
        .text("normals", m.normal_texture.image == none ? "none" : image_key(level, m.normal_texture))
        .text("color", color.key())
        .color("emission", m.emission * s.emission_gain)
        .text("emission texture", image_key(level, m.emission_texture))
        .text("group", group_name(level, s.group));
    return item.done();
}

InputItem light_item(const Level& level, const Light& l) {
    Item item("light", l.name);
    Hasher profile("profile");
    if (l.profile != none) profile.array(level.profiles[l.profile].candela);
    return item.text("bake", name_of(l.role))
        .text("group", group_name(level, l.group))
        .number("kind", static_cast<double>(l.kind))
        .color("color", l.color)
        .vector("position", l.position)
        .vector("direction", l.direction)
        .vector("across", l.across)
        .number("radius", Item::as(l.radius))
        .number("width", Item::as(l.width))
        .number("height", Item::as(l.height))
        .number("angular diameter", Item::as(l.angular_diameter))
        .number("inner cone", Item::as(l.inner_cone))
        .number("outer cone", Item::as(l.outer_cone))
        .number("edge", Item::as(l.falloff_exponent))
        .number("range", Item::as(l.range))
        .text("profile", l.profile == none ? "none" : level.profiles[l.profile].name + " " + profile.key())
        .done();
}

InputItem sky_item(const Level& level) {
    const Sky& s = level.sky;
    Hasher pixels("sky");
    pixels.array(s.pixels);
    return Item("sky", "sky")
        .text("group", group_name(level, s.group))
        .number("kind", static_cast<double>(s.kind))
        .color("radiance", s.radiance)
        .text("image", s.pixels.empty() ? "none" : pixels.key())
        .number("turn", Item::as(s.turn))
        .number("type", s.type)
        .vector("sun", s.sun)
        .color("below", s.below)
        .done();
}

InputItem quality_item(const BakeOptions& q) {
    return Item("quality", "quality")
        .number("tier", static_cast<double>(q.tier))
        .number("bounces", q.bounces.value_or(-1))
        .number("bounce_gain", Item::as(q.bounce_gain))
        .number("saturation", Item::as(q.saturation))
        .number("noise", Item::as(q.noise))
        .number("links", q.links)
        .number("denoise", static_cast<double>(q.denoise))
        .number("seams", static_cast<double>(q.seams))
        .number("edges", static_cast<double>(q.edges))
        .number("seed", q.seed)
        .done();
}

InputItem lightmap_item(const LightmapOptions& m) {
    return Item("lightmap", "lightmap")
        .number("shape", static_cast<double>(m.shape))
        .number("density", Item::as(m.density))
        .number("page", m.page)
        .number("margin", m.margin)
        .number("stretch_limit", Item::as(m.stretch_limit))
        .number("block", m.block)
        .number("pages", m.pages)
        .number("unseen", m.shrink_unseen ? 1 : 0)
        .number("cut", m.cut == Cut::automatic ? 1 : 0)
        .number("cut_within", Item::as(m.cut_within))
        .number("sides", static_cast<double>(m.sides))
        .done();
}

InputItem set_item(const Level& level, const BakeSet& set) {
    Item item("set", set.name);
    for (std::uint32_t g = 0; g < level.groups.size(); ++g) item.color(level.groups[g].c_str(), set.gain(g));
    if (set.step != none) {
        const SeriesStep& step = level.series[set.step];
        item.vector("place of the sun", step.light == none ? step.sky.sun : -step.sun.direction);
    }
    item.numbers("exposure",
                 set.exposure ? std::vector<double>{Item::as(*set.exposure)} : std::vector<double>{});
    return item.done();
}

/// All of them: what one sees is another one's matter as well where both answer.
InputItem reflections_item(const Level& level) {
    Level alone;
    alone.reflections = level.reflections;
    alone.reflection_rules = level.reflection_rules;
    alone.cameras = level.cameras;
    return Item("reflections", "reflections").text("settings", reflections_key(alone)).done();
}

/// What decides pages and what rays see, before any chart is cut.
std::string inputs_ground_key(const Level& level) {
    Hasher h("inputs of the ground");
    h.text(ground_key(level, Atlas{}));
    const LightmapOptions& m = level.lightmap;
    for (const float v : {m.density, m.stretch_limit, tier_options(level.quality).density_scale}) h.number(v);
    for (const int v : {m.page, m.margin, m.block, m.pages}) h.number(v);
    h.number(m.shrink_unseen);
    for (const Surface& s : level.surfaces) {
        h.number(s.density);
        h.number(s.unwrap);
        h.array(level.meshes[s.mesh].uv1);
        h.array(level.meshes[s.mesh].covered);
    }
    if (!m.shrink_unseen) return h.key();
    for (const Volume& v : level.volumes) add_volume(h, v);
    for (const Camera& c : level.cameras) h.vector(c.eye);
    return h.key();
}

}  // namespace

LevelInputs inputs_of(const Level& given) {
    Level level = given;
    complete_level(level);
    LevelInputs out;
    std::map<std::uint32_t, std::string> meshes;
    for (const Surface& s : level.surfaces) {
        std::string& mesh = meshes[s.mesh];
        if (mesh.empty()) {
            Hasher h("mesh");
            add_mesh(h, level.meshes[s.mesh]);
            h.array(level.meshes[s.mesh].uv1);
            mesh = h.key();
        }
        out.items.push_back(surface_item(level, s, mesh));
    }
    for (const Light& l : level.lights) out.items.push_back(light_item(level, l));
    out.items.push_back(sky_item(level));
    for (const Volume& v : level.volumes) {
        Hasher h("volume");
        add_volume(h, v);
        out.items.push_back(Item("volume", v.name).text("rules", h.key()).done());
    }
    if (has_probes(level)) {
        Hasher h("probes");
        h.array(level.hand_probes);
        for (const float v : {level.probes.tolerance, level.probes.merge}) h.number(v);
        h.number(level.probes.budget);
        out.items.push_back(Item("probes", "probes").text("settings", h.key()).done());
    }
    if (has_reflections(level)) out.items.push_back(reflections_item(level));
    for (const BakeSet& set : level.sets) out.items.push_back(set_item(level, set));
    out.items.push_back(quality_item(level.quality));
    out.items.push_back(lightmap_item(level.lightmap));
    out.items.push_back(
        Item("occlusion", "occlusion").number("reach", Item::as(level.occlusion.reach)).done());
    out.items.push_back(Item("prelit", "prelit")
                            .number("by", static_cast<double>(level.prelit.by))
                            .number("detail", level.prelit.detail)
                            .number("exposure", Item::as(level.prelit.exposure.value_or(-100)))
                            .done());

    InputKeys& keys = out.keys;
    keys.ground = inputs_ground_key(level);
    Hasher costs("costs");
    for (const int v : {static_cast<int>(level.quality.tier), level.quality.links}) costs.number(v);
    for (const float v : {level.quality.noise, level.lightmap.density}) costs.number(v);
    keys.costs = costs.key();
    keys.visibility = visibility_key(level, keys.ground);
    keys.occlusion = level.occlusion.reach > 0 ? occlusion_key(level, keys.ground) : "none";
    keys.probes = !has_probes(level) ? "none"
                  : level.placed     ? placed_key(level, *level.placed, probe_key(level, keys.ground))
                                     : probe_key(level, keys.ground);
    keys.reflections = reflections_key(level);
    for (NamedKey& layer : layer_light_keys(level, keys.ground))
        keys.layers.push_back({std::move(layer.name), std::move(layer.key)});
    for (NamedKey& set : set_keys(level, keys.ground))
        keys.sets.push_back({std::move(set.name), std::move(set.key)});
    return out;
}

}  // namespace stasigraph
