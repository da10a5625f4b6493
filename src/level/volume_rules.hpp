#pragma once
// What a volume may say, and how many probes it asks for.

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Probes of all volumes together, before anything is dropped.
inline constexpr double most_probes = 1e6;

/// Nodes of a lattice over a volume's bounds along each of its axes: as few as keep the spacing.
std::array<int, 3> lattice_nodes(const Volume& volume);
/// The places of a volume's lattice, evenly over its bounds, half a step in from their faces.
std::vector<Vec3> lattice_places(const Volume& volume);
/// About how many probes a volume's rules ask for.
double probes_asked(const Volume& volume);

/// Throws Error on the first broken rule.
void check_volumes(const Level& level);

/// Whether places are judged by light, which takes a quick bake.
inline bool asks_for_light(const Level& level) {
    return level.probes.tolerance > 0 || level.probes.budget > 0 ||
           std::any_of(level.volumes.begin(), level.volumes.end(),
                       [](const Volume& v) { return v.has(ProbeRule::light); });
}

}  // namespace stasigraph
