// The volume of a level whose sheet has none.

#include <algorithm>

#include "level/volume_rules.hpp"

namespace stasigraph {

namespace {

/// Over what is highest, metres: a figure may stand on it.
constexpr float over_top = 2;
/// Metres between probes before thinning, at most, and in small levels at least; a quarter of the narrower
/// side between them.
constexpr float widest = 2, narrowest = 0.5f;
/// Nodes of a lattice over all of it. More: a square kilometre would be explored at a step nobody waits for.
constexpr double most_nodes = 16000;
/// Levels so wide that probes would lie farther apart, metres, are no place for a figure.
constexpr float most_spacing = 100;
constexpr float default_tolerance = 0.05f;
constexpr int default_budget = 4000;

}  // namespace

void add_default_volume(Level& level) {
    if (has_probes(level) || !level.probes.by_default) return;
    Vec3 low{1e30f, 1e30f, 1e30f}, high = low * -1;
    for (const Surface& s : level.surfaces) {
        // Backdrops that nothing lights are no place to be.
        if (s.part != Part::still || s.lit_by == LitBy::nothing) continue;
        for (const Vec3 p : level.meshes[s.mesh]->positions) {
            const Vec3 at = transform_point(s.to_world, p);
            low = min(low, at);
            high = max(high, at);
        }
    }
    high.y += over_top;
    if (!(high.x > low.x && high.y > low.y && high.z > low.z) || length(high - low) > farthest_place) return;
    const float narrower = std::min(high.x - low.x, high.z - low.z);
    Volume v = box_volume("level", low, high, std::clamp(narrower / 4, narrowest, widest));
    v.by_default = v.from_floors = true;
    std::fill(std::begin(v.rules), std::end(v.rules), false);
    v.rules[static_cast<int>(ProbeRule::explore)] = v.rules[static_cast<int>(ProbeRule::walkable)] = true;
    while (probes_asked(v) > most_nodes) v.spacing *= 1.25f;
    if (v.spacing > most_spacing) return;
    level.volumes.push_back(std::move(v));
    if (!(level.probes.tolerance > 0)) level.probes.tolerance = default_tolerance;
    if (level.probes.budget == 0) level.probes.budget = default_budget;
}

}  // namespace stasigraph
