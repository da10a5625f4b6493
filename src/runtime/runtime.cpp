#include "stasigraph/runtime.hpp"

#include <algorithm>
#include <cstring>
#include <memory>
#include <new>
#include <string>
#include <utility>
#include <vector>

#include "runtime/c_types.hpp"
#include "runtime/half.hpp"
#include "runtime/lamp_sum.hpp"
#include "runtime/net_lookup.hpp"
#include "runtime/probe_light.hpp"
#include "stasigraph/runtime.h"

namespace stasigraph::runtime {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
constexpr std::size_t head_bytes = 80;
/// Files of version 2 have no lamps, those before 4 mean and mean square distances, those before 5 no
/// openings.
constexpr std::uint32_t version = 5, oldest_version = 2;

std::uint32_t word_at(const unsigned char* p) {
    return static_cast<std::uint32_t>(p[0]) | static_cast<std::uint32_t>(p[1]) << 8 |
           static_cast<std::uint32_t>(p[2]) << 16 | static_cast<std::uint32_t>(p[3]) << 24;
}

/// Reads a length, its text and the padding to four bytes; false when they run past the end.
bool read_text(const unsigned char* bytes, std::size_t size, std::size_t& at, std::string* out) {
    if (size - at < 4) return false;
    const std::size_t length = word_at(bytes + at), padded = (length + 3) / 4 * 4;
    at += 4;
    if (padded > size - at) return false;
    if (out) out->assign(reinterpret_cast<const char*>(bytes + at), length);
    at += padded;
    return true;
}

}  // namespace

/// The lamps of a set, and the rest of its probes' light.
struct SetLamps {
    std::vector<Lamp> lamp;
    std::vector<float> color;
    std::vector<std::string> name;
    std::vector<LampProfile> profile;
    std::vector<float> values, rest;
    std::vector<std::uint32_t> first, entry;
    LampView view() const {
        return {lamp.data(), static_cast<std::uint32_t>(lamp.size()), profile.data(), values.data()};
    }
};

namespace {

/// Reads the lamps of a set; a word of what is wrong, or null.
const char* read_lamps(const unsigned char* bytes, std::size_t size, std::size_t& at, std::uint64_t count,
                       LampKind last, SetLamps& out) {
    constexpr const char* truncated = "is truncated";
    if (size - at < 20) return truncated;
    std::uint64_t head[5];
    for (int i = 0; i < 5; ++i) head[i] = word_at(bytes + at + 4 * i);
    at += 20;
    const std::uint64_t lamps = head[0], profiles = head[1], values = head[2], entries = head[3];
    if (head[4] == 0) return lamps + profiles + values + entries == 0 ? nullptr : "has damaged lamps";
    const std::uint64_t words = lamps * (sizeof(Lamp) / 4 + 3) + profiles * (sizeof(LampProfile) / 4) +
                                values + count + 1 + entries + 27 * count;
    if (words > (size - at) / 4) return truncated;
    const auto take = [&](auto& to, std::uint64_t n) {
        to.resize(static_cast<std::size_t>(n));
        const std::size_t length = to.size() * sizeof(to[0]);
        if (length > 0) std::memcpy(to.data(), bytes + at, length);
        at += length;
    };
    take(out.lamp, lamps);
    take(out.color, 3 * lamps);
    take(out.profile, profiles);
    take(out.values, values);
    take(out.first, count + 1);
    take(out.entry, entries);
    take(out.rest, 27 * count);
    out.name.resize(out.lamp.size());
    for (std::string& name : out.name)
        if (!read_text(bytes, size, at, &name)) return truncated;
    return wrong_lamps(out.view(), last, static_cast<std::uint32_t>(profiles), values, out.first.data(),
                       out.entry.data(), entries, static_cast<std::uint32_t>(count));
}

}  // namespace

struct Probes::Data {
    NetView net;
    std::vector<float> values;          ///< Positions with stand-ins, front_share, clearance, reach.
    std::vector<std::uint32_t> cells;   ///< Vertices, then neighbours.
    std::vector<std::uint32_t> starts;  ///< A grid of them.
    std::vector<std::uint32_t> neighbours, border;
    std::vector<float> border_box;
    std::vector<float> inverse, light;
    std::vector<NearnessCode> nearness;
    std::size_t clearance = 0;  ///< Where it begins among the values.
    std::vector<std::string> sets;
    std::vector<SetLamps> lamps;  ///< By set.
};

Probes::~Probes() {
    delete data_;
}
Probes::Probes(Probes&& other) noexcept
    : data_(std::exchange(other.data_, nullptr)), message_(other.message_) {}
Probes& Probes::operator=(Probes&& other) noexcept {
    std::swap(data_, other.data_);
    message_ = other.message_;
    return *this;
}

Status Probes::fail(Status status, const char* text) noexcept {
    delete std::exchange(data_, nullptr);
    message_ = text;
    return status;
}

Status Probes::load(const void* data, std::size_t size) noexcept try {
    fail(Status::ok, "");
    const auto* bytes = static_cast<const unsigned char*>(data);
    if (size < head_bytes || std::memcmp(bytes, magic, 8) != 0)
        return fail(Status::damaged, "is no probe file");
    const std::uint32_t written = word_at(bytes + 8);
    if (written < oldest_version || written > version)
        return fail(Status::wrong_version, "has a version this runtime does not read");
    std::uint64_t head[7];
    for (int i = 0; i < 7; ++i) head[i] = word_at(bytes + 12 + 4 * i);
    const std::uint64_t count = head[0], sets = head[1], cells = head[2], stand_ins = head[3], side = head[4],
                        dimension = head[5], volumes = head[6];
    if (side < 1 || side > 64 || (written >= 4 && side % 2 != 0) || sets > 4096 || volumes > 65536 ||
        stand_ins > 3 || dimension > 3)
        return fail(Status::damaged, "has a damaged header");
    const std::uint64_t map = side * side, words = 3 * (count + stand_ins) + 4 * count + 8 * cells +
                                                   (written < 4 ? map : map / 2) * count + 27 * sets * count;
    if (words > (size - head_bytes) / 4) return fail(Status::damaged, "is truncated");
    std::size_t at = head_bytes + static_cast<std::size_t>(words) * 4;
    data_ = new Data;
    data_->sets.resize(static_cast<std::size_t>(sets));
    for (std::uint64_t i = 0; i < volumes; ++i)
        if (!read_text(bytes, size, at, nullptr)) return fail(Status::damaged, "is truncated");
    for (std::string& name : data_->sets)
        if (!read_text(bytes, size, at, &name)) return fail(Status::damaged, "is truncated");
    data_->lamps.resize(data_->sets.size());
    for (SetLamps& lamps : data_->lamps)
        if (written >= 3)
            if (const char* wrong = read_lamps(bytes, size, at, count,
                                               written < 5 ? LampKind::tube : LampKind::opening, lamps))
                return fail(Status::damaged, wrong);
    if (at != size) return fail(Status::damaged, "is longer than it says");

    const unsigned char* from = bytes + head_bytes;
    const auto take = [&](auto& to, std::uint64_t n) {
        to.resize(static_cast<std::size_t>(n));
        if (n > 0) std::memcpy(to.data(), from, static_cast<std::size_t>(n) * 4);
        from += n * 4;
    };
    take(data_->values, 3 * (count + stand_ins) + 3 * count);
    from += 4 * count;  // where they came from
    take(data_->cells, 8 * cells);
    data_->nearness.resize(static_cast<std::size_t>(map * count));
    for (NearnessCode& code : data_->nearness) {
        if (written < 4) {
            const auto half = [&](int i) {
                return from_half(static_cast<std::uint16_t>(from[2 * i] | from[2 * i + 1] << 8));
            };
            code = nearness_code(half(0), half(1));
            from += 4;
        } else {
            code = {from[0], from[1]};
            from += 2;
        }
    }
    take(data_->light, 27 * sets * count);
    float flat[9];
    for (int i = 0; i < 9; ++i) {
        const std::uint32_t word = word_at(bytes + 40 + 4 * i);
        std::memcpy(flat + i, &word, 4);
    }
    return connect(static_cast<std::uint32_t>(count), static_cast<std::uint32_t>(stand_ins),
                   static_cast<std::uint32_t>(cells), static_cast<int>(side), static_cast<int>(dimension),
                   flat);
} catch (...) {
    return fail(Status::no_memory, "needs more memory than there is");
}

/// What lookups need of what was read.
Status Probes::connect(std::uint32_t count, std::uint32_t stand_ins, std::uint32_t cells, int side,
                       int dimension, const float* flat) {
    Data& d = *data_;
    const std::uint32_t *vertex = d.cells.data(), *adjacent = d.cells.data() + 4 * std::size_t{cells};
    for (std::size_t i = 0; i < 4 * std::size_t{cells}; ++i) {
        if (vertex[i] >= count + stand_ins) return fail(Status::damaged, "names a probe that is not there");
        if (adjacent[i] == no_cell) continue;
        if (adjacent[i] >= cells) return fail(Status::damaged, "has a damaged net");
        const auto own = static_cast<std::uint32_t>(i / 4);
        const std::uint32_t* back = adjacent + 4 * std::size_t{adjacent[i]};
        if (std::find(back, back + 4, own) == back + 4) return fail(Status::damaged, "has a damaged net");
    }
    NetView& net = d.net;
    const std::size_t points = 3 * (std::size_t{count} + stand_ins);
    d.clearance = points + count;
    net.count = count;
    net.cells = cells;
    net.position = d.values.data();
    net.front_share = d.values.data() + points;
    net.clearance = d.values.data() + d.clearance;
    net.reach = d.values.data() + points + 2 * std::size_t{count};
    net.nearness = d.nearness.data();
    net.side = side;
    net.vertex = vertex;
    net.adjacent = adjacent;
    net.dimension = dimension;
    std::copy(flat, flat + 3, net.base);
    for (int k = 0; k < 2; ++k) std::copy(flat + 3 * (k + 1), flat + 3 * (k + 2), net.axis[k]);
    d.inverse.resize(9 * std::size_t{cells});
    for (std::uint32_t c = 0; c < cells; ++c) invert_cell(net, c, d.inverse.data() + 9 * std::size_t{c});
    net.inverse = d.inverse.data();
    d.neighbours.resize(std::size_t{count} + 1 + 16 * std::size_t{cells});
    list_neighbours(net, d.neighbours.data(), d.neighbours.data() + count + 1);
    d.border.resize(border_words(cells));
    find_border(net, d.border.data());
    d.border_box.resize(border_floats(net.borders));
    lay_border(net, d.border.data(), d.border_box.data());
    d.starts.resize(most_starts);
    lay_grid(net, d.starts.data());
    return Status::ok;
}

Status Probes::load(const char* path) noexcept try {
    std::FILE* file = std::fopen(path, "rb");
    if (!file) return fail(Status::not_found, "cannot be opened");
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> closer(file, std::fclose);
    std::vector<unsigned char> bytes;
    unsigned char buffer[65536];
    for (std::size_t got; (got = std::fread(buffer, 1, sizeof buffer, file)) > 0;)
        bytes.insert(bytes.end(), buffer, buffer + got);
    return load(bytes.data(), bytes.size());
} catch (...) {
    return fail(Status::no_memory, "needs more memory than there is");
}

std::uint32_t Probes::count() const noexcept {
    return data_ ? data_->net.count : 0;
}
std::uint32_t Probes::set_count() const noexcept {
    return data_ ? static_cast<std::uint32_t>(data_->sets.size()) : 0;
}
const char* Probes::set_name(std::uint32_t set) const noexcept {
    return set < set_count() ? data_->sets[set].c_str() : "";
}

std::uint32_t Probes::find_set(const char* name) const noexcept {
    std::uint32_t i = 0;
    while (i < set_count() && data_->sets[i] != name) ++i;
    return i;
}

Vector Probes::position(std::uint32_t probe) const noexcept {
    if (probe >= count()) return {};
    const float* p = data_->values.data() + 3 * std::size_t{probe};
    return {p[0], p[1], p[2]};
}
float Probes::front_share(std::uint32_t probe) const noexcept {
    return probe < count() ? data_->net.front_share[probe] : 0;
}
float Probes::clearance(std::uint32_t probe) const noexcept {
    return probe < count() ? data_->values[data_->clearance + probe] : 0;
}

const float* Probes::coefficients(std::uint32_t set, std::uint32_t probe) const noexcept {
    static constexpr float no_light[27] = {};
    if (set >= set_count() || probe >= count()) return no_light;
    return &data_->light[27 * (std::size_t{set} * data_->net.count + probe)];
}

Color Probes::irradiance(std::uint32_t set, std::uint32_t probe, Vector n) const noexcept {
    Weights only;
    only.count = 1;
    only.probe[0] = probe;
    only.weight[0] = 1;
    return irradiance(set, only, n);
}

Weights Probes::weights(Vector p, std::uint32_t& hint) const noexcept {
    Weights out;
    if (!data_) return out;
    const NetWeights found = net_weights(data_->net, {p.x, p.y, p.z}, hint);
    out.count = found.count;
    out.beyond = found.beyond;
    std::copy(found.probe, found.probe + found.count, out.probe);
    std::copy(found.weight, found.weight + found.count, out.weight);
    out.placed = true;
    out.at = p;
    return out;
}

/// Sums what probes hold, lamps apart where they are told apart; the lamps of the set, or null.
const SetLamps* Probes::sum(std::uint32_t set, const Weights& weights, float out[27], LampSum& seen) const {
    const SetLamps* lamps =
        set < set_count() && weights.placed && !data_->lamps[set].rest.empty() ? &data_->lamps[set] : nullptr;
    LightSum all;
    for (int k = 0; k < std::min(weights.count, Weights::most); ++k) {
        const std::uint32_t p = weights.probe[k];
        if (!lamps || p >= count()) {
            all.add(coefficients(set, p), weights.weight[k]);
            continue;
        }
        all.add(lamps->rest.data() + 27 * std::size_t{p}, weights.weight[k]);
        seen.add_probe({lamps->first.data(), lamps->entry.data()}, p, weights.weight[k], lamps->color.data());
    }
    all.get(out);
    if (!lamps) return nullptr;
    constexpr float whole[3] = {1, 1, 1};
    seen.add_color(lamps->color.data(), whole);
    seen.look(lamps->view());
    return lamps;
}

Color Probes::irradiance(std::uint32_t set, const Weights& weights, Vector n) const noexcept {
    float all[27], rgb[3];
    LampSum seen;
    const SetLamps* lamps = sum(set, weights, all, seen);
    light_of(all, n.x, n.y, n.z, rgb);
    if (lamps) seen.light(lamps->view(), {weights.at.x, weights.at.y, weights.at.z}, {n.x, n.y, n.z}, rgb);
    for (float& v : rgb) v = v > 0 ? v : 0;
    return {rgb[0], rgb[1], rgb[2]};
}

PlaceLight Probes::light(std::uint32_t set, const Weights& weights) const noexcept {
    PlaceLight out;
    LampSum seen;
    if (const SetLamps* lamps = sum(set, weights, out.coefficients, seen))
        out.count = seen.strongest(lamps->view(), {weights.at.x, weights.at.y, weights.at.z}, out.lamp,
                                   PlaceLight::most, out.coefficients);
    return out;
}

std::uint32_t Probes::lamp_count(std::uint32_t set) const noexcept {
    return set < set_count() ? static_cast<std::uint32_t>(data_->lamps[set].lamp.size()) : 0;
}
Lamp Probes::lamp(std::uint32_t set, std::uint32_t number) const noexcept {
    return number < lamp_count(set) ? data_->lamps[set].lamp[number] : Lamp{};
}
const char* Probes::lamp_name(std::uint32_t set, std::uint32_t number) const noexcept {
    return number < lamp_count(set) ? data_->lamps[set].name[number].c_str() : "";
}
Color Probes::lamp_color(std::uint32_t set, std::uint32_t number) const noexcept {
    if (number >= lamp_count(set)) return {};
    const float* c = data_->lamps[set].color.data() + 3 * std::size_t{number};
    return {c[0], c[1], c[2]};
}

}  // namespace stasigraph::runtime

struct sgraph_probes {
    stasigraph::runtime::Probes probes;
};

sgraph_status sgraph_probes_load(const char* path, sgraph_probes** out, char* message, size_t message_size) {
    namespace rt = stasigraph::runtime;
    return rt::c::opened(
        out, message, message_size, [&](sgraph_probes& p) { return p.probes.load(path); },
        [](const sgraph_probes& p) { return p.probes.message(); });
}

void sgraph_probes_free(sgraph_probes* p) {
    delete p;
}
uint32_t sgraph_probes_count(const sgraph_probes* p) {
    return p->probes.count();
}
uint32_t sgraph_probes_set_count(const sgraph_probes* p) {
    return p->probes.set_count();
}
const char* sgraph_probes_set_name(const sgraph_probes* p, uint32_t set) {
    return p->probes.set_name(set);
}
uint32_t sgraph_probes_find_set(const sgraph_probes* p, const char* name) {
    return p->probes.find_set(name);
}
float sgraph_probes_front_share(const sgraph_probes* p, uint32_t probe) {
    return p->probes.front_share(probe);
}
float sgraph_probes_clearance(const sgraph_probes* p, uint32_t probe) {
    return p->probes.clearance(probe);
}
const float* sgraph_probes_coefficients(const sgraph_probes* p, uint32_t set, uint32_t probe) {
    return p->probes.coefficients(set, probe);
}

void sgraph_probes_position(const sgraph_probes* p, uint32_t probe, float xyz[3]) {
    const auto v = p->probes.position(probe);
    xyz[0] = v.x;
    xyz[1] = v.y;
    xyz[2] = v.z;
}
void sgraph_probes_irradiance(const sgraph_probes* p, uint32_t set, uint32_t probe, const float normal[3],
                              float rgb[3]) {
    const auto c = p->probes.irradiance(set, probe, {normal[0], normal[1], normal[2]});
    rgb[0] = c.r;
    rgb[1] = c.g;
    rgb[2] = c.b;
}

int sgraph_probes_weights(const sgraph_probes* p, const float point[3], uint32_t* hint, uint32_t probes[8],
                          float weights[8]) {
    const auto w = p->probes.weights({point[0], point[1], point[2]}, *hint);
    std::copy(w.probe, w.probe + w.count, probes);
    std::copy(w.weight, w.weight + w.count, weights);
    return w.count;
}
void sgraph_probes_irradiance_at(const sgraph_probes* p, uint32_t set, const float point[3],
                                 const float normal[3], uint32_t* hint, float rgb[3]) {
    const auto w = p->probes.weights({point[0], point[1], point[2]}, *hint);
    const auto c = p->probes.irradiance(set, w, {normal[0], normal[1], normal[2]});
    rgb[0] = c.r;
    rgb[1] = c.g;
    rgb[2] = c.b;
}
