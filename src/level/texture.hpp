#pragma once
// Textures as linear light, with a mip chain, sampled at UVs of a material.

#include <cstdint>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

struct Texel4 {
    float r = 0, g = 0, b = 0, a = 0;
};

/// A texel's width and height in its texture's UVs.
struct Footprint {
    Vec2 across, down;
};

/// Reflectance is held below this: above it, no real surface and no bounce that settles.
inline constexpr float most_albedo = 0.95f;

/// An sRGB-coded byte as linear light, 0 to 1.
float linear_byte(std::uint8_t code);

/// Whether any lightmapped surface has a normal map.
bool has_normal_maps(const Scene& scene);

/// Whether light may pass a material anywhere, and whether it may be coloured on the way.
bool is_transmissive(const Material& material);
bool tints(const Material& material);

/// Threads: const use is safe from any number of threads. Cost: 21 bytes a source pixel and use.
class TextureSet {
public:
    explicit TextureSet(const Scene& scene);

    /// Bilinear lookup at the mip level where one texture pixel is about `footprint` wide (in UV units; 0 is
    /// the full image). White where the use names no image.
    Texel4 sample(const TextureUse& use, Vec2 uv, float footprint = 0) const;

    /// Base colour, clamped to [0, 0.95] a channel, at a point of a surface's triangle.
    Rgb albedo(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u, float v) const;
    /// The same averaged over a parallelogram of UVs around the point: sixteen lookups in an even grid, each
    /// as wide as its share.
    Rgb mean_albedo(const Scene& scene, const Surface& surface, std::uint32_t triangle, Vec2 barycentric,
                    const Footprint& footprint) const;
    /// A point of a triangle, and how far around it is averaged.
    struct Around {
        std::uint32_t triangle = 0;
        Vec2 barycentric;
        Footprint footprint;
    };
    /// The interpolated normal and the triangle's own, both outward and unit length.
    struct Normals {
        Vec3 shading, face;
    };
    /// The shading normal as the material's normal map turns it; as it is where there is no map. Never turned
    /// away from the face.
    Vec3 mapped_normal(const Scene& scene, const Surface& surface, const Around& at,
                       const Normals& normals) const;
    /// How metallic and how rough a surface is at a point, 0 to 1.
    struct MetallicRoughness {
        float metallic = 0, roughness = 1;
    };
    MetallicRoughness metallic_roughness(const Scene& scene, const Surface& surface, std::uint32_t triangle,
                                         float u, float v) const;
    /// Nit, less what the surface lets through at that point.
    Rgb emission(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u, float v) const;
    float alpha(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u, float v) const;
    /// What becomes of light that crosses a surface at a point: the share that passes, and its tint. A
    /// cut-out passes all or nothing, BLEND 1 - alpha; what that leaves is transmitted with the base colour.
    struct Transmission {
        float share = 0;
        Rgb tint{1, 1, 1};
    };
    Transmission transmission(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u,
                              float v) const;

private:
    struct Mip {
        int width = 0, height = 0;
        std::vector<Texel4> pixels;
    };
    using Mips = std::vector<Mip>;
    static Mips make_mips(const Image& image, bool colors);
    static Texel4 fetch(const Mip& mip, const TextureUse& use, float x, float y);
    static Texel4 look_up(const Mips& mips, const TextureUse& use, Vec2 uv, float footprint);
    std::vector<Mips> images_;   ///< As linear light; empty where no material uses it so.
    std::vector<Mips> vectors_;  ///< As numbers in [-1, 1]; likewise.
};

/// The interpolated normal in the world, unit length; `face` where it is missing, broken or turned away from
/// it.
Vec3 shading_normal(const Mesh& mesh, std::uint32_t triangle, Vec2 barycentric, const Affine& to_world,
                    Vec3 face);

/// UVs of a point of a triangle; zero when the mesh has none.
Vec2 mesh_uv(const Mesh& mesh, std::uint32_t triangle, float u, float v);

}  // namespace stasigraph
