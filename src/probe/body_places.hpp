#pragma once
// Where parts of a figure's body can be: there light from probes is judged.

#include "stasigraph/math.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Up to `count` free places that one of `around` sees, spread evenly over all within a metre of them, 20 cm
/// off what `caster` has and in one of the level's volumes, if it has any; with `floors` no more than 1.9 m
/// over something to stand on. Fewer where hardly anything is free. The same for the same arguments.
std::vector<Vec3> body_places(const Level& level, const RayCaster& caster, const std::vector<Vec3>& around,
                              std::size_t count, bool floors);

}  // namespace stasigraph
