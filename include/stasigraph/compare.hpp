#pragma once
// Two results side by side: figures, and pictures of the difference.

#include <string>
#include <vector>

#include "stasigraph/picture.hpp"

namespace stasigraph {

/// A level under a bake, as far as a comparison needs it. Borrows all of it.
struct LitLevel {
    const Level& level;
    const Atlas& atlas;
    const BakedSet& set;
};

/// How far apart two results are. Stops are powers of two of illuminance (luminance of E): +1 is twice as
/// much light after as before. What is darker than `floor` on either side counts as that: nobody sees it.
struct LightDifference {
    std::size_t texels = 0;     ///< Compared.
    std::size_t unmatched = 0;  ///< Texels of surfaces that the other result does not have, or has otherwise.
    float floor = 0;            ///< Lux: a 500th of the brighter result's mean.
    double mean_before = 0, mean_after = 0;  ///< Lux, by area.
    double mean = 0;                         ///< Stops with their sign, by area.
    double mean_size = 0;                    ///< Stops without it.
    double p95 = 0;                          ///< Stops, without sign, that 95 % of the area are within.
    double largest = 0;                      ///< Stops, with its sign.
    double brighter = 0, darker = 0;         ///< Share of the area that changed by over a tenth of a stop.
    std::string surface;                     ///< Where the largest difference is,
    Vec3 at;                                 ///< metres,
    std::uint32_t page = 0;                  ///< on a page of the result after,
    int x = 0, y = 0;                        ///< its texel;
    Rgb before, after;                       ///< and the light there, lux.
};

/// Compares the light of two results texel by texel of the second one. Surfaces are matched by name; where
/// the first has other pages, its light is looked up at the same place of the same triangle. Cost: two
/// lookups a texel.
LightDifference compare_light(const LitLevel& before, const LitLevel& after, Job& job);

/// The same against the reference path tracer, at texels spread over all lightmapped surfaces by area; those
/// that a bake fills from others (invalid, beyond a wall) are left out.
struct ReferenceSampling {
    std::size_t points = 1024;
    int paths = 256;  ///< For each point; half of them tell how sure the other half is.
};
struct ReferenceDifference {
    LightDifference light;  ///< `before` is the reference.
    double noise = 0;       ///< Stops without sign, mean: what the reference itself is unsure of.
};
ReferenceDifference compare_with_reference(const LitLevel& after, const ReferenceSampling& sampling,
                                           Job& job);

struct ReferencePicture {
    int width = 640, height = 400;
    int paths = 64;  ///< Of each pixel.
};
/// The level from a camera by the reference path tracer, what moves and is live left out; nit. Cost: pixels
/// times paths times path length.
Picture reference_view(const Level& level, std::uint32_t set, const Camera& camera,
                       const ReferencePicture& settings, Job& job);

/// Stops from one picture to another of the same size, drawn: grey where they agree, warm where the second is
/// brighter, cool where it is darker, full at `range` stops. `floor`: nit below which nothing is told apart.
Picture difference_picture(const Picture& before, const Picture& after, float range, float floor);
/// The colour of a difference, linear.
Rgb difference_color(float stops, float range);

}  // namespace stasigraph
