#pragma once
// What a shiny surface mirrors of one lamp.

#include <algorithm>
#include <cmath>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// Radiance towards the eye for each lux on a plane that faces the lamp: the microfacet reflection of
/// glTF 2.0, appendix B. All directions are unit vectors away from the surface. `straight`: reflectance head
/// on. `sine`: of half the angle the lamp fills, by which the lobe is wider than the surface makes it.
struct Gloss {
    float roughness = 1, sine = 0;
    Rgb straight;
};
inline Rgb highlight(Vec3 normal, Vec3 eye, Vec3 lamp, const Gloss& gloss) {
    const auto& [roughness, sine, straight] = gloss;
    const float nl = dot(normal, lamp), nv = std::max(dot(normal, eye), 1e-3f);
    if (!(nl > 0)) return {};
    const Vec3 half = normalize(eye + lamp);
    const float nh = std::max(dot(normal, half), 0.0f), vh = std::clamp(dot(eye, half), 0.0f, 1.0f);
    const float alpha = std::clamp(roughness * roughness + 0.5f * sine, 0.005f, 1.0f), a2 = alpha * alpha;
    const float spread = nh * nh * (a2 - 1) + 1, facets = a2 / (pi * spread * spread);
    const float seen =
        0.5f / (nl * std::sqrt(nv * nv * (1 - a2) + a2) + nv * std::sqrt(nl * nl * (1 - a2) + a2));
    const float rim = std::pow(1 - vh, 5.0f);
    return (straight + (Rgb{1, 1, 1} - straight) * rim) * (nl * facets * seen);
}

}  // namespace stasigraph
