#pragma once
// Texels by place and facing, whatever charts they are of: what a texel's links tell is of use to those that
// lie near it and face the same way.

#include <tuple>
#include <vector>

#include "chart/texels.hpp"

namespace stasigraph {

/// Texels to each side of a block, and blocks of a tile.
inline constexpr float block_side = 8;
inline constexpr int tile_blocks = 4;

/// A texel's place among the blocks.
struct InBlock {
    using Key = std::tuple<float, int, int, int, int>;  // spacing, facing, place
    Key tile, block;
    std::uint32_t texel;
    std::uint8_t half;  ///< Like the fields of a chessboard.

    float spacing() const { return std::get<0>(tile); }
};

/// The texels of one block, or of a tile: [begin, end) among all of them.
struct Stretch {
    std::size_t begin = 0, end = 0;
    std::size_t size() const { return end - begin; }
};

/// All valid texels, tile by tile, and in those block by block.
struct TexelBlocks {
    std::vector<InBlock> texels;
    struct Tile {
        std::vector<Stretch> blocks;
        std::uint32_t region = 0, number = 0;  ///< Its number there.
        Stretch whole() const { return {blocks.front().begin, blocks.back().end}; }
    };
    std::vector<Tile> tiles;
    /// Tiles of any facing in a cell of a power of two metres, of 128 to 256 texels to each side.
    std::vector<std::vector<std::uint32_t>> regions;

    float block_size(const Tile& tile) const { return block_side * texels[tile.whole().begin].spacing(); }
};
TexelBlocks in_blocks(const TexelSet& texels, const TexelStates& states);

}  // namespace stasigraph
