#pragma once
// Lamps that probes tell by themselves: baked lights whose direct light is worked out at the place that is
// asked for, instead of being smeared into coefficients. C++17, standard library only.

#include <cstdint>

namespace stasigraph::runtime {

/// Openings are windows, doors and skylights: rectangles through which light comes from beyond.
enum class LampKind : std::uint32_t { sun, point, spot, rectangle, disc, tube, opening };

/// Where a lamp stands and how its light spreads. What it gives for each unit of its colour: lux at normal
/// incidence (sun), candela (point, spot; at the peak of a profile), nit (the others).
struct Lamp {
    LampKind kind = LampKind::point;
    float position[3] = {0, 0, 0};    ///< Metres; the middle.
    float direction[3] = {0, -1, 0};  ///< The way the light travels, unit length.
    float across[3] = {1, 0, 0};      ///< A rectangle's width, a tube's length, a profile's plane 0.
    float radius = 0;                 ///< Metres, of the ball a lamp is, a disc or a tube; 0 is a point.
    float width = 0, height = 0;      ///< Metres, of a rectangle, an opening; width is also a tube's length.
    float sine = 0;                   ///< Of half the angle a sun's disc fills.
    /// Cosines of a spot's half angles. Of an opening, which is several lamps, since light from the horizon
    /// is another than from the ground and from high up: the least and the greatest rise over run of the
    /// lines to it along which this one is seen.
    float cos_inner = 1, cos_outer = -1;
    float falloff_exponent = 2;           ///< Exponent of the fall between them.
    float range = 0;                      ///< Metres at which it is windowed to nothing; 0 is unlimited.
    std::uint32_t profile = 0xffffffffu;  ///< Number of its profile; 0xffffffff: none.
    /// Metres over which edges of its shadows fade, where probes tell how far off those are; 0: its shadows
    /// are soft, and the shares that probes see are mixed as they are.
    float fade = 0;
};
static_assert(sizeof(Lamp) == 80);

/// Light by direction from a photometric file. Type C: rows over the plane, which turns about the aim from
/// `across`, columns over the angle from the aim; type B: the plane is the angle towards `across`, the other
/// one tilts the aim. Angles in radians, ascending; no light beyond the outermost.
struct LampProfile {
    std::uint32_t type_b = 0;
    std::uint32_t planes = 0, angles = 0;
    /// Into the values: `planes` plane angles, `angles` angles, then planes * angles shares of the peak.
    std::uint32_t first = 0;
};
static_assert(sizeof(LampProfile) == 16);

/// What one lamp does at a place, for a shader: its light from one direction, as probes see it.
struct LampLight {
    std::uint32_t lamp = 0;
    float toward[3] = {0, 1, 0};  ///< Where it stands from there, unit length.
    float lux[3] = {0, 0, 0};     ///< On a plane that faces it.
};

}  // namespace stasigraph::runtime
