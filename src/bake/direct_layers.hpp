#pragma once
// The direct light of groups, kept while their sources stay the same.

#include "bake/layers.hpp"

namespace stasigraph {

/// Fills in what layers lack of direct samples: from the store, or by rays.
void light_direct(const std::vector<LayerToMake>& wanted, Job& job);

}  // namespace stasigraph
