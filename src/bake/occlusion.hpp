#pragma once
// Ambient occlusion: how open each texel's surroundings are, whatever the light.

#include "finish/pages.hpp"
#include "finish/texel_graph.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// What is asked of occlusion, and of what. Borrows all of it.
struct OcclusionSource {
    const TexelSet& texels;
    const RowSource& rows;
    const RayCaster& caster;
    const TexelFlags& wanted;  ///< Texels that need a value.
    const TexelGraph* graph;   ///< Smoothed over it; null: left as sampled.
    float reach = 1.5f;        ///< Metres.
    int rays = 64;             ///< A texel.
};

/// For each texel the share of its surroundings that is open, 0 to 1: the mean over cosine-distributed
/// directions of 1 where nothing is met within reach, and of (distance / reach)^2 where something is. Glass
/// hides by the share that it keeps. Same bytes for any number of threads. Cost: the rays.
std::vector<float> measure_openness(const OcclusionSource& source, Job& job);

}  // namespace stasigraph
