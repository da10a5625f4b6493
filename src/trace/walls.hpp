#pragma once
// What stands between two places.

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// How thick what stands between two places is, metres, from the first face met from either side: 0 for a
/// sheet (under 1 mm), below 0 where nothing but glass does.
inline float wall_between(const RayCaster& caster, Vec3 from, Vec3 to) {
    constexpr float sheet = 1e-3f;
    const Vec3 way = to - from;
    const float l = length(way);
    if (!(l > 0)) return -1;
    const Hit there = caster.closest({from, way * (1 / l), l});
    if (there.surface == none || caster.is_glass(there.surface)) return -1;
    const Hit back = caster.closest({to, way * (-1 / l), l});
    if (back.surface == none) return -1;
    const float wall = l - there.distance - back.distance;
    return wall < sheet ? 0 : wall;
}

}  // namespace stasigraph
