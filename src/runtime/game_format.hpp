#pragma once
// game.sgl, as docs/files.md describes it: what the writer and the game's reader share. C++17, standard
// library only.

#include <cstdint>

namespace stasigraph::runtime::format {

inline constexpr char magic[8] = {'S', 'G', 'L', 'E', 'V', 'E', 'L', 0};
/// A reader takes files of its own major version, whatever their minor one: chunks it does not know are left
/// alone.
inline constexpr std::uint16_t major = 1, minor = 5;
inline constexpr std::uint64_t alignment = 64;
/// Pages are mixed in squares of this many texels; those at a page's edge may be smaller.
inline constexpr std::uint32_t tile_side = 32, tile_texels = tile_side * tile_side;
/// A tile is a zone's number (0xffffffff: of none), or with this bit the number of a block, which has the
/// zone of each texel.
inline constexpr std::uint32_t block_tile = 0x80000000u;
inline constexpr std::uint8_t no_zone = 255;  ///< In blocks.

struct Header {
    char magic[8];
    std::uint16_t major, minor;
    std::uint32_t chunks;
    std::uint64_t size;            ///< Of the whole file, bytes.
    std::uint64_t table_checksum;  ///< Of the table of chunks, which follows.
    std::uint8_t unused[32];
};
static_assert(sizeof(Header) == 64);

struct Chunk {
    char tag[8];           ///< Filled up with zeros.
    std::uint64_t offset;  ///< From the file's start; a multiple of 64.
    std::uint64_t size;    ///< Bytes: count * stride.
    std::uint32_t count, stride;
    std::uint64_t checksum;
};
static_assert(sizeof(Chunk) == 40);

struct Surface {
    std::uint32_t name, node;  ///< Places in the names.
    std::uint32_t page;        ///< 0xffffffff: it has no lightmap.
    std::uint32_t zone;        ///< 0xffffffff: none.
    float scale[2], offset[2];
};
static_assert(sizeof(Surface) == 32);

/// Where a surface stands in the written level; since minor version 2.
struct GlbPrimitive {
    std::uint32_t node, primitive;  ///< 0xffffffff: it is not in there.
};
static_assert(sizeof(GlbPrimitive) == 8);

struct Set {
    std::uint32_t name, unused;
};

/// A page's light under a set, or one of the three coefficients that tell how it changes with the normal.
struct Image {
    std::uint32_t set, page;
    std::uint32_t part;    ///< 0: light; 1, 2, 3: coefficients 1-1, 10, 11.
    std::uint32_t format;  ///< As Vulkan numbers them: 97 for four half floats, 123 for shared exponents.
    std::int32_t exponent;
    std::uint32_t side;
    std::uint64_t offset, size;  ///< In the pixels.
};
static_assert(sizeof(Image) == 40);

struct Net {
    std::uint32_t probes, auxiliary, cells, map_side, dimension;
    float base[3], axis[2][3];
};
static_assert(sizeof(Net) == 56);

struct Reflection {
    std::uint32_t name, shape, parallax, side, levels;
    float middle[3], half[3], axis[3][3], radius, blend, capture[3], room_middle[3], room_half[3];
    std::uint32_t zone;  ///< Since minor version 1; nothing that counts where there are no zones.
};
static_assert(sizeof(Reflection) == 128);

/// A reflection probe's map under a set: its levels one after the other, the sharpest first.
struct Map {
    std::uint32_t set, reflection;
    std::int32_t exponent;
    std::uint32_t unused;
    std::uint64_t offset, size;  ///< In the maps' pixels.
};
static_assert(sizeof(Map) == 32);

/// A light group that is there alone, as a set of its own.
struct Layer {
    std::uint32_t group, set;
};

/// A ring of sets, by the hours of a day: steps from `first` on, hours growing.
struct Series {
    std::uint32_t name, first, count, unused;
};
struct Step {
    std::uint32_t set;
    float hour;  ///< [0, 24).
};

}  // namespace stasigraph::runtime::format
