#pragma once
// From the light of texels, layer by layer, to the pages of bake sets.

#include "bake/layers.hpp"

namespace stasigraph {

/// Fills in the layer's pages, and what they held along seams before those were fitted. Seams are fitted
/// layer by layer: layers are added up, so fits have to add up as well, and a fit of the sum could not be
/// kept from going below zero.
void make_layer_pages(const UnlitLevel& unlit, const Level& lit, Layer& layer, Job& job);

struct SetPages {
    std::vector<PageImage> pages;
    std::vector<DirectionalPage> directional;
};
struct AllPages {
    std::vector<SetPages> sets;
    double seam_before = 0, seam = 0;  ///< seam_jump() of the worst set without and with seams fitted.
};
/// The sets of a level as mixes of its layers, which all have their pages.
AllPages mix_pages(const UnlitLevel& unlit, const Level& lit, const std::vector<Layer>& layers, Job& job);

}  // namespace stasigraph
