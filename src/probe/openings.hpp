#pragma once
// Holes in walls, floors and roofs that light comes in by: windows, doors, skylights.

#include <vector>

#include "stasigraph/job.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A rectangle in the plane of a wall that nothing covers, with something all around it.
struct Opening {
    Vec3 middle;
    Vec3 normal;                  ///< Unit length; to one of its two sides.
    Vec3 across;                  ///< Unit length; level, but in a plane that is level itself.
    float width = 0, height = 0;  ///< Metres, across and along cross(normal, across).
};

/// The openings of a level, each once: where both faces of a wall have one, the smaller. Sought in planes of
/// at least a square metre of faces, by rays 10 cm apart; at least 0.35 m wide and high, on one side at
/// least indoors. The same for any number of threads. Cost: some rays for every cell of those planes.
std::vector<Opening> find_openings(const Level& level, const RayCaster& caster, Job& job);

}  // namespace stasigraph
