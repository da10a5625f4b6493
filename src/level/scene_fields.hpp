#pragma once
// Members of what a scene holds: shapes, materials, lights, the sky, cameras.

#include "level/fields.hpp"

namespace stasigraph::fields {

template <is<Image> T, class F>
constexpr void visit(T& x, F&& f) {
    // Of what uses it.
    f({.name = "name"}, x.name);
    f({.name = "width", .depends = d::content, .unit = "pixels", .low = 1, .high = 65536}, x.width);
    f({.name = "height", .depends = d::content, .unit = "pixels", .low = 1, .high = 65536}, x.height);
    f({.name = "rgba", .depends = d::content}, x.rgba);
}

template <is<TextureUse> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "image", .depends = d::content, .stands_for = true}, x.image);
    f({.name = "offset", .depends = d::content}, x.offset);
    f({.name = "scale", .depends = d::content}, x.scale);
    f({.name = "rotation", .depends = d::content, .unit = "radians"}, x.rotation);
    f({.name = "repeat_x", .depends = d::content}, x.repeat_x);
    f({.name = "repeat_y", .depends = d::content}, x.repeat_y);
}

template <is<Material> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::string_view passes = "what {} lets through is different";
    f({.name = "name"}, x.name);
    f({.name = "base_color",
       .depends = d::colors | d::passage,
       .low = 0,
       .high = 1e6,
       .told = "{} has another colour"},
      x.base_color);
    f({.name = "alpha", .depends = d::passage, .low = 0, .high = 1e6, .told = passes}, x.alpha);
    f({.name = "base_texture", .depends = d::colors | d::passage, .told = "{} has another colour"},
      x.base_texture);
    f({.name = "emission", .depends = d::direct, .unit = "nit", .low = 0, .high = 1e12}, x.emission);
    f({.name = "emission_texture", .depends = d::direct, .told = "{} glows by another texture"},
      x.emission_texture);
    f({.name = "metallic", .low = 0, .high = 1}, x.metallic);
    f({.name = "roughness", .low = 0, .high = 1}, x.roughness);
    f({.name = "roughness_texture"}, x.roughness_texture);
    f({.name = "transmission", .depends = d::passage, .low = 0, .high = 1, .told = passes}, x.transmission);
    f({.name = "transmission_texture", .depends = d::passage, .told = passes}, x.transmission_texture);
    f({.name = "normal_texture", .depends = d::geometry, .told = "{} has another normal map"},
      x.normal_texture);
    f({.name = "normal_scale",
       .depends = d::geometry,
       .low = -100,
       .high = 100,
       .told = "{} has another normal map"},
      x.normal_scale);
    f({.name = "double_sided", .depends = d::geometry, .told = passes}, x.double_sided);
    f({.name = "alpha_mode", .depends = d::passage, .told = passes}, x.alpha_mode);
    f({.name = "alpha_cutoff", .depends = d::passage, .low = 0, .high = 1e6, .told = passes}, x.alpha_cutoff);
}

template <is<BetweenVertices> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "of"}, x.of);
    f({.name = "share"}, x.share);
}

template <is<Tangent> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "along", .depends = d::content}, x.along);
    f({.name = "side", .depends = d::content}, x.side);
}

template <is<Mesh> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::string_view shape = "{} has another shape";
    f({.name = "name"}, x.name);
    f({.name = "positions", .depends = d::geometry, .unit = "m", .told = shape}, x.positions);
    f({.name = "normals", .depends = d::geometry, .told = shape}, x.normals);
    f({.name = "uv0", .depends = d::geometry, .told = shape}, x.uv0);
    f({.name = "uv1", .depends = d::charts, .told = shape}, x.uv1);
    f({.name = "tangents", .depends = d::geometry, .told = shape}, x.tangents);
    f({.name = "indices", .depends = d::geometry, .told = shape}, x.indices);
    f({.name = "source_mesh"}, x.source_mesh);
    f({.name = "source_primitive"}, x.source_primitive);
    f({.name = "source_primitives"}, x.source_primitives);
    f({.name = "between"}, x.between);
    f({.name = "covered", .depends = d::charts, .told = shape}, x.covered);
    f({.name = "turned"}, x.turned);
}

template <is<Surface> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name", .depends = d::geometry}, x.name);
    f({.name = "node", .depends = d::places | d::reflections}, x.node);
    f({.name = "mesh", .depends = d::geometry, .stands_for = true}, x.mesh);
    f({.name = "material", .depends = d::geometry, .stands_for = true}, x.material);
    f({.name = "source_node"}, x.source_node);
    f({.name = "place", .depends = d::geometry, .unit = "m"}, x.to_world);
    f({.name = "part", .depends = d::geometry, .sheet = "surface.part"}, x.part);
    f({.name = "lit_by", .depends = d::rays, .sheet = "surface.lit_by"}, x.lit_by);
    f({.name = "density", .depends = d::charts, .low = 0.0001, .high = 64, .sheet = "surface.density"},
      x.density);
    f({.name = "unwrap", .depends = d::charts, .sheet = "surface.unwrap"}, x.unwrap);
    f({.name = "gain", .depends = d::direct, .low = 0, .high = 1e9, .sheet = "surface.gain"},
      x.emission_gain);
    f({.name = "group", .depends = d::direct, .sheet = "surface.group", .stands_for = true}, x.group);
    f({.name = "copy_of"}, x.copy_of);
    f({.name = "animated", .depends = d::parting}, x.animated);
    f({.name = "cut", .depends = d::parting, .sheet = "surface.cut"}, x.cut);
    f({.name = "sides", .depends = d::parting, .sheet = "surface.sides"}, x.sides);
    f({.name = "part_of"}, x.part_of);
    f({.name = "one_side", .depends = d::geometry}, x.one_side);
}

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
    f({.name = "name", .depends = d::visibility, .sheet = "light.name"}, x.name);
    f({.name = "kind", .depends = both, .sheet = "light.kind"}, x.kind);
    f({.name = "color",
       .depends = d::direct,
       .unit = "lx, cd or nit",
       .low = 0,
       .high = 1e12,
       .sheet = "light.color"},
      x.color);
    f({.name = "unit", .unit = "lx, cd or nit"}, x.unit);
    f({.name = "position", .depends = both, .unit = "m", .sheet = "light.at"}, x.position);
    f({.name = "direction", .depends = both, .sheet = "light.toward, light.azimuth, light.elevation"},
      x.direction);
    f({.name = "across", .depends = both, .sheet = "light.across", .told = "{} turned about its aim"},
      x.across);
    f({.name = "radius", .depends = both, .unit = "m", .low = 0, .high = 1e4, .sheet = "light.radius"},
      x.radius);
    f({.name = "width", .depends = both, .unit = "m", .low = 0, .high = 1e4, .sheet = "light.width"},
      x.width);
    f({.name = "height", .depends = both, .unit = "m", .low = 0, .high = 1e4, .sheet = "light.height"},
      x.height);
    f({.name = "angular diameter",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 180,
       .per_unit = per_degree,
       .sheet = "light.diameter"},
      x.angular_diameter);
    f({.name = "inner cone",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 180,
       .per_unit = per_degree,
       .sheet = "light.inner"},
      x.inner_cone);
    f({.name = "outer cone",
       .depends = both,
       .unit = "degrees",
       .low = 0,
       .high = 180,
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
       .sheet = "sky.radiance"},
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
       .told = "the sky has another image"},
      x.pixels);
    f({.name = "turn", .depends = d::direct, .unit = "radians", .sheet = "sky.turn"}, x.turn);
    f({.name = "type", .depends = d::direct, .sheet = "sky.type"}, x.type);
    f({.name = "sun",
       .depends = d::direct,
       .sheet = "sky.azimuth, sky.elevation",
       .told = "the sky's sun stands elsewhere"},
      x.sun);
    f({.name = "below", .depends = d::direct, .unit = "nit", .low = 0, .high = 1e12, .sheet = "sky.ground"},
      x.below);
}

template <is<Camera> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name", .sheet = "camera.name"}, x.name);
    // Where volumes are explored from cameras, and where unseen charts are shrunk.
    f({.name = "eye", .depends = d::places | d::reflections | d::charts, .unit = "m", .sheet = "camera.eye"},
      x.eye);
    f({.name = "toward", .unit = "m", .sheet = "camera.toward"}, x.toward);
    f({.name = "fov",
       .unit = "degrees",
       .low = 0.0573,
       .high = 179.8,
       .per_unit = per_degree,
       .sheet = "camera.fov"},
      x.vertical_fov);
}

template <is<SceneNode> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name"}, x.name);
    f({.name = "to_world", .unit = "m"}, x.to_world);
    f({.name = "parent"}, x.parent);
    f({.name = "source_node"}, x.source_node);
    f({.name = "rig_copy"}, x.rig_copy);
}

}  // namespace stasigraph::fields
