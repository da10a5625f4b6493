#pragma once
// What ships in a game: reads baked results. C++17, standard library only, throws nothing.

#include <cstddef>
#include <cstdint>

#include "stasigraph/lamp.hpp"

namespace stasigraph::runtime {

enum class Status : std::uint8_t { ok, not_found, damaged, wrong_version, no_memory };

struct Vector {
    float x = 0, y = 0, z = 0;
};
struct Color {
    float r = 0, g = 0, b = 0;
};

/// Which probes answer at a point.
struct Weights {
    static constexpr int most = 8;
    int count = 0;  ///< 0: none is usable.
    std::uint32_t probe[8] = {};
    float weight[8] = {};  ///< Sum to 1.
    float beyond = 0;      ///< Metres from the net, of a point outside it.
    bool placed = false;   ///< Whether `at` is known: else lamps are taken from the probes' coefficients.
    Vector at;             ///< The point that was asked for.
};

/// Light at a place for a shader: E at a unit normal is the sum of coefficients times basis, plus for each
/// lamp max(0, dot(normal, toward)) * lux; shiny things add a highlight of each.
struct PlaceLight {
    static constexpr int most = 4;
    float coefficients[27] = {};  ///< As of Probes: all light but these lamps.
    int count = 0;
    LampLight lamp[4];
};

struct SetLamps;
class LampSum;

/// The probes of a bake, as written to probes.bin.
///
/// Threads: const members are safe from any number of threads. Owner: owns its memory; allocates while
/// loading only.
class Probes {
public:
    Probes() noexcept = default;
    ~Probes();
    Probes(Probes&& other) noexcept;
    Probes& operator=(Probes&& other) noexcept;
    Probes(const Probes&) = delete;
    Probes& operator=(const Probes&) = delete;

    /// Reads a file, or a copy of one in memory. On failure the object is empty and message() says why.
    Status load(const char* path) noexcept;
    Status load(const void* data, std::size_t size) noexcept;
    /// What went wrong in the last load(); empty after a good one.
    const char* message() const noexcept { return message_; }

    std::uint32_t count() const noexcept;
    std::uint32_t set_count() const noexcept;
    /// Name of a set in [0, set_count()).
    const char* set_name(std::uint32_t set) const noexcept;
    /// Number of the set with this name; set_count() when there is none.
    std::uint32_t find_set(const char* name) const noexcept;

    /// Probes in [0, count()). Metres; share of rays that met no back face; metres.
    Vector position(std::uint32_t probe) const noexcept;
    float front_share(std::uint32_t probe) const noexcept;
    float clearance(std::uint32_t probe) const noexcept;
    /// All light of a probe, its lamps included, as 27 floats: nine coefficients of red, green and blue, lux.
    /// Order and basis as in docs/files.md.
    const float* coefficients(std::uint32_t set, std::uint32_t probe) const noexcept;
    /// E at a unit normal, lux, never below zero.
    Color irradiance(std::uint32_t set, std::uint32_t probe, Vector normal) const noexcept;

    /// The probes that answer at a point, by the tetrahedra between them and by what each sees. `hint`: any
    /// number at first; keep it with what moves, and pass it again. Cost: constant while the point moves
    /// little.
    Weights weights(Vector point, std::uint32_t& hint) const noexcept;
    /// E there at a unit normal, lux, never below zero. Lamps that probes tell by themselves are worked out
    /// at the point.
    Color irradiance(std::uint32_t set, const Weights& weights, Vector normal) const noexcept;
    /// The same for a shader: the strongest lamps, and all other light.
    PlaceLight light(std::uint32_t set, const Weights& weights) const noexcept;
    /// Lamps of a set; a number under lamp_count(). Names are those of the level's lights; a colour is lux at
    /// normal incidence (sun), candela (point, spot) or nit.
    std::uint32_t lamp_count(std::uint32_t set) const noexcept;
    Lamp lamp(std::uint32_t set, std::uint32_t number) const noexcept;
    const char* lamp_name(std::uint32_t set, std::uint32_t number) const noexcept;
    Color lamp_color(std::uint32_t set, std::uint32_t number) const noexcept;

private:
    struct Data;
    const SetLamps* sum(std::uint32_t set, const Weights& weights, float out[27], LampSum& seen) const;
    Status fail(Status status, const char* text) noexcept;
    Data* data_ = nullptr;
    const char* message_ = "";
};

}  // namespace stasigraph::runtime
