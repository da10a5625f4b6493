#pragma once
// Weighted sums of rectangles of pixels. Standard library only, C++17.

#include <cstddef>

#include "stasigraph/game.hpp"

namespace stasigraph::runtime {

/// Where a rectangle begins, and what it is multiplied by.
struct PixelSource {
    const unsigned char* data = nullptr;
    float r = 0, g = 0, b = 0;
};

struct Rectangle {
    std::size_t width = 0, height = 0;  ///< Texels.
    std::size_t stride = 0;             ///< Bytes from row to row, of all of them.
    PixelFormat format = PixelFormat::half4;
    bool below_zero = false;  ///< Whether sums under 0 stay; half floats alone.
    /// Where only some of it is written: a byte a texel, `zone_stride` from row to row, that has to be `own`.
    const unsigned char* zones = nullptr;
    std::size_t zone_stride = 0;
    unsigned char own = 0;
};

/// Writes the sum; the fourth channel of half floats is 1. The same bytes on every machine.
void mix_pixels(const Rectangle& r, const PixelSource* sources, std::size_t count, unsigned char* out);

}  // namespace stasigraph::runtime
