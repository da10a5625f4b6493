#include "light/irradiance_gradient.hpp"

#include <algorithm>
#include <array>

namespace stasigraph {

namespace {

constexpr int steps = 64;  ///< Of the cosine; linear in between, within 2e-4.

struct Shares {
    float normal = 0, light = 1;
};

/// With n = cos p n0 + sin p (cos q t + sin q b) and t the light's side, the fit is
/// cos t - along (1 - cos p) + across sin p cos q; both terms are orthogonal under the weight.
Shares shares_at(double cosine) {
    constexpr int rings = 200, turns = 200;
    constexpr double half_turn = 3.14159265358979323846;
    const double sine = std::sqrt(1 - cosine * cosine);
    double along = 0, along_square = 0, across = 0, across_square = 0;
    for (int i = 0; i < rings; ++i) {
        const double p = (i + 0.5) / rings * half_turn / 2, c = std::cos(p), s = std::sin(p);
        const double c4 = c * c * c * c, weight = s * c4 * c4;
        for (int k = 0; k < turns; ++k) {
            const double q = std::cos((k + 0.5) / turns * half_turn);
            const double light = std::max(0.0, cosine * c + sine * s * q);
            along += weight * (cosine - light) * (1 - c);
            along_square += weight * (1 - c) * (1 - c);
            across += weight * light * s * q;
            across_square += weight * s * s * q * q;
        }
    }
    const double by_light = sine > 1e-6 ? across / across_square / sine : 1;
    return {static_cast<float>(along / along_square - by_light * cosine), static_cast<float>(by_light)};
}

const std::array<Shares, steps + 1>& table() {
    static const std::array<Shares, steps + 1> made = [] {
        std::array<Shares, steps + 1> t;
        for (int i = 0; i < steps; ++i) t[static_cast<std::size_t>(i)] = shares_at(i / double{steps});
        return t;  // the last one: light from straight above
    }();
    return made;
}

}  // namespace

Vec3 gradient_of(Vec3 normal, Vec3 direction) {
    const float cosine = dot(normal, direction);
    if (!(cosine > 0)) return {};
    const float at = std::min(cosine, 1.0f) * steps;
    const int i = std::min(static_cast<int>(at), steps - 1);
    const float t = at - static_cast<float>(i);
    const Shares &a = table()[static_cast<std::size_t>(i)], &b = table()[static_cast<std::size_t>(i) + 1];
    return normal * (a.normal + (b.normal - a.normal) * t) + direction * (a.light + (b.light - a.light) * t);
}

}  // namespace stasigraph
