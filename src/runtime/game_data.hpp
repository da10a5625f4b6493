#pragma once
// A packed level as the runtime holds it: every number that leads somewhere is checked.

#include <cstddef>
#include <cstdint>
#include <cstring>

#include "runtime/game_format.hpp"
#include "runtime/lamp_sum.hpp"
#include "runtime/mapped_file.hpp"
#include "runtime/net_lookup.hpp"
#include "runtime/opened_net.hpp"
#include "runtime/reflection_lookup.hpp"
#include "stasigraph/game.hpp"

namespace stasigraph::runtime {

/// An array in the file.
template <class T>
struct Part {
    const T* data = nullptr;
    std::uint32_t count = 0;
    const T& operator[](std::size_t i) const { return data[i]; }
};

/// Bytes of all levels of a map, or of those before one.
inline std::uint64_t level_bytes(std::uint32_t side, std::uint32_t levels) {
    std::uint64_t bytes = 0;
    for (std::uint32_t l = 0; l < levels; ++l) bytes += std::uint64_t{48} * (side >> l) * (side >> l);
    return bytes;
}

inline Point point(Vector v) {
    return {v.x, v.y, v.z};
}
inline Point point(const float* v) {
    return {v[0], v[1], v[2]};
}
/// Tiles along a page's side.
inline std::uint32_t tiles_along(std::uint32_t side) {
    return (side + format::tile_side - 1) / format::tile_side;
}

struct Game::Data {
    MappedFile file;
    const unsigned char* bytes = nullptr;
    std::size_t size = 0;
    Part<format::Chunk> chunks;
    char (*tags)[9] = nullptr;  ///< Ended by zeros.

    Part<char> names;
    Part<format::Surface> surfaces;
    Part<std::uint32_t> pages, groups;
    Part<format::Set> sets;
    Part<float> gains;
    Part<format::Image> images;
    const unsigned char *pixels = nullptr, *map_pixels = nullptr;
    std::uint64_t pixel_bytes = 0, map_bytes = 0;
    std::uint32_t* image_of = nullptr;  ///< (set * pages + page) * 4 + part: its number.
    NetView net;
    Part<float> light;
    Part<float> rest;  ///< Of probes, without lamps; empty in levels that do not tell them apart.
    LampView lamps;
    LampEntries entries;
    Part<std::uint32_t> lamp_names;
    Part<float> lamp_colors;  ///< Three of each set each lamp.
    Part<format::GlbPrimitive> glb_primitives;
    Part<format::Reflection> reflections;
    Part<format::Map> maps;
    std::uint32_t* map_of = nullptr;  ///< set * reflections + reflection.
    ReflectionVolume* places = nullptr;
    OpenedNet opened;
    NearnessCode* nearness = nullptr;  ///< Where the file has distances instead.
    Part<std::uint32_t> zones, probe_zones;
    Part<std::uint32_t> tiles;  ///< Pages one after the other, rows from the top: a zone, or a block.
    Part<unsigned char> blocks;
    std::uint32_t block_count = 0;
    Part<format::Layer> layers;
    Part<format::Series> series;
    Part<format::Step> steps;

    ~Data() {
        delete[] tags;
        delete[] image_of;
        delete[] map_of;
        delete[] places;
        delete[] nearness;
    }
    /// Of a set's lamps, three each.
    const float* colors(std::uint32_t set) const {
        return lamp_colors.data + 3 * std::size_t{set} * lamps.count;
    }
    const char* name(std::uint32_t at) const { return names.data + at; }
    /// The chunk of a tag; null where there is none.
    const format::Chunk* find(const char* tag) const {
        for (std::uint32_t i = 0; i < chunks.count; ++i)
            if (std::strncmp(chunks[i].tag, tag, 8) == 0) return &chunks.data[i];
        return nullptr;
    }
    /// Its elements; false where they have another size than they should. No chunk: none.
    template <class T>
    bool take(const char* tag, Part<T>& part, std::uint32_t stride = sizeof(T)) const {
        const format::Chunk* c = find(tag);
        if (!c) return true;
        part = {reinterpret_cast<const T*>(bytes + c->offset), c->count};
        return c->stride == stride;
    }
    bool has_name(std::uint32_t at) const { return at < names.count; }

    const char* read_chunks();
    const char* read_lists();
    const char* read_images();
    const char* read_net();
    const char* read_lamps();
    const char* read_reflections();
    const char* read_zones();
    const char* read_layers();

    /// What a page shows under a set; an empty one where there is none.
    Pixels page(std::uint32_t set, std::uint32_t page, std::uint32_t part) const;
    /// A zone's number, or `nothing`: levels of a minor version without zones hold other numbers.
    std::uint32_t zone(std::uint32_t number) const { return number < zones.count ? number : nothing; }
};

}  // namespace stasigraph::runtime
