#pragma once
// The direct light of one group, kept while its sources stay the same.

#include "bake/layers.hpp"

namespace stasigraph {

/// Fills in what the layer lacks of explicit samples: from the store, or by rays.
void light_direct(LightWork& work, std::uint32_t group, Layer& layer, Job& job);

}  // namespace stasigraph
