#pragma once
// Probes drawn into a picture.

#include "picture/viewer.hpp"
#include "stasigraph/job.hpp"

namespace stasigraph {

/// What is marked, and how bright marks are.
struct MarkedView {
    const Viewer& viewer;
    const Shot& shot;
    const ViewLight& light;
    float white = 1;  ///< Nit that the picture shows as a bright white.
};

/// Draws each probe as a ball that is lit by what the probe holds, in front of and behind what is there.
/// Those that stand inside of something or behind it are unused: they are crossed out in red, and seen
/// through walls. `net`: the edges of the tetrahedra, too.
void draw_probes(const MarkedView& seen, bool net, Picture& picture, Job& job);

/// Draws each reflection probe as a ball that mirrors what was captured, where it was captured, and the edges
/// of what it reaches: rooms, water and ground in colours of their own, those placed by hand white.
void draw_reflections(const MarkedView& seen, Picture& picture, Job& job);

/// Draws each probe in the colour of its zone, and the edges of the zones' boxes.
void draw_zones(const MarkedView& seen, const std::vector<Zone>& zones, Picture& picture, Job& job);

}  // namespace stasigraph
