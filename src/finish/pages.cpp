#include "finish/pages.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// One ring: every empty or buried texel beside filled ones takes their mean.
bool grow_ring(PageImage& page, std::vector<std::uint8_t>& filled, bool buried_only) {
    const int n = page.side;
    std::vector<std::pair<std::uint32_t, Rgb>> fresh;
    for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
            const auto i = static_cast<std::uint32_t>(y * n + x);
            if (filled[i] || (buried_only && page.state[i] != 2)) continue;
            Rgb sum;
            float count = 0;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) {
                    const int nx = x + dx, ny = y + dy;
                    if (nx < 0 || ny < 0 || nx >= n || ny >= n || !filled[static_cast<std::size_t>(ny) * n + nx]) continue;
                    const float w = dx == 0 || dy == 0 ? 2.0f : 1.0f;
                    sum += page.texels[static_cast<std::size_t>(ny) * n + nx] * w;
                    count += w;
                }
            if (count > 0) fresh.push_back({i, sum * (1 / count)});
        }
    for (const auto& [i, light] : fresh) {
        page.texels[i] = light;
        filled[i] = 1;
        if (page.state[i] == 0) page.state[i] = 3;
    }
    return !fresh.empty();
}

void fill_margins(PageImage& page, int margin) {
    std::vector<std::uint8_t> filled(page.state.size());
    for (std::size_t i = 0; i < filled.size(); ++i) filled[i] = page.state[i] == 1;
    // Buried texels first, from their own chart, so that the margin is not made of them.
    for (int ring = 0; ring < page.side && grow_ring(page, filled, true); ++ring) {}
    for (int ring = 0; ring < margin && grow_ring(page, filled, false); ++ring) {}
}

}  // namespace

std::vector<PageImage> finish_pages(const Atlas& atlas, const TexelSet& texels, const std::vector<std::uint8_t>& valid,
                                    const std::function<Rgb(std::size_t)>& value, Job& job) {
    std::vector<PageImage> pages;
    for (int side : atlas.pages) {
        const auto cells = static_cast<std::size_t>(side) * side;
        pages.push_back({side, std::vector<Rgb>(cells), std::vector<std::uint8_t>(cells, 0)});
    }
    for (std::size_t i = 0; i < texels.size(); ++i) {
        const std::uint32_t g = texels.grid[i];
        const SurfaceUv& uv = atlas.surfaces[g / 2];
        if (g % 2 == 1 || uv.page == none) continue;
        PageImage& page = pages[uv.page];
        const int width = texels.grids[g].width;
        const int x = uv.x + static_cast<int>(texels.cell[i]) % width, y = uv.y + static_cast<int>(texels.cell[i]) / width;
        const std::size_t at = static_cast<std::size_t>(y) * page.side + x;
        page.state[at] = valid[i] ? 1 : 2;
        if (valid[i]) page.texels[at] = value(i);
    }
    job.parallel(pages.size(), 1, [&](std::size_t i, std::size_t) { fill_margins(pages[i], atlas.margin); });
    return pages;
}

Rgb sample_page(const PageImage& page, Vec2 at) {
    const float x = at.x - 0.5f, y = at.y - 0.5f, fx = std::floor(x), fy = std::floor(y);
    const auto clamp = [&](float v) { return std::clamp(static_cast<int>(v), 0, page.side - 1); };
    const int x0 = clamp(fx), x1 = clamp(fx + 1), y0 = clamp(fy), y1 = clamp(fy + 1);
    const float tx = x - fx, ty = y - fy;
    const auto texel = [&](int px, int py) { return page.texels[static_cast<std::size_t>(py) * page.side + px]; };
    return texel(x0, y0) * ((1 - tx) * (1 - ty)) + texel(x1, y0) * (tx * (1 - ty)) + texel(x0, y1) * ((1 - tx) * ty) + texel(x1, y1) * (tx * ty);
}

}  // namespace stasigraph
