#pragma once
// Seams: where two charts meet along one continuous edge of the world, both sides are to show the same light.

#include <array>
#include <functional>

#include "finish/pages.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// The places along all seams of a level. Made once, used for every set.
///
/// A seam is where the edges of two triangles run along one line in the world (to half a millimetre), of one
/// surface or of two, that lie in different charts on either side of the line, with shading normals within
/// about ten degrees: also modules of one wall and tiles of one floor, whatever their sizes. Where a wall
/// stands on it, it is none.
struct SeamPlan {
    /// One place on a seam: eight texels (numbers into `texels`), four of each side by bilinear filtering;
    /// the second four weigh negative.
    struct Sample {
        std::array<std::uint32_t, 8> at;
        std::array<float, 8> weight;
    };
    struct Texel {
        std::uint32_t page, place;
    };
    std::vector<Texel> texels;
    std::vector<float> hold;  ///< How firmly each texel keeps its light.
    std::vector<Sample> samples;
};
struct SeamedLevel {
    const Level& level;
    const Atlas& atlas;
    const std::vector<PagePlan>& pages;
    std::function<const RayCaster&()> caster;  ///< Asked for where rays are needed.
};
/// Places along all edges, in order.
using SeamFlags = Flags<struct OfSeams>;
/// `open`: for each place looked at whether its two sides see one another; where empty it is filled, by rays.
SeamPlan plan_seams(const SeamedLevel& seamed, SeamFlags& open, Job& job);

/// Moves the texels along seams as little as it takes (least squares, by conjugate gradients) for both sides
/// to agree, and fills the margins anew. `least`: below it nothing goes, 0 for light. Same bytes for any
/// number of threads.
void fit_seams(const SeamPlan& plan, const std::vector<PagePlan>& pages, double least,
               std::vector<PageImage>& images, Job& job);

/// Mean over all seams, by length, of how far the two sides are apart, against the light there (or a
/// hundredth of the mean over all seams, where it is darker). `light`: of each of the plan's texels.
double seam_jump(const SeamPlan& plan, const std::vector<Rgb>& light);

}  // namespace stasigraph
