#pragma once
// Light times base colour, as ordinary textures.

#include "stasigraph/picture.hpp"

namespace stasigraph {

/// One texture: what the eye meets on the surfaces that share it.
///
/// Rules: (1) the point of a layout's chart c at `uv` texels lies at (uv + shift[c]) * detail pixels. (2)
/// what no surface covers is filled from what is next to it.
struct PrelitImage {
    struct Spot {
        std::uint32_t surface = 0;
        std::vector<Vec2> shift;  ///< For each chart of its layout, texels.
    };
    std::vector<Spot> spots;
    int width = 0, height = 0;  ///< Pixels.
    int detail = 1;             ///< Pixels along a texel.
    std::vector<Rgb> nit;       ///< Rows from the top.
    std::vector<float> alpha;   ///< Of cut-outs and glass; empty where all is opaque.
};

/// One image for each page, or one for each lightmapped surface. `detail`: pixels along a texel, so that
/// textures finer than the light are kept; it gives way where a side would pass 16384 pixels. Same bytes for
/// any number of threads. Cost: about a microsecond a pixel. Memory: 32 bytes a pixel.
std::vector<PrelitImage> combine(const Level& level, const Atlas& atlas, const BakedSet& set,
                                 const PrelitOptions& settings, Job& job);

}  // namespace stasigraph
