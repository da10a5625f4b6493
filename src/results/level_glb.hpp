#pragma once
#include <cstdint>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Where a surface stands in the level as it is written: its node, and its primitive in that node's mesh;
/// none where it is not in there.
struct GlbPrimitive {
    std::uint32_t node = none, primitive = none;
};
/// By surface.
std::vector<GlbPrimitive> glb_primitives(const Level& level);

}  // namespace stasigraph
