#pragma once
// Links of one light group beside those that all share: sent where much of its light comes from, which evenly
// spread rays meet by chance alone.

#include <algorithm>
#include <span>

#include "transport/directions.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

struct GuidedLinks {
    std::vector<std::uint32_t> row;  ///< Of the level, ascending: row[i] has guided links, row i of these:
    RowSource source;                ///< Receivers and guides; its numbers of links are those of its guides.
    Links links;
    std::vector<std::uint16_t> part;    ///< Of each of its links, one row after the other,
    std::vector<std::uint64_t> first;   ///< from here on.
    std::vector<std::uint32_t> number;  ///< For each row of the level where it is among these; or none.

    std::size_t size() const { return row.size(); }
    bool empty() const { return row.empty(); }
    std::uint32_t at(std::size_t of_level) const { return number.empty() ? none : number[of_level]; }
};

/// The parts of the unit square that the evenly spread links of one row go to: worked out once for all
/// groups.
class RowParts {
public:
    explicit RowParts(const RecordedRows& recorded) : recorded_(recorded) {}
    const RecordedRows& recorded() const { return recorded_; }
    std::span<const std::uint16_t> of(std::size_t row, std::uint32_t count) {
        if (row != row_) parts_.clear();
        row_ = row;
        alignas(32) float x[direction_batch], y[direction_batch];
        for (auto from = static_cast<std::uint32_t>(parts_.size()); from < count; from += direction_batch) {
            fill_unit_points({recorded_.rows, row}, numbers_from(from), direction_batch, x, y);
            for (std::uint32_t i = 0; i < direction_batch; ++i) parts_.push_back(part_at(x[i], y[i]));
        }
        return {parts_.data(), count};
    }

private:
    RecordedRows recorded_;
    std::size_t row_ = none;
    std::vector<std::uint16_t> parts_;
};

/// One link as it counts for a row's mean.
struct WeighedLink {
    std::uint32_t word = absorbed_word, number = 0, cell = 0;
    Rgb tint;
    float weight = 0;  ///< Its share of the mean,
    float plain = 0;   ///< and what it would be without guided links; 0 for those.
};

/// Calls f(link, direction()) for links of row `at` of `guided`: of the evenly spread ones, `length` that
/// count, those whose cells have guided ones; then the guided ones. The sum of weight * light over all of
/// them has the same mean as that of plain * light, and varies less.
template <class F>
void for_guided(const GuidedLinks& guided, std::size_t at, RowParts& evenly, std::uint32_t length, F f) {
    const GuideReader guide(guided.source.guides, guided.source.guide[at]);
    const auto run = [&](const RecordedRows& of, std::size_t row, std::span<const std::uint16_t> parts,
                         float plain) {
        TintReader tints(of.links, row);
        const std::uint32_t* words = of.links.row(row);
        std::array<Vec3, direction_batch> directions;
        std::uint32_t made = none;  // the batch whose directions are there
        for (std::uint32_t k = 0; k < parts.size(); ++k) {
            const std::uint32_t cell = parts[k] / DirectionGuide::parts;
            if (!guide.has_rays(cell)) continue;
            const WeighedLink link{words[k], k, cell, tints.at(k), guide.weight(parts[k], length), plain};
            f(link, [&] {
                const std::uint32_t batch = k / direction_batch, from = batch * direction_batch;
                if (made != batch)
                    row_directions(of.rows, row, from,
                                   std::min(direction_batch, static_cast<std::uint32_t>(parts.size()) - from),
                                   directions);
                made = batch;
                return directions[k - from];
            });
        }
    };
    const std::size_t row = guided.row[at];
    run(evenly.recorded(), row, evenly.of(row, length), 1 / static_cast<float>(length));
    run({guided.source, guided.links}, at,
        {guided.part.data() + guided.first[at], guided.part.data() + guided.first[at + 1]}, 0);
}

/// The variance of a row's mean that comes from cells with guided rays, as those of each cell scatter.
class CellScatter {
public:
    void add(std::uint32_t cell, float weighed) {
        Cell& c = cells_[cell];
        c.sum += weighed;
        c.squares += weighed * weighed;
        c.count += 1;
    }
    float variance() const {
        float sum = 0;
        for (const Cell& c : cells_)
            if (c.count > 1)
                sum += c.count / (c.count - 1) * std::max(0.0f, c.squares - c.sum * c.sum / c.count);
        return sum;
    }

private:
    struct Cell {
        float sum = 0, squares = 0, count = 0;
    };
    std::array<Cell, DirectionGuide::cells> cells_;
};

/// What a texel sends of a group, of a field made by reflect(); words that name no texel send nothing.
Rgb sent_of(const HalfField& from, std::uint32_t word, std::size_t group);

/// The guided links of all groups of a solve, over its rows.
struct AllGuided {
    std::span<const GuidedLinks> groups;
    RecordedRows recorded;  ///< The evenly spread ones.
};

/// Adds to a bounce what guided links and the weights that they change make of it. `from`: what texels send,
/// `to`: what apply_links() made of it. The columns of both are the groups.
void apply_guided(const AllGuided& guided, const RowLengths& lengths, const HalfField& from, LightField& to,
                  Job& job);

}  // namespace stasigraph
