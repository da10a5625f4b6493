#pragma once
// Smooths light that came by few rays, as far as that brings it nearer the truth and no further.
//
// Each texel's light is fitted by a constant or a plane over ever larger neighbourhoods, narrow where what it
// sees is near. How far to go is told apart for every light group from the light itself: what a wider fit
// changes beyond what its noise explains is detail, and the mean square error of a fit is that detail squared
// plus the noise it leaves. After Goldenshluger and Lepski's comparison of estimates (2011) and Rousselle et
// al., Adaptive Sampling and Reconstruction using Greedy Error Minimization, 2011.

#include "finish/texel_graph.hpp"
#include "transport/link_slopes.hpp"

namespace stasigraph {

/// What the smoothing is guided by, for each texel.
struct DenoiseGuide {
    std::vector<float> reach;  ///< Harmonic mean distance to what the texel sees, metres; over 0.
    std::vector<float>
        variance;  ///< `groups` values a texel: of its light, all channels summed, lux squared.
    std::size_t groups = 0;
};

/// Which fit was taken where: `groups` values a texel, 0 for none.
using FitChoice = std::vector<std::uint8_t>;

/// Replaces the light of every texel of the graph (those with `wanted`) and says how. Light is never below 0.
/// Same bytes for any number of threads. Memory: five times the field during the call.
FitChoice denoise(const TexelSet& texels, const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                  const DenoiseGuide& guide, LightField& light, Job& job);

/// Smooths the slopes of the same light in the same way; see link_slopes(). Memory: the field once more.
void denoise_slopes(const TexelSet& texels, const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                    const DenoiseGuide& guide, const FitChoice& choice, LightField& slopes, Job& job);

}  // namespace stasigraph
