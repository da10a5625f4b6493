#pragma once
// A second look at texels whose light by links differs from all around it: whether it does, or few links said
// so.

#include "bake/solve_layers.hpp"

namespace stasigraph {

/// Whether a bake looks again: not where bounces are limited, since all light that a texel sends is gathered,
/// nor where rows begin with few links. `first`: links of each row to begin with.
bool looks_again(const BakeOptions& quality, std::uint32_t first);

/// Gathers once more for texels that stand out, with other rays than those of their rows, and sets `by_links`
/// (a column of three for each group, smoothed) to what those say, as far as they are surer than what it
/// changes. Unbiased: whether a texel is looked at does not depend on the rays that then count. A group is
/// looked at for itself alone. Only of `wanted` texels, and where looks_again(). Cost: at most half a percent
/// of the texels for each group; 6 s of 150 on the demo level.
void look_again(const Making& making, const Solved& solved, const TexelFlags& wanted, LightField& by_links,
                Job& job);

}  // namespace stasigraph
