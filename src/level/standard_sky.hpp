#pragma once
// A standard sky's luminance by direction, with what does not depend on the direction worked out beforehand.

#include "stasigraph/level.hpp"

namespace stasigraph {

/// CIE S 011 / ISO 15469. `type` is 1 to 15; a sun that has set is taken as setting.
class StandardSky {
public:
    StandardSky(int type, Vec3 sun);
    /// Over the zenith's: standard_sky().
    double relative(Vec3 direction) const { return scattered(cosine_to(direction)) * graded(direction.y); }

    /// La / Lz = f(chi) phi(Z) / (f(Zs) phi(0)); these are f, by the cosine of the angle to the sun, and
    /// phi over both constants, by the cosine of the zenith angle.
    double scattered(double cosine) const;
    double graded(float up) const;

private:
    double cosine_to(Vec3 direction) const { return static_cast<double>(dot(sun_, direction)); }

    Vec3 sun_;
    double a_, b_, c_, d_, e_;  ///< Of table 1.
    double across_;             ///< exp(d pi / 2)
    double at_zenith_ = 1;
};

}  // namespace stasigraph
