#pragma once
// Turning charts so that straight borders run along texel rows, and fitting those borders to whole texels.

#include "chart/charts.hpp"

namespace stasigraph {

/// Charts ready to be packed: each one's UVs start at 0, 0 and lie on the UV grid.
struct AlignedCharts {
    struct Size {
        int width = 0, height = 0;  ///< Texels that hold it.
    };
    std::vector<Vec2> uv;    ///< For each corner, texels.
    std::vector<Size> size;  ///< For each chart.
};

/// `scale`: for each chart, what its size is multiplied by. Charts with straight borders are turned by them,
/// others into their smallest rectangle. Straight borders and creases move to whole texels where no distance
/// between them changes by more than a tenth.
AlignedCharts align_charts(const MeshGraph& graph, const FlatCharts& charts, const std::vector<float>& scale,
                           Job& job);

}  // namespace stasigraph
