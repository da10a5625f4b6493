#pragma once
// The glTF 2.0 container: JSON, buffers, accessors. Khronos, glTF 2.0 Specification.

#include "codec/files.hpp"
#include "codec/json_node.hpp"

namespace stasigraph {

/// A parsed .gltf or .glb with all its buffers in memory.
struct GltfFile {
    std::filesystem::path path;
    Json json;
    std::vector<Bytes> buffers;
    std::vector<std::filesystem::path> files;  ///< Buffers and images that it names.
    std::string hash;                          ///< Of the file and everything it refers to.

    JsonNode root() const { return {json, path.filename().string() + ":"}; }
};

GltfFile read_gltf(const std::filesystem::path& path);

/// An accessor whose every element is known to lie inside its buffer. Borrows the file.
struct AccessorView {
    const std::uint8_t* data = nullptr;  ///< null: all zero.
    std::size_t count = 0, stride = 0;
    int components = 0, component_type = 0, component_bytes = 0;
    bool normalized = false;
    std::string where;

    std::size_t element_bytes() const { return static_cast<std::size_t>(components) * component_bytes; }
    /// Component c of element i as a float, normalised integers to [0, 1] or [-1, 1].
    float number(std::size_t i, int c) const;
    std::uint32_t whole(std::size_t i) const;
};
AccessorView view_accessor(const GltfFile& file, std::uint32_t accessor);

/// The bytes of an image: from its buffer view, data URI or file.
Bytes image_bytes(const GltfFile& file, std::uint32_t image);

/// Puts JSON and one binary chunk together as .glb.
Bytes pack_glb(const Json& json, const Bytes& binary);

}  // namespace stasigraph
