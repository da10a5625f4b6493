#include "bake/keys.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "bake/sources.hpp"
#include "base/hash.hpp"
#include "level/texture.hpp"
#include "method.hpp"
#include "stasigraph/place.hpp"
#include "stasigraph/reflect.hpp"
#include "transport/links.hpp"

namespace stasigraph {

namespace {

/// Of our own doing: another one where the sources of this build are others.
constexpr std::uint64_t method = STASIGRAPH_METHOD;

void add_use(Hasher& h, const TextureUse& use) {
    for (const float v : {use.offset.x, use.offset.y, use.scale.x, use.scale.y, use.rotation}) h.number(v);
    h.number(use.repeat_x);
    h.number(use.repeat_y);
}

void add(Hasher& h, const Affine& a) {
    for (const Vec3 v : {a.x, a.y, a.z, a.origin}) h.vector(v);
}

void add(Hasher& h, const Light& l) {
    h.number(l.kind);
    h.color(l.color);
    for (const Vec3 v : {l.position, l.direction, l.across}) h.vector(v);
    for (const float v : {l.radius, l.width, l.height, l.angular_diameter, l.inner_cone, l.outer_cone,
                          l.falloff_exponent, l.range})
        h.number(v);
    h.number(l.role);
}

void add(Hasher& h, const Profile& p) {
    h.number(p.type_b);
    h.array(p.plane);
    h.array(p.angle);
    h.array(p.candela);
}

void add(Hasher& h, const Sky& sky) {
    h.number(sky.kind);
    h.color(sky.radiance);
    h.number(sky.width);
    h.number(sky.height);
    h.array(sky.pixels);
    h.number(sky.turn);
    h.number(sky.type);
    h.vector(sky.sun);
    h.color(sky.below);
}

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

void add_texture(Hasher& h, const Level& level, const TextureUse& use) {
    h.number(use.image == none ? 0 : 1);
    if (use.image == none) return;
    const Image& image = level.images[use.image];
    h.number(image.width);
    h.number(image.height);
    h.array(image.rgba);
    add_use(h, use);
}

void add_mesh(Hasher& h, const Mesh& mesh) {
    h.array(mesh.positions);
    h.array(mesh.normals);
    h.array(mesh.uv0);
    for (const Tangent& t : mesh.tangents) {
        h.vector(t.along);
        h.number(t.side);
    }
    h.array(mesh.indices);
}

void add_volume(Hasher& h, const Volume& v) {
    h.text(v.name);
    h.number(v.shape);
    for (const Vec3 p : {v.middle, v.half, v.axes[0], v.axes[1], v.axes[2], v.end}) h.vector(p);
    for (const float x : {v.radius, v.priority, v.spacing, v.clearance, v.near}) h.number(x);
    h.number(v.except);
    h.text(v.floor);
    for (const bool rule : v.rules) h.number(rule);
    for (const float x : {v.figure.height, v.figure.radius, v.figure.step, v.figure.slope}) h.number(x);
    h.array(v.heights);
    h.array(v.seeds);
    h.number(v.from_floors);
    h.number(v.by_default);
    h.text(v.around);
}

void add_passage(Hasher& h, const Level& level, const Material& m) {
    h.number(m.double_sided);
    h.number(is_transmissive(m));
    if (is_transmissive(m)) {
        h.number(m.alpha_mode);
        for (const float v : {m.alpha, m.alpha_cutoff, m.transmission}) h.number(v);
        h.color(m.base_color);
        add_texture(h, level, m.base_texture);
        add_texture(h, level, m.transmission_texture);
    }
    add_texture(h, level, m.normal_texture);
    h.number(m.normal_scale);
}

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

std::string ground_key(const Level& level, const Atlas& atlas) {
    Hasher h("ground");
    h.number(method);
    for (const Surface& s : level.surfaces) {
        h.text(s.name);
        h.number(s.part);
        h.number(s.lit_by);
        if (s.part == Part::moving) continue;
        add_mesh(h, level.meshes[s.mesh]);
        add(h, s.to_world);
        add_passage(h, level, level.materials[s.material]);
    }
    add(h, atlas);
    h.number(level.quality.seed);
    h.number(level.lightmap.shape);
    h.number(std::min(links_that_judge, tier_options(level.quality).first_links));
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
        h.text(s.name);
        h.text(s.node);
        h.number(s.part);
        add_mesh(h, level.meshes[s.mesh]);
        add(h, s.to_world);
        add_passage(h, level, level.materials[s.material]);
    }
    return h.key();
}

std::string places_key(const Level& level) {
    Hasher h("places");
    h.text(geometry_key(level));
    for (const Volume& v : level.volumes) add_volume(h, v);
    const bool by_camera = std::any_of(level.volumes.begin(), level.volumes.end(),
                                       [](const Volume& v) { return v.seeds.empty(); });
    if (by_camera)
        for (const Camera& c : level.cameras) h.vector(c.eye);
    h.array(level.hand_probes);
    for (const float v : {level.probes.tolerance, level.probes.merge}) h.number(v);
    h.number(level.probes.budget);
    return h.key();
}

std::string placed_key(const Level& level, const std::vector<ProbePlace>& places, const std::string& ground) {
    Hasher h("probes");
    h.text(ground);
    for (const ProbePlace& p : places) h.vector(p.position);
    h.number(tier_options(level.quality).probe_links);
    return h.key();
}

std::string probe_key(const Level& level, const std::string& ground) {
    Hasher h("probes asked for");
    h.text(ground);
    h.text(places_key(level));
    h.number(tier_options(level.quality).probe_links);
    return h.key();
}

void add_reflection(Hasher& h, const ReflectionProbe& p) {
    h.text(p.name);
    h.number(p.shape);
    h.number(p.origin);
    for (const Vec3 v :
         {p.middle, p.half, p.axes[0], p.axes[1], p.axes[2], p.capture, p.room_middle, p.room_half})
        h.vector(v);
    for (const float v : {p.radius, p.blend, p.near, p.sky_beyond, p.priority}) h.number(v);
    h.number(p.parallax);
    h.number(p.resolution);
    h.text(p.sees);
}

std::string reflections_key(const Level& level) {
    if (!has_reflections(level)) return "none";
    Hasher h("reflections");
    h.text(geometry_key(level));
    for (const ReflectionProbe& p : level.reflections) add_reflection(h, p);
    h.number(level.reflection_rules.size());
    bool by_camera = false;
    for (const ReflectionRule& r : level.reflection_rules) {
        h.text(r.name);
        add_volume(h, r.region);
        for (const bool b : {r.rooms, r.water, r.everywhere, r.ground}) h.number(b);
        h.text(r.on);
        for (const float v : {r.spacing, r.height, r.blend, r.near, r.sky_beyond, r.priority}) h.number(v);
        h.number(r.resolution);
        h.text(r.sees);
        by_camera = by_camera || r.region.seeds.empty();
    }
    if (by_camera)
        for (const Camera& c : level.cameras) h.vector(c.eye);
    return h.key();
}

std::string color_key(const Level& level) {
    Hasher h("colors");
    h.number(level.quality.bounce_gain);
    h.number(level.quality.saturation);
    std::map<std::uint32_t, std::string> of_image;  // many materials share few images
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        const Material& m = level.materials[s.material];
        h.color(m.base_color);
        h.number(m.base_texture.image != none);
        if (m.base_texture.image == none) continue;
        std::string& image = of_image[m.base_texture.image];
        if (image.empty()) {
            Hasher own("image");
            own.array(level.images[m.base_texture.image].rgba);
            own.number(level.images[m.base_texture.image].width);
            image = own.key();
        }
        h.text(image);
        add_use(h, m.base_texture);
    }
    return h.key();
}

LayerKeys layer_keys(const Level& level, std::uint32_t group, const std::string& ground,
                     const std::string& colors) {
    const TierOptions tier = tier_options(level.quality), own = tier_options(level.quality.tier);
    Hasher h("direct");
    h.number(method);
    h.text(ground);
    h.text(level.groups[group]);
    for (const Light& light : level.lights) {
        if (light.group != group || light.role == BakeRole::realtime) continue;
        add(h, light);
        h.number(light.profile == none ? 0 : 1);
        if (light.profile != none) add(h, level.profiles[light.profile]);
    }
    h.number(level.sky.group == group);
    if (level.sky.group == group) add(h, level.sky);
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
    h.number(level.quality.edges);
    for (const float v : {tier.noise, level.quality.noise, unseen_light_of(level, group)}) h.number(v);
    LayerKeys keys{.direct = h.key(), .light = {}};
    h.text(colors);
    h.number(level.quality.bounces.value_or(-1));
    h.number(tier.first_links);
    h.number(tier.most_links);
    h.number(tier.smoothing);
    h.number(level.quality.denoise);
    h.number(level.quality.seams);
    keys.light = h.key();
    return keys;
}

std::string shown_layer_key(const Level& level, const LayerKeys& keys, const std::string& ground,
                            const std::string& probes) {
    Hasher h("shown layer");
    for (const std::string* text : {&keys.light, &ground, &probes}) h.text(*text);
    h.number(level.lightmap.shape);
    return h.key();
}

std::string visibility_key(const Level& level, const std::string& ground) {
    Hasher h("visibility");
    h.text(ground);
    h.number(tier_options(level.quality).light_samples);
    for (Light light : level.lights) {
        if (light.role != BakeRole::bounce) continue;
        h.text(light.name);
        light.color = {1, 1, 1};
        add(h, light);
        if (light.profile != none) add(h, level.profiles[light.profile]);
    }
    return h.key();
}

std::string occlusion_key(const Level& level, const std::string& ground) {
    Hasher h("occlusion");
    h.text(ground);
    h.number(level.occlusion.reach);
    h.number(level.quality.denoise);
    h.number(tier_options(level.quality).occlusion_rays);
    return h.key();
}

}  // namespace stasigraph
