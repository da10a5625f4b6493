#pragma once
// Texels as their first rays found them.

#include "bake/footprint.hpp"
#include "bake/shared_texels.hpp"
#include "finish/texel_graph.hpp"
#include "stasigraph/bake_store.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// Where each texel's rays start, which texels are inside geometry, which nobody can look at, and which
/// belong together.
struct JudgedTexels {
    RowSource rows;
    TexelStates states;
    TexelFlags hidden;      ///< Valid, but nothing can look at them: pages are filled there.
    std::size_t moved = 0;  ///< Sampled in the open part of their footprint.
    std::vector<SharedPair> shared;
    Footprints footprints;
    std::vector<float> sky_sample_share;  ///< Of direct samples of the sky, for each row.
    TexelGraph graph;

    bool is_valid(std::size_t texel) const { return stasigraph::is_valid(states[texel]); }

    /// `positions`: of all texels, since some were moved. False where the store has none under that key, or
    /// another number of them; then this is as it was.
    bool load(const BakeStore& store, const std::string& key, std::size_t count,
              std::vector<Vec3>& positions);
    void save(const BakeStore& store, const std::string& key, const std::vector<Vec3>& positions) const;
};

}  // namespace stasigraph
