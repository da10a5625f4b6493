// Radiance of the sky by direction.

#include <algorithm>
#include <cmath>

#include "level/standard_sky.hpp"

namespace stasigraph {

namespace {

/// CIE S 011 / ISO 15469, table 1: gradation a, b and indicatrix c, d, e of the fifteen types.
struct StandardType {
    double a, b, c, d, e;
};
constexpr StandardType standard_types[15] = {
    {4.0, -0.70, 0, -1.0, 0.00},   {4.0, -0.70, 2, -1.5, 0.15},   {1.1, -0.80, 0, -1.0, 0.00},
    {1.1, -0.80, 2, -1.5, 0.15},   {0.0, -1.00, 0, -1.0, 0.00},   {0.0, -1.00, 2, -1.5, 0.15},
    {0.0, -1.00, 5, -2.5, 0.30},   {0.0, -1.00, 10, -3.0, 0.45},  {-1.0, -0.55, 2, -1.5, 0.15},
    {-1.0, -0.55, 5, -2.5, 0.30},  {-1.0, -0.55, 10, -3.0, 0.45}, {-1.0, -0.32, 10, -3.0, 0.45},
    {-1.0, -0.32, 16, -3.0, 0.30}, {-1.0, -0.15, 16, -3.0, 0.30}, {-1.0, -0.15, 24, -2.8, 0.15}};

constexpr double half_turn = 3.14159265358979323846;

}  // namespace

StandardSky::StandardSky(int type, Vec3 sun) : sun_(sun) {
    const StandardType& t = standard_types[std::clamp(type, 1, 15) - 1];
    a_ = t.a;
    b_ = t.b;
    c_ = t.c;
    d_ = t.d;
    e_ = t.e;
    across_ = std::exp(d_ * half_turn / 2);
    at_zenith_ = scattered(std::max(0.0, static_cast<double>(sun.y))) * graded(1);
}

// f(chi) = 1 + c (exp(d chi) - exp(d pi / 2)) + e cos^2 chi.
double StandardSky::scattered(double cosine) const {
    const double c = std::clamp(cosine, -1.0, 1.0);
    return 1 + c_ * (std::exp(d_ * std::acos(c)) - across_) + e_ * c * c;
}

// phi(Z) = 1 + a exp(b / cos Z).
double StandardSky::graded(float up) const {
    const auto cosine = static_cast<double>(up);
    return (cosine > 1e-6 ? 1 + a_ * std::exp(b_ / cosine) : 1.0) / at_zenith_;
}

float standard_sky(int type, Vec3 sun, Vec3 direction) {
    return static_cast<float>(StandardSky(type, sun).relative(direction));
}

float standard_sky_zenith(int type, Vec3 sun, float lux) {
    // Integral of the relative luminance times the cosine: even steps in sin^2 of the zenith angle and, from
    // the sun's meridian, over half a turn; the other half is the same.
    constexpr int rings = 256, turns = 180;
    const StandardSky sky(type, sun);
    const double up = static_cast<double>(sun.y), level = std::sqrt(std::max(0.0, 1 - up * up));
    double sum = 0;
    for (int i = 0; i < rings; ++i) {
        const double s2 = (i + 0.5) / rings, s = std::sqrt(s2), c = std::sqrt(1 - s2);
        double ring = 0;
        for (int j = 0; j < turns; ++j)
            ring += sky.scattered(up * c + level * s * std::cos(half_turn * (j + 0.5) / turns));
        sum += ring * sky.graded(static_cast<float>(c));
    }
    return static_cast<float>(static_cast<double>(lux) / (half_turn * sum / (rings * turns)));
}

Rgb sky_radiance(const Sky& sky, Vec3 d) {
    if (sky.kind == SkyKind::standard)
        return d.y > 0 ? sky.radiance * standard_sky(sky.type, sky.sun, d) : sky.below;
    if (sky.kind == SkyKind::constant) return sky.radiance;
    const float azimuth = std::atan2(d.x, -d.z) - sky.turn;  // clockwise from north
    float u = azimuth / (2 * pi) + 0.5f;
    u -= std::floor(u);
    const float v = std::acos(std::clamp(d.y, -1.0f, 1.0f)) / pi;
    const int x = std::min(static_cast<int>(u * static_cast<float>(sky.width)), sky.width - 1),
              y = std::min(static_cast<int>(v * static_cast<float>(sky.height)), sky.height - 1);
    return (*sky.pixels)[static_cast<std::size_t>(y) * sky.width + x] * sky.radiance;
}

}  // namespace stasigraph
