#pragma once
// Packing shapes of texels on square pages.

#include <cstdint>
#include <optional>
#include <vector>

#include "chart/raster.hpp"
#include "stasigraph/job.hpp"

namespace stasigraph {

/// How long to look for a better packing.
enum class PackEffort : std::uint8_t { quick, full };

struct PackOptions {
    int page = 1024;  ///< Texels; the largest side of a page.
    int margin = 4;   ///< Texels kept free between shapes, and between shapes and the page's edge.
    int block = 1;    ///< Shapes share no block of this many texels square; 1 for no such rule.
    int pages = 0;    ///< At most this many; 0 for as many as it takes.
    PackEffort effort = PackEffort::full;
};

/// One shape that moves as a whole.
struct PackShape {
    Mask mask;
    bool may_turn = true;
};

struct Placed {
    std::uint32_t page = none;  ///< none: there was no room.
    int x = 0, y = 0;           ///< Of the shape's top left texel, after turning.
    int turns = 0;              ///< Quarter turns, each (x, y) -> (height - y, x).
};

/// What has to lie on one page together, as ranges of shapes. Those with `at` have their places already.
struct PackItem {
    std::vector<std::uint32_t> shapes;
    std::vector<Placed> at;  ///< Empty, or one for each shape.
};

struct Packing {
    std::vector<int> pages;      ///< Side of each.
    std::vector<Placed> placed;  ///< For each shape.
    /// Found no room, because pages are limited or they are too large.
    std::vector<std::uint32_t> unplaced_items;
};

/// Packs the items: those with places first, then the others on `pages` that are there already, then on new
/// ones. Tries several orders and keeps the one that needs fewest texels. The same for any number of threads.
Packing pack(const std::vector<PackShape>& shapes, const std::vector<PackItem>& items,
             const std::vector<int>& pages, const PackOptions& settings, Job& job);

/// Packs shapes, unturned, into a rectangle of least area that is at most `limit` wide and high; false when
/// they do not fit.
bool pack_tight(const std::vector<Mask>& shapes, const PackOptions& settings, std::vector<Placed>& placed,
                int& width, int& height);

}  // namespace stasigraph
