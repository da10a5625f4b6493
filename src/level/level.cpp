#include "stasigraph/level.hpp"

#include <algorithm>
#include <string>

#include "base/text.hpp"
#include "level/words.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

int margin_for_mips(int halvings) {
    return 2 << std::clamp(halvings, 0, 5);
}

const char* tier_name(Tier tier) {
    return word_of(tier).data();
}

std::optional<Tier> tier_named(const std::string& name) {
    return value_of<Tier>(name);
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
        if (!(max_channel(light.unit) > 0)) light.unit = light.color;
    for (Light& light : level.lights)
        if (light.group == none)
            light.group = group_index(level, light.kind == LightKind::sun ? "sun" : "lamps");
    if (level.sky.group == none && max_channel(level.sky.radiance) > 0)
        level.sky.group = group_index(level, "sky");
    for (Surface& s : level.surfaces)
        if (s.group == none && s.material < level.materials.size() &&
            max_channel(level.materials[s.material].emission) > 0)
            s.group = group_index(level, "glow");
    if (level.sets.empty())
        level.sets.push_back({.name = "base", .gains = {}, .tints = {}, .exposure = {}, .step = none});
    for (BakeSet& set : level.sets) set.gains.resize(level.groups.size(), 1.0f);
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
    return 2 * pi * (1 - inner + (inner - outer) / (light.falloff_exponent + 1));
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

Camera camera_named(const Level& level, const std::string& name) {
    std::string known;
    for (const Camera& c : level.cameras) {
        if (name.empty() || c.name == name) return c;
        known += (known.empty() ? "" : ", ") + c.name;
    }
    if (level.cameras.empty())
        throw Error{.what = "the level has no camera",
                    .where = "--camera",
                    .value = "",
                    .remedy = "Use --eye X,Y,Z --toward X,Y,Z, or add a [[camera]] to the sheet."};
    throw Error{.what = "there is no such camera",
                .where = "--camera",
                .value = name,
                .remedy = "The level has: " + known + "."};
}

}  // namespace stasigraph
