#pragma once
// First cut of a mesh: regions of like normals, as trees, so that a region can be cut in two where it bends
// most.

#include <functional>

#include "chart/mesh_graph.hpp"

namespace stasigraph {

/// A forest over triangles. Nodes below the triangle count are the triangles themselves; each later one joins
/// two earlier ones that touch.
struct RegionTree {
    std::size_t triangle_count = 0;
    std::vector<std::uint32_t> left, right;  ///< For node triangle_count + i.
    std::vector<std::uint32_t> roots;        ///< Regions; ordered by their lowest triangle.

    /// Triangles under a node, ascending.
    std::vector<std::uint32_t> triangles(std::uint32_t node) const;
};

/// Joins neighbours that bend least first, until nothing is left that one region may hold. Creases stay
/// borders. Cost: O(n log n) in triangles.
RegionTree find_regions(const MeshGraph& graph);

/// Takes the teeth out of borders: triangles that share more of their outline with one other label than with
/// their own, and hang on to their own by one edge at most, go over. `label`: for each triangle; `none` takes
/// no part. `among`: the triangles that may move, ascending. `may_move(triangle, label)` may forbid it.
void straighten_borders(const MeshGraph& graph, const std::vector<std::uint32_t>& among,
                        const std::function<bool(std::uint32_t, std::uint32_t)>& may_move,
                        std::vector<std::uint32_t>& label);

}  // namespace stasigraph
