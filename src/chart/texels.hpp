#pragma once
// Texels: where each one lies in the world. Lightmap texels and patches are the same thing here.

#include <algorithm>
#include <cstdint>
#include <vector>

#include "base/flags.hpp"
#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// The six numbers that map a triangle's barycentrics to texels of its chart's rectangle, uv = a + u * ab + v
/// * ac, and that rectangle's place among the cells of its layout.
struct UvTriangle {
    Vec2 a, ab, ac;
    std::uint32_t first_cell = 0;
    std::uint16_t width = 0, height = 0;
};

/// The texels of one side of one surface. Cells are those of the layout's chart rectangles, one after the
/// other.
struct TexelGrid {
    std::uint32_t layout = none;  ///< none: this side has no texels.
    std::size_t first_cell = 0;   ///< Into TexelSet::cells.
    std::uint32_t cell_count = 0;
    std::uint32_t first_texel = 0, texel_count = 0;
};

/// What is known of a texel by its first rays. A parted one is open, and a wall stands between it and one
/// beside it, so that a ray may meet the part of it that lies beyond the wall.
enum class TexelState : std::uint8_t { invalid, open, parted };
using TexelStates = std::vector<TexelState>;
constexpr bool is_valid(TexelState state) {
    return state != TexelState::invalid;
}
/// Some of a level's texels.
using TexelFlags = Flags<struct OfTexels>;

/// All texels of a level, ordered by surface, front before back, chart, rows from the top.
/// Threads: const use is safe from any number of threads.
struct TexelSet {
    std::vector<Vec3> position;           ///< Metres; inside the covered part of the texel.
    std::vector<Vec3> normal;             ///< Shading normal, unit length, on the lit side.
    std::vector<Vec3> face_normal;        ///< Of the triangle itself, unit length, on the lit side.
    std::vector<float> area;              ///< Square metres of surface the texel covers.
    std::vector<std::uint32_t> grid;      ///< Grid number: 2 * surface, + 1 for a back.
    std::vector<std::uint32_t> cell;      ///< In that grid.
    std::vector<std::uint32_t> triangle;  ///< Of the surface's mesh.
    std::vector<Vec2> barycentric;
    std::vector<TexelGrid> grids;             ///< Two for each surface.
    std::vector<std::uint32_t> cells;         ///< Texel numbers; none where a cell meets no surface.
    std::vector<std::vector<UvTriangle>> uv;  ///< For each layout, its triangles.

    std::size_t size() const { return position.size(); }
    /// The triangle of a layout under a texel.
    const UvTriangle& uv_of(std::uint32_t texel) const {
        return uv[grids[grid[texel]].layout][triangle[texel]];
    }
    /// The cell of a grid under a point of one of its triangles.
    std::size_t cell_at(std::size_t grid_number, const UvTriangle& t, float u, float v) const {
        const int x = std::clamp(static_cast<int>(t.a.x + u * t.ab.x + v * t.ac.x), 0, t.width - 1),
                  y = std::clamp(static_cast<int>(t.a.y + u * t.ab.y + v * t.ac.y), 0, t.height - 1);
        return grids[grid_number].first_cell + t.first_cell + static_cast<std::size_t>(y) * t.width + x;
    }
    /// Column and row of a texel in its chart's rectangle.
    void place_in_chart(std::uint32_t texel, int& x, int& y) const {
        const UvTriangle& t = uv_of(texel);
        const std::uint32_t in_chart = cell[texel] - t.first_cell;
        x = static_cast<int>(in_chart % t.width);
        y = static_cast<int>(in_chart / t.width);
    }
    /// The texel some steps away in the same chart's rectangle; none beyond it and where no surface is.
    std::uint32_t neighbour(std::uint32_t texel, int dx, int dy) const {
        const UvTriangle& t = uv_of(texel);
        int x = 0, y = 0;
        place_in_chart(texel, x, y);
        x += dx;
        y += dy;
        if (x < 0 || y < 0 || x >= t.width || y >= t.height) return none;
        return cells[grids[grid[texel]].first_cell + t.first_cell + static_cast<std::size_t>(y) * t.width +
                     x];
    }
    /// Calls f(texel) for those at most `reach` steps away in the same chart's rectangle, but not itself.
    template <class F>
    void for_neighbours(std::uint32_t texel, int reach, F&& f) const {
        const UvTriangle& t = uv_of(texel);
        int x = 0, y = 0;
        place_in_chart(texel, x, y);
        const std::uint32_t* from = &cells[grids[grid[texel]].first_cell + t.first_cell];
        for (int v = std::max(0, y - reach); v <= std::min(t.height - 1, y + reach); ++v)
            for (int u = std::max(0, x - reach); u <= std::min(t.width - 1, x + reach); ++u)
                if (const std::uint32_t n = from[v * t.width + u]; n != none && n != texel) f(n);
    }
    /// The texel under a point of a triangle; none when that side has none there.
    std::uint32_t at(std::uint32_t surface, bool back, std::uint32_t triangle, float u, float v) const;
};

/// Whether each of two texels lies in the other's plane, to a 500th of the way between them.
bool in_one_plane(const TexelSet& texels, std::uint32_t a, std::uint32_t b);

TexelSet place_texels(const Level& level, const Atlas& atlas, Job& job);

}  // namespace stasigraph
