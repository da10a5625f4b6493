#pragma once
// Members of what a scene file holds: shapes, materials and where they stand.

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

template <is<SceneNode> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name"}, x.name);
    f({.name = "to_world", .unit = "m"}, x.to_world);
    f({.name = "parent"}, x.parent);
    f({.name = "source_node"}, x.source_node);
    f({.name = "rig_copy"}, x.rig_copy);
}

/// Lists are named for one of what they hold.
template <is<Scene> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "image"}, x.images);
    f({.name = "material"}, x.materials);
    f({.name = "mesh"}, x.meshes);
    f({.name = "surface"}, x.surfaces);
    f({.name = "node"}, x.nodes);
    f({.name = "parts"}, x.parts);
    f({.name = "source_nodes"}, x.source_nodes);
    f({.name = "name"}, x.name);
    f({.name = "scene_hash"}, x.scene_hash);
    f({.name = "cache"}, x.cache);
}

}  // namespace stasigraph::fields
