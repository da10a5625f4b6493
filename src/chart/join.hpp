#pragma once
// Charts in the making.

#include <vector>

#include "chart/charts.hpp"
#include "chart/flatten.hpp"

namespace stasigraph {

struct LooseChart {
    std::vector<std::uint32_t> triangles;  ///< Ascending; empty once it was joined to another.
    std::vector<Vec2> flat;                ///< Three for each triangle.
    double area = 0, border = 0;           ///< Square texels, texels.
    FlatMeasure measure;
    // Sums over triangles, weighted by area: the normal, and its products xx xy xz yy yz zz.
    double normal[3] = {}, products[6] = {};
};

struct LooseCharts {
    std::vector<LooseChart> charts;
    std::vector<std::uint32_t> chart_of;  ///< For each triangle.
    std::vector<std::uint8_t> holds;      ///< For each corner: the edge lies inside a chart.
};

/// Fills in what depends on the triangles and where they lie.
void describe(const MeshGraph& graph, LooseChart& chart);

/// Joins neighbouring charts while the result lies flat within the limits; never over creases, since a
/// bilinear footprint there would mix the light of both sides.
void join_charts(const MeshGraph& graph, const ChartLimits& limits, LooseCharts& loose, Job& job);

}  // namespace stasigraph
