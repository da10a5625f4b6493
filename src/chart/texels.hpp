#pragma once
// Texels: where each one lies in the world. Lightmap texels and patches are the same thing here.

#include <algorithm>
#include <cstdint>
#include <vector>

#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// The six numbers that map a triangle's barycentrics to texels: uv = a + u * ab + v * ac.
struct UvTriangle {
    Vec2 a, ab, ac;
};

/// A grid of texel numbers over one layout of one side of one surface.
struct TexelGrid {
    std::uint32_t layout = none;  ///< none: this side has no texels.
    int width = 0, height = 0;
    std::size_t first_cell = 0;  ///< Into TexelSet::cells.
    std::uint32_t first_texel = 0, texel_count = 0;
};

/// All texels of a level, ordered by surface, front before back, rows from the top.
/// Threads: const use is safe from any number of threads.
struct TexelSet {
    std::vector<Vec3> position;           ///< Metres; inside the covered part of the texel.
    std::vector<Vec3> normal;             ///< Shading normal, unit length, on the lit side.
    std::vector<Vec3> face_normal;        ///< Of the triangle itself, unit length, on the lit side.
    std::vector<float> area;              ///< Square metres of surface the texel covers.
    std::vector<std::uint32_t> grid;      ///< Grid number: 2 * surface, + 1 for a back.
    std::vector<std::uint32_t> cell;      ///< y * width + x in that grid.
    std::vector<std::uint32_t> triangle;  ///< Of the surface's mesh.
    std::vector<Vec2> barycentric;
    std::vector<TexelGrid> grids;             ///< Two for each surface.
    std::vector<std::uint32_t> cells;         ///< Texel numbers; none where a cell meets no surface.
    std::vector<std::vector<UvTriangle>> uv;  ///< For each layout, its triangles.

    std::size_t size() const { return position.size(); }
    /// The cell of a grid under a point of one of its triangles.
    std::size_t cell_at(std::size_t grid_number, const UvTriangle& t, float u, float v) const {
        const TexelGrid& g = grids[grid_number];
        const int x = static_cast<int>(t.a.x + u * t.ab.x + v * t.ac.x),
                  y = static_cast<int>(t.a.y + u * t.ab.y + v * t.ac.y);
        return g.first_cell + static_cast<std::size_t>(std::clamp(y, 0, g.height - 1)) * g.width +
               std::clamp(x, 0, g.width - 1);
    }
    /// The texel under a point of a triangle; none when that side has none there.
    std::uint32_t at(std::uint32_t surface, bool back, std::uint32_t triangle, float u, float v) const;
};

TexelSet place_texels(const Level& level, const Atlas& atlas, Job& job);

}  // namespace stasigraph
