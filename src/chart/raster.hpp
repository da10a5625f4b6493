#pragma once
// Which texels a triangle on a page covers, and sets of texels as bits.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// UVs are multiples of this share of a texel, so that moving a chart by whole texels and turning it by
/// quarters is exact, and what was measured in one place holds in every other.
inline constexpr float uv_step = 1.0f / 1024;
inline Vec2 on_uv_grid(Vec2 p) {
    return {std::round(p.x / uv_step) * uv_step, std::round(p.y / uv_step) * uv_step};
}

struct Cover {
    float area = 0;
    Vec2 centroid;
};

/// The part of the texel at (x, y) that a triangle of positive orientation covers.
/// Sutherland and Hodgman, Reentrant Polygon Clipping, 1974.
inline Cover cover_texel(Vec2 a, Vec2 b, Vec2 c, float x, float y) {
    std::array<Vec2, 8> polygon{Vec2{x, y}, Vec2{x + 1, y}, Vec2{x + 1, y + 1}, Vec2{x, y + 1}}, out;
    int count = 4;
    const std::array<Vec2, 4> corner{a, b, c, a};
    for (int e = 0; e < 3 && count > 0; ++e) {
        const Vec2 from = corner[e], along = corner[e + 1] - from;
        int kept = 0;
        for (int i = 0; i < count; ++i) {
            const Vec2 p = polygon[i], q = polygon[i + 1 == count ? 0 : i + 1];
            const float dp = cross(along, p - from), dq = cross(along, q - from);
            if (dp >= 0) out[kept++] = p;
            if ((dp > 0 && dq < 0) || (dp < 0 && dq > 0)) out[kept++] = p + (q - p) * (dp / (dp - dq));
        }
        polygon = out;
        count = kept;
    }
    Cover cover;
    for (int i = 2; i < count; ++i) {
        const float twice = cross(polygon[i - 1] - polygon[0], polygon[i] - polygon[0]);
        cover.area += twice / 2;
        cover.centroid = cover.centroid + (polygon[0] + polygon[i - 1] + polygon[i]) * (twice / 6);
    }
    if (cover.area > 0) cover.centroid = cover.centroid * (1 / cover.area);
    return cover;
}

/// Calls f(x, y) for every texel that the triangle touches with more than a corner or an edge, of either
/// orientation, by separating axes: exact on the UV grid for pages of up to 8192 texels.
template <class F>
void for_touched(Vec2 a, Vec2 b, Vec2 c, F&& f) {
    if (cross(b - a, c - a) < 0) std::swap(b, c);
    const auto low = [](float p, float q, float r) {
        return static_cast<int>(std::floor(std::min({p, q, r})));
    };
    const auto high = [](float p, float q, float r) {
        return static_cast<int>(std::ceil(std::max({p, q, r})));
    };
    const Vec2 corner[4] = {a, b, c, a};
    const int x0 = low(a.x, b.x, c.x), x1 = std::max(high(a.x, b.x, c.x), x0 + 1);
    const int y0 = low(a.y, b.y, c.y), y1 = std::max(high(a.y, b.y, c.y), y0 + 1);
    for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) {
            bool touched = true;
            for (int e = 0; e < 3 && touched; ++e) {
                const Vec2 d = corner[e + 1] - corner[e];
                // The texel's corner that lies deepest on the inner side of the edge.
                const Vec2 inner{static_cast<float>(x + (d.y < 0 ? 1 : 0)),
                                 static_cast<float>(y + (d.x > 0 ? 1 : 0))};
                touched = static_cast<double>(d.x) * static_cast<double>(inner.y - corner[e].y) -
                              static_cast<double>(d.y) * static_cast<double>(inner.x - corner[e].x) >
                          0;
            }
            if (touched) f(x, y);
        }
}

/// A rectangle of bits, rows padded to whole words.
struct Mask {
    int width = 0, height = 0, words = 0;
    std::vector<std::uint64_t> bits;

    Mask() = default;
    Mask(int w, int h)
        : width(w), height(h), words((w + 63) / 64), bits(static_cast<std::size_t>(words) * h, 0) {}
    std::uint64_t* row(int y) { return &bits[static_cast<std::size_t>(y) * words]; }
    const std::uint64_t* row(int y) const { return &bits[static_cast<std::size_t>(y) * words]; }
    bool at(int x, int y) const { return row(y)[x / 64] >> (x % 64) & 1; }
    void set(int x, int y) { row(y)[x / 64] |= 1ull << (x % 64); }
    std::size_t count() const;
    /// Turned by a quarter, (x, y) -> (height - 1 - y, x).
    Mask turned() const;
    /// Grown by `by` texels on all sides, `by` texels of new room included.
    Mask grown(int by) const;
};

}  // namespace stasigraph
