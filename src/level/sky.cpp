// Radiance of the sky by direction.

#include <algorithm>
#include <cmath>

#include "stasigraph/level.hpp"

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

double gradation(const StandardType& t, double cosine) {
    return cosine > 1e-6 ? 1 + t.a * std::exp(t.b / cosine) : 1.0;
}
double indicatrix(const StandardType& t, double angle) {
    const double c = std::cos(angle);
    return 1 + t.c * (std::exp(t.d * angle) - std::exp(t.d * half_turn / 2)) + t.e * c * c;
}

}  // namespace

// La / Lz = f(chi) phi(Z) / (f(Zs) phi(0)), phi(Z) = 1 + a exp(b / cos Z),
// f(chi) = 1 + c (exp(d chi) - exp(d pi / 2)) + e cos^2 chi.
float standard_sky(int type, Vec3 sun, Vec3 direction) {
    const StandardType& t = standard_types[std::clamp(type, 1, 15) - 1];
    const double chi = std::acos(std::clamp(static_cast<double>(dot(sun, direction)), -1.0, 1.0));
    // The standard's sun stands over the horizon; one that has set is taken as setting.
    const double sun_zenith = std::acos(std::clamp(static_cast<double>(sun.y), 0.0, 1.0));
    return static_cast<float>(indicatrix(t, chi) * gradation(t, static_cast<double>(direction.y)) /
                              (indicatrix(t, sun_zenith) * gradation(t, 1)));
}

float standard_sky_zenith(int type, Vec3 sun, float lux) {
    // Integral of the relative luminance times the cosine: uniform steps in sin^2 of the zenith angle.
    constexpr int rings = 512, turns = 720;
    double sum = 0;
    for (int i = 0; i < rings; ++i) {
        const double s2 = (i + 0.5) / rings, s = std::sqrt(s2), c = std::sqrt(1 - s2);
        for (int j = 0; j < turns; ++j) {
            const double a = 2 * half_turn * (j + 0.5) / turns;
            sum +=
                static_cast<double>(standard_sky(type, sun,
                                                 {static_cast<float>(s * std::cos(a)), static_cast<float>(c),
                                                  static_cast<float>(s * std::sin(a))}));
        }
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
    return sky.pixels[static_cast<std::size_t>(y) * sky.width + x] * sky.radiance;
}

}  // namespace stasigraph
