#pragma once

#include "chart/raster.hpp"
#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// Calls f(surface, triangle, x, y) for every texel of its layout that a triangle of a chart on the page
/// touches. On the page the texel lies at SurfaceUv::x and y from there.
template <class F>
void for_page_texels(const Atlas& atlas, std::uint32_t page, F f) {
    for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s) {
        if (atlas.surfaces[s].page != page) continue;
        const Layout& layout = atlas.layouts[atlas.surfaces[s].layout];
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const std::uint32_t* i = &layout.indices[3 * t];
            for_touched(layout.uv[i[0]], layout.uv[i[1]], layout.uv[i[2]],
                        [&](int x, int y) { f(s, t, x, y); });
        }
    }
}

}  // namespace stasigraph
