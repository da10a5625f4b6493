#pragma once
// Guides: where the light of a group comes from that evenly spread links meet by chance, as the links of the
// texels around a place tell.

#include "bake/solve_layers.hpp"
#include "transport/guided_links.hpp"

namespace stasigraph {

/// What is known of the groups of a solve when guides are learnt; borrows making and light.
struct LearntFrom {
    const Making& making;
    const LightField& light;  ///< With the first links.
    std::uint32_t first = 0;  ///< Links of each row.
    float aim = 0.04f;        ///< Relative standard error asked for.
    std::vector<float> sent;  ///< What texels send, luminance of each group in lux.
};
LearntFrom learn_from(const Making& making, const LightField& light, std::uint32_t first, float aim,
                      Job& job);

/// For each group the rows that want links of their own, and where those go; the links are not traced yet.
/// `noise` as estimate_noise() tells it. Texels are taken in blocks of eight to each side, by place and
/// facing and whatever chart they are of, in two halves like the fields of a chessboard, and each half learns
/// from the other: a row whose own links decided where more are sent would count what it met by chance for
/// less than that is worth, and all such rows together would be too dark. What a block met too seldom, the
/// other half of the tile of four by four by four blocks around it and of the region tell, as bright places
/// that each row looks at from where it stands. The guides of a group depend on that group alone.
/// Deterministic. Memory: 32 KB for each block of a tile and group, for each thread; a guide takes 8 bytes
/// and 18 for each of its cells.
std::vector<GuidedLinks> learn_guides(const LearntFrom& from, const std::vector<float>& noise, Job& job);

/// Traces the links that the guides of a group ask for. `rows`: what the evenly spread ones start from.
void trace_guided(UnlitLevel& unlit, const RowSource& rows, GuidedLinks& guided, Job& job);

/// Noise with guided links in place of that without, for the rows that have them. `mean`: what the first
/// links bring, as estimate_noise() tells it.
void renew_noise(const LearntFrom& from, const std::vector<GuidedLinks>& guided,
                 const std::vector<float>& mean, std::vector<float>& noise, Job& job);

/// What the guided links of a sky's group, and the weights that they change, add to what a texel has of it by
/// links, lux; nothing where it has none. `counting`: links of its row that count.
Rgb guided_sky(const SkyLight& sky, const GuidedLinks& guided, RowParts& parts, const LinkRange& counting,
               const SkyWeights& weights);

}  // namespace stasigraph
