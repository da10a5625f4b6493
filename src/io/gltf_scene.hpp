#pragma once
#include "io/gltf_file.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Meshes, materials, images, surfaces, lights and cameras of a glTF, in world units. No defaults of a sheet
/// yet.
Level read_scene(const GltfFile& file);

/// Pixels of an encoded image (PNG, JPEG) held in memory. Throws Error naming `where`.
Image decode_image(const Bytes& bytes, const std::string& where);

/// A latitude-longitude image, linear, finite and not below 0; `note` says what was repaired.
struct SkyPixels {
    int width = 0, height = 0;
    std::vector<Rgb> pixels;
    std::string note;
};
/// Reads EXR or Radiance HDR. Throws Error naming `where`.
SkyPixels read_sky_image(const std::filesystem::path& path, const std::string& where);

/// The .gltf or .glb behind a level file: the sheet's scene, or the file itself.
std::filesystem::path scene_of(const std::filesystem::path& level_file);

/// "static", "moving" or "bake-only"; "lightmap", "probes" or "nothing". Throws Error naming `where`.
Part part_from(const std::string& text, const std::string& where);
LitBy lit_by_from(const std::string& text, const std::string& where);
UnwrapMode unwrap_from(const std::string& text, const std::string& where);

}  // namespace stasigraph
