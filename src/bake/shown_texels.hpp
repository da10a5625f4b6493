#pragma once
// What pages show of texels, and how.

#include "bake/judged_texels.hpp"
#include "finish/seams.hpp"
#include "level/texture.hpp"
#include "transport/link_gradients.hpp"

namespace stasigraph {

/// A texel's extent in the material's UVs, and what stands for it there; by texel.
std::vector<Footprint> uv_footprints(const Level& level, const TexelSet& texels, Job& job);

/// What is shown, and of what. Borrowed.
struct ShownLevel {
    const Level& level;
    const TextureSet& textures;
    const Atlas& atlas;
    const TexelSet& texels;
    const std::vector<Footprint>& footprint;
    const JudgedTexels& judged;
    std::function<const RayCaster&()> caster;  ///< Asked for where the store has not what rays tell.
};

struct ShownTexels {
    std::vector<PagePlan> plans;
    SeamPlan seams;
    GradientRows gradient_rows;  ///< Texels whose gradients pages show, and those they are smoothed with.
    std::vector<Vec3> shading_normals;  ///< By the materials' maps; empty where pages do not show them.
};

/// Keeps in the store, under the unlit level's key, which seams are open and where normals point.
ShownTexels plan_shown_texels(const ShownLevel& shown, const BakeStore& store, const std::string& key,
                              Job& job);

}  // namespace stasigraph
