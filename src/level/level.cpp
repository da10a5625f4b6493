#include "stasigraph/level.hpp"

#include <algorithm>
#include <string>

#include "base/text.hpp"
#include "level/reflection_rules.hpp"
#include "level/volume_rules.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

int margin_for_mips(int halvings) {
    return 2 << std::clamp(halvings, 0, 5);
}

TierOptions tier_options(Tier tier) {
    switch (tier) {
        case Tier::glance:
            return {.density_scale = 0.25f,
                    .first_links = 32,
                    .most_links = 32,
                    .noise = 0.1f,
                    .light_samples = 4,
                    .light_cut = 16,
                    .probe_links = 256,
                    .occlusion_rays = 32,
                    .smoothing = 1.2f};
        case Tier::proof:
            return {.density_scale = 1,
                    .first_links = 128,
                    .most_links = 256,
                    .noise = 0.04f,
                    .light_samples = 16,
                    .light_cut = 48,
                    .probe_links = 2048,
                    .occlusion_rays = 64,
                    .smoothing = 1.1f};
        case Tier::final:
            break;
    }
    return {.density_scale = 1,
            .first_links = 256,
            .most_links = 1024,
            .noise = 0.02f,
            .light_samples = 64,
            .light_cut = 256,
            .probe_links = 8192,
            .occlusion_rays = 256,
            .smoothing = 1};
}

TierOptions tier_options(const BakeOptions& quality) {
    TierOptions t = tier_options(quality.tier);
    if (quality.links > 0) t.first_links = t.most_links = quality.links;
    return t;
}

std::uint32_t group_index(Level& level, const std::string& name) {
    const auto found = std::find(level.groups.begin(), level.groups.end(), name);
    if (found != level.groups.end()) return static_cast<std::uint32_t>(found - level.groups.begin());
    level.groups.push_back(name);
    for (BakeSet& set : level.sets) set.gains.resize(level.groups.size(), 1.0f);
    return static_cast<std::uint32_t>(level.groups.size() - 1);
}

void complete_level(Level& level) {
    for (Light& light : level.lights)
        if (light.group == none)
            light.group = group_index(level, light.kind == LightKind::sun ? "sun" : "lamps");
    if (level.sky.group == none && max_channel(level.sky.radiance) > 0)
        level.sky.group = group_index(level, "sky");
    for (Surface& s : level.surfaces)
        if (s.group == none && max_channel(level.materials[s.material].emission) > 0)
            s.group = group_index(level, "glow");
    if (level.sets.empty())
        level.sets.push_back({.name = "base", .gains = {}, .tints = {}, .exposure = {}, .step = none});
    for (BakeSet& set : level.sets) set.gains.resize(level.groups.size(), 1.0f);
}

namespace {

void check_range(float value, float low, float high, const std::string& where, const char* what,
                 const char* remedy) {
    if (!(value >= low && value <= high))
        throw Error{.what = what, .where = where, .value = to_text(value), .remedy = remedy};
}

void check_mesh(const Mesh& mesh) {
    const auto fail = [&](const char* what, std::size_t at) {
        throw Error{.what = what,
                    .where = "mesh " + mesh.name,
                    .value = "vertex or index " + std::to_string(at),
                    .remedy = "export the mesh again"};
    };
    if (mesh.normals.size() != mesh.positions.size())
        fail("normals and positions differ in number", mesh.normals.size());
    if (!mesh.uv0.empty() && mesh.uv0.size() != mesh.positions.size())
        fail("TEXCOORD_0 has the wrong length", mesh.uv0.size());
    if (!mesh.uv1.empty() && mesh.uv1.size() != mesh.positions.size())
        fail("TEXCOORD_1 has the wrong length", mesh.uv1.size());
    if (!mesh.tangents.empty() && mesh.tangents.size() != mesh.positions.size())
        fail("TANGENT has the wrong length", mesh.tangents.size());
    for (std::size_t i = 0; i < mesh.positions.size(); ++i)
        if (!is_finite(mesh.positions[i]) || !is_finite(mesh.normals[i]))
            fail("a position or normal is not finite", i);
    for (std::size_t i = 0; i < mesh.indices.size(); ++i)
        if (mesh.indices[i] >= mesh.positions.size()) fail("an index is out of range", i);
}

void check_lightmap(const LightmapOptions& s) {
    check_range(s.density, 1e-3f, 4096, "lightmap.density", "density is out of range",
                "Use 0.001 to 4096 texels per metre.");
    if (s.page < 16 || s.page > 16384 || (s.page & (s.page - 1)) != 0)
        throw Error{.what = "page size is no power of two between 16 and 16384",
                    .where = "lightmap.page",
                    .value = std::to_string(s.page),
                    .remedy = "Use 512, 1024, 2048 or 4096."};
    check_range(static_cast<float>(s.margin), 1, 64, "lightmap.margin", "margin is out of range",
                "Use 1 to 64 texels.");
    check_range(s.stretch_limit, 1.01f, 10, "lightmap.stretch_limit", "largest stretch is out of range",
                "Use 1.01 to 10, e.g. 1.5.");
    if (s.block != 1 && s.block != 4 && s.block != 8)
        throw Error{.what = "block size is not that of any block-compressed texture",
                    .where = "lightmap.block",
                    .value = std::to_string(s.block),
                    .remedy = "Use 4, or 8 to keep one mipmap level apart too; 1 is none."};
    if (s.pages < 0 || s.pages > 4096)
        throw Error{.what = "number of pages is out of range",
                    .where = "lightmap.pages",
                    .value = std::to_string(s.pages),
                    .remedy = "Use 1 to 4096; leave it out for as many as it takes."};
    if (s.page < 4 * s.margin)
        throw Error{.what = "margin leaves no room on the page",
                    .where = "lightmap.margin",
                    .value = std::to_string(s.margin),
                    .remedy = "Use a larger page or a smaller margin."};
}

void check_light(const Level& level, const Light& light) {
    const float top = max_channel(light.color), low = std::min({light.color.r, light.color.g, light.color.b});
    if (!(low >= 0 && top < 1e12f))
        throw Error{.what = "a light's intensity is negative or not finite",
                    .where = light.name,
                    .value = to_text(top),
                    .remedy = "Use lux for suns, candela for lamps and nit for areas, 0 or more."};
    check_range(light.radius, 0, 1e4f, light.name, "light radius is out of range", "Use metres, 0 or more.");
    check_range(light.edge, 1e-3f, 16, light.name, "exponent of a spot's edge is out of range",
                "Use 0.001 to 16; 2 is glTF's.");
    const bool sized = light.kind == LightKind::rectangle ? light.width > 0 && light.height > 0
                       : light.kind == LightKind::disc    ? light.radius > 0
                       : light.kind == LightKind::tube    ? light.radius > 0 && light.width > 0
                                                          : true;
    if (!sized || !(light.width < 1e4f && light.height < 1e4f))
        throw Error{.what = "a light has no size, or one that is not finite",
                    .where = light.name,
                    .value = to_text(light.width) + " by " + to_text(light.height) + ", radius " +
                             to_text(light.radius),
                    .remedy = "Rectangles need width and height, discs a radius, tubes length and radius."};
    const bool crossed =
        light.kind == LightKind::rectangle || light.kind == LightKind::disc || light.profile != none;
    if (!is_finite(light.position) || !(std::abs(length(light.direction) - 1) < 1e-3f) ||
        !(std::abs(length(light.across) - 1) < 1e-3f) ||
        (crossed && !(std::abs(dot(light.across, light.direction)) < 1e-3f)))
        throw Error{.what = "a light's place or axes are broken",
                    .where = light.name,
                    .value = "",
                    .remedy =
                        "direction and across must be unit vectors; of rectangles, discs and profiles square "
                        "to each other."};
    if (light.profile != none && light.profile >= level.profiles.size())
        throw Error{.what = "a light names a profile that does not exist",
                    .where = light.name,
                    .value = "",
                    .remedy = ""};
    if (light.group >= level.groups.size())
        throw Error{.what = "a light has no group",
                    .where = light.name,
                    .value = "",
                    .remedy = "Call complete_level()."};
}

void check_sky(const Sky& sky) {
    const auto fail = [](const char* what, const std::string& value, const char* remedy) {
        throw Error{.what = what, .where = "the sky", .value = value, .remedy = remedy};
    };
    const auto bad = [](Rgb c) { return !(std::min({c.r, c.g, c.b}) >= 0 && max_channel(c) < 1e12f); };
    if (bad(sky.radiance) || bad(sky.below))
        fail("radiance is negative or not finite", to_text(max_channel(sky.radiance)), "Use nit, 0 or more.");
    if (sky.kind == SkyKind::standard && (sky.type < 1 || sky.type > 15))
        fail("there is no such standard sky", std::to_string(sky.type), "Use 1 to 15.");
    if (sky.kind != SkyKind::image) return;
    if (sky.width < 1 || sky.height < 1 ||
        sky.pixels.size() != static_cast<std::size_t>(sky.width) * static_cast<std::size_t>(sky.height))
        fail("the image's size and pixels disagree", std::to_string(sky.pixels.size()), "");
    for (std::size_t i = 0; i < sky.pixels.size(); ++i)
        if (bad(sky.pixels[i]))
            fail("a pixel is negative or not finite", "pixel " + std::to_string(i), "Repair the image.");
}

}  // namespace

namespace {

void check_zones(const Level& level) {
    const auto fail = [](const Zone& z, const char* what, const char* remedy) {
        throw Error{.what = what, .where = "zone " + z.name, .value = "", .remedy = remedy};
    };
    if (level.zones.size() > most_zones)
        throw Error{.what = "there are more than 254 zones",
                    .where = level.name,
                    .value = std::to_string(level.zones.size()),
                    .remedy = "Let some of them share a name: they then switch together."};
    for (std::size_t z = 0; z < level.zones.size(); ++z) {
        const Zone& zone = level.zones[z];
        if (zone.name.empty()) fail(zone, "a zone has no name", "Games switch it by its name.");
        for (std::size_t other = 0; other < z; ++other)
            if (level.zones[other].name == zone.name) fail(zone, "two zones have this name", "Join them.");
        for (const Volume& box : zone.boxes)
            if (box.shape != VolumeShape::box || !(box.half.x > 0 && box.half.y > 0 && box.half.z > 0) ||
                !is_finite(box.middle) || !is_finite(box.half))
                fail(zone, "holds what is no box with a volume", "");
        for (const auto* list : {&zone.listed, &zone.left_out})
            for (const std::uint32_t s : *list)
                if (s >= level.surfaces.size()) fail(zone, "lists a surface that is not there", "");
    }
}

}  // namespace

void check_level(const Level& level) {
    check_lightmap(level.lightmap);
    for (const Mesh& mesh : level.meshes) check_mesh(mesh);
    for (const Surface& s : level.surfaces) {
        if (s.mesh >= level.meshes.size() || s.material >= level.materials.size())
            throw Error{.what = "a surface names a mesh or material that does not exist",
                        .where = s.name,
                        .value = "",
                        .remedy = ""};
        check_range(s.density, 1e-4f, 64, s.name, "density factor is out of range", "Use 0.0001 to 64.");
        check_range(s.emission_gain, 0, 1e9f, s.name, "emission gain is out of range", "Use 0 or more.");
    }
    for (const Material& m : level.materials) {
        check_range(m.alpha, 0, 1e6f, "material " + m.name, "alpha is out of range", "Use 0 to 1.");
        check_range(m.transmission, 0, 1, "material " + m.name, "transmission is out of range",
                    "Use 0 to 1.");
        check_range(m.normal_scale, -100, 100, "material " + m.name,
                    "scale of the normal map is out of range", "Use -100 to 100, 1 for the map as it is.");
        for (const TextureUse* use : {&m.base_texture, &m.emission_texture, &m.transmission_texture,
                                      &m.normal_texture, &m.roughness_texture})
            if (use->image != none && use->image >= level.images.size())
                throw Error{.what = "a material names an image that does not exist",
                            .where = "material " + m.name,
                            .value = std::to_string(use->image),
                            .remedy = ""};
    }
    if (level.occlusion.reach != 0)
        check_range(level.occlusion.reach, 0.01f, 1000, "occlusion.reach", "reach is out of range",
                    "Use 0.01 to 1000 metres.");
    if (level.prelit.detail < 1 || level.prelit.detail > 16)
        throw Error{.what = "detail of prelit textures is out of range",
                    .where = "prelit.detail",
                    .value = std::to_string(level.prelit.detail),
                    .remedy = "Use 1 to 16 pixels along a texel."};
    for (const Light& light : level.lights) check_light(level, light);
    check_sky(level.sky);
    for (const SeriesStep& step : level.series) {
        check_sky(step.sky);
        if (step.light != none) check_light(level, step.sun);
        if (step.light != none && step.light >= level.lights.size())
            throw Error{.what = "a series moves a light that is not there",
                        .where = level.name,
                        .value = std::to_string(step.light),
                        .remedy = "Name the series' sun anew."};
    }
    for (const BakeSet& set : level.sets)
        if (set.step != none && set.step >= level.series.size())
            throw Error{.what = "a set is of a step that no series has",
                        .where = set.name,
                        .value = std::to_string(set.step),
                        .remedy = "Fill in Level::series."};
    for (const BakeSet& set : level.sets)
        if (set.layer != none && set.layer >= level.groups.size())
            throw Error{.what = "a layer is of a light group that is not there",
                        .where = set.name,
                        .value = std::to_string(set.layer),
                        .remedy = "Name one of Level::groups."};
    check_zones(level);
    if (level.quality.bounces && (*level.quality.bounces < 0 || *level.quality.bounces > 1000))
        throw Error{.what = "number of bounces is out of range",
                    .where = "quality.bounces",
                    .value = std::to_string(*level.quality.bounces),
                    .remedy = "Use 0 to 1000, or \"settle\"."};
    if (level.quality.links != 0 && (level.quality.links < 8 || level.quality.links > 4096))
        throw Error{.what = "number of links is out of range",
                    .where = "quality.links",
                    .value = std::to_string(level.quality.links),
                    .remedy = "Use 8 to 4096, or 0 for the tier's own."};
    check_range(level.quality.bounce_gain, 0, 4, "quality.bounce_gain", "gain of bounces is out of range",
                "Use 0 to 4; 1 is physical.");
    check_range(level.quality.saturation, 0, 4, "quality.saturation",
                "saturation of bounced light is out of range", "Use 0 to 4; 1 is physical.");
    check_range(level.quality.noise, 0, 1, "quality.noise", "noise target is out of range",
                "Use 0.001 to 1, e.g. 0.02.");
    check_volumes(level);
    check_reflections(level);
}

std::uint32_t set_index(const Level& level, const std::string& name) {
    if (name.empty()) return 0;
    std::string known;
    for (std::size_t i = 0; i < level.sets.size(); ++i) {
        if (level.sets[i].name == name) return static_cast<std::uint32_t>(i);
        known += (i ? ", " : "") + level.sets[i].name;
    }
    throw Error{.what = "there is no such bake set",
                .where = "--set",
                .value = name,
                .remedy = "The level has: " + known + "."};
}

float lumens_per_unit(const Light& light, const std::vector<Profile>& profiles) {
    switch (light.kind) {
        case LightKind::sun:
            return 0;
        case LightKind::rectangle:
            return pi * light.width * light.height;
        case LightKind::disc:
            return pi * pi * light.radius * light.radius;
        case LightKind::tube:
            return 2 * pi * pi * light.radius * light.width;
        case LightKind::point:
        case LightKind::spot:
            break;
    }
    if (light.profile != none) {
        const Profile& p = profiles[light.profile];
        return p.peak > 0 ? p.lumens / p.peak : 0;
    }
    if (light.kind == LightKind::point) return 4 * pi;
    // The integral of ((c - outer) / (inner - outer))^edge between the cones, 1 within the inner one.
    const float inner = std::cos(light.inner_cone), outer = std::cos(light.outer_cone);
    return 2 * pi * (1 - inner + (inner - outer) / (light.edge + 1));
}

Rgb kelvin_to_rgb(float kelvin) {
    const double t = std::clamp(static_cast<double>(kelvin), 1000.0, 20000.0);
    const double u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) /
                     (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t);
    const double v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) /
                     (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t);
    const double x = 3 * u / (2 * u - 8 * v + 4), y = 2 * v / (2 * u - 8 * v + 4);  // CIE 1960 to 1931
    const double cx = x / y, cz = (1 - x - y) / y;                                  // XYZ at Y = 1
    // IEC 61966-2-1, XYZ to linear Rec. 709; reds below 1900 K leave the gamut and are clipped.
    Rgb c{static_cast<float>(3.2404542 * cx - 1.5371385 - 0.4985314 * cz),
          static_cast<float>(-0.9692660 * cx + 1.8760108 + 0.0415560 * cz),
          static_cast<float>(0.0556434 * cx - 0.2040259 + 1.0572252 * cz)};
    c = {std::max(c.r, 0.0f), std::max(c.g, 0.0f), std::max(c.b, 0.0f)};
    return c * (1.0f / luminance(c));
}

}  // namespace stasigraph
