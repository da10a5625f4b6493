#pragma once
// Which zone each texel of each page belongs to, in tiles.

#include <cstdint>
#include <vector>

#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// As the packed level has them.
struct PageZones {
    std::vector<std::uint32_t> tiles;
    std::vector<std::uint8_t> blocks;
};

/// `surface_zones`: by surface. Margins belong to the chart they are filled from; texels of no chart to the
/// zone that the rest of their tile has.
PageZones zones_of_pages(const Atlas& atlas, const std::vector<std::uint32_t>& surface_zones);

}  // namespace stasigraph
