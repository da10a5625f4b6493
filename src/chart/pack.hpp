#pragma once
#include <optional>
#include <vector>

namespace stasigraph {

struct Cell {
    int x = 0, y = 0;
};

/// A rectangle that fills from the top; keeps the lower outline of what was placed.
/// Jukka Jylänki, A Thousand Ways to Pack the Bin, 2010 (skyline, bottom-left rule).
class Skyline {
public:
    Skyline(int width, int height);
    /// Places a rectangle where its lower edge is highest, leftmost on a tie; nothing when it does not fit.
    std::optional<Cell> place(int width, int height);
    int used_height() const noexcept { return used_; }

private:
    struct Step {
        int x, y, width;
    };
    int width_, height_, used_ = 0;
    std::vector<Step> steps_;
};

}  // namespace stasigraph
