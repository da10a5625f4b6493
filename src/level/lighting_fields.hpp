#pragma once
// Members of what gives light, and of how it is mixed.

#include "level/fields.hpp"

namespace stasigraph::fields {

template <is<Profile> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name"}, x.name);
    f({.name = "type_b", .depends = d::content}, x.type_b);
    f({.name = "plane", .depends = d::content, .unit = "radians"}, x.plane);
    f({.name = "angle", .depends = d::content, .unit = "radians"}, x.angle);
    f({.name = "candela", .depends = d::content, .unit = "cd"}, x.candela);
    f({.name = "peak", .depends = d::content, .unit = "cd"}, x.peak);
    f({.name = "lumens", .depends = d::content, .unit = "lm"}, x.lumens);
}

template <is<Light> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::uint32_t both = d::direct | d::visibility;
    f({.name = "name", .depends = d::visibility, .sheet = "light.name", .read_apart = true}, x.name);
    f({.name = "kind", .depends = both, .sheet = "light.kind", .read_apart = true}, x.kind);
    f({.name = "color",
       .depends = d::direct,
       .unit = "lx, cd or nit",
       .low = 0,
       .high = 1e12,
       .sheet = "light.color, light.kelvin, light.tint, light.gain, light.lux, light.candela, light.nit, "
                "light.lumens"},
      x.color);
    f({.name = "unit", .unit = "lx, cd or nit"}, x.unit);
    f({.name = "position", .depends = both, .unit = "m", .sheet = "light.at", .read_apart = true},
      x.position);
    f({.name = "direction",
       .depends = both,
       .sheet = "light.toward, light.from, light.azimuth, light.elevation"},
      x.direction);
    f({.name = "across",
       .depends = both,
       .sheet = "light.across",
       .read_apart = true,
       .told = "{} turned about its aim"},
      x.across);
    f({.name = "radius",
       .depends = both,
       .unit = "m",
       .low = 0,
       .high = 1e4,
       .sheet = "light.radius",
       .read_apart = true},
      x.radius);
    f({.name = "width",
       .depends = both,
       .unit = "m",
       .low = 0,
       .high = 1e4,
       .sheet = "light.width",
       .read_apart = true},
      x.width);
    f({.name = "height",
       .depends = both,
       .unit = "m",
       .low = 0,
       .high = 1e4,
       .sheet = "light.height",
       .read_apart = true},
      x.height);
    f({.name = "angular diameter",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 90,
       .per_unit = per_degree,
       .sheet = "light.diameter"},
      x.angular_diameter);
    f({.name = "inner cone",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 90,
       .per_unit = per_degree,
       .sheet = "light.inner"},
      x.inner_cone);
    f({.name = "outer cone",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 90,
       .per_unit = per_degree,
       .sheet = "light.outer"},
      x.outer_cone);
    f({.name = "edge", .depends = both, .low = 0.001, .high = 16, .sheet = "light.edge"}, x.falloff_exponent);
    f({.name = "range", .depends = both, .unit = "m", .low = 0, .high = 1e9, .sheet = "light.range"},
      x.range);
    f({.name = "profile",
       .depends = both,
       .sheet = "light.profile",
       .told = "{} has another profile",
       .stands_for = true},
      x.profile);
    f({.name = "group", .depends = d::direct, .sheet = "light.group", .stands_for = true}, x.group);
    f({.name = "bake", .depends = both, .sheet = "light.bake"}, x.role);
}

template <is<Sky> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "kind", .depends = d::direct, .sheet = "sky.type, sky.image, sky.radiance"}, x.kind);
    f({.name = "radiance",
       .depends = d::direct,
       .unit = "nit",
       .low = 0,
       .high = 1e12,
       .sheet = "sky.radiance, sky.kelvin, sky.gain, sky.lux"},
      x.radiance);
    f({.name = "group", .depends = d::direct, .sheet = "sky.group", .stands_for = true}, x.group);
    f({.name = "width", .depends = d::direct, .unit = "pixels", .told = "the sky has another image"},
      x.width);
    f({.name = "height", .depends = d::direct, .unit = "pixels", .told = "the sky has another image"},
      x.height);
    f({.name = "image",
       .depends = d::direct,
       .unit = "nit",
       .sheet = "sky.image",
       .read_apart = true,
       .told = "the sky has another image"},
      x.pixels);
    f({.name = "turn", .depends = d::direct, .unit = "radians", .sheet = "sky.turn", .read_apart = true},
      x.turn);
    f({.name = "type", .depends = d::direct, .sheet = "sky.type", .read_apart = true}, x.type);
    f({.name = "sun",
       .depends = d::direct,
       .sheet = "sky.azimuth, sky.elevation",
       .told = "the sky's sun stands elsewhere"},
      x.sun);
    f({.name = "below",
       .depends = d::direct,
       .unit = "nit",
       .low = 0,
       .high = 1e12,
       .sheet = "sky.ground",
       .read_apart = true},
      x.below);
}

template <is<BakeSet> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name", .sheet = "set.name", .read_apart = true}, x.name);
    f({.name = "gain", .depends = d::mix, .low = 0, .high = 1e9, .sheet = "set.gain", .read_apart = true},
      x.gains);
    f({.name = "tint", .depends = d::mix, .low = 0, .high = 1e12, .sheet = "set.tint", .read_apart = true},
      x.tints);
    // It decides which noise is seen.
    f({.name = "exposure",
       .depends = d::direct | d::prelit,
       .unit = "EV at ISO 100",
       .low = -20,
       .high = 30,
       .sheet = "set.exposure",
       .empty = "auto"},
      x.exposure);
    f({.name = "step", .depends = d::direct | d::mix, .stands_for = true}, x.step);
    f({.name = "layer", .sheet = "group.layer", .stands_for = true}, x.layer);
}

template <is<SeriesStep> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "series", .sheet = "series.name", .read_apart = true}, x.series);
    f({.name = "hour", .unit = "h", .low = 0, .high = 24, .sheet = "series.hours", .read_apart = true},
      x.hour);
    f({.name = "light", .depends = d::direct, .sheet = "series.sun", .stands_for = true}, x.light);
    f({.name = "sun", .depends = d::direct}, x.sun);
    f({.name = "sky", .depends = d::direct}, x.sky);
}

/// Lists are named for one of what they hold.
template <is<Lighting> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "light"}, x.lights);
    f({.name = "profile"}, x.profiles);
    f({.name = "sky"}, x.sky);
    f({.name = "group", .depends = d::direct, .told = "groups have other names"}, x.groups);
    f({.name = "set"}, x.sets);
    f({.name = "series"}, x.series);
}

}  // namespace stasigraph::fields
