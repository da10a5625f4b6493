#pragma once
// What first links tell of texels.

#include "bake/first_links.hpp"

namespace stasigraph {

struct JudgedLevel {
    const Level& level;
    const RayCaster& caster;
    const Atlas& atlas;
    TexelSet& texels;  ///< Some are moved to the open part of their footprint.
};

/// What is invalid, hidden and shared, by the same first links in every tier, however many it has. Links past
/// invalid texels are led elsewhere.
JudgedTexels judge_texels(const JudgedLevel& judged, ReadyRows ready, FirstLinks& first, Job& job);

/// Which texels a page shows.
TexelFlags lightmapped_texels(const TexelSet& texels, const Atlas& atlas, const JudgedTexels& judged);

/// After an edit: texels that light is sampled for in another way. It is sampled alike where a texel starts
/// its rays from the same places and weighs them alike; what stands in their way is another question.
TexelFlags sampled_otherwise(const TakenOver& from, const JudgedTexels& now);

}  // namespace stasigraph
