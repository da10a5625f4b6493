#pragma once
#include <functional>

#include "chart/texels.hpp"
#include "stasigraph/bake.hpp"

namespace stasigraph {

/// Writes value(texel) of every valid texel to its page, leaves out buried ones and fills them and the margins from
/// the nearest valid ones.
std::vector<PageImage> finish_pages(const Atlas& atlas, const TexelSet& texels, const std::vector<std::uint8_t>& valid,
                                    const std::function<Rgb(std::size_t texel)>& value, Job& job);

/// Bilinear lookup as a game's sampler does it, at a position in texels of the page.
Rgb sample_page(const PageImage& page, Vec2 at);

}  // namespace stasigraph
