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

/// Surfaces belong to the zone that lists them; else to the one whose probes see most of them, where most of
/// what they see of it lies in the zone's boxes; what no zone's probes see, to the last one whose boxes hold
/// more than half of its area.
struct Zone {
    std::string name;
    std::vector<Volume> boxes;            ///< Boxes alone. May be empty.
    std::vector<std::uint32_t> listed;    ///< Surfaces that belong to it wherever they are.
    std::vector<std::uint32_t> left_out;  ///< Surfaces that its boxes do not take.
    ZoneProbes probes = ZoneProbes::seen;
    std::vector<Vec3> with, without;  ///< Metres: the nearest probe to each is in, or is not in.
};

}  // namespace stasigraph
