#pragma once
// Looks at an atlas texel by texel, without any of the library's own checks.

#include "stasigraph/atlas.hpp"

namespace test {

struct PageFindings {
    std::size_t twice_covered = 0;  ///< Samples, 16 to a texel, inside two triangles.
    std::size_t shared_texels = 0;  ///< Texels that two charts touch.
    std::size_t close_texels = 0;   ///< Pairs of texels of unlike charts nearer than the margin.
    std::size_t outside = 0;        ///< Texels in the margin along the page's edge, or beyond.
    std::size_t shared_blocks = 0;  ///< Blocks that two charts touch, where the atlas has blocks.
    std::size_t turned_over = 0;    ///< Triangles.
    std::size_t chartless = 0;      ///< Triangles with an area and no chart.
    std::size_t off_density = 0;  ///< Charts whose area on the page is off by more than 10 % of the density.
    double worst_density = 0;     ///< Largest such deviation of any chart of more than a texel.
    double coverage = 0;
};

PageFindings look_at_pages(const stasigraph::Level& level, const stasigraph::Atlas& atlas);
/// Fails the running test for each finding.
void expect_clean_pages(const stasigraph::Level& level, const stasigraph::Atlas& atlas);

}  // namespace test
