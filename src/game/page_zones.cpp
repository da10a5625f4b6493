#include "game/page_zones.hpp"

#include <algorithm>

#include "chart/raster.hpp"
#include "runtime/game_format.hpp"

namespace stasigraph {

namespace {

namespace format = runtime::format;

constexpr std::uint8_t empty = 254;  // no chart; zones are fewer

/// The zone of every texel of a page.
class PagePlan {
public:
    explicit PagePlan(int side) : side_(side), zone_(static_cast<std::size_t>(side) * side, empty) {}

    void draw(const Atlas& atlas, std::uint32_t surface, std::uint8_t zone) {
        const SurfaceUv& uv = atlas.surfaces[surface];
        const Layout& layout = atlas.layouts[uv.layout];
        for (std::size_t i = 0; i + 2 < layout.indices.size(); i += 3) {
            if (layout.chart[i / 3] == none) continue;
            for_touched(layout.uv[layout.indices[i]], layout.uv[layout.indices[i + 1]],
                        layout.uv[layout.indices[i + 2]], [&](int x, int y) {
                            x += uv.x;
                            y += uv.y;
                            if (x >= 0 && y >= 0 && x < side_ && y < side_) at(x, y) = zone;
                        });
        }
    }
    /// Grows all charts by a texel: in rows, then in columns.
    void grow() {
        for (const bool rows : {true, false}) {
            const std::vector<std::uint8_t> before = zone_;
            for (int y = 0; y < side_; ++y)
                for (int x = 0; x < side_; ++x) {
                    if (at(x, y) != empty) continue;
                    for (const int d : {-1, 1}) {
                        const int u = rows ? x + d : x, v = rows ? y : y + d;
                        if (u < 0 || v < 0 || u >= side_ || v >= side_) continue;
                        const std::uint8_t there = before[static_cast<std::size_t>(v) * side_ + u];
                        if (there != empty) at(x, y) = there;
                    }
                }
        }
    }
    void cut(PageZones& to) const {
        constexpr int tile = format::tile_side;
        for (int y0 = 0; y0 < side_; y0 += tile)
            for (int x0 = 0; x0 < side_; x0 += tile) {
                std::vector<std::uint8_t> block(format::tile_texels, empty);
                for (int y = y0; y < std::min(y0 + tile, side_); ++y)
                    for (int x = x0; x < std::min(x0 + tile, side_); ++x)
                        block[static_cast<std::size_t>(y - y0) * tile + (x - x0)] =
                            zone_[static_cast<std::size_t>(y) * side_ + x];
                add_tile(std::move(block), to);
            }
    }

private:
    std::uint8_t& at(int x, int y) { return zone_[static_cast<std::size_t>(y) * side_ + x]; }

    static void add_tile(std::vector<std::uint8_t> block, PageZones& to) {
        std::uint8_t first = empty;
        for (const std::uint8_t z : block)
            if (z != empty && first == empty) first = z;
        if (first == empty) first = format::no_zone;
        const bool one =
            std::all_of(block.begin(), block.end(), [&](std::uint8_t z) { return z == empty || z == first; });
        if (one) {
            to.tiles.push_back(first == format::no_zone ? none : first);
            return;
        }
        to.tiles.push_back(format::block_tile |
                           static_cast<std::uint32_t>(to.blocks.size() / format::tile_texels));
        for (const std::uint8_t z : block) to.blocks.push_back(z == empty ? first : z);
    }

    int side_;
    std::vector<std::uint8_t> zone_;
};

}  // namespace

PageZones zones_of_pages(const Atlas& atlas, const std::vector<std::uint32_t>& surface_zones) {
    PageZones out;
    for (std::uint32_t page = 0; page < atlas.pages.size(); ++page) {
        PagePlan plan(atlas.pages[page]);
        for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s)
            if (atlas.surfaces[s].page == page)
                plan.draw(
                    atlas, s,
                    surface_zones[s] == none ? format::no_zone : static_cast<std::uint8_t>(surface_zones[s]));
        // Half the margin is filled from either side.
        for (int i = 0; i < (atlas.margin + 1) / 2; ++i) plan.grow();
        plan.cut(out);
    }
    return out;
}

}  // namespace stasigraph
