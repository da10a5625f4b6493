#pragma once
// What belongs to which zone.

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Numbers into Level::zones, or none.
struct ZoneLinks {
    std::vector<std::uint32_t> surface;     ///< By surface.
    std::vector<std::uint32_t> probe;       ///< By probe.
    std::vector<std::uint32_t> reflection;  ///< By reflection probe: the zone it is captured in.
    std::vector<std::uint32_t> light;       ///< By light: the zone whose boxes hold it, the last one.
    /// By zone: probes inside its boxes that a wall parts from it.
    std::vector<std::uint32_t> walled_off;
};

/// Links surfaces, probes and reflection probes to zones.
///
/// Probes and walls: of places spread evenly through a box, those that can be seen from one of them are its
/// heart; that one is taken which sees most, and what sees less than half of them is left out. A probe in a
/// box belongs to the zone where it sees at least a fifth of that box's heart; in boxes of several zones, to
/// the one whose heart it sees the larger share of. A zone without boxes has the probes that see more of its
/// surfaces than of all others. Surfaces are as in struct Zone. Deterministic. Cost: 130,000 rays a box at
/// most, 128 a probe, and 256 for each probe and box that holds it.
ZoneLinks link_zones(const Level& level, const std::vector<Vec3>& probes,
                     const std::vector<ReflectionProbe>& reflections, Job& job);

/// A colour for each zone, and grey for none, as pictures have them; linear.
Rgb zone_color(std::uint32_t zone);

}  // namespace stasigraph
