#pragma once
// Where light comes from, and in which strengths it is mixed.

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"
#include "stasigraph/shared.hpp"

namespace stasigraph {

/// Luminous intensity by direction, from a photometric file (IES LM-63), unfolded to all angles.
///
/// Rows run over the plane, columns over the angle in it. Type C: `plane` turns about the aim from the lamp's
/// `across` axis, right-handed about the aim's opposite, in [0, 2 pi]; `angle` is that from the aim, in [0,
/// pi]. Type B: `plane` is the angle towards `across`, `angle` the one that tilts the aim in the plane across
/// it; both in [-pi / 2, pi / 2]. Nothing is sent beyond the outermost angle.
struct Profile {
    std::string name;
    bool type_b = false;
    std::vector<float> plane, angle;  ///< Radians, ascending; one plane alone stands for all.
    std::vector<float> candela;       ///< plane.size() rows of angle.size().
    float peak = 0;                   ///< Candela, the largest of them.
    float lumens = 0;                 ///< All of it together.
    friend bool operator==(const Profile&, const Profile&) = default;
};

/// Candela in a direction away from the lamp. `aim` and `across` unit length and square to each other.
float profile_candela(const Profile& profile, Vec3 aim, Vec3 across, Vec3 direction);
/// Fills in peak and lumens, by the trapezoid rule over both angles.
void complete_profile(Profile& profile);

enum class LightKind : std::uint8_t { sun, point, spot, rectangle, disc, tube };

/// What of a light is baked: direct and bounced; its bounces alone, while the game adds the direct light with
/// the help of a visibility map; nothing.
enum class BakeRole : std::uint8_t { whole, bounce, realtime };

/// Rectangles, discs and tubes are no geometry: rays pass them and cameras do not see them. The first two
/// send light from the side `direction` leaves, evenly bright from everywhere; tubes all around, but not from
/// their ends.
struct Light {
    std::string name;
    LightKind kind = LightKind::point;
    /// With intensity: lux at normal incidence (sun), candela (point, spot; at the peak of a profile), nit
    /// (rectangle, disc, tube).
    Rgb color{0, 0, 0};
    /// `color` as it was before the gain, tint and kelvin of a sheet, or before a program's own; black: as
    /// color. Never shown. Where the lights of a group differ from it by one factor, only that factor has
    /// changed, and their light is mixed anew instead of made.
    Rgb unit{0, 0, 0};
    Vec3 position;                ///< Metres; the middle.
    Vec3 direction{0, -1, 0};     ///< The way the light travels, unit length.
    Vec3 across{1, 0, 0};         ///< A rectangle's width, a tube's length, a profile's plane 0; unit length.
    float radius = 0;             ///< Metres, of the ball a lamp is, a disc or a tube; 0 is a point.
    float width = 0, height = 0;  ///< Metres, of a rectangle; width is also a tube's length.
    float angular_diameter = 0;   ///< Radians, sun only. 0.0093 is the real sun's.
    float inner_cone = 0, outer_cone = pi / 4;  ///< Half angles of a spot, radians.
    float falloff_exponent = 2;  ///< Exponent of the fall from the inner to the outer cone. Range (0, 16].
    float range = 0;             ///< Metres at which it is windowed to nothing; 0 is unlimited.
    std::uint32_t profile =
        none;                    ///< Into Level::profiles; points and spots. It stands in place of the cones.
    std::uint32_t group = none;  ///< Filled in by complete_level().
    BakeRole role = BakeRole::whole;
    friend bool operator==(const Light&, const Light&) = default;
};

/// Lumens that a lamp of this kind and size sends for each unit of its colour (candela or nit). Profiles: by
/// their own table; suns: 0.
float lumens_per_unit(const Light& light, const std::vector<Profile>& profiles);

enum class SkyKind : std::uint8_t { constant, image, standard };

/// Light from all directions that meet nothing.
struct Sky {
    SkyKind kind = SkyKind::constant;
    /// constant: nit from everywhere. image: what its pixels are multiplied by. standard: nit at the zenith.
    Rgb radiance{0, 0, 0};
    std::uint32_t group = none;
    // image: latitude-longitude, rows from the zenith, the middle column looking north (-Z), the right half
    // east.
    int width = 0, height = 0;
    Shared<std::vector<Rgb>> pixels;  ///< Nit, finite, none below 0.
    float turn = 0;                   ///< Radians clockwise as seen from above.
    // standard: CIE S 011 / ISO 15469.
    int type = 0;        ///< 1 to 15.
    Vec3 sun{0, 1, 0};   ///< Toward the sun, unit length.
    Rgb below{0, 0, 0};  ///< Nit from under the horizon.
    friend bool operator==(const Sky&, const Sky&) = default;
};

/// Nit from a direction (unit length). Images are looked up without blending, so that their integral is the
/// sum over their pixels.
Rgb sky_radiance(const Sky& sky, Vec3 direction);
/// Relative luminance of a CIE standard sky over that at its zenith; `sun` toward the sun, both unit length.
float standard_sky(int type, Vec3 sun, Vec3 direction);
/// Nit at the zenith for which a CIE standard sky gives an open, level field this much, lux.
float standard_sky_zenith(int type, Vec3 sun, float lux);

/// Finds the bright disc of an image sky, replaces it by the sky around it, and returns it as a sun of the
/// same direction, illuminance and colour; empty where nothing stands out (twenty times the sky around it).
std::optional<Light> take_sun(Sky& sky);
/// Toward the brightest pixel of an image sky, unit length.
Vec3 brightest_direction(const Sky& sky);

/// A named recipe: one gain for each light group, in the level's group order.
struct BakeSet {
    std::string name;
    std::vector<float> gains;
    std::vector<Rgb> tints;  ///< By group, times the gain; white for groups beyond its end.
    /// Exposure value at ISO 100 with which the set is looked at, in [-20, 30]; empty: metered. It decides
    /// below how much light noise is no longer seen, and is the default of pictures and prelit textures.
    std::optional<float> exposure;
    /// Into Level::series: the sun and the sky that this set has instead of the level's own; none: those.
    std::uint32_t step = none;
    /// The light group that this set holds alone, for the game to dim, tint and flicker; none: a set as
    /// others.
    std::uint32_t layer = none;

    /// Of one group, tint included; 1 for groups that are not known to the set.
    Rgb gain(std::size_t group) const {
        return (group < tints.size() ? tints[group] : Rgb{1, 1, 1}) *
               (group < gains.size() ? gains[group] : 1.0f);
    }
};

/// The sun and the sky at one time of a series.
struct SeriesStep {
    std::string series;  ///< Its name.
    float hour = 0;      ///< Of the day, [0, 24); of a series along a path, its share of the path times 24.
    std::uint32_t light = none;  ///< Which of the level's lights the sun is; none: there is no sun.
    Light sun;
    Sky sky;
};

/// Toward the sun, unit length: north is -Z, east +X. `latitude` in degrees, north positive; `day` of the
/// year, 1 to 366; `hour` of solar time, 12 when the sun stands highest.
Vec3 sun_place(double latitude, int day, double hour);

/// Colour of a black body, linear Rec. 709 at luminance 1. Kelvin in [1000, 20000]; below about 1900 the
/// locus leaves the gamut and blue is held at 0. Krystek, An algorithm to calculate correlated colour
/// temperature, 1985.
Rgb kelvin_to_rgb(float kelvin);

struct Lighting {
    std::vector<Light> lights;
    std::vector<Profile> profiles;
    Sky sky;
    std::vector<std::string> groups;
    std::vector<BakeSet> sets;
    std::vector<SeriesStep> series;
};

}  // namespace stasigraph
