#include "probe/lamps.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/random.hpp"

namespace stasigraph {

namespace {

/// A lamp that gives less than this share of a group's light is as good in coefficients.
constexpr float least_share = 0.01f;
/// Light from a point gives the mean over all normals a quarter of what it gives a plane that faces it.
constexpr float mean_share = 0.25f;
/// Rays to a lamp that has a size, and samples of what it gives.
constexpr int sight_rays = 32, light_samples = 64;

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
                       .edge = light.edge,
                       .range = light.range};
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

LampTeller::LampTeller(const Level& level, std::uint32_t group, const RayCaster& caster)
    : level_(level), caster_(caster) {
    for (std::uint32_t i = 0; i < level.lights.size(); ++i) {
        const Light& light = level.lights[i];
        if (light.group != group || light.role != BakeRole::whole || !(max_channel(light.color) > 0))
            continue;
        numbers_.push_back(i);
        add_lamp(lamps_, light, level.profiles);
    }
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
        draw_light(without_aim(light), level_.profiles, r, sized ? sight_rays : 1, seed,
                   [&](Vec3 w, Rgb, float distance) { look(w, distance); });
    }
    return count > 0 ? sum * (1 / count) : Rgb{};
}

ShRgb LampTeller::tell(std::uint32_t probe, const Receiver& r, std::uint32_t seed, float around, float mean,
                       std::vector<ListedLamp>& out) const {
    ShRgb told{};
    std::vector<std::pair<float, std::uint32_t>> strong;
    for (std::uint32_t k = 0; k < numbers_.size(); ++k)
        if (const float s = strength(k, r.position, around); s > 0 && mean_share * s > least_share * mean)
            strong.push_back({-s, k});
    const std::size_t kept = std::min(strong.size(), lamps_of_probe);
    std::partial_sort(strong.begin(), strong.begin() + static_cast<std::ptrdiff_t>(kept), strong.end());
    strong.resize(kept);
    std::sort(strong.begin(), strong.end(), [](auto a, auto b) { return a.second < b.second; });
    for (const auto& [less, k] : strong) {
        const Light& light = level_.lights[numbers_[k]];
        const std::uint32_t own = combine_bits(seed, numbers_[k]);
        const Rgb through = seen(light, r, own);
        const auto share = static_cast<std::uint32_t>(
            std::lround(255 * std::clamp(std::min({through.r, through.g, through.b}), 0.0f, 1.0f)));
        if (share == 0) continue;
        out.push_back({probe, numbers_[k], share});
        const bool point =
            (light.kind == LightKind::point || light.kind == LightKind::spot) && !(light.radius > 0);
        draw_light(light, level_.profiles, r, point ? 1 : light_samples, own,
                   [&](Vec3 w, Rgb e, float) { add_light(told, w, e * (static_cast<float>(share) / 255)); });
    }
    return told;
}

}  // namespace stasigraph
