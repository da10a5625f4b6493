#pragma once
// What the smoothing of a bake is guided by: how uncertain each texel's light is, and how near what it sees.

#include "bake/sources.hpp"
#include "finish/denoise.hpp"
#include "transport/guided_links.hpp"

namespace stasigraph {

/// A bake as the guide is made from it; all borrowed during the call.
struct GuideSource {
    const TexelSet& texels;
    RecordedRows recorded;
    const RowLengths& lengths;
    const TexelFlags& wanted;
    const TexelGraph& graph;
    const std::vector<float>& reach;  ///< measure_reach()
    const std::vector<Rgb>& albedo;
    const LightField& light;
    const LightField& by_links;  ///< What of it is to be smoothed.
    const RowSkyWeights& weights;
    std::vector<const SkyLight*> sky;        ///< Of groups that are a sky; null for others.
    const std::vector<GuidedLinks>& guided;  ///< By group, or empty.
};

/// Harmonic mean distance to what the first links of each wanted texel met, at most 128 of them, metres.
std::vector<float> measure_reach(const TexelSet& texels, const Links& links, const TexelFlags& wanted,
                                 std::uint32_t first, Job& job);

/// Looks at the first links of every wanted row, at most 128 and no more than all rows have. Cost: as much as
/// one bounce over those.
DenoiseGuide guide_denoise(const GuideSource& source, Job& job);

/// Lowers a guide's variances, as their samples scatter, by what even spreading gains: told by `halves`, the
/// squared difference of the means of each texel's two halves of samples, over the texels around.
void temper_variance(const TexelGraph& graph, const TexelFlags& wanted, const std::vector<float>& halves,
                     DenoiseGuide& guide, Job& job);

/// Lowers variances beside edges of light, where it varies less along a line of texels than they tell: rows
/// that see half of what is bright scatter much, and are as one after the other.
void temper_by_lines(const TexelSet& texels, const TexelFlags& wanted, const LightField& light,
                     DenoiseGuide& guide, Job& job);

}  // namespace stasigraph
