#pragma once
// Seams: where two charts meet along one continuous edge of the world, both sides are to show the same light.

#include <array>

#include "finish/pages.hpp"

namespace stasigraph {

/// The places along all seams of a level. Made once, used for every set.
///
/// A seam is an edge that two triangles share in the world (to a tenth of a millimetre), of one surface or of
/// two, that lie in different charts, with shading normals within about ten degrees.
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
SeamPlan plan_seams(const Level& level, const Atlas& atlas, const std::vector<PagePlan>& pages, Job& job);

/// Moves the texels along seams as little as it takes (least squares, by conjugate gradients) for both sides
/// to agree, and fills the margins anew. `least`: below it nothing goes, 0 for light. Same bytes for any
/// number of threads.
void fit_seams(const SeamPlan& plan, const std::vector<PagePlan>& pages, double least,
               std::vector<PageImage>& images, Job& job);

/// Mean over all seams, by length, of how far the two sides are apart, against the light there (or a
/// hundredth of the mean over all seams, where it is darker). `light`: of each of the plan's texels.
double seam_jump(const SeamPlan& plan, const std::vector<Rgb>& light);

}  // namespace stasigraph
