#pragma once
// Members of what places probes, zones and cameras.

#include "level/fields.hpp"

namespace stasigraph::fields {

template <is<Camera> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "name", .sheet = "camera.name", .read_apart = true}, x.name);
    // Where volumes are explored from cameras, and where unseen charts are shrunk.
    f({.name = "eye", .depends = d::places | d::reflections | d::charts, .unit = "m", .sheet = "camera.eye"},
      x.eye);
    f({.name = "toward", .unit = "m", .sheet = "camera.toward"}, x.toward);
    f({.name = "fov",
       .unit = "degrees",
       .low = 0.5,
       .high = 178,
       .per_unit = per_degree,
       .sheet = "camera.fov"},
      x.vertical_fov);
}

template <is<Figure> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "height",
       .depends = d::places,
       .unit = "m",
       .low = 0.2,
       .high = 20,
       .sheet = "volume.figure.height"},
      x.height);
    f({.name = "radius",
       .depends = d::places,
       .unit = "m",
       .low = 0.05,
       .high = 5,
       .sheet = "volume.figure.radius"},
      x.radius);
    f({.name = "step", .depends = d::places, .unit = "m", .low = 0, .high = 5, .sheet = "volume.figure.step"},
      x.step);
    f({.name = "slope",
       .depends = d::places,
       .unit = "degrees",
       .low = 0,
       .high = 89.91,
       .per_unit = per_degree,
       .sheet = "volume.figure.slope"},
      x.slope);
}

template <is<Volume> T, class F>
constexpr void visit(T& x, F&& f) {
    // Charts, since those that cannot be seen from any may be shrunk.
    constexpr std::uint32_t where = d::places | d::charts;
    f({.name = "name", .depends = d::places, .sheet = "volume.name", .read_apart = true}, x.name);
    f({.name = "shape", .depends = where, .sheet = "volume.shape", .read_apart = true}, x.shape);
    f({.name = "middle", .depends = where, .unit = "m", .sheet = "volume.low, volume.high"}, x.middle);
    f({.name = "half", .depends = where, .unit = "m", .sheet = "volume.low, volume.high"}, x.half);
    f({.name = "axes", .depends = where, .sheet = "volume.turn", .read_apart = true}, x.axes);
    f({.name = "end", .depends = where, .unit = "m", .sheet = "volume.to", .read_apart = true}, x.end);
    f({.name = "radius",
       .depends = where,
       .unit = "m",
       .low = 0,
       .high = 1e6,
       .sheet = "volume.radius",
       .read_apart = true},
      x.radius);
    f({.name = "except", .depends = where, .sheet = "volume.except"}, x.except);
    f({.name = "priority", .depends = d::places, .low = -1e6, .high = 1e6, .sheet = "volume.priority"},
      x.priority);
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
    f({.name = "fill", .depends = d::places, .sheet = "volume.fill", .read_apart = true}, x.rules);
    f({.name = "figure", .depends = d::places}, x.figure);
    f({.name = "heights",
       .depends = d::places,
       .unit = "m",
       .low = 0,
       .high = 100,
       .sheet = "volume.heights"},
      x.heights);
    f({.name = "seeds", .depends = d::places, .unit = "m", .sheet = "volume.seeds", .read_apart = true},
      x.seeds);
    f({.name = "from_floors", .depends = d::places}, x.from_floors);
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
    f({.name = "by_default", .sheet = "probes.default", .yes = "on", .no = "off"}, x.by_default);
    f({.name = "tolerance", .depends = d::places, .low = 0, .high = 1, .sheet = "probes.tolerance"},
      x.tolerance);
    f({.name = "budget", .depends = d::places, .low = 0, .high = 1e6, .sheet = "probes.budget"}, x.budget);
    f({.name = "merge", .depends = d::places, .unit = "m", .low = 0, .high = 1000, .sheet = "probes.merge"},
      x.merge);
}

template <class T, class F>
constexpr void visit_capture(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
    f({.name = "blend", .depends = r, .unit = "m", .low = 0, .high = 1000, .sheet = "reflection.blend"},
      x.blend);
    f({.name = "resolution",
       .depends = r,
       .unit = "texels",
       .low = 32,
       .high = 1024,
       .sheet = "reflection.resolution"},
      x.resolution);
    f({.name = "near", .depends = r, .unit = "m", .low = 0, .high = 1e6, .sheet = "reflection.near"}, x.near);
    f({.name = "sky_beyond",
       .depends = r,
       .unit = "m",
       .low = 0.001,
       .high = 1e6,
       .sheet = "reflection.sky_beyond"},
      x.sky_beyond);
    f({.name = "sees", .depends = r, .sheet = "reflection.sees"}, x.sees);
    f({.name = "priority", .depends = r, .low = -1e6, .high = 1e6, .sheet = "reflection.priority"},
      x.priority);
}

template <is<ReflectionProbe> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
    f({.name = "name", .depends = r, .sheet = "reflection.name", .read_apart = true}, x.name);
    f({.name = "shape", .depends = r, .sheet = "reflection.shape", .read_apart = true}, x.shape);
    f({.name = "origin", .depends = r}, x.origin);
    f({.name = "middle", .depends = r, .unit = "m", .sheet = "reflection.low, reflection.high"}, x.middle);
    f({.name = "half", .depends = r, .unit = "m", .sheet = "reflection.low, reflection.high"}, x.half);
    f({.name = "axes", .depends = r, .sheet = "reflection.turn", .read_apart = true}, x.axes);
    f({.name = "radius", .depends = r, .unit = "m", .sheet = "reflection.radius", .read_apart = true},
      x.radius);
    f({.name = "capture", .depends = r, .unit = "m", .sheet = "reflection.capture", .read_apart = true},
      x.capture);
    f({.name = "parallax", .depends = r, .sheet = "reflection.parallax", .read_apart = true}, x.parallax);
    f({.name = "room_middle",
       .depends = r,
       .unit = "m",
       .sheet = "reflection.room_low, reflection.room_high"},
      x.room_middle);
    f({.name = "room_half", .depends = r, .unit = "m", .sheet = "reflection.room_low, reflection.room_high"},
      x.room_half);
    visit_capture(x, f);
}

template <is<ReflectionRule> T, class F>
constexpr void visit(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
    f({.name = "name", .depends = r, .sheet = "reflection.name", .read_apart = true}, x.name);
    f({.name = "region", .depends = r, .sheet = "reflection.low, reflection.high"}, x.region);
    f({.name = "rooms", .depends = r, .sheet = "reflection.fill", .read_apart = true}, x.rooms);
    f({.name = "water", .depends = r, .sheet = "reflection.fill", .read_apart = true}, x.water);
    f({.name = "everywhere", .depends = r}, x.everywhere);
    f({.name = "ground", .depends = r, .sheet = "reflection.fill", .read_apart = true}, x.ground);
    f({.name = "on", .depends = r, .sheet = "reflection.on"}, x.on);
    f({.name = "spacing", .depends = r, .unit = "m", .low = 1, .high = 1000, .sheet = "reflection.spacing"},
      x.spacing);
    f({.name = "height", .depends = r, .unit = "m", .low = 0.1, .high = 100, .sheet = "reflection.height"},
      x.height);
    visit_capture(x, f);
}

template <is<Zone> T, class F>
constexpr void visit(T& x, F&& f) {
    // Zones part what was baked, and do not change it.
    f({.name = "name", .sheet = "zone.name", .read_apart = true}, x.name);
    f({.name = "boxes", .unit = "m", .sheet = "zone.low, zone.high"}, x.boxes);
    f({.name = "listed", .sheet = "zone.match", .read_apart = true}, x.listed);
    f({.name = "left_out", .sheet = "zone.except", .read_apart = true}, x.left_out);
    f({.name = "probes", .sheet = "zone.probes"}, x.probes);
    f({.name = "with", .unit = "m", .sheet = "zone.with", .read_apart = true}, x.with);
    f({.name = "without", .unit = "m", .sheet = "zone.without", .read_apart = true}, x.without);
}

/// Lists are named for one of what they hold.
template <is<Placement> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "camera"}, x.cameras);
    f({.name = "volume"}, x.volumes);
    f({.name = "zone"}, x.zones);
    f({.name = "hand_probes", .depends = d::places, .unit = "m"}, x.hand_probes);
    f({.name = "probes"}, x.probes);
    f({.name = "placed"}, x.placed);
    f({.name = "reflection"}, x.reflections);
    f({.name = "rule"}, x.reflection_rules);
}

}  // namespace stasigraph::fields
