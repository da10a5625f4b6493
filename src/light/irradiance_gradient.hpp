#pragma once
// How irradiance changes as a normal turns away from the surface: what directional lightmaps and normal maps
// read.

#include "stasigraph/math.hpp"

namespace stasigraph {

/// One vector a channel, lux: E(n) = E(n0) + gradient . (n - n0) for unit normals n around the surface's own
/// n0. Together with E(n0) these are the four coefficients of spherical harmonics of orders 0 and 1.
struct IrradianceGradient {
    Rgb x, y, z;
    IrradianceGradient& operator+=(const IrradianceGradient& o) {
        x += o.x;
        y += o.y;
        z += o.z;
        return *this;
    }
    friend IrradianceGradient operator*(const IrradianceGradient& s, float f) {
        return {s.x * f, s.y * f, s.z * f};
    }
    friend IrradianceGradient operator+(IrradianceGradient a, const IrradianceGradient& b) { return a += b; }
    friend Rgb dot(const IrradianceGradient& s, Vec3 v) { return s.x * v.x + s.y * v.y + s.z * v.z; }
};

/// A share of illuminance from one direction, spread over the axes.
inline IrradianceGradient gradient_along(Rgb light, Vec3 v) {
    return {light * v.x, light * v.y, light * v.z};
}

/// The gradient that light of illuminance 1 across `direction` has on a surface with the unit normal
/// `normal`, for directions above it; none below. Where no normal of interest faces away from the light that
/// is `direction` itself, and E(n) exact.
///
/// Light at an angle t from n0 gives max(0, cos) on a normal n, which for low light is no linear function of
/// n. The one taken is right at n0, and elsewhere of least squares over the hemisphere about n0, weighed by
/// the eighth power of the cosine to it (half as much at 24 degrees): by symmetry it has a share along n0 and
/// one along the light.
Vec3 gradient_of(Vec3 normal, Vec3 direction);

}  // namespace stasigraph
