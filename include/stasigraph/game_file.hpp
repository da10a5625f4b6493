#pragma once
// Packs a baked level into one file for the game. The game's side is in stasigraph/game.hpp.

#include <filesystem>

#include "stasigraph/bake.hpp"
#include "stasigraph/link_zones.hpp"

namespace stasigraph {

enum class GamePixels : std::uint8_t {
    half,   ///< Four 16-bit floats a texel.
    rgb9e5  ///< Nine bits a channel with a shared exponent: half the bytes, off by 1 in 512 at most.
};

struct GameOptions {
    GamePixels pixels = GamePixels::half;  ///< Of pages; reflection maps are always half floats.
};

/// Writes game.sgl, described in docs/files.md: all sets of `baked` with pages, probes and reflection probes,
/// in the order in which the level has them, and what is in which zone (`links`: of link_zones(), which is
/// called where it is null). The file appears whole or not at all, and is the same for the
/// same input. Throws Error where it cannot be written.
void save_game(const std::filesystem::path& to, const ChartedLevel& charted, const Baked& baked,
               const GameOptions& settings = {}, const ZoneLinks* links = nullptr);

}  // namespace stasigraph
