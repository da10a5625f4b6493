#pragma once
// Lightmap UVs: charts, layouts and pages.

#include <cstdint>
#include <vector>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// One unwrapping of one mesh at one size; instances of the same size share it.
///
/// Rules: (1) every triangle with an area lies in exactly one chart, the others have chart `none`. (2) all
/// triangles of a chart have the same orientation, and no two triangles overlap. (3) charts keep at least the
/// margin between each other. (4) uv lies in [0, width] x [0, height].
struct Layout {
    std::uint32_t mesh = 0;
    int width = 0, height = 0;           ///< Texels.
    bool given = false;                  ///< The level's own TEXCOORD_1, used as it is.
    std::vector<std::uint32_t> source;   ///< For each vertex here, the mesh vertex it copies.
    std::vector<Vec2> uv;                ///< Texels from the top left, one for each vertex here.
    std::vector<std::uint32_t> indices;  ///< Into source and uv; triangles in the mesh's order.
    std::vector<std::uint32_t> chart;    ///< For each triangle.
    std::uint32_t chart_count = 0;
};

/// Where a surface's light is kept. Surfaces without a lightmap have a layout for their patches but no page.
struct SurfaceUv {
    std::uint32_t layout = none;  ///< none for moving surfaces and such without any area.
    std::uint32_t page = none;
    int x = 0, y = 0;                  ///< Top left texel of the layout on the page.
    std::uint32_t back_layout = none;  ///< Patches of the back of a double-sided surface.
    float density = 0;                 ///< Texels per metre reached.
};

struct Atlas {
    std::vector<Layout> layouts;
    std::vector<SurfaceUv> surfaces;  ///< One for each surface of the level.
    std::vector<int> pages;           ///< Side of each page in texels; a power of two.
    int margin = 0;

    /// Maps the layout's TEXCOORD_1 in [0, 1] to the page: page uv = uv * scale + offset.
    Vec2 scale(std::uint32_t surface) const;
    Vec2 offset(std::uint32_t surface) const;
};

/// Unwraps every static surface and packs those lit by a lightmap. `density_scale` is the tier's share.
/// Deterministic. Notes through the job what gave way (density, an unusable TEXCOORD_1).
/// Cost: O(n log n) in triangles. Throws Error when a setting is out of range.
Atlas unwrap(const Level& level, float density_scale, Job& job);

/// Throws Error naming the first layout that breaks one of the rules above, or the first two surfaces whose
/// rectangles come closer than the margin.
void check_atlas(const Level& level, const Atlas& atlas);

}  // namespace stasigraph
