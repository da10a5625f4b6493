#pragma once
// What texels are marked with in pictures: overlaps, what was filled in, light that leaks, what is out of
// date.

#include <string>
#include <vector>

#include "stasigraph/picture.hpp"

namespace stasigraph {

/// Marks, what each colour means and how many texels have it; by colour.
struct NamedMarks {
    TexelMarks marks;
    std::vector<std::string> meaning;
    std::vector<std::size_t> count;
};

/// Texels that charts share, and those closer to another chart than the margin.
NamedMarks mark_overlaps(const Level& level, const Atlas& atlas);
/// What of a page is lit by itself, what is inside of geometry or hidden and was filled, and what is margin:
/// by PageImage::state of a bake.
NamedMarks mark_filled(const Level& level, const Atlas& atlas, const std::vector<PageImage>& pages);
/// What find_leaks() found.
NamedMarks mark_leaks(const Level& level, const Atlas& atlas, const std::vector<Leak>& leaks, Job& job);
/// Texels that an eye finds: off from `truth`, pages of the same atlas from a bake that has converged, by
/// over 10, 20 or 50 % of their own light or of a quarter of the mean of the 9 x 9 around them, whichever is
/// more (luminance); as those that are no such thing, those as dark as a thousandth of the mean. Throws Error
/// where the pages are of other sizes.
NamedMarks mark_dots(const Level& level, const Atlas& atlas, const std::vector<PageImage>& pages,
                     const std::vector<PageImage>& truth, Job& job);
/// By surface: 0 as the level would give it, 1 out of date, 2 changed itself since.
NamedMarks mark_stale(const std::vector<std::uint8_t>& surfaces);

/// The share of all light on lightmapped surfaces, by area, that each of these sets gives; 0 where there is
/// none.
std::vector<double> light_shares(const Level& level, const Atlas& atlas, const std::vector<BakedSet>& sets,
                                 Job& job);

/// A picture of light as it is shown at an exposure value: grey, with what is beyond white in every channel,
/// beyond white in some, and as dark as black marked. Colours, not nit.
Picture clipping_picture(const Picture& lit, float ev);
struct ClippedShares {
    double all = 0, some = 0, black = 0;  ///< Of the picture's pixels.
};
ClippedShares clipped_shares(const Picture& lit, float ev);
/// What clipping_picture() marks with: white in all channels, in some, black; linear.
std::vector<Rgb> clipping_colors();

}  // namespace stasigraph
