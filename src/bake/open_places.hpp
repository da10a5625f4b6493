#pragma once
// Texels of which the middle is invalid and a part is not.

#include "transport/links.hpp"

namespace stasigraph {

/// Which texels lie under no face that lies on theirs: the others need no rays.
RowFlags find_uncovered(const TracedLevel& traced, Job& job);

/// Which of these are open: not inside of anything (find_valid), nor in ground that has no underside and so
/// would let them see the sky from below. Same result in every tier.
TexelStates find_open(const RowFlags& uncovered, const TracedLevel& traced, const RowSource& rows,
                      const Links& links, Job& job);

/// Moves the places of invalid texels along the surface to the nearest open part of their footprint, where
/// they have one, and traces their links anew. Places, receivers, links and validity change; the texels'
/// numbers, normals and colours do not. Only in flat parts of charts, where the way to a valid neighbour
/// stays on the surface. Returns how many were moved. Same result for any number of threads. Cost: a few
/// hundred rays for each texel along the rim of what is invalid.
struct MovedTexels {
    TexelSet& texels;
    RowSource& rows;
    Links& links;
    TexelStates& states;
};
std::size_t move_to_open(const Level& level, const RayCaster& caster, const MovedTexels& moved, Job& job);

/// Traces some rows (ascending) from where their receivers are now; the others stay.
void trace_rows_anew(const TracedLevel& traced, const RowSource& rows,
                     const std::vector<std::uint32_t>& which, Links& links, Job& job);

}  // namespace stasigraph
