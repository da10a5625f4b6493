#pragma once
// Surfaces in parts: cut where walls stand on them, so that no texel is ever on two sides of a wall.

#include "stasigraph/bake_store.hpp"
#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Divides the static, lightmapped surfaces of a level for their lightmaps:
///
/// - where other static geometry stands on a surface or goes through it (faces at more than 20 degrees to it,
/// met
///   within 1 cm) along lines longer than furniture, it is cut along these lines; lines
///   end at doorways no wider than 2.5 m on the same line or at the next wall. What lies between two lines
///   becomes a surface of its own with the same material and node;
/// - triangles that lie whole under other geometry are marked in Mesh::covered;
/// - a double-sided surface whose sides cannot see around to one another becomes two, one for each side.
///
/// Gaps of up to 2 mm under what stands on a cut surface are closed by a surface in the bake alone. Shapes,
/// materials and nodes stay as they were; vertices on cuts lie on the triangles they part. Surfaces with
/// lightmap UVs of their own, animated ones, glass, cut-outs and those with `cut` off stay whole. Numbers of
/// surfaces stay valid: parts are added behind the last one. load_level() does this; call it for levels made
/// in code. `store`: where what comes of it is kept between runs. Deterministic. Cost: O(n log n) in
/// triangles and the pairs that meet, and some rays for each piece.
PartFigures part_surfaces(Level& level, Job& job, const BakeStore& store = {});

}  // namespace stasigraph
