#pragma once
// Light groups at unit strength: how bright and what colour a group is as a whole is a matter of mixing.

#include "stasigraph/level.hpp"

namespace stasigraph {

/// The largest value of each channel over a group's sources (whatever their units: lux, candela, nit); 0
/// where the group has none in that channel.
Rgb group_strength(const Level& level, std::uint32_t group);

/// Divides the sources of every group by its strength and multiplies every set's tints by it. Light is linear
/// in each channel, so the sets show the same; but a group that is dimmed or tinted as a whole has the same
/// sources as before, bit for bit (they keep 18 bits of their mantissa, so that rounding does not tell
/// otherwise), and its layer need not be made again.
void to_unit_strength(Level& level);

}  // namespace stasigraph
