#include "bake/keys.hpp"

#include <algorithm>
#include <cmath>

#include "bake/sources.hpp"
#include "base/hash.hpp"
#include "level/field_keys.hpp"
#include "level/texture.hpp"
#include "method.hpp"
#include "stasigraph/place.hpp"
#include "stasigraph/reflect.hpp"
#include "transport/links.hpp"

namespace stasigraph {

namespace {

/// A hash of our own source code: results of another version are never taken for this one's.
constexpr std::uint64_t method = STASIGRAPH_METHOD;

void add(Hasher& h, const Atlas& atlas) {
    for (const SurfaceUv& s : atlas.surfaces)
        for (const std::uint32_t v : {s.layout, s.page, static_cast<std::uint32_t>(s.x),
                                      static_cast<std::uint32_t>(s.y), s.back_layout})
            h.number(v);
    for (const Layout& l : atlas.layouts) {
        h.number(l.width);
        h.number(l.height);
        h.array(l.source);
        h.array(l.uv);
        h.array(l.indices);
        h.array(l.chart);
        for (const Chart& c : l.charts)
            for (const int v : {c.x, c.y, c.width, c.height}) h.number(v);
    }
    h.array(atlas.pages);
    h.number(atlas.margin);
}

}  // namespace

/// The next power of 2^stops at or above x.
float step_above(float x, float stops) {
    return std::exp2(stops * std::ceil(std::log2(x) / stops));
}

/// How strong groups are counts in such steps, so that most changes of a gain stay a mix; exposures, which
/// are set once, in smaller ones.
constexpr float strength_stops = 6, exposure_stops = 2;

float unseen_light_of(const Level& level, std::uint32_t group) {
    float least = 0;
    for (const BakeSet& set : level.sets) {
        const float gain = luminance(set.gain(group));
        if (!(gain > 0)) continue;
        if (!set.exposure) return 0;
        const float here =
            step_above(unseen_light(*set.exposure) / 4, exposure_stops) / step_above(gain, strength_stops);
        least = least > 0 ? std::min(least, here) : here;
    }
    return least;
}

std::string unlit_key(const Level& level, const Atlas& atlas) {
    Hasher h("ground");
    h.number(method);
    for (const Surface& s : level.surfaces) {
        h.text(s.name);
        h.number(s.part);
        if (s.part == Part::moving) continue;
        add_fields(h, level, s, depends::geometry | depends::rays);
        add_shared(h, level.meshes[s.mesh]);
        add_passage(h, level, level.materials[s.material]);
    }
    add(h, atlas);
    add_fields(h, level, level.quality, depends::rays);
    add_fields(h, level, level.lightmap, depends::rays);
    h.number(std::min(links_that_judge, tier_options(level.quality).first_links));
    return h.key();
}

void add_sight(Hasher& h, const Level& level) {
    for (const Volume& v : level.volumes) add_fields(h, level, v, depends::charts);
    for (const Camera& c : level.cameras) add_fields(h, level, c, depends::charts);
}

std::string charts_key(const Level& level) {
    Hasher h("charts");
    add_fields(h, level, level.lightmap, depends::charts);
    h.number(tier_options(level.quality).density_scale);
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        add_fields(h, level, s, depends::charts);
        add_fields(h, level, *level.meshes[s.mesh], depends::charts);
    }
    if (level.lightmap.shrink_unseen) add_sight(h, level);
    return h.key();
}

std::string marks_name(const Level& level) {
    const TierOptions tier = tier_options(level.quality);
    Hasher h("marks");
    h.number(method);
    h.number(level.quality.seed);
    h.number(tier.density_scale);
    h.number(std::min(links_that_judge, tier.first_links));
    return "marks-" + h.key();
}

std::string geometry_key(const Level& level) {
    Hasher h("geometry");
    h.number(method);
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        add_fields(h, level, s, depends::geometry | depends::places | depends::reflections);
        add_shared(h, level.meshes[s.mesh]);
        add_passage(h, level, level.materials[s.material]);
    }
    return h.key();
}

bool explores_from_cameras(const Level& level) {
    return std::any_of(level.volumes.begin(), level.volumes.end(),
                       [](const Volume& v) { return v.seeds.empty(); });
}

std::string places_key(const Level& level) {
    Hasher h("places");
    h.text(geometry_key(level));
    for (const Volume& v : level.volumes) add_fields(h, level, v, depends::everything);
    if (explores_from_cameras(level))
        for (const Camera& c : level.cameras) add_fields(h, level, c, depends::places);
    h.array(level.hand_probes);
    add_fields(h, level, level.probes, depends::places);
    return h.key();
}

std::string placed_key(const Level& level, const std::vector<ProbePlace>& places, const std::string& unlit) {
    Hasher h("probes");
    h.text(unlit);
    for (const ProbePlace& p : places) h.vector(p.position);
    h.number(tier_options(level.quality).probe_links);
    return h.key();
}

std::string probe_key(const Level& level, const std::string& unlit) {
    Hasher h("probes asked for");
    h.text(unlit);
    h.text(places_key(level));
    h.number(tier_options(level.quality).probe_links);
    return h.key();
}

void add_reflection(Hasher& h, const ReflectionProbe& p) {
    add_fields(h, {}, p, depends::reflections);
}

std::string reflections_key(const Level& level) {
    if (!has_reflections(level)) return "none";
    Hasher h("reflections");
    h.text(geometry_key(level));
    for (const ReflectionProbe& p : level.reflections) add_reflection(h, p);
    h.number(level.reflection_rules.size());
    bool by_camera = false;
    for (const ReflectionRule& r : level.reflection_rules) {
        add_fields(h, level, r, depends::reflections);
        by_camera = by_camera || r.region.seeds.empty();
    }
    if (by_camera)
        for (const Camera& c : level.cameras) add_fields(h, level, c, depends::reflections);
    return h.key();
}

std::string textures_key(const Level& level, const std::string& colors) {
    Hasher h("textures");
    h.text(colors);
    for (const Material& m : level.materials) add_texture(h, level, m.emission_texture);
    return h.key();
}

std::string color_key(const Level& level) {
    Hasher h("colors");
    add_fields(h, level, level.quality, depends::colors);
    for (const Surface& s : level.surfaces)
        if (s.part != Part::moving) add_fields(h, level, level.materials[s.material], depends::colors);
    return h.key();
}

LayerKeys layer_keys(const Level& level, std::uint32_t group, const std::string& unlit,
                     const std::string& colors) {
    const TierOptions tier = tier_options(level.quality), own = tier_options(level.quality.tier);
    Hasher h("direct");
    h.number(method);
    h.text(unlit);
    h.text(level.groups[group]);
    for (const Light& light : level.lights) {
        if (light.group != group || light.role == BakeRole::realtime) continue;
        add_fields(h, level, light, depends::direct);
        h.number(light.profile == none ? 0 : 1);
        if (light.profile != none) add_fields(h, level, level.profiles[light.profile], depends::content);
    }
    h.number(level.sky.group == group);
    if (level.sky.group == group) add_fields(h, level, level.sky, depends::direct);
    for (std::uint32_t i = 0; i < level.surfaces.size(); ++i) {
        const Surface& s = level.surfaces[i];
        if (s.group != group || s.part == Part::moving) continue;
        const Material& m = level.materials[s.material];
        h.text(s.name);
        h.color(m.emission * s.emission_gain);
        add_texture(h, level, m.emission_texture);
    }
    for (const int v :
         {tier.light_samples, tier.light_cut, tier.first_links, own.light_samples, own.first_links})
        h.number(v);
    add_fields(h, level, level.quality, depends::direct);
    for (const float v : {tier.noise, level.quality.noise, unseen_light_of(level, group)}) h.number(v);
    LayerKeys keys{.direct = h.key(), .light = {}};
    h.text(colors);
    add_fields(h, level, level.quality, depends::solve);
    h.number(tier.first_links);
    h.number(tier.most_links);
    h.number(tier.smoothing);
    keys.light = h.key();
    return keys;
}

std::string shown_layer_key(const Level& level, const LayerKeys& keys, const std::string& unlit,
                            const std::string& probes) {
    Hasher h("shown layer");
    for (const std::string* text : {&keys.light, &unlit, &probes}) h.text(*text);
    h.number(level.lightmap.shape);
    return h.key();
}

std::string visibility_key(const Level& level, const std::string& unlit) {
    Hasher h("visibility");
    h.text(unlit);
    h.number(tier_options(level.quality).light_samples);
    for (const Light& light : level.lights) {
        if (light.role != BakeRole::bounce) continue;
        add_fields(h, level, light, depends::visibility);
        if (light.profile != none) add_fields(h, level, level.profiles[light.profile], depends::content);
    }
    return h.key();
}

std::string occlusion_key(const Level& level, const std::string& unlit) {
    Hasher h("occlusion");
    h.text(unlit);
    add_fields(h, level, level.occlusion, depends::occlusion);
    add_fields(h, level, level.quality, depends::occlusion);
    h.number(tier_options(level.quality).occlusion_rays);
    return h.key();
}

}  // namespace stasigraph
