#pragma once
// Laying a few triangles flat, and judging how well they lie.

#include <array>
#include <functional>

#include "chart/mesh_graph.hpp"

namespace stasigraph {

/// Triangles with vertices of their own: two corners are one vertex when edges that hold link them.
struct Patch {
    std::vector<std::uint32_t> triangles;             ///< Of the mesh, ascending.
    std::vector<std::array<std::uint32_t, 3>> faces;  ///< Vertices of each.
    std::vector<Vec3> place;                          ///< Of each vertex, texels.
    std::vector<std::uint32_t> border;                ///< 3 * face + corner of edges that hold nothing.
};

/// `holds(corner)` says whether the edge at a mesh corner holds, given that both its triangles are in the
/// patch. `triangles` ascending.
Patch make_patch(const MeshGraph& graph, std::vector<std::uint32_t> triangles,
                 const std::function<bool(std::uint32_t)>& holds);

/// Lays a patch flat at its own size: a plane exactly, anything else by a conformal solve where projection
/// would turn triangles over, then by relaxing towards true lengths. The result may still be folded: see
/// measure_flat.
std::vector<Vec2> flatten(const Patch& patch);

/// Relaxes towards true lengths from a start, keeping the vertices whose `pinned` is set.
void relax(const Patch& patch, const std::vector<std::uint8_t>& pinned, int steps, std::vector<Vec2>& flat);

/// Scales uniformly about the origin, to the patch's true area.
void scale_to_area(const Patch& patch, std::vector<Vec2>& flat);

struct FlatMeasure {
    std::size_t turned_over = 0;  ///< Triangles with the wrong orientation.
    /// The larger of the greatest singular value and the inverse of the smallest, over all triangles of at
    /// least a hundredth of a texel, and its mean by area. 1 is no stretch.
    float worst = 1, mean = 1;
    std::uint32_t worst_face = 0;
};
FlatMeasure measure_flat(const Patch& patch, const std::vector<Vec2>& flat);

/// Whether a flat patch without turned triangles covers no place twice, and keeps parts that are far from
/// each other in the world at least a texel apart. A map without turned triangles covers a place twice only
/// when its border crosses itself or when it winds more than once around a vertex; both are looked for.
bool lies_clear(const Patch& patch, const std::vector<Vec2>& flat);

}  // namespace stasigraph
