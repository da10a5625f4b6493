#pragma once
// Zones: parts of a level whose surfaces and probes switch together.

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/volume.hpp"

namespace stasigraph {

inline constexpr std::size_t most_zones = 254;  ///< In a level.

/// Which probes inside a zone's boxes belong to it.
enum class ZoneProbes : std::uint8_t {
    seen,    ///< Those that see it: a wall parts the others from it.
    inside,  ///< All of them.
    listed   ///< None but those listed.
};

/// Surfaces belong to the zone that lists them, else to one whose boxes hold more than half of their area.
/// Where that is true of several, the last one counts.
struct Zone {
    std::string name;
    std::vector<Volume> boxes;            ///< Boxes alone. May be empty.
    std::vector<std::uint32_t> listed;    ///< Surfaces that belong to it wherever they are.
    std::vector<std::uint32_t> left_out;  ///< Surfaces that its boxes do not take.
    ZoneProbes probes = ZoneProbes::seen;
    std::vector<Vec3> with, without;  ///< Metres: the nearest probe to each is in, or is not in.
};

}  // namespace stasigraph
