#pragma once
// Members of what a bake is asked for.

#include "level/fields.hpp"

namespace stasigraph::fields {

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
       .sheet = "lightmap.page",
       .read_apart = true},
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
    f({.name = "pages",
       .depends = d::charts,
       .low = 1,
       .high = 4096,
       .zero_unsaid = true,
       .sheet = "lightmap.pages"},
      x.pages);
    f({.name = "cut", .depends = d::parting, .sheet = "lightmap.cut"}, x.cut);
    f({.name = "cut_within",
       .depends = d::parting,
       .unit = "m",
       .low = 0.001,
       .high = 0.1,
       .sheet = "lightmap.cut_within"},
      x.cut_within);
    f({.name = "sides", .depends = d::parting, .sheet = "lightmap.sides"}, x.sides);
    f({.name = "unseen", .depends = d::charts, .sheet = "lightmap.unseen", .yes = "shrink", .no = "keep"},
      x.shrink_unseen);
}

template <is<BakeOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "tier",
       .depends = d::charts | d::rays | d::direct | d::solve | d::occlusion | d::visibility,
       .sheet = "quality.tier",
       .through_tier = true},
      x.tier);
    f({.name = "bounces",
       .depends = d::solve,
       .low = 0,
       .high = 1000,
       .sheet = "quality.bounces",
       .empty = "settle"},
      x.bounces);
    f({.name = "bounce_gain", .depends = d::colors, .low = 0, .high = 4, .sheet = "quality.bounce_gain"},
      x.bounce_gain);
    f({.name = "saturation", .depends = d::colors, .low = 0, .high = 4, .sheet = "quality.saturation"},
      x.saturation);
    f({.name = "noise",
       .depends = d::direct,
       .low = 0.001,
       .high = 1,
       .zero_unsaid = true,
       .sheet = "quality.noise",
       .through_tier = true},
      x.noise);
    f({.name = "links",
       .depends = d::rays | d::direct | d::solve,
       .low = 8,
       .high = 4096,
       .zero_unsaid = true,
       .sheet = "quality.links",
       .through_tier = true},
      x.links);
    f({.name = "denoise", .depends = d::solve | d::occlusion, .sheet = "quality.denoise"}, x.denoise);
    f({.name = "seams", .depends = d::solve, .sheet = "quality.seams"}, x.seams);
    f({.name = "edges", .depends = d::direct, .sheet = "quality.edges"}, x.edges);
    f({.name = "seed", .depends = d::rays, .low = 0, .high = 4294967295.0, .sheet = "level.seed"}, x.seed);
}

template <is<OcclusionOptions> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "reach",
       .depends = d::occlusion,
       .unit = "m",
       .low = 0.01,
       .high = 1000,
       .zero_unsaid = true,
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
    f({.name = "exposure",
       .depends = d::prelit,
       .unit = "EV at ISO 100",
       .low = -20,
       .high = 30,
       .sheet = "prelit.exposure",
       .empty = "auto"},
      x.exposure);
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
    f({.name = "reason", .sheet = "accept.reason", .read_apart = true}, x.reason);
}

/// Lists are named for one of what they hold.
template <is<Settings> T, class F>
constexpr void visit(T& x, F&& f) {
    f({.name = "lightmap"}, x.lightmap);
    f({.name = "occlusion"}, x.occlusion);
    f({.name = "prelit"}, x.prelit);
    f({.name = "quality"}, x.quality);
    f({.name = "check"}, x.check);
    f({.name = "accepted"}, x.accepted);
}

}  // namespace stasigraph::fields
