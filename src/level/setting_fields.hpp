#pragma once
// Members of what a sheet asks for: sets, probes, reflections, zones, pages, quality.

#include "level/fields.hpp"

namespace stasigraph::fields {

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

/// What probes and rules for them both say of a capture.
template <class T, class F>
constexpr void visit_capture(T& x, F&& f) {
    constexpr std::uint32_t r = d::reflections;
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
    f({.name = "capture", .depends = r, .unit = "m", .sheet = "reflection.capture"}, x.capture);
    f({.name = "parallax", .depends = r, .sheet = "reflection.parallax"}, x.parallax);
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
    visit_capture(x, f);
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
       .through_tier = true},
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
       .through_tier = true},
      x.noise);
    f({.name = "links",
       .depends = d::rays | d::direct | d::solve,
       .low = 0,
       .high = 4096,
       .sheet = "quality.links",
       .through_tier = true},
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

}  // namespace stasigraph::fields
