#include "stasigraph/runtime.hpp"

#include <algorithm>
#include <memory>
#include <new>
#include <string>
#include <utility>
#include <vector>

#include "runtime/c_types.hpp"
#include "runtime/lamp_sum.hpp"
#include "runtime/net_lookup.hpp"
#include "runtime/opened_net.hpp"
#include "runtime/probe_data.hpp"
#include "runtime/probe_light.hpp"
#include "stasigraph/runtime.h"

namespace stasigraph::runtime {

struct Probes::Data {
    ProbeData file;
    NetView net;
    std::vector<float> inverse;  ///< Of cells.
    OpenedNet opened;

    void open() {
        net.count = file.count;
        net.cells = file.cells;
        net.position = file.position.data();
        net.front_share = file.front_share.data();
        net.clearance = file.clearance.data();
        net.reach = file.reach.data();
        net.nearness = file.nearness.data();
        net.side = file.side;
        net.vertex = file.vertex.data();
        net.adjacent = file.adjacent.data();
        net.dimension = file.dimension;
        std::copy(file.base, file.base + 3, net.base);
        for (int k = 0; k < 2; ++k) std::copy(file.axis[k], file.axis[k] + 3, net.axis[k]);
        inverse.resize(9 * std::size_t{net.cells});
        for (std::uint32_t c = 0; c < net.cells; ++c)
            invert_cell(net, c, inverse.data() + 9 * std::size_t{c});
        net.inverse = inverse.data();
        opened.open(net);
    }
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
    data_ = new Data;
    if (const ReadProbes read = read_probe_data(data, size, data_->file); read.status != Status::ok)
        return fail(read.status, read.message);
    data_->open();
    return Status::ok;
} catch (...) {
    return fail(Status::no_memory, "needs more memory than there is");
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
    return data_ ? static_cast<std::uint32_t>(data_->file.sets.size()) : 0;
}
const char* Probes::set_name(std::uint32_t set) const noexcept {
    return set < set_count() ? data_->file.sets[set].c_str() : "";
}

std::uint32_t Probes::find_set(const char* name) const noexcept {
    std::uint32_t i = 0;
    while (i < set_count() && data_->file.sets[i] != name) ++i;
    return i;
}

Vector Probes::position(std::uint32_t probe) const noexcept {
    if (probe >= count()) return {};
    const float* p = data_->file.position.data() + 3 * std::size_t{probe};
    return {p[0], p[1], p[2]};
}
float Probes::front_share(std::uint32_t probe) const noexcept {
    return probe < count() ? data_->net.front_share[probe] : 0;
}
float Probes::clearance(std::uint32_t probe) const noexcept {
    return probe < count() ? data_->file.clearance[probe] : 0;
}

const float* Probes::coefficients(std::uint32_t set, std::uint32_t probe) const noexcept {
    static constexpr float no_light[27] = {};
    if (set >= set_count() || probe >= count()) return no_light;
    return data_->file.light_of(set) + 27 * std::size_t{probe};
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
    const SetLamps* lamps = set < set_count() && weights.placed && !data_->file.lamps[set].rest.empty()
                                ? &data_->file.lamps[set]
                                : nullptr;
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
    return set < set_count() ? static_cast<std::uint32_t>(data_->file.lamps[set].lamp.size()) : 0;
}
Lamp Probes::lamp(std::uint32_t set, std::uint32_t number) const noexcept {
    return number < lamp_count(set) ? data_->file.lamps[set].lamp[number] : Lamp{};
}
const char* Probes::lamp_name(std::uint32_t set, std::uint32_t number) const noexcept {
    return number < lamp_count(set) ? data_->file.lamps[set].name[number].c_str() : "";
}
Color Probes::lamp_color(std::uint32_t set, std::uint32_t number) const noexcept {
    if (number >= lamp_count(set)) return {};
    const float* c = data_->file.lamps[set].color.data() + 3 * std::size_t{number};
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
