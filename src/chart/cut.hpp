#pragma once
// Cutting large charts into pieces that fill a page better, where too few odd shapes leave it empty.

#include "chart/charts.hpp"

namespace stasigraph {

struct CutLimits {
    double most_area = 1e30;    ///< Square texels; larger charts are halved.
    double least_fill = 0;      ///< Share of its rectangle that a chart should fill, or it is halved too,
    double judged_area = 1e30;  ///< if it is larger than this.
};

/// Cuts across the longer axis of a chart, along edges; the pieces stay as flat as they are. `parent`: for
/// each new chart the one it was cut from.
FlatCharts cut_large_charts(const MeshGraph& graph, const FlatCharts& charts, const CutLimits& limits,
                            std::vector<std::uint32_t>& parent);

}  // namespace stasigraph
