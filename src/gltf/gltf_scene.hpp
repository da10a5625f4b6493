#pragma once
#include "gltf/gltf_file.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Meshes, materials, images, surfaces, lights and cameras of a glTF, in world units. No defaults of a sheet
/// yet.
Level read_scene(const GltfFile& file);

}  // namespace stasigraph
