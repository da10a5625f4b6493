#pragma once
// The least and the most of a texture anywhere in a part of it.

#include "level/texture.hpp"

namespace stasigraph {

/// Luminance of an image as linear light, its extremes halved level by level.
/// Threads: const use is safe from any number of threads. Cost: 11 bytes a pixel.
class TextureBounds {
public:
    explicit TextureBounds(const Image& image);

    struct Range {
        float least = 0, most = 0;
    };
    /// Holds every bilinear lookup at UVs within the triangle.
    Range within(const TextureUse& use, Vec2 a, Vec2 b, Vec2 c) const;

private:
    struct Step {
        int width = 0, height = 0;
        std::vector<Range> cells;
    };
    std::vector<Step> steps_;
};

}  // namespace stasigraph
