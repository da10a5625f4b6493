#pragma once
// Against ringing: nine coefficients of light from one side go below zero on the other.

#include "stasigraph/probes.hpp"

namespace stasigraph {

/// Lessens the first and second order of each channel by as little as keeps it from going below zero, where
/// that hides light: `direct` is the part of `light` that came straight from its sources. What came by
/// bounces and is drowned by ringing counts; under a fiftieth of all it does not, and where nothing else is
/// there the exact projection stays (evaluation stops at zero).
///
/// The least change to the projection of a distant light, 1/4 + c/2 + 5/32 (3 c^2 - 1), that is nowhere
/// negative is to its orders times 0.859 and 0.9: the root of the discriminant at the least mean square
/// change. Light is a mix of distant lights, so this much always suffices; a share of it does where bounces
/// fill in.
void window_ringing(ShRgb& light, const ShRgb& direct);

}  // namespace stasigraph
