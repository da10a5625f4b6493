#pragma once
// Bounces: repeated application of the links to all light groups at once.

#include <algorithm>
#include <chrono>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/bake_store.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// Light of all groups over all rows: `stride` floats a row, group g's red, green and blue from 3 g on; the
/// rest zero. stride is 3 * groups rounded up to a multiple of 8.
struct LightField {
    std::size_t rows = 0, stride = 0;
    std::vector<float> values;

    LightField() = default;
    LightField(std::size_t row_count, std::size_t groups)
        : rows(row_count), stride((3 * groups + 7) / 8 * 8), values(row_count * stride, 0.0f) {}
    Rgb get(std::size_t row, std::size_t group) const {
        const float* p = &values[row * stride + 3 * group];
        return {p[0], p[1], p[2]};
    }
    void add(std::size_t row, std::size_t group, Rgb c) {
        float* p = &values[row * stride + 3 * group];
        p[0] += c.r;
        p[1] += c.g;
        p[2] += c.b;
    }
};

/// How many links of each row count, for each group on its own: the first length, doubled this many times.
struct RowLengths {
    std::uint32_t first = 0;
    std::size_t groups = 1;
    std::vector<std::uint8_t> log2_scale;  ///< `groups` a row; empty: none anywhere.
    std::uint32_t at(std::size_t row, std::size_t group) const {
        return log2_scale.empty() ? first : first << log2_scale[row * groups + group];
    }
    /// That of the group that wants most.
    std::uint32_t longest(std::size_t row) const {
        std::uint32_t most = first;
        for (std::size_t g = 0; g < groups; ++g) most = std::max(most, at(row, g));
        return most;
    }
};

struct SolveResult {
    LightField light;          ///< Irradiance, lux: sources and all bounces.
    std::vector<int> bounces;  ///< How many were applied, for each group.
};

/// What a bounce costs of a stage's units: the first two read the first length, later ones less and less; and
/// what the last one does, over whole rows.
constexpr std::size_t bounce_units(int bounce) {
    return bounce < 2 ? 6 : bounce < 6 ? 3 : bounce < 12 ? 2 : 1;
}
/// Of as many bounces as a level takes to settle that reflects much.
inline constexpr std::size_t gather_units = 20;
inline constexpr std::size_t settle_units = 2 * 6 + 4 * 3 + 6 * 2 + 20 + gather_units;

/// Largest number of bounces "settle" goes to.
inline constexpr int most_bounces = 400;

struct AllGuided;

/// Where a solve keeps what it has so far, for a bake that is stopped.
struct SolveKept {
    const BakeStore& store;
    std::string name;
    std::chrono::milliseconds every{5000};
};

/// What carries light from row to row. Borrowed.
struct Transport {
    const Links& links;
    const RowLengths& lengths;
    const std::vector<Rgb>& albedo;
    const AllGuided* guided = nullptr;  ///< Links of single groups, for the first bounce and the last.
};

/// E = S + T S + T^2 S + ..., with T the links weighed by albedo. `bounces` empty: for each group until what
/// is still to come is under 0.1 % of any texel's light (texels under a ten-thousandth of their group's mean
/// count as that much). Two bounces read the first length, later ones half of it (64 at least) and less; the
/// last one gathers all light so far over whole rows, so that the light of a row is as sure as its length
/// says, however many bounces it took. `kept`, where given: after a bounce what is done may be saved, and a
/// later call goes on from there. A group's light is the same whichever others are solved with it, and for
/// any number of threads.
SolveResult solve_bounces(const Transport& transport, const LightField& sources, std::optional<int> bounces,
                          Job& job, const SolveKept* kept = nullptr);

/// Reflected light as 16-bit floats times a power of two for each column: half the memory traffic of the
/// solve, with a rounding error under 0.05 % a value that averages out over a row. Row `last` is zero: sky
/// and nothing.
struct HalfField {
    std::uint32_t last = 0;
    std::vector<std::uint16_t> values;
    std::vector<float> unit;
};

/// Albedo times irradiance of every row.
void reflect(const LightField& light, const std::vector<Rgb>& albedo, HalfField& out, Job& job);

/// Sums and sums of squares over the words of what they send, a column each; tints aside. Both are written
/// anew and have the field's stride.
void link_moments(const std::uint32_t* words, std::size_t count, const HalfField& from,
                  std::vector<float>& sum, std::vector<float>& squares);

/// One application of the links: to[row] = mean over those of the row's links that count.
void apply_links(const Links& links, const RowLengths& lengths, const HalfField& from, LightField& to,
                 Job& job);

}  // namespace stasigraph
