#pragma once
// Smooths light that came by few rays, as far as that brings it nearer the truth and no further.
//
// Each texel's light is fitted by a constant or a plane over ever larger neighbourhoods, narrow where what it
// sees is near, and by those texels alone that may have the same light as far as the noise of both can tell.
// How far to go is told for every light group from the light itself: the mean square error of a fit is what
// it changes, squared, plus twice the noise it shares with what it is compared to, less the noise of that
// (Stein, Estimation of the Mean of a Multivariate Normal Distribution, 1981).

#include <functional>

#include "finish/texel_graph.hpp"
#include "transport/link_gradients.hpp"

namespace stasigraph {

/// What the smoothing is guided by, for each texel.
struct DenoiseGuide {
    std::vector<float> reach;  ///< Harmonic mean distance to what the texel sees, metres; over 0.
    std::vector<float>
        variance;  ///< `groups` values a texel: of its light, all channels summed, lux squared.
    std::size_t groups = 0;
    float strength = 1;  ///< Over 1 smooths more than the least error wants, for few links; [0.5, 2].
    std::vector<float>
        unseen;  ///< By group: standard error, channels summed, too small to be smoothed, lux. Or empty.
};

/// What is smoothed: the light of texels, and the gradients that are shown, as it is.
struct SmoothedLight {
    LightField& light;
    const GradientRows* rows = nullptr;  ///< Null where there are no gradients.
    LightField* gradients = nullptr;
};
/// The texels of the graph, those with `wanted`.
struct SmoothedTexels {
    const TexelSet& texels;
    const TexelGraph& graph;
    const TexelFlags& wanted;
};
/// This many groups at once share what is known of a texel's surroundings; more need more memory.
inline constexpr std::size_t groups_smoothed_at_once = 5;

/// A smoothing that is stopped and goes on: groups are done a few at a time.
struct SmoothingSteps {
    std::size_t done = 0;                    ///< This many groups are done already.
    std::function<void(std::size_t)> after;  ///< Called with how many are; may be empty.
};
/// The units of a job's stage that guide_denoise() and denoise() together advance by.
constexpr std::size_t denoise_units(std::size_t texels, std::size_t groups) {
    return 3 * texels * groups;
}
/// How far around a texel light may come from, in steps of the graph.
inline constexpr int smoothing_steps = 8;

/// Replaces the light of every wanted texel, which is never below 0. Only light of groups that are not done
/// is read or replaced. A group's light is the same whichever others are smoothed with it, and for any number
/// of threads. Memory: during the call 100 bytes a texel for each of at most five groups, and the gradients
/// once more.
void denoise(const SmoothedTexels& texels, const DenoiseGuide& guide, const SmoothedLight& smoothed, Job& job,
             const SmoothingSteps& steps = {});

}  // namespace stasigraph
