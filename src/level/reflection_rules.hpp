#pragma once
// What a reflection probe may say, and how much all of them take.

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Texels of all captures of one set together: 4 GB as they are kept while a bake runs.
inline constexpr double most_reflection_texels = 3.2e8;

/// Throws Error on the first broken rule.
void check_reflections(const Level& level);
/// That many of them, as wide as that, with their levels.
double reflection_texels(double probes, int resolution);
/// Throws Error where that is too much.
void check_reflection_texels(double texels);

}  // namespace stasigraph
