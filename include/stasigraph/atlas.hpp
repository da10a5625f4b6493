#pragma once
// Lightmap UVs: charts, layouts and pages.

#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// One chart of a layout.
struct Chart {
    int x = 0, y = 0, width = 0, height = 0;    ///< The rectangle of texels that holds it, in the layout.
    float worst_stretch = 1, mean_stretch = 1;  ///< By singular values, as LightmapOptions::stretch_limit.
    float share = 1;                            ///< Of the surface's density: below 1 where nobody can look.
    friend bool operator==(const Chart&, const Chart&) = default;
};

/// One unwrapping of one mesh at one size; instances of the same size share it.
///
/// Rules: (1) every triangle with an area lies in exactly one chart, the others have chart `none`. (2) no
/// triangle is turned over (thinner ones than 1/500 of a texel aside), and no two overlap. (3) texels of
/// different charts have at least the margin of free texels between them. (4) uv lies in [0, width] x
/// [0, height] and on multiples of 1/1024. Of UVs that came with the level only (1) and (4)'s range hold
/// always.
struct Layout {
    std::uint32_t mesh = 0;
    int width = 0, height = 0;           ///< Texels.
    bool given = false;                  ///< The level's own TEXCOORD_1, used as it is.
    std::vector<std::uint32_t> source;   ///< For each vertex here, the mesh vertex it copies.
    std::vector<Vec2> uv;                ///< Texels from the top left, one for each vertex here.
    std::vector<std::uint32_t> indices;  ///< Into source and uv; triangles in the mesh's order.
    std::vector<std::uint32_t> chart;    ///< For each triangle.
    std::vector<Chart> charts;
    friend bool operator==(const Layout&, const Layout&) = default;
};

/// Where a surface's light is kept. Surfaces without a lightmap have a layout for their patches but no page.
struct SurfaceUv {
    std::string name;             ///< The surface's.
    std::uint64_t key = 0;        ///< Of everything its charts depend on.
    std::uint32_t layout = none;  ///< none for moving surfaces and such without any area.
    std::uint32_t page = none;
    int x = 0, y = 0;                  ///< Top left texel of the layout on the page.
    std::uint32_t back_layout = none;  ///< Patches of the back of a double-sided surface.
    float density = 0;                 ///< Texels per metre reached.
    friend bool operator==(const SurfaceUv&, const SurfaceUv&) = default;
};

struct Atlas {
    std::vector<Layout> layouts;
    std::vector<SurfaceUv> surfaces;  ///< One for each surface of the level.
    std::vector<int> pages;           ///< Side of each page in texels; a power of two.
    int margin = 0, block = 1;
    float density_scale = 1;          ///< The tier's share of the level's density.
    float applied_density_scale = 1;  ///< Times that, where a limit on the pages asked for it.
    friend bool operator==(const Atlas&, const Atlas&) = default;

    /// Maps the layout's TEXCOORD_1 in [0, 1] to the page: page uv = uv * scale + offset.
    Vec2 scale(std::uint32_t surface) const;
    Vec2 offset(std::uint32_t surface) const;
};

/// A level and where its light is kept. Borrowed.
struct ChartedLevel {
    const Level& level;
    const Atlas& atlas;
};

/// Unwraps every static surface and packs those lit by a lightmap. `density_scale` is the tier's share.
/// `previous`: an earlier atlas of this level, or none; surfaces whose charts would come out the same keep
/// theirs and their places. Deterministic in the level, the scale and the earlier atlas.
/// Notes through the job what gave way (density, an unusable TEXCOORD_1).
/// Cost: about O(n log n) in triangles. Throws Error when a setting is out of range.
Atlas unwrap(const Level& level, float density_scale, Job& job, const Atlas* previous = nullptr);

/// Throws Error naming the first layout or page that breaks one of the rules above. Cost: all texels of all
/// pages.
void check_atlas(const Level& level, const Atlas& atlas);

/// What a person asks of an atlas. Areas and lengths in texels; of lightmapped surfaces alone.
struct AtlasFigures {
    std::size_t surfaces = 0, given = 0, charts = 0, unseen = 0;
    double texels = 0;                                             ///< Touched by charts.
    double page_texels = 0;                                        ///< Of all pages.
    double coverage = 0;                                           ///< The one by the other.
    double least_density = 0, mean_density = 0, most_density = 0;  ///< Texels per metre; the mean by area.
    double mean_stretch = 1, worst_stretch = 1;
    double seam_length = 0;             ///< Metres of border between triangles that touch in the world.
    std::vector<double> page_coverage;  ///< For each page.
};
AtlasFigures measure_atlas(const Level& level, const Atlas& atlas);

}  // namespace stasigraph
