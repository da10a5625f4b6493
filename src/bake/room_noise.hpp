#pragma once
// How noisy a set is in its noisiest room, as it is shown.

#include "bake/solve_layers.hpp"

namespace stasigraph {

/// The room that each texel lies in: the zone that lists its surface, else the last one whose boxes hold the
/// place in front of it and do not leave its surface out; in levels without zones its surface. Numbers into
/// `names`; none: in no room, or not `shown`.
struct Rooms {
    std::vector<std::uint32_t> of_texel;
    std::vector<std::string> names;
};
Rooms find_rooms(const Level& level, const TexelSet& texels, const TexelFlags& shown);

constexpr std::size_t most_checked = 4096;
/// Texels, spread evenly over those that pages show, at which bakes are checked against other rays:
/// `most_checked`, fewer where there are fewer.
std::vector<std::uint32_t> checked_texels(const UnlitLevel& unlit);

/// Fills in what the layers of a solve are more at those than other rays say; nothing where bounces are
/// limited, since all light that a texel sends is gathered. Cost: eight rows for each of them.
void check_noise(const Making& m, const Solved& solved, Job& job);

/// A texel's light and the square of its error as far as is known, channels summed, lux squared. Errors may
/// be below 0 by chance.
struct TexelError {
    std::uint32_t texel = 0;
    float light = 0, error = 0;
};
/// For each room the root of the mean square error, relative to the light of each texel or a quarter of what
/// is typical of the room (the mean logarithm), whichever is more, and never to less than `unseen` lux or a
/// thousandth of what the set has on average. Rooms of fewer than `fewest` texels have none: below 0.
std::vector<float> room_errors(const Rooms& rooms, const std::vector<float>& area,
                               const std::vector<TexelError>& texels, float unseen, std::size_t fewest);

/// For every set of `lit` its noisiest room, as other rays tell; what is unseen at the set's exposure is no
/// noise. Empty where layers were not checked.
std::vector<RoomNoise> noisiest_rooms(const UnlitLevel& unlit, const Level& lit,
                                      const std::vector<Layer>& layers, Job& job);

}  // namespace stasigraph
