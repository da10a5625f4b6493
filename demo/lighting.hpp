#pragma once
#include "scene.hpp"

namespace demo {

/// What is lit and what is lit through: fittings, places for lamps, coloured glass, a sail, a sign.
void add_lighting(Scene& s);

/// An evening's sky as latitude-longitude pixels, nit: a low sun in the west, its glow, bands of cloud.
std::vector<float> evening_sky(int width, int height);

}  // namespace demo
