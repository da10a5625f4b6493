#pragma once
// Every member of the level described once: what it is called, in which unit and range, and what of a bake
// depends on it. Keys, the items of `status`, reasons, range checks and the table in docs/fields.md come from
// here; a member that is left out does not compile.

#include <concepts>
#include <string_view>

#include "stasigraph/level.hpp"
#include "stasigraph/reflection.hpp"

namespace stasigraph {

/// What of a bake depends on a field; a set of bits.
namespace depends {
inline constexpr std::uint32_t nothing = 0;
inline constexpr std::uint32_t charts = 1;  ///< How pages are laid out.
inline constexpr std::uint32_t geometry =
    2;                                       ///< What rays see, whatever the texels; places and captures too.
inline constexpr std::uint32_t rays = 4;     ///< What else decides texels and their rays.
inline constexpr std::uint32_t passage = 8;  ///< Geometry, where the material lets light through.
inline constexpr std::uint32_t direct = 16;  ///< Light of its group straight from its sources.
inline constexpr std::uint32_t colors = 32;  ///< What surfaces send on, of every group.
inline constexpr std::uint32_t solve = 64;   ///< What else decides a group's light.
inline constexpr std::uint32_t mix = 128;    ///< One set.
inline constexpr std::uint32_t prelit = 256;  ///< Prelit textures.
inline constexpr std::uint32_t places = 512;  ///< Where probes are placed.
inline constexpr std::uint32_t reflections = 1024;
inline constexpr std::uint32_t visibility = 2048;  ///< Shadows of lights that stay live.
inline constexpr std::uint32_t occlusion = 4096;
/// What is made of the scene before it is baked: the level that a bake sees has it in its surfaces.
inline constexpr std::uint32_t parting = 8192;
inline constexpr std::uint32_t content = 16384;  ///< Whatever uses it: images, profiles.
inline constexpr std::uint32_t everything = ~0u;
}  // namespace depends

/// What can be said of a member.
struct Field {
    std::string_view name;  ///< In `status`, and in docs/fields.md.
    std::uint32_t depends = depends::nothing;
    std::string_view unit = "";  ///< Of what people write; empty for what has none.
    /// What it may be, in that unit; both 0: no range, or one that other members decide.
    double low = 0, high = 0;
    double per_unit = 1;          ///< The member for one of that unit.
    std::string_view sheet = "";  ///< Where a sheet says it; empty: in the scene file, or nowhere.
    /// How a change is told, with {} for the item's name; empty: by both values.
    std::string_view told = "";
    /// Keys hold what it stands for instead: a number of something in a list, a tier.
    bool stands_for = false;
};

namespace fields {

namespace d = depends;

inline constexpr double per_degree = 0.017453292519943295;
template <class T, class U>
concept is = std::same_as<std::remove_const_t<T>, U>;

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

template <is<BakeSet> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name", .sheet = "set.name"}, x.name);
    f({.name = "gain", .depends = d::mix, .low = 0, .high = 1e9, .sheet = "set.gain"}, x.gains);
    f({.name = "tint", .depends = d::mix, .low = 0, .high = 1e12, .sheet = "set.tint"}, x.tints);
    // It decides which noise is seen.
    f({.name = "exposure",
       .depends = d::direct | d::prelit,
       .unit = "EV",
       .low = -20,
       .high = 30,
       .sheet = "set.exposure"},
      x.exposure);
    f({.name = "step", .depends = d::direct | d::mix, .stands_for = true}, x.step);
    f({.name = "layer", .sheet = "group.layer", .stands_for = true}, x.layer);
}

template <is<SeriesStep> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "series", .sheet = "series.name"}, x.series);
    f({.name = "hour", .unit = "h", .low = 0, .high = 24, .sheet = "series.hours"}, x.hour);
    f({.name = "light", .depends = d::direct, .sheet = "series.sun", .stands_for = true}, x.light);
    f({.name = "sun", .depends = d::direct}, x.sun);
    f({.name = "sky", .depends = d::direct}, x.sky);
}

template <is<Figure> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "height", .depends = d::places, .unit = "m", .low = 0.2, .high = 20, .sheet = "volume.figure"},
      x.height);
    f({.name = "radius", .depends = d::places, .unit = "m", .low = 0.05, .high = 5, .sheet = "volume.figure"},
      x.radius);
    f({.name = "step", .depends = d::places, .unit = "m", .low = 0, .high = 5, .sheet = "volume.figure"},
      x.step);
    f({.name = "slope",
       .depends = d::places,
       .unit = "degrees",
       .low = 0,
       .high = 89.91,
       .per_unit = per_degree,
       .sheet = "volume.figure"},
      x.slope);
}

template <is<Volume> T, class F>
constexpr void visit(T& x, F&& f) {
    // Charts, since those that cannot be seen from any may be shrunk.
    constexpr std::uint32_t where = d::places | d::charts;
    f({.name = "name", .depends = d::places, .sheet = "volume.name"}, x.name);
    f({.name = "shape", .depends = where, .sheet = "volume.shape"}, x.shape);
    f({.name = "middle", .depends = where, .unit = "m", .sheet = "volume.low, volume.high"}, x.middle);
    f({.name = "half", .depends = where, .unit = "m", .sheet = "volume.low, volume.high"}, x.half);
    f({.name = "axes", .depends = where, .sheet = "volume.turn"}, x.axes);
    f({.name = "end", .depends = where, .unit = "m", .sheet = "volume.to"}, x.end);
    f({.name = "radius", .depends = where, .unit = "m", .low = 0, .high = 1e6, .sheet = "volume.radius"},
      x.radius);
    f({.name = "except", .depends = where, .sheet = "volume.except"}, x.except);
    f({.name = "priority", .depends = d::places, .sheet = "volume.priority"}, x.priority);
    f({.name = "spacing",
       .depends = where,
       .unit = "m",
       .low = 0.05,
       .high = 1000,
       .sheet = "volume.spacing"},
      x.spacing);
    f({.name = "clearance",
       .depends = d::places,
       .unit = "m",
       .low = 0,
       .high = 10,
       .sheet = "volume.clearance"},
      x.clearance);
    f({.name = "near", .depends = d::places, .unit = "m", .low = 0, .high = 1000, .sheet = "volume.near"},
      x.near);
    f({.name = "floor", .depends = d::places, .sheet = "volume.floor"}, x.floor);
    f({.name = "fill", .depends = d::places, .sheet = "volume.fill"}, x.rules);
    f({.name = "figure", .depends = d::places}, x.figure);
    f({.name = "heights",
       .depends = d::places,
       .unit = "m",
       .low = 0,
       .high = 100,
       .sheet = "volume.heights"},
      x.heights);
    f({.name = "seeds", .depends = d::places, .unit = "m", .sheet = "volume.seeds"}, x.seeds);
    f({.name = "from_floors", .depends = d::places, .sheet = "volume.seeds"}, x.from_floors);
    f({.name = "by_default", .depends = d::places}, x.by_default);
    f({.name = "around", .depends = d::places, .sheet = "volume.around"}, x.around);
}

template <is<ProbePlace> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "position", .depends = d::places, .unit = "m"}, x.position);
    f({.name = "rule"}, x.rule);
    f({.name = "volume"}, x.volume);
}

template <is<ProbeOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "by_default", .sheet = "probes.default"}, x.by_default);
    f({.name = "tolerance", .depends = d::places, .low = 0, .high = 1, .sheet = "probes.tolerance"},
      x.tolerance);
    f({.name = "budget", .depends = d::places, .low = 0, .high = 2e9, .sheet = "probes.budget"}, x.budget);
    f({.name = "merge", .depends = d::places, .unit = "m", .low = 0, .high = 1000, .sheet = "probes.merge"},
      x.merge);
}

template <is<ReflectionProbe> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
    f({.name = "name", .depends = r, .sheet = "reflection.name"}, x.name);
    f({.name = "shape", .depends = r, .sheet = "reflection.shape"}, x.shape);
    f({.name = "origin", .depends = r}, x.origin);
    f({.name = "middle", .depends = r, .unit = "m", .sheet = "reflection.low, reflection.high"}, x.middle);
    f({.name = "half", .depends = r, .unit = "m", .sheet = "reflection.low, reflection.high"}, x.half);
    f({.name = "axes", .depends = r, .sheet = "reflection.turn"}, x.axes);
    f({.name = "radius", .depends = r, .unit = "m", .sheet = "reflection.radius"}, x.radius);
    f({.name = "blend", .depends = r, .unit = "m", .low = 0, .high = 1000, .sheet = "reflection.blend"},
      x.blend);
    f({.name = "capture", .depends = r, .unit = "m", .sheet = "reflection.capture"}, x.capture);
    f({.name = "parallax", .depends = r, .sheet = "reflection.parallax"}, x.parallax);
    f({.name = "room_middle",
       .depends = r,
       .unit = "m",
       .sheet = "reflection.room_low, reflection.room_high"},
      x.room_middle);
    f({.name = "room_half", .depends = r, .unit = "m", .sheet = "reflection.room_low, reflection.room_high"},
      x.room_half);
    f({.name = "resolution", .depends = r, .unit = "texels", .sheet = "reflection.resolution"}, x.resolution);
    f({.name = "near", .depends = r, .unit = "m", .sheet = "reflection.near"}, x.near);
    f({.name = "sky_beyond",
       .depends = r,
       .unit = "m",
       .low = 0.001,
       .high = 1e6,
       .sheet = "reflection.sky_beyond"},
      x.sky_beyond);
    f({.name = "sees", .depends = r, .sheet = "reflection.sees"}, x.sees);
    f({.name = "priority", .depends = r, .sheet = "reflection.priority"}, x.priority);
}

template <is<ReflectionRule> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
    f({.name = "name", .depends = r, .sheet = "reflection.name"}, x.name);
    f({.name = "region", .depends = r, .sheet = "reflection.low, reflection.high"}, x.region);
    f({.name = "rooms", .depends = r, .sheet = "reflection.fill"}, x.rooms);
    f({.name = "water", .depends = r, .sheet = "reflection.fill"}, x.water);
    f({.name = "everywhere", .depends = r}, x.everywhere);
    f({.name = "ground", .depends = r, .sheet = "reflection.fill"}, x.ground);
    f({.name = "on", .depends = r, .sheet = "reflection.on"}, x.on);
    f({.name = "spacing", .depends = r, .unit = "m", .low = 1, .high = 1000, .sheet = "reflection.spacing"},
      x.spacing);
    f({.name = "height", .depends = r, .unit = "m", .low = 0.1, .high = 100, .sheet = "reflection.height"},
      x.height);
    f({.name = "blend", .depends = r, .unit = "m", .low = 0, .high = 1000, .sheet = "reflection.blend"},
      x.blend);
    f({.name = "resolution", .depends = r, .unit = "texels", .sheet = "reflection.resolution"}, x.resolution);
    f({.name = "near", .depends = r, .unit = "m", .sheet = "reflection.near"}, x.near);
    f({.name = "sky_beyond",
       .depends = r,
       .unit = "m",
       .low = 0.001,
       .high = 1e6,
       .sheet = "reflection.sky_beyond"},
      x.sky_beyond);
    f({.name = "sees", .depends = r, .sheet = "reflection.sees"}, x.sees);
    f({.name = "priority", .depends = r, .sheet = "reflection.priority"}, x.priority);
}

template <is<LightmapOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "shape", .depends = d::rays, .sheet = "lightmap.shape"}, x.shape);
    f({.name = "density",
       .depends = d::charts,
       .unit = "texels a metre",
       .low = 0.001,
       .high = 4096,
       .sheet = "lightmap.density"},
      x.density);
    f({.name = "page",
       .depends = d::charts,
       .unit = "texels",
       .low = 16,
       .high = 16384,
       .sheet = "lightmap.page"},
      x.page);
    f({.name = "margin",
       .depends = d::charts,
       .unit = "texels",
       .low = 1,
       .high = 64,
       .sheet = "lightmap.margin"},
      x.margin);
    f({.name = "stretch_limit",
       .depends = d::charts,
       .low = 1.01,
       .high = 10,
       .sheet = "lightmap.stretch_limit"},
      x.stretch_limit);
    f({.name = "block",
       .depends = d::charts,
       .unit = "texels",
       .low = 1,
       .high = 8,
       .sheet = "lightmap.block"},
      x.block);
    f({.name = "pages", .depends = d::charts, .low = 0, .high = 4096, .sheet = "lightmap.pages"}, x.pages);
    f({.name = "cut", .depends = d::parting, .sheet = "lightmap.cut"}, x.cut);
    f({.name = "cut_within",
       .depends = d::parting,
       .unit = "m",
       .low = 0.001,
       .high = 0.1,
       .sheet = "lightmap.cut_within"},
      x.cut_within);
    f({.name = "sides", .depends = d::parting, .sheet = "lightmap.sides"}, x.sides);
    f({.name = "unseen", .depends = d::charts, .sheet = "lightmap.unseen"}, x.shrink_unseen);
}

template <is<BakeOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "tier",
       .depends = d::charts | d::rays | d::direct | d::solve | d::occlusion | d::visibility,
       .sheet = "quality.tier",
       .stands_for = true},
      x.tier);
    f({.name = "bounces", .depends = d::solve, .low = 0, .high = 1000, .sheet = "quality.bounces"},
      x.bounces);
    f({.name = "bounce_gain", .depends = d::colors, .low = 0, .high = 4, .sheet = "quality.bounce_gain"},
      x.bounce_gain);
    f({.name = "saturation", .depends = d::colors, .low = 0, .high = 4, .sheet = "quality.saturation"},
      x.saturation);
    f({.name = "noise",
       .depends = d::direct,
       .low = 0,
       .high = 1,
       .sheet = "quality.noise",
       .stands_for = true},
      x.noise);
    f({.name = "links",
       .depends = d::rays | d::direct | d::solve,
       .low = 0,
       .high = 4096,
       .sheet = "quality.links",
       .stands_for = true},
      x.links);
    f({.name = "denoise", .depends = d::solve | d::occlusion, .sheet = "quality.denoise"}, x.denoise);
    f({.name = "seams", .depends = d::solve, .sheet = "quality.seams"}, x.seams);
    f({.name = "edges", .depends = d::direct, .sheet = "quality.edges"}, x.edges);
    f({.name = "seed", .depends = d::rays, .sheet = "level.seed"}, x.seed);
}

template <is<OcclusionOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "reach",
       .depends = d::occlusion,
       .unit = "m",
       .low = 0,
       .high = 1000,
       .sheet = "occlusion.reach"},
      x.reach);
}

template <is<PrelitOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "by", .depends = d::mix | d::prelit, .sheet = "prelit.by"}, x.by);
    f({.name = "detail",
       .depends = d::prelit,
       .unit = "pixels along a texel",
       .low = 1,
       .high = 16,
       .sheet = "prelit.detail"},
      x.detail);
    f({.name = "exposure", .depends = d::prelit, .unit = "EV", .sheet = "prelit.exposure"}, x.exposure);
}

template <is<CheckOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "least_light", .unit = "lx", .low = 0, .high = 1e6, .sheet = "check.least_lux"},
      x.least_light);
}

template <is<Acceptance> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "finding", .sheet = "accept.finding"}, x.finding);
    f({.name = "match", .sheet = "accept.match"}, x.match);
    f({.name = "reason", .sheet = "accept.reason"}, x.reason);
}

template <is<Zone> T, class F>
constexpr void visit(T& x, F&& f) {
    // Zones part what was baked, and do not change it.
    f({.name = "name", .sheet = "zone.name"}, x.name);
    f({.name = "boxes", .unit = "m", .sheet = "zone.low, zone.high"}, x.boxes);
    f({.name = "listed", .sheet = "zone.match"}, x.listed);
    f({.name = "left_out", .sheet = "zone.except"}, x.left_out);
    f({.name = "probes", .sheet = "zone.probes"}, x.probes);
    f({.name = "with", .unit = "m", .sheet = "zone.with"}, x.with);
    f({.name = "without", .unit = "m", .sheet = "zone.without"}, x.without);
}

template <is<SceneNode> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name"}, x.name);
    f({.name = "to_world", .unit = "m"}, x.to_world);
    f({.name = "parent"}, x.parent);
    f({.name = "source_node"}, x.source_node);
    f({.name = "rig_copy"}, x.rig_copy);
}

}  // namespace fields

/// Calls f(field, member) for every member, in the order in which they stand.
template <class T, class F>
constexpr void for_fields(T& x, F&& f) {
    fields::visit(x, f);
}

}  // namespace stasigraph
