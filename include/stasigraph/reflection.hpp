#pragma once
// Reflection probes as plain data: where they stand, what they reach, and what they captured.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/volume.hpp"

namespace stasigraph {

/// What a reflection probe reaches. `plane`: a flat mirror or still water; its box is as thick as what lies
/// close to the plane, and its second axis is the plane's normal.
enum class ReflectionShape : std::uint8_t { box, sphere, plane };
/// What put a reflection probe where it is.
enum class ReflectionOrigin : std::uint8_t { hand, rooms, water, ground };
/// "hand", "rooms" and so on.
const char* to_text(ReflectionOrigin origin);
const char* to_text(ReflectionShape shape);

/// A captured cube map's place and settings.
struct ReflectionProbe {
    std::string name;
    ReflectionShape shape = ReflectionShape::box;
    ReflectionOrigin origin = ReflectionOrigin::hand;
    Vec3 middle;  ///< Of what it reaches, metres; of a plane, a point of it.
    Vec3 half;    ///< Half sizes along `axes`, metres; of a plane half its length, thickness and width.
    std::array<Vec3, 3> axes{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};  ///< A right-handed frame.
    float radius = 0;                                             ///< Metres, of a sphere.
    float blend = 0.25f;  ///< Metres beyond its rim over which it fades out. Range [0, 1000].
    Vec3 capture;         ///< Where it looks from, metres; of a plane just above it.
    /// Lookups are led to where a ray from the shaded point leaves the room, a box along `axes`; otherwise
    /// what is seen is taken to be infinitely far.
    bool parallax = true;
    Vec3 room_middle, room_half;  ///< Metres.
    int resolution = 256;         ///< Texels along a face's side; a power of two in [32, 1024].
    float near = 0.05f;           ///< Metres; what is closer is not seen. Range [0, sky_beyond).
    float sky_beyond = 1000;      ///< Metres; what is farther is not seen, and the sky is there. Up to 1e6.
    std::string sees = "*";       ///< Glob of what it captures.
    float priority = 0;           ///< Where probes overlap the one with the higher number answers first.
    friend bool operator==(const ReflectionProbe&, const ReflectionProbe&) = default;
};

/// Asks for reflection probes that are placed by themselves.
struct ReflectionRule {
    std::string name;
    Volume region;       ///< Where: its shape, and the seeds from which free space is reached (`explore`).
    bool rooms = false;  ///< One in each room-like space.
    bool water = false;  ///< A plane over each flat surface that `on` names,
    bool everywhere = false;     ///< whatever the region.
    bool ground = false;         ///< Rows over ground under the open sky.
    std::string on = "*water*";  ///< Glob of flat surfaces.
    float spacing = 12;          ///< Metres between rows and in them. Range [1, 1000].
    float height = 2;            ///< Metres over open ground. Range [0.1, 100].
    float blend = 0.25f;         ///< As of a probe; over ground a quarter of the spacing.
    int resolution = 256;
    float near = 0.05f, sky_beyond = 1000;
    std::string sees = "*";
    float priority = 0;
};

/// Radiance from all around, nit: faces +X, -X, +Y, -Y, +Z, -Z one after the other, each with its rows from
/// the top, as Vulkan, OpenGL and KTX lay out cube maps; directions are the world's.
struct CubeMap {
    int side = 0;
    std::vector<Rgb> texels;  ///< 6 * side * side.
    friend bool operator==(const CubeMap&, const CubeMap&) = default;
};

/// A capture and what ever rougher surfaces mirror of it. Level l of n is for roughness l / (n - 1) (as in
/// glTF, so that its square is GGX's alpha) and half as wide as the one before; the last is 4 texels wide.
struct ReflectionMap {
    std::vector<CubeMap> levels;
    friend bool operator==(const ReflectionMap&, const ReflectionMap&) = default;
};

/// Which reflection probes answer at a point, in their order. What is missing to 1 mirrors nothing.
struct ReflectionWeights {
    int count = 0;
    std::array<std::uint32_t, 4> probe{};
    std::array<float, 4> weight{};
};

}  // namespace stasigraph
