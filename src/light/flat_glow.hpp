#pragma once
// Screens, panels and signs: flat faces of emissive surfaces, as rectangular lamps.

#include <vector>

#include "level/texture.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Rectangles that one emissive surface's faces fill, each as a light of its group: where it stands, a
/// millimetre before the faces, and its mean radiance. From 10 cm wide and high on; of surfaces of at most
/// 256 triangles that light whole. In the order of surfaces; the same for any number of threads.
std::vector<Light> flat_glow(const Level& level, const TextureSet& textures);

}  // namespace stasigraph
