#pragma once
// What the stages of a bake cost, for forecasts. Measured on the demo level; only their ratios matter, since
// the first seconds of a bake tell how fast this machine is on this level.

#include "bake/unlit_level.hpp"

namespace stasigraph {

/// A plan of a bake from nothing, as far as the level alone tells.
std::vector<PlannedStage> plan_of(const Level& level);
/// Captures of one set.
double capture_cost(double probes, int resolution, Tier tier);
/// Once texels are placed: what is still to be done to the unlit level.
void expect_unlit(const UnlitLevel& unlit, bool kept, Job& job);
/// Once it is known how many layers are to be made.
void expect_layers(const UnlitLevel& unlit, const Level& lit, std::size_t groups, Job& job);
/// By what a row takes of all groups that are to be sampled, seconds.
void expect_direct(const UnlitLevel& unlit, double seconds_a_row, Job& job);
/// Bytes that a bake holds at most besides links. Measured: 3160 a texel
/// with ten groups, a third of it guided links and their guides.
double bake_memory(double texels, double groups);
/// Of the links that rows lack.
double cost_of_links(const UnlitLevel& unlit, const std::vector<std::uint32_t>& lengths);

}  // namespace stasigraph
