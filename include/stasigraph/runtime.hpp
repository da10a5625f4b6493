#pragma once
// What ships in a game: reads baked results. C++17, standard library only, throws nothing.

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace stasigraph::runtime {

enum class Status : std::uint8_t { ok, not_found, damaged, wrong_version };

struct Vector {
    float x = 0, y = 0, z = 0;
};
struct Color {
    float r = 0, g = 0, b = 0;
};

/// The probes of a bake, as written to probes.bin.
///
/// Threads: const members are safe from any number of threads. Owner: owns its memory; allocates while loading only.
class Probes {
public:
    /// Reads a file, or a copy of one in memory. On failure the object is empty and `message`, where given, says why.
    Status load(const char* path, std::string* message = nullptr);
    Status load(const void* data, std::size_t size, std::string* message = nullptr);

    std::uint32_t count() const noexcept { return count_; }
    std::uint32_t set_count() const noexcept { return static_cast<std::uint32_t>(sets_.size()); }
    /// Name of a set in [0, set_count()).
    const char* set_name(std::uint32_t set) const noexcept { return sets_[set].c_str(); }
    /// Number of the set with this name; set_count() when there is none.
    std::uint32_t find_set(const char* name) const noexcept;

    /// Probes in [0, count()). Metres; share of rays that met no back face; metres.
    Vector position(std::uint32_t probe) const noexcept;
    float validity(std::uint32_t probe) const noexcept;
    float clearance(std::uint32_t probe) const noexcept;
    /// 27 floats: nine coefficients of red, green and blue, lux. Order and basis as in docs/files.md.
    const float* coefficients(std::uint32_t set, std::uint32_t probe) const noexcept;
    /// E at a unit normal, lux, never below zero.
    Color irradiance(std::uint32_t set, std::uint32_t probe, Vector normal) const noexcept;

private:
    std::uint32_t count_ = 0;
    std::size_t positions_ = 0, validity_ = 0, clearance_ = 0, light_ = 0;      // in floats
    std::vector<float> data_;
    std::vector<std::string> sets_;
};

}  // namespace stasigraph::runtime
