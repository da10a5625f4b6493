#include "stasigraph/game.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <new>
#include <utility>

#include "runtime/checksum.hpp"
#include "runtime/game_data.hpp"
#include "runtime/pixel_codes.hpp"
#include "runtime/probe_light.hpp"

namespace stasigraph::runtime {

namespace {

constexpr float no_light[27] = {};  ///< The coefficients of what is not there.

}  // namespace

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
                                      &Data::read_net,    &Data::read_lamps, &Data::read_reflections,
                                      &Data::read_zones,  &Data::read_layers};
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
    if (number >= chunk_count()) return {};
    return {data_->tags[number], static_cast<std::size_t>(data_->chunks[number].size)};
}

std::uint32_t Game::set_count() const noexcept {
    return data_ ? data_->sets.count : 0;
}
const char* Game::set_name(std::uint32_t set) const noexcept {
    return set < set_count() ? data_->name(data_->sets[set].name) : "";
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
    return group < group_count() ? data_->name(data_->groups[group]) : "";
}
Color Game::gain(std::uint32_t set, std::uint32_t group) const noexcept {
    if (set >= set_count() || group >= group_count()) return {};
    const float* g = data_->gains.data + 3 * (std::size_t{set} * data_->groups.count + group);
    return {g[0], g[1], g[2]};
}

std::uint32_t Game::surface_count() const noexcept {
    return data_ ? data_->surfaces.count : 0;
}
SurfaceInfo Game::surface(std::uint32_t number) const noexcept {
    if (number >= surface_count()) return {};
    const format::Surface& s = data_->surfaces[number];
    SurfaceInfo info{data_->name(s.name), data_->name(s.node),      s.page,
                     data_->zone(s.zone), {s.scale[0], s.scale[1]}, {s.offset[0], s.offset[1]}};
    if (number < data_->glb_primitives.count) {
        info.glb_node = data_->glb_primitives[number].node;
        info.glb_primitive = data_->glb_primitives[number].primitive;
    }
    return info;
}
std::uint32_t Game::find_surface(const char* name) const noexcept {
    for (std::uint32_t i = 0; i < surface_count(); ++i)
        if (std::strcmp(data_->name(data_->surfaces[i].name), name) == 0) return i;
    return nothing;
}

std::uint32_t Game::zone_count() const noexcept {
    return data_ ? data_->zones.count : 0;
}
const char* Game::zone_name(std::uint32_t zone) const noexcept {
    return zone < zone_count() ? data_->name(data_->zones[zone]) : "";
}
std::uint32_t Game::find_zone(const char* name) const noexcept {
    for (std::uint32_t i = 0; i < zone_count(); ++i)
        if (std::strcmp(zone_name(i), name) == 0) return i;
    return nothing;
}
std::uint32_t Game::probe_zone(std::uint32_t probe) const noexcept {
    return data_ && probe < data_->probe_zones.count ? data_->probe_zones[probe] : nothing;
}
std::uint32_t Game::reflection_zone(std::uint32_t reflection) const noexcept {
    return reflection < reflection_count() ? data_->zone(data_->reflections[reflection].zone) : nothing;
}

std::uint32_t Game::layer_count() const noexcept {
    return data_ ? data_->layers.count : 0;
}
Layer Game::layer(std::uint32_t number) const noexcept {
    if (number >= layer_count()) return {};
    return {data_->layers[number].group, data_->layers[number].set};
}
std::uint32_t Game::find_layer(const char* group) const noexcept {
    for (std::uint32_t i = 0; i < layer_count(); ++i)
        if (std::strcmp(group_name(layer(i).group), group) == 0) return i;
    return nothing;
}

std::uint32_t Game::series_count() const noexcept {
    return data_ ? data_->series.count : 0;
}
const char* Game::series_name(std::uint32_t series) const noexcept {
    return series < series_count() ? data_->name(data_->series[series].name) : "";
}
std::uint32_t Game::find_series(const char* name) const noexcept {
    for (std::uint32_t i = 0; i < series_count(); ++i)
        if (std::strcmp(series_name(i), name) == 0) return i;
    return nothing;
}
std::uint32_t Game::series_length(std::uint32_t series) const noexcept {
    return series < series_count() ? data_->series[series].count : 0;
}
SeriesStep Game::series_step(std::uint32_t series, std::uint32_t step) const noexcept {
    if (step >= series_length(series)) return {};
    const format::Step& s = data_->steps[data_->series[series].first + step];
    return {s.set, s.hour};
}

std::uint32_t Game::page_count() const noexcept {
    return data_ ? data_->pages.count : 0;
}
std::uint32_t Game::page_side(std::uint32_t page) const noexcept {
    return page < page_count() ? data_->pages[page] : 0;
}
Pixels Game::page(std::uint32_t set, std::uint32_t page, std::uint32_t part) const noexcept {
    return set < set_count() && page < page_count() && part < 4 ? data_->page(set, page, part) : Pixels{};
}

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
    static_assert(sizeof out.probe == sizeof found.probe && sizeof out.weight == sizeof found.weight);
    std::memcpy(out.probe, found.probe, sizeof out.probe);
    std::memcpy(out.weight, found.weight, sizeof out.weight);
    out.placed = true;
    out.at = p;
    return out;
}
const float* Game::coefficients(std::uint32_t set, std::uint32_t probe) const noexcept {
    if (set >= set_count() || probe >= probe_count()) return no_light;
    return data_->light.data + 27 * (std::size_t{set} * data_->net.count + probe);
}
/// Sums what probes hold, lamps apart where they are told apart.
bool Game::sum(std::uint32_t set, const Weights& w, float out[27], LampSum& seen) const noexcept {
    if (!data_ || data_->rest.count == 0 || !w.placed || set >= set_count()) {
        coefficients(set, w, out);
        return false;
    }
    const float* rest = data_->rest.data + 27 * std::size_t{set} * data_->net.count;
    const float* colors = data_->colors(set);
    LightSum all;
    for (int k = 0; k < std::min(w.count, Weights::most); ++k) {
        const std::uint32_t p = w.probe[k];
        if (p >= data_->net.count) continue;
        all.add(rest + 27 * std::size_t{p}, w.weight[k]);
        seen.add_probe(data_->entries, p, w.weight[k], colors);
    }
    all.get(out);
    constexpr float whole[3] = {1, 1, 1};
    seen.add_color(colors, whole);
    seen.look(data_->lamps);
    return true;
}
Color Game::irradiance(std::uint32_t set, const Weights& w, Vector n) const noexcept {
    float all[27], rgb[3];
    LampSum seen;
    const bool apart = sum(set, w, all, seen);
    light_of(all, n.x, n.y, n.z, rgb);
    if (apart) seen.light(data_->lamps, point(w.at), point(n), rgb);
    for (float& v : rgb) v = v > 0 ? v : 0;
    return {rgb[0], rgb[1], rgb[2]};
}
PlaceLight Game::light(std::uint32_t set, const Weights& w) const noexcept {
    PlaceLight out;
    LampSum seen;
    if (sum(set, w, out.coefficients, seen))
        out.count = seen.strongest(data_->lamps, point(w.at), out.lamp, PlaceLight::most, out.coefficients);
    return out;
}
std::uint32_t Game::lamp_count() const noexcept {
    return data_ ? data_->lamps.count : 0;
}
Lamp Game::lamp(std::uint32_t number) const noexcept {
    return number < lamp_count() ? data_->lamps.lamp[number] : Lamp{};
}
const char* Game::lamp_name(std::uint32_t number) const noexcept {
    return number < lamp_count() ? data_->name(data_->lamp_names[number]) : "";
}
Color Game::lamp_color(std::uint32_t set, std::uint32_t number) const noexcept {
    if (set >= set_count() || number >= lamp_count()) return {};
    const float* c = data_->colors(set) + 3 * std::size_t{number};
    return {c[0], c[1], c[2]};
}
void Game::coefficients(std::uint32_t set, const Weights& w, float out[27]) const noexcept {
    LightSum sum;
    for (int k = 0; k < std::min(w.count, Weights::most); ++k)
        sum.add(coefficients(set, w.probe[k]), w.weight[k]);
    sum.get(out);
}

std::uint32_t Game::reflection_count() const noexcept {
    return data_ ? data_->reflections.count : 0;
}
const char* Game::reflection_name(std::uint32_t reflection) const noexcept {
    return reflection < reflection_count() ? data_->name(data_->reflections[reflection].name) : "";
}
std::uint32_t Game::reflection_levels(std::uint32_t reflection) const noexcept {
    return reflection < reflection_count() ? data_->reflections[reflection].levels : 0;
}
Pixels Game::reflection_map(std::uint32_t set, std::uint32_t reflection, std::uint32_t level) const noexcept {
    if (set >= set_count() || level >= reflection_levels(reflection)) return {};
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
    if (reflection >= reflection_count()) return direction;
    const Point p = reflection_lookup(data_->places[reflection], point(at), point(direction));
    return {p.x, p.y, p.z};
}

}  // namespace stasigraph::runtime
