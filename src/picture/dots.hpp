#pragma once
// Dots: texels that an eye finds among those around them.

#include <cstdint>
#include <vector>

namespace stasigraph {

/// Texels that are off by over these shares of what they are held against.
inline constexpr float dot_steps[] = {0.1f, 0.2f, 0.5f};
/// Light under this share of the mean is black.
inline constexpr float dot_black = 1e-3f;

/// A texel of a page and its true luminance, lux.
struct DotTexel {
    std::uint32_t page = 0;
    int x = 0, y = 0;
    float light = 0;
};

/// What an error of each texel is held against, lux: its own light, or a quarter of the mean of those of the
/// 9 x 9 around it that are among `texels`, whichever is more. `sides`: of the pages, texels.
std::vector<float> dot_measure(const std::vector<DotTexel>& texels, const std::vector<int>& sides);

}  // namespace stasigraph
