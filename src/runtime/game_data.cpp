// game.sgl, chunk by chunk.

#include "runtime/game_data.hpp"

#include <algorithm>

#include "runtime/checksum.hpp"

namespace stasigraph::runtime {

namespace {

constexpr std::uint32_t most_chunks = 4096, most_side = 16384, most_levels = 16;

}  // namespace

/// Each says what is wrong, or nothing.
const char* Game::Data::read_chunks() {
    format::Header h;
    if (size < sizeof h) return "is truncated";
    std::memcpy(&h, bytes, sizeof h);
    if (h.size != size) return "is truncated";
    if (h.chunks > most_chunks || sizeof h + h.chunks * sizeof(format::Chunk) > size)
        return "has a damaged table of chunks";
    chunks = {reinterpret_cast<const format::Chunk*>(bytes + sizeof h), h.chunks};
    if (checksum(chunks.data, h.chunks * sizeof(format::Chunk)) != h.table_checksum)
        return "has a damaged table of chunks";
    tags = new char[h.chunks + std::size_t{1}][9]();
    for (std::uint32_t i = 0; i < h.chunks; ++i) {
        const format::Chunk& c = chunks[i];
        std::memcpy(tags[i], c.tag, 8);
        if (c.offset % format::alignment != 0 || c.offset > size || c.size > size - c.offset ||
            c.size != std::uint64_t{c.count} * c.stride)
            return "has a chunk that does not fit";
    }
    return nullptr;
}

const char* Game::Data::read_lists() {
    if (!take("NAMES", names) || names.count == 0 || names[names.count - 1] != 0) return "has damaged names";
    Part<float> raw_gains;
    if (!take("SURFACES", surfaces) || !take("PAGES", pages) || !take("GROUPS", groups) ||
        !take("SETS", sets) || !take("GAINS", raw_gains, 12))
        return "has lists of another kind";
    gains = raw_gains;
    if (gains.count != std::uint64_t{sets.count} * groups.count)
        return "has not a gain for each set and group";
    for (std::uint32_t i = 0; i < surfaces.count; ++i) {
        const format::Surface& s = surfaces[i];
        if (!has_name(s.name) || !has_name(s.node) || (s.page != nothing && s.page >= pages.count))
            return "has a surface that names what is not there";
    }
    for (std::uint32_t i = 0; i < pages.count; ++i)
        if (pages[i] == 0 || pages[i] > most_side) return "has a page without a size";
    if (!take("GLBPLACE", glb_primitives)) return "has places of another kind";
    if (glb_primitives.count != 0 && glb_primitives.count != surfaces.count)
        return "has not a place for each surface";
    for (std::uint32_t i = 0; i < groups.count; ++i)
        if (!has_name(groups[i])) return "has a group without a name";
    for (std::uint32_t i = 0; i < sets.count; ++i)
        if (!has_name(sets[i].name)) return "has a set without a name";
    return nullptr;
}

const char* Game::Data::read_images() {
    Part<unsigned char> raw;
    if (!take("IMAGES", images) || !take("PIXELS", raw, 64)) return "has images of another kind";
    pixels = raw.data;
    pixel_bytes = std::uint64_t{raw.count} * 64;
    const std::size_t all = std::size_t{sets.count} * pages.count * 4;
    image_of = new std::uint32_t[all + 1];
    std::fill(image_of, image_of + all, nothing);
    for (std::uint32_t i = 0; i < images.count; ++i) {
        const format::Image& m = images[i];
        if (m.set >= sets.count || m.page >= pages.count || m.part > 3 || m.side != pages[m.page] ||
            m.exponent < -126 || m.exponent > 126)
            return "has an image of what is not there";
        const std::uint64_t texel = m.format == static_cast<std::uint32_t>(PixelFormat::half4)    ? 8
                                    : m.format == static_cast<std::uint32_t>(PixelFormat::rgb9e5) ? 4
                                                                                                  : 0;
        if (texel == 0 || m.size != texel * m.side * m.side || m.offset % 8 != 0 || m.offset > pixel_bytes ||
            m.size > pixel_bytes - m.offset)
            return "has an image that does not fit";
        image_of[(std::size_t{m.set} * pages.count + m.page) * 4 + m.part] = i;
    }
    return nullptr;
}

const char* Game::Data::read_net() {
    Part<format::Net> head;
    if (!take("NET", head)) return "has probes of another kind";
    if (head.count == 0) return nullptr;
    const format::Net& n = head[0];
    if (n.map_side < 1 || n.map_side > 64 || n.auxiliary > 3 || n.dimension > 3) return "has a damaged net";
    const std::uint64_t points = std::uint64_t{n.probes} + n.auxiliary,
                        map = std::uint64_t{n.map_side} * n.map_side;
    Part<float> position, front_share, clearance, reach, distance, inverse;

    Part<std::uint32_t> vertex, adjacent;
    if (!take("POSITION", position, 12) || !take("VALIDITY", front_share) || !take("CLEARANC", clearance) ||
        !take("REACH", reach) || !take("DISTANCE", distance, static_cast<std::uint32_t>(8 * map)) ||
        !take("VERTEX", vertex, 16) || !take("BESIDE", adjacent, 16) || !take("INVERSE", inverse, 36) ||
        !take("PROBELIT", light, 108))
        return "has probes of another kind";
    if (position.count != points || front_share.count != n.probes || clearance.count != n.probes ||
        reach.count != n.probes || distance.count != n.probes || vertex.count != n.cells ||
        adjacent.count != n.cells || inverse.count != n.cells ||
        light.count != std::uint64_t{n.probes} * sets.count)
        return "has not as many of everything as it has probes";
    for (std::size_t i = 0; i < 4 * std::size_t{n.cells}; ++i) {
        if (vertex[i] >= points) return "names a probe that is not there";
        if (adjacent[i] == no_cell) continue;
        const auto own = static_cast<std::uint32_t>(i / 4);
        if (adjacent[i] >= n.cells) return "has a damaged net";
        const std::uint32_t* back = adjacent.data + 4 * std::size_t{adjacent[i]};
        if (std::find(back, back + 4, own) == back + 4) return "has a damaged net";
    }
    net.count = n.probes;
    net.cells = n.cells;
    net.position = position.data;
    net.front_share = front_share.data;
    net.clearance = clearance.data;
    net.reach = reach.data;
    net.side = static_cast<int>(n.map_side);
    net.vertex = vertex.data;
    net.adjacent = adjacent.data;
    net.inverse = inverse.data;
    net.dimension = static_cast<int>(n.dimension);
    std::copy(n.base, n.base + 3, net.base);
    for (int k = 0; k < 2; ++k) std::copy(n.axis[k], n.axis[k] + 3, net.axis[k]);
    if (const format::Chunk* c = find("NEARNESS")) {
        net.side = static_cast<int>(std::sqrt(c->stride / 2));
        if (net.side < 1 || net.side > 64 || c->count != n.probes ||
            c->stride != static_cast<std::uint32_t>(2 * net.side * net.side))
            return "has probes of another kind";
        net.nearness = reinterpret_cast<const NearnessCode*>(bytes + c->offset);
    } else {
        // Levels before minor version 4 have mean and mean square distances.
        const std::size_t cells = std::size_t{n.probes} * static_cast<std::size_t>(map);
        nearness = new NearnessCode[cells];
        for (std::size_t i = 0; i < cells; ++i)
            nearness[i] = nearness_code(distance[2 * i], distance[2 * i + 1]);
        net.nearness = nearness;
    }
    opened.open(net);
    return nullptr;
}

const char* Game::Data::read_lamps() {
    Part<Lamp> lamp;
    Part<LampProfile> profile;
    Part<float> values, colors;
    Part<std::uint32_t> first, entry;
    // Levels with openings have the first and the last under other names.
    Part<Lamp> with_openings;
    if (!take("LAMPS", lamp) || !take("LAMPS2", with_openings) || !take("LAMPNAME", lamp_names) ||
        !take("LAMPCOLR", colors, 12) || !take("LAMPPROF", profile) || !take("LAMPVALS", values) ||
        !take("LAMPFRST", first) || !take("LAMPSEEN", entry) ||
        !take(with_openings.count > 0 ? "PROBRES2" : "PROBREST", rest, 108))
        return "has lamps of another kind";
    if (with_openings.count > 0) lamp = with_openings;
    if (rest.count == 0) return lamp.count == 0 ? nullptr : "has damaged lamps";
    if (rest.count != std::uint64_t{net.count} * sets.count || first.count != std::uint64_t{net.count} + 1 ||
        lamp_names.count != lamp.count || colors.count != std::uint64_t{lamp.count} * sets.count)
        return "has not as many of everything as it has probes";
    lamps = {lamp.data, lamp.count, profile.data, values.data};
    if (const char* wrong = wrong_lamps(lamps,
                                        {with_openings.count > 0 ? LampKind::opening : LampKind::tube,
                                         profile.count, values.count, net.count},
                                        {first.data, entry.data}, entry.count))
        return wrong;
    for (std::uint32_t i = 0; i < lamp.count; ++i)
        if (!has_name(lamp_names[i])) return "has a lamp without a name";
    entries = {first.data, entry.data};
    lamp_colors = colors;
    return nullptr;
}

const char* Game::Data::read_reflections() {
    Part<unsigned char> raw;
    if (!take("REFLECTN", reflections) || !take("MAPS", maps) || !take("MAPPIXEL", raw, 64))
        return "has reflection probes of another kind";
    map_pixels = raw.data;
    map_bytes = std::uint64_t{raw.count} * 64;
    places = new ReflectionVolume[reflections.count + std::size_t{1}];
    for (std::uint32_t i = 0; i < reflections.count; ++i) {
        const format::Reflection& m = reflections[i];
        if (!has_name(m.name) || m.shape > 2 || m.side == 0 || m.side > most_side || m.levels == 0 ||
            m.levels > most_levels || m.side >> (m.levels - 1) == 0)
            return "has a damaged reflection probe";
        ReflectionVolume& p = places[i];
        p.reach = static_cast<Reach>(m.shape);
        p.middle = point(m.middle);
        p.half = point(m.half);
        for (int a = 0; a < 3; ++a) p.axis[a] = point(m.axis[a]);
        p.radius = m.radius;
        p.blend = m.blend;
        p.capture = point(m.capture);
        p.parallax = m.parallax != 0;
        p.room_middle = point(m.room_middle);
        p.room_half = point(m.room_half);
    }
    const std::size_t all = std::size_t{sets.count} * reflections.count;
    map_of = new std::uint32_t[all + 1];
    std::fill(map_of, map_of + all, nothing);
    for (std::uint32_t i = 0; i < maps.count; ++i) {
        const format::Map& m = maps[i];
        if (m.set >= sets.count || m.reflection >= reflections.count || m.exponent < -126 ||
            m.exponent > 126 || m.offset % 8 != 0 || m.offset > map_bytes || m.size > map_bytes - m.offset ||
            m.size != level_bytes(reflections[m.reflection].side, reflections[m.reflection].levels))
            return "has a reflection map that does not fit";
        map_of[std::size_t{m.set} * reflections.count + m.reflection] = i;
    }
    return nullptr;
}

const char* Game::Data::read_zones() {
    Part<unsigned char> raw;
    if (!take("ZONES", zones) || !take("PROBEZON", probe_zones) || !take("TILES", tiles) ||
        !take("TEXZONES", raw, format::tile_texels))
        return "has zones of another kind";
    if (zones.count > 254) return "has too many zones";
    for (std::uint32_t i = 0; i < zones.count; ++i)
        if (!has_name(zones[i])) return "has a zone without a name";
    const auto known = [&](std::uint32_t z) { return z == nothing || z < zones.count; };
    for (std::uint32_t i = 0; i < surfaces.count; ++i)
        if (!known(surfaces[i].zone)) return "has a surface in a zone that is not there";
    if (probe_zones.count != 0 && probe_zones.count != net.count)
        return "has not as many of everything as it has probes";
    for (std::uint32_t i = 0; i < probe_zones.count; ++i)
        if (!known(probe_zones[i])) return "has a probe in a zone that is not there";
    blocks = raw;
    block_count = raw.count;
    std::uint64_t wanted = 0;
    for (std::uint32_t i = 0; i < pages.count; ++i)
        wanted += std::uint64_t{tiles_along(pages[i])} * tiles_along(pages[i]);
    if (tiles.count != 0 && tiles.count != wanted) return "has not a zone for each part of its pages";
    for (std::uint32_t i = 0; i < tiles.count; ++i) {
        const std::uint32_t t = tiles[i];
        if (t != nothing &&
            (t & format::block_tile ? (t & ~format::block_tile) >= block_count : t >= zones.count))
            return "has a part of a page in a zone that is not there";
    }
    for (std::size_t i = 0; i < std::size_t{block_count} * format::tile_texels; ++i)
        if (blocks[i] != format::no_zone && blocks[i] >= zones.count)
            return "has a texel in a zone that is not there";
    return nullptr;
}

const char* Game::Data::read_layers() {
    if (!take("LAYERS", layers) || !take("SERIES", series) || !take("STEPS", steps))
        return "has layers or series of another kind";
    for (std::uint32_t i = 0; i < layers.count; ++i)
        if (layers[i].group >= groups.count || layers[i].set >= sets.count)
            return "has a layer of what is not there";
    for (std::uint32_t i = 0; i < series.count; ++i) {
        const format::Series& s = series[i];
        if (!has_name(s.name) || s.count == 0 || s.first > steps.count || s.count > steps.count - s.first)
            return "has a series of what is not there";
        for (std::uint32_t k = 0; k < s.count; ++k) {
            const format::Step& step = steps[s.first + k];
            if (step.set >= sets.count || !(step.hour >= 0 && step.hour < 24) ||
                (k > 0 && !(step.hour > steps[s.first + k - 1].hour)))
                return "has a series whose hours do not follow one another";
        }
    }
    return nullptr;
}

Pixels Game::Data::page(std::uint32_t set, std::uint32_t page, std::uint32_t part) const {
    if (set >= sets.count || page >= pages.count || part > 3) return {};
    const std::uint32_t number = image_of[(std::size_t{set} * pages.count + page) * 4 + part];
    if (number == nothing) return {};
    const format::Image& m = images[number];
    return {pixels + m.offset, static_cast<std::size_t>(m.size), m.side, m.exponent,
            static_cast<PixelFormat>(m.format)};
}

}  // namespace stasigraph::runtime
