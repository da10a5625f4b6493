#pragma once
// Charts of one mesh: cut, laid flat and joined again where that costs nothing.

#include "chart/mesh_graph.hpp"
#include "stasigraph/job.hpp"

namespace stasigraph {

struct ChartLimits {
    float stretch_limit = 1.5f;  ///< Of any triangle that a texel can show.
    int margin = 4;              ///< Texels; what a border costs on a page.
    float longest = 1016;        ///< Texels; a chart must fit on a page.
};

/// Rules: (1) every triangle with an area lies in exactly one chart, the others have chart `none`. (2) no
/// triangle of a chart is turned over, and none covers another. (3) charts are numbered by lowest triangle.
/// (4) a chart covers as many texels as its triangles have area.
struct FlatCharts {
    struct Stretch {
        float worst = 1, mean = 1;
    };
    std::vector<std::uint32_t> chart;   ///< For each triangle.
    std::vector<Vec2> flat;             ///< For each corner, texels; each chart about an origin of its own.
    std::vector<std::uint32_t> vertex;  ///< For each corner; two corners of one number are one point.
    std::vector<Stretch> stretch;       ///< For each chart.
    std::uint32_t count() const { return static_cast<std::uint32_t>(stretch.size()); }
};

/// Cost: about O(n log n) in triangles. The same charts for any number of threads.
FlatCharts cut_charts(const MeshGraph& graph, const ChartLimits& limits, Job& job);

}  // namespace stasigraph
