#include "chart/raster.hpp"

#include <algorithm>
#include <bit>

namespace stasigraph {

std::size_t Mask::count() const {
    std::size_t n = 0;
    for (const std::uint64_t w : bits) n += static_cast<std::size_t>(std::popcount(w));
    return n;
}

Mask Mask::turned() const {
    Mask out(height, width);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            if (at(x, y)) out.set(height - 1 - y, x);
    return out;
}

Mask Mask::grown(int by) const {
    Mask across(width + 2 * by, height), out(width + 2 * by, height + 2 * by);
    for (int y = 0; y < height; ++y) {
        int last = -1;  // first column not yet filled
        for (int x = 0; x < width; ++x) {
            if (!at(x, y)) continue;
            for (int i = std::max(last, x); i <= x + 2 * by; ++i) across.set(i, y);
            last = x + 2 * by + 1;
        }
    }
    for (int y = 0; y < out.height; ++y)
        for (int from = std::max(0, y - 2 * by); from <= std::min(height - 1, y); ++from)
            for (int w = 0; w < out.words; ++w) out.row(y)[w] |= across.row(from)[w];
    return out;
}

}  // namespace stasigraph
