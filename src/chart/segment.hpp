#pragma once
#include <cstdint>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Charts of a mesh, each flattened by projection along its axis, in the mesh's own units.
struct FlatCharts {
    std::vector<std::uint32_t> chart;  ///< For each triangle; none for one without area.
    std::uint32_t count = 0;
    std::vector<std::uint32_t> source;   ///< For each flat vertex, the mesh vertex.
    std::vector<std::uint32_t> indices;  ///< For each corner, the flat vertex.
    std::vector<Vec2> flat;              ///< Units of the mesh; each chart's bounding box starts at 0, 0.
    std::vector<Vec2> size;              ///< For each chart: its bounding box.
    double area = 0;                     ///< Of all triangles in charts, in the mesh.
};

/// Cuts a mesh into charts by normal and projects them. No triangle is flipped and none overlaps another.
FlatCharts cut_charts(const Mesh& mesh);

/// Index pairs of triangles whose insides overlap in the plane, at most `most` of them. uv are three for each
/// triangle; overlaps thinner than `slack` do not count.
std::vector<std::pair<std::uint32_t, std::uint32_t>> find_overlaps(const std::vector<Vec2>& corners,
                                                                   float slack, std::size_t most);

}  // namespace stasigraph
