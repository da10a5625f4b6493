#pragma once
// Where a row sends more rays than evenly: into some cells of the unit square that its directions are made
// from, and there to where most of their light comes from.

#include <algorithm>
#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "base/random.hpp"

namespace stasigraph {

/// Rays beside the evenly spread ones of a row, by cell. Cells are elementary intervals of the sequence that
/// spreads those (Niederreiter, Random Number Generation and Quasi-Monte Carlo Methods, 1992): of 128 * 2^k
/// of them each cell has 2^k exactly, so that little is left to how rays fall on cells. In a cell both kinds
/// are weighed by the balance heuristic (Veach and Guibas, Optimally Combining Sampling Techniques for Monte
/// Carlo Rendering, 1995).
struct DirectionGuide {
    static constexpr std::uint32_t columns = 8, lines = 16, cells = columns * lines;
    /// Parts of a cell, to each side and in all; and of all cells as one grid.
    static constexpr std::uint32_t part_side = 4, parts = part_side * part_side;
    static constexpr std::uint32_t wide = columns * part_side, high = lines * part_side;
    /// How many of a cell's rays go to each of its parts, in proportion; never 0.
    using Parts = std::array<std::uint8_t, parts>;

    std::uint32_t first = 0, count = 0;  ///< Its cells among those of its set, in order.
};

/// A cell that rays go to.
struct GuidedCell {
    std::uint16_t cell = 0, rays = 0;
    DirectionGuide::Parts parts{};
};

/// The number of a part, cell by cell, by where it lies among all of them as one grid.
constexpr std::uint32_t part_number(std::uint32_t u, std::uint32_t v) {
    constexpr std::uint32_t side = DirectionGuide::part_side;
    return (v / side * DirectionGuide::columns + u / side) * DirectionGuide::parts + v % side * side +
           u % side;
}
/// That of the one that a point of the unit square lies in.
inline std::uint16_t part_at(float x, float y) {
    return static_cast<std::uint16_t>(part_number(static_cast<std::uint32_t>(x * DirectionGuide::wide),
                                                  static_cast<std::uint32_t>(y * DirectionGuide::high)));
}

/// All guides of some rows.
struct GuideSet {
    std::vector<DirectionGuide> guides;
    std::vector<GuidedCell> cells;

    std::span<const GuidedCell> of(std::uint32_t number) const {
        return {cells.data() + guides[number].first, guides[number].count};
    }
    std::uint32_t rays(std::uint32_t number) const {
        std::uint32_t sum = 0;
        for (const GuidedCell& c : of(number)) sum += c.rays;
        return sum;
    }
    void add(std::span<const GuidedCell> some) {
        guides.push_back({static_cast<std::uint32_t>(cells.size()), static_cast<std::uint32_t>(some.size())});
        cells.insert(cells.end(), some.begin(), some.end());
    }
};

/// One guide as it is used for a row.
class GuideReader {
public:
    GuideReader(const GuideSet& set, std::uint32_t number) : guided_(set.of(number)) {
        for (const GuidedCell& c : guided_) cells_[c.cell] = &c;
    }
    bool has_rays(std::uint32_t cell) const { return cells_[cell] != nullptr; }
    /// What a ray to a part counts of the row's mean where `length` rays are spread evenly.
    float weight(std::uint16_t part, std::uint32_t length) const {
        const GuidedCell* cell = cells_[part / DirectionGuide::parts];
        const auto n = static_cast<float>(length);
        if (!cell) return 1 / n;
        std::uint32_t sum = 0;
        for (const std::uint8_t s : cell->parts) sum += s;
        return 1 / (n + static_cast<float>(DirectionGuide::cells * DirectionGuide::parts * cell->rays *
                                           cell->parts[part % DirectionGuide::parts]) /
                            static_cast<float>(sum));
    }
    /// The point of ray k: cell by cell, those of a cell spread evenly over its parts as they are weighed.
    /// Quick for numbers one after the other.
    void point(std::uint32_t k, std::uint32_t seed, float& x, float& y) {
        if (k < before_) at_ = before_ = 0;
        while (k - before_ >= guided_[at_].rays) before_ += guided_[at_++].rays;
        const std::uint32_t cell = guided_[at_].cell;
        const Vec2 in_cell = warp(guided_[at_].parts, sobol_point(combine_bits(seed, cell), k - before_));
        x = (static_cast<float>(cell % DirectionGuide::columns) + in_cell.x) / DirectionGuide::columns;
        y = (static_cast<float>(cell / DirectionGuide::columns) + in_cell.y) / DirectionGuide::lines;
    }

private:
    /// Chooses among shares by `at` in [0, 1), which becomes the place within the chosen one.
    template <class Share>
    static std::uint32_t choose(Share share, float& at) {
        constexpr std::uint32_t side = DirectionGuide::part_side;
        constexpr float inside = 0.999f;  // what is rounded must not end in the next part
        float sum = 0;
        for (std::uint32_t i = 0; i < side; ++i) sum += share(i);
        float rest = at * sum;
        std::uint32_t i = 0;
        while (i + 1 < side && rest >= share(i)) rest -= share(i++);
        at = inside * std::min(1.0f, rest / share(i));
        return i;
    }
    static Vec2 warp(const DirectionGuide::Parts& p, Vec2 at) {
        constexpr std::uint32_t side = DirectionGuide::part_side;
        const std::uint32_t v = choose(
            [&](std::uint32_t i) {
                float sum = 0;
                for (std::uint32_t u = 0; u < side; ++u) sum += p[i * side + u];
                return sum;
            },
            at.y);
        const std::uint32_t u =
            choose([&](std::uint32_t i) { return static_cast<float>(p[v * side + i]); }, at.x);
        return {(static_cast<float>(u) + at.x) / side, (static_cast<float>(v) + at.y) / side};
    }

    std::span<const GuidedCell> guided_;
    std::uint32_t at_ = 0, before_ = 0;  ///< Where the last ray went, and how many went to cells before it.
    std::array<const GuidedCell*, DirectionGuide::cells> cells_{};
};

}  // namespace stasigraph
