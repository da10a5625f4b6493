#pragma once
// Cube maps inside: from directions to texels and back.

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "stasigraph/reflection.hpp"

namespace stasigraph {

/// A place on a face, in [-1, 1] right and down.
struct CubePoint {
    int face = 0;
    float right = 0, down = 0;
};
/// Vulkan 1.3, 16.5.4 Cube Map Face Selection; the same in OpenGL 4.6, 8.13, and KTX 2.0.
inline CubePoint cube_point(Vec3 d) {
    const float x = std::abs(d.x), y = std::abs(d.y), z = std::abs(d.z);
    if (x >= y && x >= z) {
        const float s = 1 / x;
        return d.x > 0 ? CubePoint{0, -d.z * s, -d.y * s} : CubePoint{1, d.z * s, -d.y * s};
    }
    if (y >= z) {
        const float s = 1 / y;
        return d.y > 0 ? CubePoint{2, d.x * s, d.z * s} : CubePoint{3, d.x * s, -d.z * s};
    }
    const float s = 1 / z;
    return d.z > 0 ? CubePoint{4, d.x * s, -d.y * s} : CubePoint{5, -d.x * s, -d.y * s};
}
/// Not of unit length; beyond the edges of a face as well.
Vec3 face_direction(int face, float right, float down);

/// A texel and its number in CubeMap::texels.
inline std::size_t texel_number(int side, int face, int x, int y) {
    return (static_cast<std::size_t>(face) * static_cast<std::size_t>(side) + static_cast<std::size_t>(y)) *
               static_cast<std::size_t>(side) +
           static_cast<std::size_t>(x);
}
/// The texel of another face that lies where one beyond the edge of this one would.
std::size_t texel_beyond(int side, int face, int x, int y);

/// Eight cube maps of one width, texel beside texel, so that one lookup serves all. Their faces carry a frame
/// of one texel of their neighbours, so that it never leaves its face.
class FramedCubes {
public:
    static constexpr std::size_t most = 8, lanes = 3 * most;
    /// At most eight.
    explicit FramedCubes(const std::vector<CubeMap>& maps);
    /// Adds the light of a direction times a weight to the sums of all channels.
    void add(Vec3 direction, float weight, float* sum) const {
        const CubePoint p = cube_point(direction);
        // The frame shifts all by a texel, so that nothing is below 0 and rounding down is cutting off.
        const float x = std::min((p.right + 1) * half_ + 0.5f, most_),
                    y = std::min((p.down + 1) * half_ + 0.5f, most_);
        const auto ix = static_cast<std::uint32_t>(x), iy = static_cast<std::uint32_t>(y);
        const float tx = x - static_cast<float>(ix), ty = y - static_cast<float>(iy);
        const float a = (1 - tx) * (1 - ty) * weight, b = tx * (1 - ty) * weight, c = (1 - tx) * ty * weight,
                    d = tx * ty * weight;
        const float *above = texels_.data() +
                             ((static_cast<std::size_t>(p.face) * width_ + iy) * width_ + ix) * lanes,
                    *below = above + width_ * lanes;
        for (std::size_t i = 0; i < lanes; ++i)
            sum[i] += above[i] * a + above[i + lanes] * b + below[i] * c + below[i + lanes] * d;
    }

private:
    std::size_t width_;
    float half_, most_;
    std::vector<float> texels_;
};

/// Half as wide: each texel the mean of four, weighed by the solid angle they take.
CubeMap halved(const CubeMap& map);

}  // namespace stasigraph
