#pragma once
// Triangles in the plane with an overlap test, over a uniform grid.

#include <algorithm>
#include <cstdint>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

struct PlaneTriangle {
    Vec2 a, b, c;
};

/// Whether the insides of two triangles overlap by more than `slack` (a length). Separating axis test over
/// all six edges; triangles of either orientation; those without area overlap nothing.
inline bool overlap(PlaneTriangle s, PlaneTriangle t, float slack) {
    const auto orient = [](PlaneTriangle& p) {
        if (cross(p.b - p.a, p.c - p.a) < 0) std::swap(p.b, p.c);
        return cross(p.b - p.a, p.c - p.a) > 0;
    };
    if (!orient(s) || !orient(t)) return false;
    const auto separates = [slack](Vec2 from, Vec2 to, const PlaneTriangle& other) {
        const Vec2 d = to - from;
        const float limit = slack * length(d);
        return cross(d, other.a - from) <= limit && cross(d, other.b - from) <= limit &&
               cross(d, other.c - from) <= limit;
    };
    return !(separates(s.a, s.b, t) || separates(s.b, s.c, t) || separates(s.c, s.a, t) ||
             separates(t.a, t.b, s) || separates(t.b, t.c, s) || separates(t.c, t.a, s));
}

class PlaneGrid {
public:
    /// `slack` 0 means a hundred-thousandth of the extent: enough for rounding along shared edges.
    PlaneGrid(Vec2 low, Vec2 high, std::size_t expected, float slack = 0) : low_(low) {
        const float extent = std::max({high.x - low.x, high.y - low.y, 1e-20f});
        side_ = std::clamp(static_cast<int>(std::sqrt(static_cast<double>(expected))), 1, 1024);
        cells_per_unit_ = static_cast<float>(side_) / extent;
        slack_ = slack > 0 ? slack : extent * 1e-5f;
        cells_.resize(static_cast<std::size_t>(side_) * side_);
    }

    std::uint32_t first_overlap(const PlaneTriangle& t) const {
        std::uint32_t found = none;
        for_cells(t, [&](std::size_t cell) {
            for (std::uint32_t other : cells_[cell])
                if (other < found && overlap(triangles_[other], t, slack_)) found = other;
        });
        return found;
    }
    bool overlaps(const PlaneTriangle& t) const { return first_overlap(t) != none; }

    void add(const PlaneTriangle& t) {
        const auto index = static_cast<std::uint32_t>(triangles_.size());
        triangles_.push_back(t);
        for_cells(t, [&](std::size_t cell) { cells_[cell].push_back(index); });
    }

private:
    template <class F>
    void for_cells(const PlaneTriangle& t, F&& f) const {
        const auto cell = [&](float v) {
            return std::clamp(static_cast<int>(v * cells_per_unit_), 0, side_ - 1);
        };
        const int x0 = cell(std::min({t.a.x, t.b.x, t.c.x}) - low_.x),
                  x1 = cell(std::max({t.a.x, t.b.x, t.c.x}) - low_.x);
        const int y0 = cell(std::min({t.a.y, t.b.y, t.c.y}) - low_.y),
                  y1 = cell(std::max({t.a.y, t.b.y, t.c.y}) - low_.y);
        for (int y = y0; y <= y1; ++y)
            for (int x = x0; x <= x1; ++x) f(static_cast<std::size_t>(y) * side_ + x);
    }

    Vec2 low_;
    int side_ = 1;
    float cells_per_unit_ = 1, slack_ = 0;
    std::vector<PlaneTriangle> triangles_;
    std::vector<std::vector<std::uint32_t>> cells_;
};

}  // namespace stasigraph
