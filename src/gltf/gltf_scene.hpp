#pragma once
#include "gltf/gltf_file.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Meshes, materials, images, surfaces, lights and cameras of a glTF, in world units. No defaults of a sheet
/// yet.
Level read_scene(const GltfFile& file);

/// "static", "moving" or "bake-only"; "lightmap", "probes" or "nothing". Throws Error naming `where`.
Part part_from(const std::string& text, const std::string& where);
LitBy lit_by_from(const std::string& text, const std::string& where);
UnwrapMode unwrap_from(const std::string& text, const std::string& where);

}  // namespace stasigraph
