#pragma once
// Where a texel of a lightmap is kept.

#include "chart/texels.hpp"
#include "stasigraph/atlas.hpp"

namespace stasigraph {

struct TexelOnPage {
    std::uint32_t page = 0;
    int x = 0, y = 0;
    std::size_t index = 0;
    Vec2 middle() const { return {static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f}; }
};
inline TexelOnPage texel_on_page(const Atlas& atlas, const TexelSet& texels, std::uint32_t t) {
    const SurfaceUv& uv = atlas.surfaces[texels.grid[t] / 2];
    const Layout& layout = atlas.layouts[uv.layout];
    const Chart& chart = layout.charts[layout.chart[texels.triangle[t]]];
    int x = 0, y = 0;
    texels.place_in_chart(t, x, y);
    x += uv.x + chart.x;
    y += uv.y + chart.y;
    return {uv.page, x, y,
            static_cast<std::size_t>(y) * static_cast<std::size_t>(atlas.pages[uv.page]) +
                static_cast<std::size_t>(x)};
}

}  // namespace stasigraph
