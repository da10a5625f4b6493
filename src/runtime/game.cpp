#include "stasigraph/game.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <new>
#include <utility>

#include "runtime/checksum.hpp"
#include "runtime/game_format.hpp"
#include "runtime/half.hpp"
#include "runtime/mapped_file.hpp"
#include "runtime/probe_light.hpp"
#include "runtime/reflection_lookup.hpp"

namespace stasigraph::runtime {

namespace {

constexpr std::uint32_t most_chunks = 4096, most_side = 16384, most_levels = 16;

/// An array in the file.
template <class T>
struct Part {
    const T* data = nullptr;
    std::uint32_t count = 0;
    const T& operator[](std::size_t i) const { return data[i]; }
};

/// Bytes of all levels of a map, or of those before one.
std::uint64_t level_bytes(std::uint32_t side, std::uint32_t levels) {
    std::uint64_t bytes = 0;
    for (std::uint32_t l = 0; l < levels; ++l) bytes += std::uint64_t{48} * (side >> l) * (side >> l);
    return bytes;
}

Point point(Vector v) {
    return {v.x, v.y, v.z};
}
Point point(const float* v) {
    return {v[0], v[1], v[2]};
}

}  // namespace

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
    Part<format::Reflection> reflections;
    Part<format::Map> maps;
    std::uint32_t* map_of = nullptr;  ///< set * reflections + reflection.
    ReflectionPlace* places = nullptr;
    std::uint32_t* starts = nullptr;  ///< A grid over the net.

    ~Data() {
        delete[] tags;
        delete[] image_of;
        delete[] map_of;
        delete[] places;
        delete[] starts;
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
    const char* read_reflections();
};

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
    if (n.map_side < 1 || n.map_side > 64 || n.stand_ins > 3 || n.dimension > 3) return "has a damaged net";
    const std::uint64_t points = std::uint64_t{n.probes} + n.stand_ins,
                        map = std::uint64_t{n.map_side} * n.map_side;
    Part<float> position, validity, clearance, reach, distance, inverse;
    Part<std::uint32_t> vertex, beside;
    if (!take("POSITION", position, 12) || !take("VALIDITY", validity) || !take("CLEARANC", clearance) ||
        !take("REACH", reach) || !take("DISTANCE", distance, static_cast<std::uint32_t>(8 * map)) ||
        !take("VERTEX", vertex, 16) || !take("BESIDE", beside, 16) || !take("INVERSE", inverse, 36) ||
        !take("PROBELIT", light, 108))
        return "has probes of another kind";
    if (position.count != points || validity.count != n.probes || clearance.count != n.probes ||
        reach.count != n.probes || distance.count != n.probes || vertex.count != n.cells ||
        beside.count != n.cells || inverse.count != n.cells ||
        light.count != std::uint64_t{n.probes} * sets.count)
        return "has not as many of everything as it has probes";
    for (std::size_t i = 0; i < 4 * std::size_t{n.cells}; ++i) {
        if (vertex[i] >= points) return "names a probe that is not there";
        if (beside[i] == no_cell) continue;
        const auto own = static_cast<std::uint32_t>(i / 4);
        if (beside[i] >= n.cells) return "has a damaged net";
        const std::uint32_t* back = beside.data + 4 * std::size_t{beside[i]};
        if (std::find(back, back + 4, own) == back + 4) return "has a damaged net";
    }
    net.count = n.probes;
    net.cells = n.cells;
    net.position = position.data;
    net.validity = validity.data;
    net.clearance = clearance.data;
    net.reach = reach.data;
    net.distance = distance.data;
    net.side = static_cast<int>(n.map_side);
    net.vertex = vertex.data;
    net.beside = beside.data;
    net.inverse = inverse.data;
    net.dimension = static_cast<int>(n.dimension);
    std::copy(n.base, n.base + 3, net.base);
    for (int k = 0; k < 2; ++k) std::copy(n.axis[k], n.axis[k] + 3, net.axis[k]);
    starts = new std::uint32_t[most_starts];
    lay_grid(net, starts);
    return nullptr;
}

const char* Game::Data::read_reflections() {
    Part<unsigned char> raw;
    if (!take("REFLECTN", reflections) || !take("MAPS", maps) || !take("MAPPIXEL", raw, 64))
        return "has reflection probes of another kind";
    map_pixels = raw.data;
    map_bytes = std::uint64_t{raw.count} * 64;
    places = new ReflectionPlace[reflections.count + std::size_t{1}];
    for (std::uint32_t i = 0; i < reflections.count; ++i) {
        const format::Reflection& m = reflections[i];
        if (!has_name(m.name) || m.shape > 2 || m.side == 0 || m.side > most_side || m.levels == 0 ||
            m.levels > most_levels || m.side >> (m.levels - 1) == 0)
            return "has a damaged reflection probe";
        ReflectionPlace& p = places[i];
        p.reach = static_cast<Reach>(m.shape);
        p.middle = point(m.middle);
        p.half = point(m.half);
        for (int a = 0; a < 3; ++a) p.axis[a] = point(m.axis[a]);
        p.radius = m.radius;
        p.blend = m.blend;
        p.capture = point(m.capture);
        p.projected = m.projected != 0;
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

Game::~Game() {
    delete data_;
}
Game::Game(Game&& other) noexcept : data_(std::exchange(other.data_, nullptr)), message_(other.message_) {}
Game& Game::operator=(Game&& other) noexcept {
    std::swap(data_, other.data_);
    message_ = other.message_;
    return *this;
}

Status Game::fail(Status status, const char* text) noexcept {
    delete std::exchange(data_, nullptr);
    message_ = text;
    return status;
}

void Game::close() noexcept {
    fail(Status::ok, "");
}

Status Game::read(const void* given, std::size_t size) {
    const std::uint16_t one = 1;
    if (*reinterpret_cast<const unsigned char*>(&one) != 1)
        return fail(Status::wrong_version, "is little-endian, and this machine is not");
    const auto* bytes = static_cast<const unsigned char*>(given);
    if (size < 16 || std::memcmp(bytes, format::magic, 8) != 0)
        return fail(Status::damaged, "is no packed level");
    std::uint16_t version;
    std::memcpy(&version, bytes + 8, 2);
    if (version > format::major) return fail(Status::wrong_version, "was written by a newer major version");
    if (version < format::major) return fail(Status::wrong_version, "was written by an older major version");
    if (reinterpret_cast<std::uintptr_t>(given) % 8 != 0)
        return fail(Status::damaged, "is not aligned to 8 bytes");
    data_->bytes = bytes;
    data_->size = size;
    const char* (Data::*steps[])() = {&Data::read_chunks, &Data::read_lists, &Data::read_images,
                                      &Data::read_net, &Data::read_reflections};
    for (const auto step : steps)
        if (const char* wrong = (data_->*step)()) return fail(Status::damaged, wrong);
    return Status::ok;
}

Status Game::open(const char* path) noexcept try {
    close();
    data_ = new Data;
    if (!data_->file.open(path)) return fail(Status::not_found, "cannot be opened, or is empty");
    return read(data_->file.data(), data_->file.size());
} catch (...) {
    return fail(Status::no_memory, "needs more memory than there is");
}

Status Game::open(const void* data, std::size_t size) noexcept try {
    close();
    data_ = new Data;
    return read(data, size);
} catch (...) {
    return fail(Status::no_memory, "needs more memory than there is");
}

bool Game::verify() const noexcept {
    if (!data_) return false;
    for (std::uint32_t i = 0; i < data_->chunks.count; ++i) {
        const format::Chunk& c = data_->chunks[i];
        if (checksum(data_->bytes + c.offset, static_cast<std::size_t>(c.size)) != c.checksum) return false;
    }
    return true;
}

std::uint32_t Game::chunk_count() const noexcept {
    return data_ ? data_->chunks.count : 0;
}
ChunkInfo Game::chunk(std::uint32_t number) const noexcept {
    return {data_->tags[number], static_cast<std::size_t>(data_->chunks[number].size)};
}

std::uint32_t Game::set_count() const noexcept {
    return data_ ? data_->sets.count : 0;
}
const char* Game::set_name(std::uint32_t set) const noexcept {
    return data_->name(data_->sets[set].name);
}
std::uint32_t Game::find_set(const char* name) const noexcept {
    for (std::uint32_t i = 0; i < set_count(); ++i)
        if (std::strcmp(set_name(i), name) == 0) return i;
    return nothing;
}

std::uint32_t Game::group_count() const noexcept {
    return data_ ? data_->groups.count : 0;
}
const char* Game::group_name(std::uint32_t group) const noexcept {
    return data_->name(data_->groups[group]);
}
Color Game::gain(std::uint32_t set, std::uint32_t group) const noexcept {
    const float* g = data_->gains.data + 3 * (std::size_t{set} * data_->groups.count + group);
    return {g[0], g[1], g[2]};
}

std::uint32_t Game::surface_count() const noexcept {
    return data_ ? data_->surfaces.count : 0;
}
SurfaceInfo Game::surface(std::uint32_t number) const noexcept {
    const format::Surface& s = data_->surfaces[number];
    return {data_->name(s.name),
            data_->name(s.node),
            s.page,
            {s.scale[0], s.scale[1]},
            {s.offset[0], s.offset[1]}};
}
std::uint32_t Game::find_surface(const char* name) const noexcept {
    for (std::uint32_t i = 0; i < surface_count(); ++i)
        if (std::strcmp(data_->name(data_->surfaces[i].name), name) == 0) return i;
    return nothing;
}

std::uint32_t Game::page_count() const noexcept {
    return data_ ? data_->pages.count : 0;
}
std::uint32_t Game::page_side(std::uint32_t page) const noexcept {
    return data_->pages[page];
}
Pixels Game::page(std::uint32_t set, std::uint32_t page, std::uint32_t part) const noexcept {
    const std::uint32_t number = data_->image_of[(std::size_t{set} * data_->pages.count + page) * 4 + part];
    if (number == nothing) return {};
    const format::Image& m = data_->images[number];
    return {data_->pixels + m.offset, static_cast<std::size_t>(m.size), m.side, m.exponent,
            static_cast<PixelFormat>(m.format)};
}

namespace {

Color texel_of(const Pixels& p, std::uint32_t x, std::uint32_t y) {
    const std::size_t at = std::size_t{y} * p.side + x;
    if (p.format == PixelFormat::rgb9e5) {
        std::uint32_t word;
        std::memcpy(&word, static_cast<const unsigned char*>(p.data) + 4 * at, 4);
        const float scale = std::ldexp(1.0f, static_cast<int>(word >> 27) - 24 + p.exponent);
        return {static_cast<float>(word & 511u) * scale, static_cast<float>(word >> 9 & 511u) * scale,
                static_cast<float>(word >> 18 & 511u) * scale};
    }
    std::uint16_t h[3];
    std::memcpy(h, static_cast<const unsigned char*>(p.data) + 8 * at, 6);
    const float scale = std::ldexp(1.0f, p.exponent);
    return {from_half(h[0]) * scale, from_half(h[1]) * scale, from_half(h[2]) * scale};
}

}  // namespace

Color Game::page_light(std::uint32_t set, std::uint32_t page, float x, float y) const noexcept {
    const Pixels p = this->page(set, page);
    if (!p.data) return {};
    const float most = static_cast<float>(p.side) - 1;
    // What is no number counts as the corner.
    const auto held = [most](float at) { return at > 0.5f ? std::min(at - 0.5f, most) : 0.0f; };
    const float u = held(x), v = held(y);
    const auto x0 = static_cast<std::uint32_t>(u), y0 = static_cast<std::uint32_t>(v),
               x1 = std::min(x0 + 1, p.side - 1), y1 = std::min(y0 + 1, p.side - 1);
    const float tx = u - static_cast<float>(x0), ty = v - static_cast<float>(y0);
    const Color a = texel_of(p, x0, y0), b = texel_of(p, x1, y0), c = texel_of(p, x0, y1),
                d = texel_of(p, x1, y1);
    const auto mix = [&](float Color::*k) {
        return (a.*k * (1 - tx) + b.*k * tx) * (1 - ty) + (c.*k * (1 - tx) + d.*k * tx) * ty;
    };
    return {mix(&Color::r), mix(&Color::g), mix(&Color::b)};
}

std::uint32_t Game::probe_count() const noexcept {
    return data_ ? data_->net.count : 0;
}
Weights Game::weights(Vector p, std::uint32_t& hint) const noexcept {
    Weights out;
    if (!data_) return out;
    const NetWeights found = net_weights(data_->net, point(p), hint);
    out.count = found.count;
    out.beyond = found.beyond;
    std::copy(found.probe, found.probe + found.count, out.probe);
    std::copy(found.weight, found.weight + found.count, out.weight);
    return out;
}
const float* Game::coefficients(std::uint32_t set, std::uint32_t probe) const noexcept {
    return data_->light.data + 27 * (std::size_t{set} * data_->net.count + probe);
}
Color Game::irradiance(std::uint32_t set, const Weights& w, Vector n) const noexcept {
    float basis[9], sum[3] = {0, 0, 0};
    sh_basis_at(n.x, n.y, n.z, basis);
    for (int k = 0; k < w.count; ++k) add_probe_light(coefficients(set, w.probe[k]), basis, w.weight[k], sum);
    return {std::max(sum[0], 0.0f), std::max(sum[1], 0.0f), std::max(sum[2], 0.0f)};
}
void Game::coefficients(std::uint32_t set, const Weights& w, float out[27]) const noexcept {
    std::fill(out, out + 27, 0.0f);
    for (int k = 0; k < w.count; ++k) {
        const float* c = coefficients(set, w.probe[k]);
        for (int i = 0; i < 27; ++i) out[i] += c[i] * w.weight[k];
    }
}

std::uint32_t Game::reflection_count() const noexcept {
    return data_ ? data_->reflections.count : 0;
}
const char* Game::reflection_name(std::uint32_t reflection) const noexcept {
    return data_->name(data_->reflections[reflection].name);
}
std::uint32_t Game::reflection_levels(std::uint32_t reflection) const noexcept {
    return data_->reflections[reflection].levels;
}
Pixels Game::reflection_map(std::uint32_t set, std::uint32_t reflection, std::uint32_t level) const noexcept {
    const std::uint32_t number = data_->map_of[std::size_t{set} * data_->reflections.count + reflection];
    if (number == nothing) return {};
    const format::Map& m = data_->maps[number];
    const std::uint32_t side = data_->reflections[reflection].side;
    return {data_->map_pixels + m.offset + level_bytes(side, level),
            std::size_t{48} * (side >> level) * (side >> level), side >> level, m.exponent,
            PixelFormat::half4};
}
Reflections Game::reflections(Vector at, Vector normal) const noexcept {
    Reflections out;
    float left = 1;
    for (std::uint32_t i = 0; i < reflection_count() && !reflections_full(out.count, left); ++i) {
        const float share = reflection_share(data_->places[i], point(at), point(normal)) * left;
        if (!(share > 0)) continue;
        out.probe[out.count] = i;
        out.weight[out.count++] = share;
        left -= share;
    }
    return out;
}
Vector Game::reflection_direction(std::uint32_t reflection, Vector at, Vector direction) const noexcept {
    const Point p = reflection_lookup(data_->places[reflection], point(at), point(direction));
    return {p.x, p.y, p.z};
}

}  // namespace stasigraph::runtime
