#include "probe/lamps.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/random.hpp"
#include "light/flat_glow.hpp"

namespace stasigraph {

namespace {

/// A lamp that gives less than this share of a group's light is as good in coefficients.
constexpr float least_share = 0.01f;
/// Light from a point gives the mean over all normals a quarter of what it gives a plane that faces it.
constexpr float mean_share = 0.25f;
/// Rays to a lamp that has a size, and samples of what it gives.
constexpr int sight_rays = 32, light_samples = 64;
/// Lamps up to this radius, metres, and suns up to this angle cast sharp shadows, which fade over this much.
constexpr float small_lamp = 0.1f, small_sun = 0.02f, least_fade = 0.1f;
/// Ways in which the edge of a shadow is looked for, and steps along each.
constexpr int ways_out = 32, steps_out = 8, halvings = 4;
/// This many of the strongest lamps are tried for a probe's list.
constexpr std::size_t most_tried = 16;

/// This many tints of glass are told apart in a level. Behind any other one a lamp is told by the nearest
/// tint, and the remainder goes into coefficients.
constexpr std::size_t most_tints = 8;
/// Tints whose channels are closer than this to each other are one.
constexpr float grey = 0.98f;

float tint_apart(Rgb a, Rgb b) {
    return std::max({std::abs(a.r - b.r), std::abs(a.g - b.g), std::abs(a.b - b.b)});
}

/// Directions spread evenly over the sphere (Fibonacci spiral).
Vec3 way_out(int i) {
    const float y = 1 - (2 * static_cast<float>(i) + 1) / ways_out, r = std::sqrt(1 - y * y),
                turn = 2.39996323f * static_cast<float>(i);
    return {r * std::cos(turn), y, r * std::sin(turn)};
}

float fade_of(const Light& light) {
    if (light.kind == LightKind::sun) return light.angular_diameter <= small_sun ? least_fade : 0;
    const bool ball = light.kind == LightKind::point || light.kind == LightKind::spot;
    return ball && light.radius <= small_lamp ? std::max(least_fade, 2 * light.radius) : 0;
}

void put(float* to, Vec3 v) {
    to[0] = v.x;
    to[1] = v.y;
    to[2] = v.z;
}

runtime::Point point_of(Vec3 v) {
    return {v.x, v.y, v.z};
}

/// A light that shines the same way wherever it is seen from.
Light without_aim(Light light) {
    if (light.kind == LightKind::spot) light.kind = LightKind::point;
    light.profile = none;
    light.range = 0;
    light.color = {1, 1, 1};
    return light;
}

}  // namespace

void add_lamp(ProbeLamps& to, const Light& light, const std::vector<Profile>& profiles) {
    runtime::Lamp lamp{.kind = static_cast<runtime::LampKind>(light.kind),
                       .radius = light.radius,
                       .width = light.width,
                       .height = light.height,
                       .sine = light.kind == LightKind::sun ? std::sin(0.5f * light.angular_diameter) : 0,
                       .cos_inner = std::cos(light.inner_cone),
                       .cos_outer = std::cos(light.outer_cone),
                       .falloff_exponent = light.falloff_exponent,
                       .range = light.range,
                       .fade = fade_of(light)};
    put(lamp.position, light.position);
    put(lamp.direction, light.direction);
    put(lamp.across, light.across);
    if (light.profile != none && (light.kind == LightKind::point || light.kind == LightKind::spot)) {
        const Profile& p = profiles[light.profile];
        std::vector<float> values = p.plane;
        values.insert(values.end(), p.angle.begin(), p.angle.end());
        for (const float c : p.candela) values.push_back(p.peak > 0 ? c / p.peak : 0);
        const auto same = [&](const runtime::LampProfile& known) {
            return known.type_b == (p.type_b ? 1u : 0u) && known.planes == p.plane.size() &&
                   known.angles == p.angle.size() &&
                   std::equal(values.begin(), values.end(), to.values.begin() + known.first);
        };
        const auto known = std::find_if(to.profile.begin(), to.profile.end(), same);
        lamp.profile = static_cast<std::uint32_t>(known - to.profile.begin());
        if (known == to.profile.end()) {
            to.profile.push_back({p.type_b ? 1u : 0u, static_cast<std::uint32_t>(p.plane.size()),
                                  static_cast<std::uint32_t>(p.angle.size()),
                                  static_cast<std::uint32_t>(to.values.size())});
            to.values.insert(to.values.end(), values.begin(), values.end());
        }
    }
    to.lamp.push_back(lamp);
    to.color.push_back(light.color);
    to.name.push_back(light.name);
}

runtime::LampView view_of(const ProbeLamps& lamps) {
    return {lamps.lamp.data(), static_cast<std::uint32_t>(lamps.lamp.size()), lamps.profile.data(),
            lamps.values.data()};
}

std::vector<Light> lamps_of(const Level& level, const TextureSet& textures) {
    std::vector<Light> all = level.lights;
    const std::vector<Light> flat = flat_glow(level, textures);
    all.insert(all.end(), flat.begin(), flat.end());
    const std::size_t untinted = all.size();
    for (const Rgb tint : glass_tints(level))
        for (std::size_t i = 0; i < untinted; ++i) {
            all.push_back(all[i]);
            all.back().color = all[i].color * tint;
            all.back().name += " through glass";
        }
    return all;
}

std::vector<Rgb> glass_tints(const Level& level) {
    std::vector<Rgb> out;
    for (const Material& m : level.materials) {
        const float most = max_channel(m.base_color);
        if (!tints(m) || !(most > 0)) continue;
        const Rgb tint = m.base_color * (1 / most);
        if (out.size() == most_tints || std::min({tint.r, tint.g, tint.b}) > grey) continue;
        if (std::none_of(out.begin(), out.end(),
                         [&](Rgb known) { return tint_apart(known, tint) < 1 - grey; }))
            out.push_back(tint);
    }
    return out;
}

LampTeller::LampTeller(const Level& level, const std::vector<Light>& lamps, std::uint32_t group,
                       const RayCaster& caster)
    : level_(level), lights_(lamps), caster_(caster), tints_(glass_tints(level)) {
    untinted_ = static_cast<std::uint32_t>(lamps.size() / (1 + tints_.size()));
    // An entry has room for this many; the lights of a level past them stay in coefficients.
    const std::uint32_t count =
        std::min(untinted_, runtime::most_lamps / static_cast<std::uint32_t>(1 + tints_.size()));
    for (std::uint32_t i = 0; i < count; ++i) {
        const Light& light = lamps[i];
        if (light.group != group || light.role != BakeRole::whole || !(max_channel(light.color) > 0))
            continue;
        numbers_.push_back(i);
        add_lamp(lamps_, light, level.profiles);
    }
}

float LampTeller::share_of(std::uint32_t tint, Rgb seen) const {
    const Rgb by = tint == none ? Rgb{1, 1, 1} : tints_[tint];
    float share = 1;
    for (const auto& [c, of] : {std::pair{seen.r, by.r}, {seen.g, by.g}, {seen.b, by.b}})
        if (of > 0) share = std::min(share, c / of);
    return std::max(share, 0.0f);
}

LampTeller::Through LampTeller::through(Rgb seen) const {
    const float most = max_channel(seen);
    Through best{none, share_of(none, seen)};
    if (!(most > 0)) return best;
    const Rgb own = seen * (1 / most);
    float least = tint_apart(own, {1, 1, 1});
    for (std::uint32_t t = 0; t < tints_.size(); ++t)
        if (const float off = tint_apart(own, tints_[t]); off < least) {
            least = off;
            best = {t, share_of(t, seen)};
        }
    return best;
}

/// The most that a lamp gives a plane that faces it, within `around` of a place.
float LampTeller::strength(std::size_t lamp, Vec3 from, float around) const {
    const runtime::LampView view = view_of(lamps_);
    float most = 0;
    for (const Vec3 aside :
         {Vec3{0, 0, 0}, {1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
        most =
            std::max(most, runtime::lamp_way(view, lamps_.lamp[lamp], point_of(from + aside * around)).light);
    return most * luminance(lamps_.color[lamp]);
}

/// Share of a lamp that is seen, whatever its aim, as glass in between tints it.
Rgb LampTeller::seen(const Light& light, const Receiver& r, std::uint32_t seed) const {
    Rgb sum;
    float count = 0;
    const auto look = [&](Vec3 toward, float distance) {
        sum += caster_.transmitted({r.position, toward, distance});
        count += 1;
    };
    const bool sized = light.kind == LightKind::sun ? light.angular_diameter > 0 : light.radius > 0;
    if (light.kind == LightKind::rectangle || light.kind == LightKind::disc) {
        const Vec3 down = cross(light.across, light.direction);
        for (int k = 0; k < sight_rays; ++k) {
            const Vec2 u = sobol_point(seed, static_cast<std::uint32_t>(k));
            Vec2 at{(u.x - 0.5f) * light.width, (u.y - 0.5f) * light.height};
            if (light.kind == LightKind::disc) {
                const float radius = light.radius * std::sqrt(u.x);
                at = {radius * std::cos(2 * pi * u.y), radius * std::sin(2 * pi * u.y)};
            }
            const Vec3 way = light.position + light.across * at.x + down * at.y - r.position;
            const float far = length(way);
            if (far > 0) look(way * (1 / far), far);
        }
    } else {
        draw_light(without_aim(light), level_.profiles, r, {sized ? sight_rays : 1, seed},
                   [&](Vec3 w, Rgb, float distance) { look(w, distance); });
    }
    return count > 0 ? sum * (1 / count) : Rgb{};
}

Rgb LampTeller::seen_sharply(const Light& light, Vec3 from, const std::vector<float>& free,
                             float& edge) const {
    const auto through = [&](Vec3 place) {
        if (light.kind == LightKind::sun) return caster_.transmitted({place, light.direction * -1.0f, 1e30f});
        const Vec3 way = light.position - place;
        const float far = length(way);
        return far > light.radius ? caster_.transmitted({place, way * (1 / far), far - light.radius})
                                  : Rgb{1, 1, 1};
    };
    const auto keep_more = [](Rgb t, Rgb& most) {
        if (luminance(t) > luminance(most)) most = t;
    };
    const auto lit_at = [&](Vec3 place, Rgb& most) {
        const Rgb t = through(place);
        keep_more(t, most);
        return max_channel(t) > 0;
    };
    Rgb own, beside;
    const bool lit = lit_at(from, own);
    float nearest = *std::max_element(free.begin(), free.end());
    for (int i = 0; i < ways_out; ++i) {
        const Vec3 way = way_out(i);
        const float far = std::min(free[static_cast<std::size_t>(i)], nearest);
        float before = 0;
        for (int k = 1; k <= steps_out; ++k) {
            const float at = far * static_cast<float>(k) / steps_out;
            Rgb seen_there;
            if (lit_at(from + way * at, seen_there) == lit) {
                before = at;
                continue;
            }
            float low = before, high = at;
            for (int h = 0; h < halvings; ++h) {
                const float middle = 0.5f * (low + high);
                Rgb most;
                (lit_at(from + way * middle, most) == lit ? low : high) = middle;
                keep_more(most, seen_there);
            }
            nearest = std::min(nearest, 0.5f * (low + high));
            keep_more(seen_there, beside);
            break;
        }
    }
    edge = lit ? nearest : -nearest;
    return lit ? own : beside;
}

ShRgb LampTeller::tell(const ToldProbe& at, std::vector<ListedLamp>& out) const {
    const auto& [probe, r, seed, around, mean] = at;
    ShRgb told{};
    std::vector<std::pair<float, std::uint32_t>> strong;
    for (std::uint32_t k = 0; k < numbers_.size(); ++k)
        if (const float s = strength(k, r.position, around); s > 0 && mean_share * s > least_share * mean)
            strong.push_back({-s, k});
    const std::size_t tried = std::min(strong.size(), most_tried);
    std::partial_sort(strong.begin(), strong.begin() + static_cast<std::ptrdiff_t>(tried), strong.end());
    strong.resize(tried);
    std::vector<float> free;
    if (!strong.empty())
        for (int i = 0; i < ways_out; ++i) {
            const Hit hit = caster_.closest({r.position, way_out(i)});
            free.push_back(hit.surface == none ? 2 * around : std::min(2 * around, hit.distance));
        }
    const std::size_t before = out.size();
    for (const auto& [less, k] : strong) {
        if (out.size() - before == lamps_of_probe) break;
        const Light& light = lights_[numbers_[k]];
        const std::uint32_t own = combine_bits(seed, numbers_[k]);
        const runtime::Lamp& lamp = lamps_.lamp[k];
        Through seen_by;
        float edge = runtime::farthest_edge;
        if (lamp.fade > 0) {
            seen_by = through(seen_sharply(light, r.position, free, edge));
            // Right at an edge, the share that the probe sees itself counts. Any error in it would end up in
            // the coefficients, and from there in lookups far around.
            if (std::abs(edge) < 0.5f * lamp.fade && seen_by.share > 0)
                edge = runtime::edge_where(
                    lamp, std::min(share_of(seen_by.tint, seen(light, r, own)) / seen_by.share, 1.0f));
        } else {
            seen_by = through(seen(light, r, own));
        }
        const std::uint32_t entry = runtime::lamp_entry(0, seen_by.share, edge);
        if (!(runtime::share_of(entry) > 0)) continue;
        out.push_back(
            {probe, numbers_[k] + (seen_by.tint == none ? 0 : (seen_by.tint + 1) * untinted_), entry});
        const Rgb tint = seen_by.tint == none ? Rgb{1, 1, 1} : tints_[seen_by.tint];
        const float seen_here = runtime::share_of(entry) *
                                (lamp.fade > 0 ? runtime::lit_share(lamp, runtime::edge_of(entry)) : 1);
        if (!(seen_here > 0)) continue;
        const bool point =
            (light.kind == LightKind::point || light.kind == LightKind::spot) && !(light.radius > 0);
        draw_light(light, level_.profiles, r, {point ? 1 : light_samples, own},
                   [&](Vec3 w, Rgb e, float) { add_light(told, w, e * tint * seen_here); });
    }
    std::sort(out.begin() + static_cast<std::ptrdiff_t>(before), out.end(),
              [](const ListedLamp& a, const ListedLamp& b) { return a.light < b.light; });
    return told;
}

}  // namespace stasigraph
