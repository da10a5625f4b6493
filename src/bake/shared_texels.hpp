#pragma once
// Walls that stand on a surface whose texels are too large for them.

#include "chart/texels.hpp"
#include "stasigraph/bake.hpp"
#include "trace/ray_caster.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// A wall between two texels of one chart that filtering reads together: with no more than one invalid texel
/// inside of it, light of either side shows on the other.
struct SharedPair {
    std::uint32_t a = 0, b = 0;
    float wall = 0;  ///< Metres thick; 0: a sheet.
};

/// `wanted`: those that are valid. In order of texels. Cost: two to six short rays a texel.
std::vector<SharedPair> find_shared(const TexelSet& texels, const TexelFlags& wanted, const RayCaster& caster,
                                    Job& job);

/// Marks texels that no page needs: those beyond a wall from a texel of their chart, as under a floor that a
/// wall goes through, in a space too small to be looked into. What pages hold there is filled from the other
/// side, so that no dark line shows where wall and floor meet. `wanted`: the valid texels of pages. Pairs
/// with a hidden texel are dropped.
TexelFlags find_hidden(const TexelSet& texels, const TexelFlags& wanted, const Links& links,
                       std::vector<SharedPair>& pairs);

}  // namespace stasigraph
