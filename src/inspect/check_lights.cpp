// Lamps, suns and skies.

#include <algorithm>
#include <cmath>

#include "base/random.hpp"
#include "inspect/check_scene.hpp"
#include "level/words.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t looks = 512;
/// A spot that a point makes on a wall is bright over one and a half times its distance; with less than three
/// texels for it, it comes out as a blot.
constexpr float spot_texels = 2;
constexpr float near_enough = 0.5f;

/// Units in which people mistake themselves are thousands of times apart.
constexpr float least_sun = 1000, most_sun = 200000, most_moon = 1;  // lux; a full moon gives 0.3
constexpr float most_candela = 200000, least_candela = 0.01f;        // a lighthouse; a firefly
constexpr float most_nit = 1e6f, most_sky_nit = 100000;              // a welding arc; clouds before the sun

/// Of a colour, by its largest channel, from that of any black body.
constexpr float most_tint = 0.25f;

std::string kind_text(const Light& l) {
    return std::string(word_of(l.kind));
}

/// Places of a lamp, from which its light starts.
std::vector<Vec3> lamp_places(const Light& l) {
    const Vec3 out = l.direction * 0.005f, side = normalize(cross(l.direction, l.across));
    std::vector<Vec3> at;
    switch (l.kind) {
        case LightKind::rectangle:
            for (const auto& [u, v] :
                 {std::pair{0.f, 0.f}, {-.45f, -.45f}, {.45f, -.45f}, {-.45f, .45f}, {.45f, .45f}})
                at.push_back(l.position + out + l.across * (u * l.width) + side * (v * l.height));
            break;
        case LightKind::disc:
            for (const auto& [u, v] : {std::pair{0.f, 0.f}, {-.9f, 0.f}, {.9f, 0.f}, {0.f, .9f}, {0.f, -.9f}})
                at.push_back(l.position + out + l.across * (u * l.radius) + side * (v * l.radius));
            break;
        case LightKind::tube:
            for (const float u : {0.f, -.47f, -.35f, -.24f, -.12f, .12f, .24f, .35f, .47f})
                at.push_back(l.position + l.across * (u * l.width));
            break;
        default:
            at.push_back(l.position);
    }
    return at;
}

/// The share of a lamp's strength that it sends along a direction, 0 to 1; of a spot without regard to its
/// edge.
float sent(const CheckScene& scene, const Light& l, Vec3 way) {
    if (l.profile != none) {
        const Profile& p = scene.level.profiles[l.profile];
        return p.peak > 0 ? profile_candela(p, l.direction, l.across, way) / p.peak : 0;
    }
    if (l.kind == LightKind::point || l.kind == LightKind::tube) return 1;
    const float cosine = dot(way, l.direction);
    if (l.kind == LightKind::spot) return cosine > std::cos(l.outer_cone) ? 1.0f : 0.0f;
    return std::max(cosine, 0.0f);
}

void check_place(const CheckScene& scene, const Light& l, Findings& out) {
    const std::vector<Vec3> at = lamp_places(l);
    std::size_t inside = 0;
    for (const Vec3 p : at) inside += scene.space.solid(p) ? 1 : 0;
    // Ends may stand in their sockets.
    if (4 * inside <= at.size()) return;
    const bool whole = scene.space.solid(at[0]);
    Vec3 surface;
    const bool found = scene.caster.nearest(l.position, 100, surface);
    const float depth = found ? length(surface - l.position) : 0;
    Finding f{.id = "lamp-buried",
              .severity = whole ? Severity::error : Severity::warning,
              .names = {l.name},
              .what = std::string("The ") + kind_text(l) + (whole ? " is" : " is partly") +
                      " inside of something solid: its light does not get out.",
              .remedy = "Move it " + short_text(static_cast<double>(depth) + 0.05) +
                        " m or more, or make what it is in a moving part.",
              .measure = static_cast<double>(depth),
              .unit = "m deep",
              .at = l.position,
              .size = std::max(0.3f, 2 * depth)};
    if (found && depth > 1e-4f) f.facing = normalize(surface - l.position);
    out.push_back(std::move(f));
}

/// How near light meets something, and whether it meets anything.
void check_reach(const CheckScene& scene, const Light& l, Findings& out) {
    const bool point = l.kind == LightKind::point || l.kind == LightKind::spot;
    const std::vector<Vec3> from = lamp_places(l);
    const auto lit = [&](const Hit& hit) {
        return hit.surface != none && (!hit.back || scene.material(hit.surface).double_sided);
    };
    bool met = false;
    Hit nearest;
    nearest.distance = near_enough;
    Vec3 toward;
    for (std::uint32_t i = 0; i < looks; ++i) {
        const Vec3 way = sphere_direction(sobol_point(0x6c616d70u, i));
        if (!(sent(scene, l, way) > 0)) continue;
        const Hit hit = scene.caster.closest({from[i % from.size()], way, l.range > 0 ? l.range : 1e30f});
        if (hit.surface == none) continue;
        met = met || lit(hit);
        if (hit.back || scene.caster.is_glass(hit.surface) || !(hit.distance < nearest.distance)) continue;
        nearest = hit;
        toward = way;
    }
    // A narrow cone between those directions.
    if (const Hit ahead = scene.caster.closest({l.position, l.direction, l.range > 0 ? l.range : 1e30f});
        l.kind != LightKind::point)
        met = met || lit(ahead);
    if (!met)
        out.push_back({.id = "lamp-reaches-nothing",
                       .severity = Severity::warning,
                       .names = {l.name},
                       .what = l.range > 0
                                   ? "Within its range of " + short_text(static_cast<double>(l.range)) +
                                         " m the lamp meets no static surface."
                                   : "The lamp meets no static surface.",
                       .remedy = l.range > 0 ? "Raise its range, move it, or take it out."
                                             : "Turn it, move it, or take it out.",
                       .measure = static_cast<double>(l.range),
                       .unit = "m of range",
                       .at = l.position});
    if (!point || nearest.surface == none || scene.glows(nearest.surface)) return;
    const float density = scene.facts[nearest.surface].density;
    const float enough = density > 0 ? spot_texels / density : 0;
    if (!(nearest.distance < enough)) return;
    const float candela = luminance(l.color) * sent(scene, l, toward),
                lux = candela / std::max(nearest.distance * nearest.distance, 1e-6f);
    out.push_back({.id = "lamp-close",
                   .severity = Severity::warning,
                   .names = {l.name, scene.level.surfaces[nearest.surface].name},
                   .what = "The lamp makes a hot spot of " + short_text(static_cast<double>(lux)) +
                           " lux on " + scene.level.surfaces[nearest.surface].name + ", " +
                           short_text(static_cast<double>(1.5f * nearest.distance * density)) +
                           " texels across.",
                   .remedy = "Move it " + short_text(static_cast<double>(enough)) +
                             " m off or more, or bake its bounces alone (bake = \"bounce\").",
                   .measure = static_cast<double>(nearest.distance),
                   .limit = static_cast<double>(enough),
                   .unit = "m",
                   .at = l.position + toward * nearest.distance,
                   .facing = -toward,
                   .size = std::max(0.2f, 2 * nearest.distance)});
}

float tint_of(Rgb c) {
    const float top = max_channel(c);
    if (!(top > 0)) return 0;
    c = c * (1 / top);
    float least = 1;
    for (float kelvin = 1500; kelvin <= 20000; kelvin *= 1.03f) {
        Rgb k = kelvin_to_rgb(kelvin);
        k = k * (1 / max_channel(k));
        least = std::min(least, std::max({std::abs(c.r - k.r), std::abs(c.g - k.g), std::abs(c.b - k.b)}));
    }
    return least;
}

Rgb mean_sky(const Sky& sky) {
    Rgb sum;
    constexpr std::uint32_t count = 256;
    for (std::uint32_t i = 0; i < count; ++i) {
        Vec3 way = sphere_direction(sobol_point(0x736b79u, i));
        way.y = std::abs(way.y);
        sum += sky_radiance(sky, way) * (1.0f / count);
    }
    return sum;
}

/// What has a colour, and where it is.
struct Colored {
    std::string name;
    Rgb color;
    std::uint32_t group = none;
    std::optional<Vec3> at;
};

/// The colour itself, and under each set that gives it a tint of its own.
void check_tint(const CheckScene& scene, const Colored& of, Findings& out) {
    float worst = tint_of(of.color);
    std::string where;
    for (const std::uint32_t s : scene.plain_sets())
        if (const float t = tint_of(of.color * scene.level.sets[s].gain(of.group)); t > worst + 0.01f) {
            worst = t;
            where = " in set " + scene.level.sets[s].name;
        }
    if (!(worst > most_tint)) return;
    out.push_back({.id = "tinted-light",
                   .severity = Severity::warning,
                   .names = {of.name},
                   .what = "The " + of.name + " is strongly tinted" + where +
                           ": everything it reaches, or what stands in its shadow, takes on that colour.",
                   .remedy = "Set its colour by kelvin, and tint lamps or grade the picture instead.",
                   .measure = static_cast<double>(worst),
                   .limit = static_cast<double>(most_tint),
                   .unit = "of full light off any black body's colour",
                   .at = of.at});
}

struct Amount {
    float value = 0, limit = 0;
    const char* unit = "";
};

void odd(const std::string& name, const Amount& amount, const std::string& hint, std::optional<Vec3> at,
         Findings& out) {
    const auto value = static_cast<double>(amount.value);
    out.push_back({.id = "odd-unit",
                   .severity = Severity::warning,
                   .names = {name},
                   .what = name + " has " + short_text(value) + " " + amount.unit + ": " + hint,
                   .remedy = "Look at its unit: suns are in lux, lamps in candela or lumens, areas in nit.",
                   .measure = value,
                   .limit = static_cast<double>(amount.limit),
                   .unit = amount.unit,
                   .at = at});
}

void check_amount(const Light& l, Findings& out) {
    const float v = luminance(l.color);
    if (!(v > 0)) return;
    if (l.kind == LightKind::sun) {
        if (v > most_moon && v < least_sun)
            odd(l.name, {v, least_sun, "lux"}, "daylight has 10,000 to 120,000, a full moon 0.3.", {}, out);
        if (v > most_sun)
            odd(l.name, {v, most_sun, "lux"}, "the brightest sun on earth gives 130,000.", {}, out);
    } else if (l.kind == LightKind::point || l.kind == LightKind::spot) {
        if (v > most_candela)
            odd(l.name, {v, most_candela, "candela"}, "a stadium's floodlight has 100,000.", l.position, out);
        if (v < least_candela) odd(l.name, {v, least_candela, "candela"}, "a candle has 1.", l.position, out);
    } else if (v > most_nit) {
        odd(l.name, {v, most_nit, "nit"}, "a lamp's naked filament has a few million, a panel 10,000.",
            l.position, out);
    }
}

/// Whether a group is given out at all in a set.
bool shines(const BakeSet& set, std::uint32_t group) {
    return group != none && max_channel(set.gain(group)) > 0;
}

void check_set(const CheckScene& scene, const BakeSet& set, bool any_baked, Findings& out) {
    const Level& level = scene.level;
    bool lit = max_channel(level.sky.radiance) > 0 && shines(set, level.sky.group);
    std::vector<std::string> suns;
    for (const Light& l : level.lights) {
        if (!(max_channel(l.color) > 0) || !shines(set, l.group)) continue;
        lit = true;
        if (l.kind == LightKind::sun && l.role != BakeRole::realtime) suns.push_back(l.name);
    }
    for (std::uint32_t s = 0; s < level.surfaces.size() && !lit; ++s)
        lit = scene.glows(s) && shines(set, level.surfaces[s].group);
    if (!lit && any_baked)
        out.push_back({.id = "no-light",
                       .severity = Severity::error,
                       .names = {set.name},
                       .what = "Set " + set.name + " has no light: every gain of it is 0.",
                       .remedy = "Give one of its groups a gain over 0."});
    if (suns.size() > 1)
        out.push_back({.id = "many-suns",
                       .severity = Severity::warning,
                       .names = suns,
                       .what = "In set " + set.name + " " + std::to_string(suns.size()) +
                               " suns shine at a time: every shadow is doubled.",
                       .remedy = "Give them groups of their own, and all but one a gain of 0.",
                       .measure = static_cast<double>(suns.size()),
                       .limit = 1,
                       .unit = "suns"});
}

void check_whole(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    bool any_static = false, any_baked = false, any_live = false;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        any_static = any_static || scene.still(s);
        any_baked = any_baked || (scene.glows(s) && level.surfaces[s].part != Part::moving);
    }
    if (max_channel(level.sky.radiance) > 0) any_baked = true;
    for (const Light& l : level.lights) {
        if (!(max_channel(l.color) > 0)) continue;
        any_baked = any_baked || l.role != BakeRole::realtime;
        any_live = any_live || l.role == BakeRole::realtime;
    }
    if (!any_static)
        out.push_back({.id = "no-static",
                       .severity = Severity::error,
                       .names = {level.name},
                       .what = "No surface is static: no lightmap is made, and probes see no light bounce.",
                       .remedy = "Give what does not move part = \"static\"."});
    if (!any_baked && any_live)
        out.push_back(
            {.id = "all-realtime",
             .severity = Severity::error,
             .names = {level.name},
             .what = "Every light is realtime: nothing of it is baked, and the lightmaps stay black.",
             .remedy = "Give lights that stay as they are bake = \"whole\" or \"bounce\"."});
    const bool told = std::any_of(level.remarks.begin(), level.remarks.end(),
                                  [](const Remark& r) { return r.finding == "no-light"; });
    if (!any_baked && !any_live && !told)
        out.push_back({.id = "no-light",
                       .severity = Severity::error,
                       .names = {level.name},
                       .what = "There is no light in the level.",
                       .remedy = "Add a [sky], a [[light]], or a material that glows."});
    for (const std::uint32_t i : scene.plain_sets()) check_set(scene, level.sets[i], any_baked, out);
}

}  // namespace

void check_lights(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    check_whole(scene, out);
    for (const Light& l : level.lights) {
        if (!(max_channel(l.color) > 0)) continue;
        check_amount(l, out);
        if (l.kind == LightKind::sun) {
            check_tint(scene, {l.name, l.color, l.group, {}}, out);
            continue;
        }
        const std::size_t before = out.size();
        check_place(scene, l, out);
        if (out.size() == before && l.role != BakeRole::realtime) check_reach(scene, l, out);
    }
    if (!(max_channel(level.sky.radiance) > 0)) return;
    const Rgb sky = mean_sky(level.sky);
    check_tint(scene, {"sky", sky, level.sky.group, {}}, out);
    if (luminance(sky) > most_sky_nit)
        odd("sky", {luminance(sky), most_sky_nit, "nit"}, "a bright overcast sky has 10,000.", {}, out);
}

}  // namespace stasigraph
