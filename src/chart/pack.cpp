#include "chart/pack.hpp"

#include <algorithm>

namespace stasigraph {

Skyline::Skyline(int width, int height) : width_(width), height_(height), steps_{{0, 0, width}} {}

std::optional<Cell> Skyline::place(int width, int height) {
    if (width > width_ || height > height_) return std::nullopt;
    std::size_t best = steps_.size();
    int best_y = height_ + 1;
    for (std::size_t i = 0; i < steps_.size() && steps_[i].x + width <= width_; ++i) {
        int y = 0, left = width;
        for (std::size_t j = i; left > 0; ++j) {
            y = std::max(y, steps_[j].y);
            left -= steps_[j].width;
        }
        if (y + height <= height_ && y + height < best_y) {
            best = i;
            best_y = y + height;
        }
    }
    if (best == steps_.size()) return std::nullopt;
    const Cell at{steps_[best].x, best_y - height};
    // The new step replaces what it covers.
    int covered = width;
    std::size_t end = best;
    while (covered > 0 && steps_[end].width <= covered) covered -= steps_[end++].width;
    if (covered > 0) {
        steps_[end].x += covered;
        steps_[end].width -= covered;
    }
    steps_.erase(steps_.begin() + static_cast<std::ptrdiff_t>(best),
                 steps_.begin() + static_cast<std::ptrdiff_t>(end));
    steps_.insert(steps_.begin() + static_cast<std::ptrdiff_t>(best), {at.x, best_y, width});
    for (std::size_t i = 0; i + 1 < steps_.size();) {
        if (steps_[i].y == steps_[i + 1].y) {
            steps_[i].width += steps_[i + 1].width;
            steps_.erase(steps_.begin() + static_cast<std::ptrdiff_t>(i) + 1);
        } else {
            ++i;
        }
    }
    used_ = std::max(used_, best_y);
    return at;
}

}  // namespace stasigraph
