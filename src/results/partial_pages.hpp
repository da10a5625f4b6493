#pragma once

#include <vector>

#include "results/result_folder.hpp"
#include "stasigraph/bake.hpp"

namespace stasigraph {

/// Replaces all texels of a set but those of the chosen surfaces (by number; their margins included) by what
/// an earlier bake wrote, of the same charts. Throws Error where its files are damaged.
void keep_other_texels(const Atlas& atlas, const std::vector<std::uint8_t>& chosen, const ResultFiles& result,
                       const ManifestSet& before, BakedSet& set);

}  // namespace stasigraph
