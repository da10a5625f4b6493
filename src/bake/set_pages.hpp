#pragma once
// From the light of texels, layer by layer, to the pages of bake sets.

#include "finish/seams.hpp"
#include "transport/link_slopes.hpp"

namespace stasigraph {

/// What pages are made of. Borrows all of it.
struct LayerSource {
    const Level& level;  ///< Its sets and shape; and whether seams are fitted.
    const TexelSet& texels;
    const std::vector<PagePlan>& plans;
    const SeamPlan& seams;
    std::function<Rgb(std::size_t texel, std::size_t group)> light;  ///< Lux on a texel's own normal.
    const SlopeRows& sloped;
    const LightField& slopes;  ///< Of the same, over `sloped`: all texels where the shape is directional, else
                               ///< those whose `bent` is not their own normal.
    const std::vector<Vec3>& bent;  ///< Normals that flat pages show, for each texel; empty: the texels' own.
};

struct SetPages {
    std::vector<PageImage> pages;
    std::vector<DirectionalPage> directional;
};
struct AllPages {
    std::vector<SetPages> sets;
    double seam_before = 0, seam = 0;  ///< seam_jump() of the worst set without and with seams fitted.
};
AllPages make_pages(const LayerSource& source, Job& job);

}  // namespace stasigraph
