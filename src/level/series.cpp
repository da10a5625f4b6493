// Where the sun stands through a day, and what sun and sky then give.

#include <algorithm>
#include <cmath>

#include "stasigraph/level.hpp"

namespace stasigraph {

namespace {

constexpr double degree = 3.14159265358979323846 / 180;

/// Optical thickness of a clear atmosphere for the sun's red, green and blue light, straight up. Rayleigh
/// scattering (Bucholtz 1995 at 610, 550 and 465 nm: 0.06, 0.10, 0.19) and a haze of 0.1 at 550 nm that falls
/// with wavelength.
constexpr double thickness[3] = {0.15, 0.20, 0.31};

/// What sunlight has passed relative to straight up. Kasten and Young, Revised optical air mass tables, 1989.
double air_mass(double elevation) {
    const double h = std::max(elevation, 0.0);
    return 1 / (std::sin(h * degree) + 0.50572 * std::pow(h + 6.07995, -1.6364));
}

/// Share of the sun's light above the atmosphere that arrives, by channel; its disc sinks under the horizon
/// within half a degree.
Rgb sun_share(double elevation) {
    const double up = std::clamp(elevation / 0.53 + 0.5, 0.0, 1.0), mass = air_mass(elevation);
    return {static_cast<float>(up * std::exp(-thickness[0] * mass)),
            static_cast<float>(up * std::exp(-thickness[1] * mass)),
            static_cast<float>(up * std::exp(-thickness[2] * mass))};
}

/// Lux of a clear sky without its sun on level ground: IES Calculation Procedures Committee, Recommended
/// Practice for the Calculation of Daylight Availability, 1984. Under the horizon it falls to 3.4 lux at the
/// end of civil twilight, six degrees down, and on at that rate.
double sky_lux(double elevation) {
    if (elevation > 0) return 800 + 15500 * std::sqrt(std::sin(elevation * degree));
    return 800 * std::pow(3.4 / 800, -elevation / 6);
}

double elevation_of(Vec3 toward) {
    return std::asin(std::clamp(static_cast<double>(toward.y), -1.0, 1.0)) / degree;
}

Rgb ratio(Rgb a, Rgb b) {
    const auto over = [](float x, float y) { return y > 0 ? x / y : 0; };
    return {over(a.r, b.r), over(a.g, b.g), over(a.b, b.b)};
}

}  // namespace

Vec3 sun_place(double latitude, int day, double hour) {
    // Spencer, Fourier series representation of the position of the sun, 1971.
    const double year = 2 * 3.14159265358979323846 * (day - 1) / 365;
    const double declination = 0.006918 - 0.399912 * std::cos(year) + 0.070257 * std::sin(year) -
                               0.006758 * std::cos(2 * year) + 0.000907 * std::sin(2 * year) -
                               0.002697 * std::cos(3 * year) + 0.00148 * std::sin(3 * year);
    const double angle = (hour - 12) * 15 * degree, phi = latitude * degree;
    // East, up and south, the hour angle growing towards the west.
    const double up = std::sin(phi) * std::sin(declination) +
                      std::cos(phi) * std::cos(declination) * std::cos(angle),
                 east = -std::cos(declination) * std::sin(angle),
                 south = std::sin(phi) * std::cos(declination) * std::cos(angle) -
                         std::cos(phi) * std::sin(declination);
    return normalize(Vec3{static_cast<float>(east), static_cast<float>(up), static_cast<float>(south)});
}

SeriesStep series_step(const Level& level, std::uint32_t sun, Vec3 toward) {
    SeriesStep step{.light = sun, .sun = {}, .sky = level.sky};
    const double now = elevation_of(toward);
    double then = 45;
    if (sun != none) {
        then = elevation_of(-level.lights[sun].direction);
        step.sun = level.lights[sun];
        step.sun.direction = -toward;
        step.sun.across = std::abs(toward.y) < 0.9f ? normalize(cross(toward, Vec3{0, 1, 0}))
                                                    : normalize(cross(toward, Vec3{1, 0, 0}));
        step.sun.color = step.sun.color * ratio(sun_share(now), sun_share(then));
    } else if (level.sky.kind == SkyKind::standard) {
        then = elevation_of(level.sky.sun);
    }
    const auto dimmed = static_cast<float>(sky_lux(now) / sky_lux(then));
    Sky& sky = step.sky;
    if (sky.kind == SkyKind::standard) {
        // The zenith is told by the level ground's light, which the place of the sun changes.
        const float before = standard_sky_zenith(sky.type, sky.sun, 1);
        sky.sun = toward;
        sky.radiance = sky.radiance * (dimmed * standard_sky_zenith(sky.type, toward, 1) / before);
        sky.below = sky.below * dimmed;
    } else {
        sky.radiance = sky.radiance * dimmed;
    }
    return step;
}

Level as_in_set(const Level& level, std::uint32_t set) {
    Level out = level;
    const std::uint32_t step = level.sets[set].step;
    if (step == none) return out;
    const SeriesStep& s = level.series[step];
    if (s.light != none) out.lights[s.light] = s.sun;
    out.sky = s.sky;
    return out;
}

}  // namespace stasigraph
