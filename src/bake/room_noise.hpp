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

/// Fills in, for each of those texels, by how much the layers of a solve exceed what other rays say. Does
/// nothing where bounces are limited, since other rays gather all light that texels send. Cost: eight rows a
/// texel.
void check_noise(const Making& m, const Solved& solved, Job& job);

/// A texel's light (lux) and an estimate of its squared error (lux squared), channels summed. By chance an
/// estimate may be below 0.
struct TexelError {
    std::uint32_t texel = 0;
    float light = 0, error = 0;
};
/// For each room the root mean square of relative errors. An error is held against the largest of: the
/// texel's light, a quarter of the room's typical light (its mean logarithm), `unseen` lux, and a thousandth
/// of the set's mean. Rooms of fewer than `fewest` texels get a value below 0.
std::vector<float> room_errors(const Rooms& rooms, const std::vector<float>& area,
                               const std::vector<TexelError>& texels, float unseen, std::size_t fewest);

/// For every set of `lit` its noisiest room, judged by other rays; light unseen at the set's exposure does
/// not count. Empty where layers were not checked.
std::vector<RoomNoise> noisiest_rooms(const UnlitLevel& unlit, const Level& lit,
                                      const std::vector<Layer>& layers, Job& job);

}  // namespace stasigraph
