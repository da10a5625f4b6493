#include "bake/unit_light.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr float mantissa = 1 << 18;

float share(float v, float of) {
    if (!(of > 0) || !(v > 0)) return 0;
    int exponent = 0;
    const float m = std::frexp(v / of, &exponent);
    return std::ldexp(std::round(m * mantissa) / mantissa, exponent);
}

Rgb share(Rgb c, Rgb of) {
    return {share(c.r, of.r), share(c.g, of.g), share(c.b, of.b)};
}

void raise(Rgb& to, Rgb c) {
    to = {std::max(to.r, c.r), std::max(to.g, c.g), std::max(to.b, c.b)};
}

/// Emission as a colour that can be divided: of the material, times the surface's gain.
Rgb emission(const Level& level, const Surface& s) {
    return level.materials[s.material].emission * s.emission_gain;
}

}  // namespace

Rgb group_strength(const Level& level, std::uint32_t group) {
    Rgb most;
    for (const Light& light : level.lights)
        if (light.group == group && light.role != BakeRole::realtime) raise(most, light.color);
    for (const Surface& s : level.surfaces)
        if (s.group == group && s.part != Part::moving) raise(most, emission(level, s));
    if (level.sky.group == group) {
        raise(most, level.sky.radiance);
        if (level.sky.kind == SkyKind::standard) raise(most, level.sky.below);
    }
    return most;
}

void to_unit_strength(Level& level) {
    const auto groups = static_cast<std::uint32_t>(level.groups.size());
    std::vector<Rgb> strength;
    for (std::uint32_t g = 0; g < groups; ++g) strength.push_back(group_strength(level, g));
    for (Light& light : level.lights)
        if (light.group != none && light.role != BakeRole::realtime)
            light.color = share(light.color, strength[light.group]);
    for (Surface& s : level.surfaces) {
        if (s.group == none || s.part == Part::moving) continue;
        // A material of its own, since a gain would not come out at the share to the last bit.
        Material own = level.materials[s.material];
        own.emission = share(emission(level, s), strength[s.group]);
        s.emission_gain = 1;
        s.material = static_cast<std::uint32_t>(level.materials.size());
        level.materials.push_back(std::move(own));
    }
    if (level.sky.group != none) {
        level.sky.radiance = share(level.sky.radiance, strength[level.sky.group]);
        level.sky.below = share(level.sky.below, strength[level.sky.group]);
    }
    for (BakeSet& set : level.sets) {
        set.tints.resize(groups, {1, 1, 1});
        for (std::uint32_t g = 0; g < groups; ++g) set.tints[g] = set.tints[g] * strength[g];
    }
}

}  // namespace stasigraph
