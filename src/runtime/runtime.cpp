#include "stasigraph/runtime.hpp"

#include <cstdio>
#include <cstring>
#include <memory>
#include <new>
#include <string>
#include <utility>
#include <vector>

#include "stasigraph/runtime.h"

namespace stasigraph::runtime {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
constexpr std::size_t head_bytes = 32;
constexpr std::uint32_t version = 1;

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

struct Probes::Data {
    std::uint32_t count = 0;
    std::size_t validity = 0, clearance = 0, light = 0;  // where each begins, in floats
    std::vector<float> values;
    std::vector<std::string> sets;
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
    if (word_at(bytes + 8) != version)
        return fail(Status::wrong_version, "has a version this runtime does not read");
    const std::uint64_t count = word_at(bytes + 12), sets = word_at(bytes + 16),
                        lattices = word_at(bytes + 20), side = word_at(bytes + 24);
    if (side > 64 || sets > 4096) return fail(Status::damaged, "has a damaged header");
    const std::uint64_t floats = count * (3 + 1 + 1 + 2 * side * side + 27 * sets);
    if (floats > (size - head_bytes) / 4) return fail(Status::damaged, "is truncated");
    std::size_t at = head_bytes + static_cast<std::size_t>(floats) * 4;
    for (std::uint64_t i = 0; i < lattices; ++i) {
        if (size - at < 40) return fail(Status::damaged, "is truncated");
        at += 40;
        if (!read_text(bytes, size, at, nullptr)) return fail(Status::damaged, "is truncated");
    }
    data_ = new Data;
    data_->sets.resize(static_cast<std::size_t>(sets));
    for (std::string& name : data_->sets)
        if (!read_text(bytes, size, at, &name)) return fail(Status::damaged, "is truncated");
    if (at != size) return fail(Status::damaged, "is longer than it says");
    data_->values.resize(static_cast<std::size_t>(floats));
    if (floats > 0)
        std::memcpy(data_->values.data(), bytes + head_bytes, static_cast<std::size_t>(floats) * 4);
    data_->count = static_cast<std::uint32_t>(count);
    data_->validity = static_cast<std::size_t>(3 * count);
    data_->clearance = static_cast<std::size_t>(4 * count);
    data_->light = static_cast<std::size_t>(count * (5 + 2 * side * side));
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
    return data_ ? data_->count : 0;
}
std::uint32_t Probes::set_count() const noexcept {
    return data_ ? static_cast<std::uint32_t>(data_->sets.size()) : 0;
}
const char* Probes::set_name(std::uint32_t set) const noexcept {
    return data_->sets[set].c_str();
}

std::uint32_t Probes::find_set(const char* name) const noexcept {
    std::uint32_t i = 0;
    while (i < set_count() && data_->sets[i] != name) ++i;
    return i;
}

Vector Probes::position(std::uint32_t probe) const noexcept {
    const float* p = &data_->values[3 * std::size_t{probe}];
    return {p[0], p[1], p[2]};
}
float Probes::validity(std::uint32_t probe) const noexcept {
    return data_->values[data_->validity + probe];
}
float Probes::clearance(std::uint32_t probe) const noexcept {
    return data_->values[data_->clearance + probe];
}

const float* Probes::coefficients(std::uint32_t set, std::uint32_t probe) const noexcept {
    return &data_->values[data_->light + 27 * (std::size_t{set} * data_->count + probe)];
}

Color Probes::irradiance(std::uint32_t set, std::uint32_t probe, Vector n) const noexcept {
    const float basis[9] = {0.28209479f,
                            0.48860251f * n.y,
                            0.48860251f * n.z,
                            0.48860251f * n.x,
                            1.09254843f * n.x * n.y,
                            1.09254843f * n.y * n.z,
                            0.31539157f * (3 * n.z * n.z - 1),
                            1.09254843f * n.x * n.z,
                            0.54627422f * (n.x * n.x - n.y * n.y)};
    const float* c = coefficients(set, probe);
    float sum[3] = {0, 0, 0};
    for (int i = 0; i < 9; ++i)
        for (int k = 0; k < 3; ++k) sum[k] += basis[i] * c[3 * i + k];
    for (float& s : sum) s = s > 0 ? s : 0;
    return {sum[0], sum[1], sum[2]};
}

}  // namespace stasigraph::runtime

struct sg_probes {
    stasigraph::runtime::Probes probes;
};

sg_status sg_probes_load(const char* path, sg_probes** out, char* message, size_t message_size) {
    *out = nullptr;
    const auto tell = [&](const char* text) {
        if (message && message_size > 0) std::snprintf(message, message_size, "%s", text);
    };
    auto* made = new (std::nothrow) sg_probes;
    if (!made) {
        tell("needs more memory than there is");
        return SG_NO_MEMORY;
    }
    const auto status = made->probes.load(path);
    if (status != stasigraph::runtime::Status::ok) {
        tell(made->probes.message());
        delete made;
        return static_cast<sg_status>(status);
    }
    *out = made;
    return SG_OK;
}

void sg_probes_free(sg_probes* p) {
    delete p;
}
uint32_t sg_probes_count(const sg_probes* p) {
    return p->probes.count();
}
uint32_t sg_probes_set_count(const sg_probes* p) {
    return p->probes.set_count();
}
const char* sg_probes_set_name(const sg_probes* p, uint32_t set) {
    return p->probes.set_name(set);
}
uint32_t sg_probes_find_set(const sg_probes* p, const char* name) {
    return p->probes.find_set(name);
}
float sg_probes_validity(const sg_probes* p, uint32_t probe) {
    return p->probes.validity(probe);
}
float sg_probes_clearance(const sg_probes* p, uint32_t probe) {
    return p->probes.clearance(probe);
}
const float* sg_probes_coefficients(const sg_probes* p, uint32_t set, uint32_t probe) {
    return p->probes.coefficients(set, probe);
}

void sg_probes_position(const sg_probes* p, uint32_t probe, float xyz[3]) {
    const auto v = p->probes.position(probe);
    xyz[0] = v.x;
    xyz[1] = v.y;
    xyz[2] = v.z;
}
void sg_probes_irradiance(const sg_probes* p, uint32_t set, uint32_t probe, const float normal[3],
                          float rgb[3]) {
    const auto c = p->probes.irradiance(set, probe, {normal[0], normal[1], normal[2]});
    rgb[0] = c.r;
    rgb[1] = c.g;
    rgb[2] = c.b;
}
