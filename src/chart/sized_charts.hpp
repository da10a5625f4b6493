#pragma once
// Charts at the size they are packed at, and the layout they make once they have places.

#include "chart/align.hpp"
#include "chart/pack.hpp"
#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// A mesh cut and laid flat, with all that later steps need of it.
struct Unfolded {
    std::uint32_t mesh = none;
    MeshGraph graph;
    FlatCharts charts;
    int given_width = 0, given_height = 0;  ///< Texels of the unit square of UVs that came along; 0 where the
                                            ///< charts are ours.
    bool given() const { return given_width > 0; }
    double area = 0;  ///< Of all triangles, square texels.
};

struct SizedCharts {
    AlignedCharts aligned;
    std::vector<Mask> masks;  ///< Texels that each chart touches; of all charts together for given UVs.
};

/// `share`: for each chart, what its size is multiplied by. For given UVs only share[0] is looked at.
SizedCharts size_charts(const Unfolded& unfolded, const std::vector<float>& share, Job& job);

/// Charts with a place each. Borrowed.
struct PlacedCharts {
    const Unfolded& unfolded;
    const SizedCharts& sized;
    const std::vector<Placed>& places;  ///< Given UVs have one.
    const std::vector<float>& share;    ///< As size_charts() had it.
};
/// Their layout, moved so that it starts at 0, 0; `origin` is what it was moved by.
Layout make_layout(const Mesh& mesh, const PlacedCharts& charts, Placed& origin);

/// The texels a layout touches.
Mask layout_mask(const Layout& layout);

}  // namespace stasigraph
