#include "bake/unit_light.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace stasigraph {

namespace {

constexpr float mantissa = 1 << 18;
/// Colours that differ by one factor do so within the rounding of a few products.
constexpr float same_factor = 1e-5f;

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

/// The colour of a source as it is, and at unit strength: before any gain, tint or kelvin.
struct Source {
    Rgb color, unit;
};

/// Calls f(source) for all sources of a group, always in the same order.
template <class F>
void for_sources(const Level& level, std::uint32_t group, F&& f) {
    for (const Light& light : level.lights)
        if (light.group == group && light.role != BakeRole::realtime) f(Source{light.color, light.unit});
    for (const Surface& s : level.surfaces)
        if (s.group == group && s.part != Part::moving)
            f(Source{emission(level, s), level.materials[s.material].emission});
    if (level.sky.group != group) return;
    f(Source{level.sky.radiance, level.sky.radiance});
    if (level.sky.kind == SkyKind::standard) f(Source{level.sky.below, level.sky.below});
}

/// Keeps the one factor that all sources have; `good` is false once one of them has another.
struct Factor {
    Rgb first;
    bool any = false, good = true;
    void add(Rgb color, Rgb unit) {
        if (!(max_channel(color) > 0) && !(max_channel(unit) > 0)) return;
        const auto one = [&](float c, float u, float& known) {
            const float f = u > 0 ? c / u : c > 0 ? -1.0f : 0.0f;
            if (!any) known = f;
            // A channel that has nothing tells nothing.
            good = good && f >= 0 && ((c == 0 && u == 0) || std::abs(f - known) <= same_factor * known);
        };
        one(color.r, unit.r, first.r);
        one(color.g, unit.g, first.g);
        one(color.b, unit.b, first.b);
        any = true;
    }
};

/// How the shares of a group are told, so that they do not depend on the last bits of what is common to all.
class Shares {
public:
    Shares(const Level& level, std::uint32_t group) {
        Factor by_channel, by_luminance;
        for_sources(level, group, [&](Source s) {
            raise(most_, s.color);
            raise(most_unit_, s.unit);
            const float grey = luminance(s.unit);
            most_grey_ = std::max(most_grey_, grey);
            by_channel.add(s.color, s.unit);
            by_luminance.add(s.color, {grey, grey, grey});
        });
        way_ = by_channel.good ? Way::unit : by_luminance.good ? Way::grey : Way::color;
    }
    Rgb strength() const { return most_; }
    Rgb of(Source s) const {
        if (way_ == Way::color) return share(s.color, most_);
        const float grey = luminance(s.unit);
        const Rgb out = way_ == Way::unit ? share(s.unit, most_unit_)
                                          : share({grey, grey, grey}, {most_grey_, most_grey_, most_grey_});
        return {s.color.r > 0 ? out.r : 0, s.color.g > 0 ? out.g : 0, s.color.b > 0 ? out.b : 0};
    }

private:
    enum class Way : std::uint8_t { unit, grey, color } way_ = Way::color;
    Rgb most_, most_unit_;
    float most_grey_ = 0;
};

}  // namespace

Rgb group_strength(const Level& level, std::uint32_t group) {
    Rgb most;
    for_sources(level, group, [&](Source s) { raise(most, s.color); });
    return most;
}

void to_unit_strength(Level& level) {
    const auto groups = static_cast<std::uint32_t>(level.groups.size());
    std::vector<Shares> shares;
    for (std::uint32_t g = 0; g < groups; ++g) shares.emplace_back(level, g);
    for (Light& light : level.lights)
        if (light.group != none && light.role != BakeRole::realtime)
            light.color = shares[light.group].of({light.color, light.unit});
    for (Light& light : level.lights) light.unit = light.color;
    for (Surface& s : level.surfaces) {
        if (s.group == none || s.part == Part::moving) continue;
        // A material of its own, since a gain would not come out at the share to the last bit.
        Material own = level.materials[s.material];
        own.emission = shares[s.group].of({emission(level, s), own.emission});
        s.emission_gain = 1;
        s.material = static_cast<std::uint32_t>(level.materials.size());
        level.materials.push_back(std::move(own));
    }
    if (level.sky.group != none) {
        const Shares& of = shares[level.sky.group];
        level.sky.radiance = of.of({level.sky.radiance, level.sky.radiance});
        level.sky.below = of.of({level.sky.below, level.sky.below});
    }
    for (BakeSet& set : level.sets) {
        set.tints.resize(groups, {1, 1, 1});
        for (std::uint32_t g = 0; g < groups; ++g) set.tints[g] = set.tints[g] * shares[g].strength();
    }
}

}  // namespace stasigraph
