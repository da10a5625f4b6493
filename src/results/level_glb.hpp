#pragma once
#include <cstdint>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Where a surface stands in the level as it is written: its node, and its primitive in that node's mesh;
/// none where it is not in there.
struct GlbPlace {
    std::uint32_t node = none, primitive = none;
};
/// By surface.
std::vector<GlbPlace> glb_places(const Level& level);

}  // namespace stasigraph
