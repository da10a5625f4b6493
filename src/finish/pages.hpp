#pragma once
#include <functional>

#include "chart/texels.hpp"
#include "stasigraph/bake.hpp"

namespace stasigraph {

/// How to fill one page: which texels are valid, and in which order the others take the mean of their filled
/// neighbours. Made once, used for every set.
struct PagePlan {
    int side = 0;
    std::vector<std::uint8_t> state;                             ///< As in PageImage.
    std::vector<std::pair<std::uint32_t, std::uint32_t>> valid;  ///< Texel number, place on the page.
    struct Dilation {
        std::uint32_t place;
        std::uint8_t neighbours;  ///< Bit k: neighbour k of the eight around is filled before.
    };
    std::vector<Dilation> fills;  ///< Invalid texels first, then the margin, ring by ring.
};
/// `shown`: those that pages show; all others count as invalid.
std::vector<PagePlan> plan_pages(const Atlas& atlas, const TexelSet& texels, const TexelFlags& shown,
                                 Job& job);

/// Writes value(texel) of every valid texel to its page and fills the rest by the plan.
std::vector<PageImage> finish_pages(const std::vector<PagePlan>& plans,
                                    const std::function<Rgb(std::size_t texel)>& value, Job& job);

/// Some places of one page, row by row.
using PageFlags = Flags<struct OfPages>;
/// Fills what a plan fills, all but the places marked as kept; none are where it is empty.
void fill_page(const PagePlan& plan, const PageFlags& kept, PageImage& page);

/// Fills what is still empty from coarser and coarser means of what is not (pull-push: Gortler et al., The
/// Lumigraph, 1996), so that the page's smaller levels are made of light. States stay.
void push_pull_fill(const PagePlan& plan, PageImage& page);

/// Bilinear lookup as a game's sampler does it, at a position in texels of the page.
Rgb sample_page(const PageImage& page, Vec2 at);
std::array<Rgb, 3> sample_page(const DirectionalPage& page, Vec2 at);
float sample_page(const OcclusionPage& page, Vec2 at);

}  // namespace stasigraph
