#pragma once
// One page while it is filled: which texels are taken, and where a shape still fits.

#include <optional>

#include "chart/pack.hpp"

namespace stasigraph {

/// A shape in up to four turns, with the runs of each row that the search needs.
class TurnedShape {
public:
    struct Run {
        int begin, length;
    };
    struct Turn {
        Mask mask, taken;  ///< taken: what it claims on the page, margin and blocks included.
        Mask ring;         ///< Texels right around `taken`, from one further left and above.
        int ring_count = 0;
        std::vector<Run> runs;                 ///< All rows' runs,
        std::vector<std::uint32_t> first_run;  ///< from first_run[y] to first_run[y + 1].
        std::vector<int> order;                ///< Rows, those most likely to collide first.
        std::vector<int> longest;              ///< Longest run of each row.
    };
    TurnedShape(const PackShape& shape, const PackOptions& settings);

    std::vector<Turn> turns;
    int claim = 0;           ///< Texels that `taken` reaches out to the left and above.
    std::size_t texels = 0;  ///< Covered.
    double cost = 0;         ///< Texels it takes on a page, half its margin included.
};

class PageBoard {
public:
    PageBoard(int width, int height, const PackOptions& settings);
    /// Where, of all turns, the shape's lower edge is highest, leftmost on a tie; or where, of the highest
    /// places of every turn, the larger part of its outline touches what is there already.
    enum class Rule { highest, snug };
    std::optional<Placed> place(const TurnedShape& shape, Rule rule);
    /// Takes the texels of a shape whose place is known; false when another is there or it leaves the page.
    bool put(const TurnedShape& shape, const Placed& at);
    void clear();
    int width() const noexcept { return width_; }
    int height() const noexcept { return height_; }

private:
    /// Calls f(x, y) for the leftmost and rightmost free places of each row, from the top, until it says
    /// stop.
    template <class F>
    void find(const TurnedShape::Turn& turn, int before, F&& f) const;
    double contact(const TurnedShape::Turn& turn, int claim, int x, int y) const;
    int longest_gap(int y) const;
    void take(const TurnedShape::Turn& turn, int claim, int x, int y);
    int width_, height_, margin_, block_, words_;
    std::vector<std::uint64_t> taken_;
    std::vector<std::uint64_t> starts_;  ///< Columns at which a shape may begin.
    std::vector<int> gap_;  ///< For each row, its longest run of free texels: most rows of a full
                            ///< page are ruled out by it.
};

}  // namespace stasigraph
