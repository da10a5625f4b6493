#pragma once
// The direct light of groups, kept while their sources stay the same.

#include "bake/layers.hpp"

namespace stasigraph {

/// Fills in what the layers of some groups (`layers` is by group) lack of explicit samples: from the store,
/// or by rays.
void light_direct(LightWork& work, const std::vector<std::uint32_t>& groups, std::vector<Layer>& layers,
                  Job& job);

}  // namespace stasigraph
