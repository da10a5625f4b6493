#pragma once
// What a scene file holds: shapes, images, materials and where they stand.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"
#include "stasigraph/scene_cache.hpp"
#include "stasigraph/shared.hpp"

namespace stasigraph {

/// Eight bits a channel, RGBA, rows from the top; colour is sRGB-coded, alpha linear.
struct Image {
    std::string name;
    int width = 0, height = 0;
    std::vector<std::uint8_t> rgba;
};

/// A texture as a material uses it: an image, an affine map of the UVs (KHR_texture_transform), and wrapping.
struct TextureUse {
    std::uint32_t image = none;
    Vec2 offset{0, 0}, scale{1, 1};
    float rotation = 0;  ///< Radians, counter-clockwise.
    bool repeat_x = true, repeat_y = true;
};

enum class AlphaMode : std::uint8_t { opaque, mask, blend };

struct Material {
    std::string name;
    Rgb base_color{1, 1, 1};  ///< Linear reflectance, texture aside; metals bounce with it as if diffuse.
    float alpha = 1;          ///< MASK: compared with the cutoff. BLEND: 1 - alpha of the light passes.
    TextureUse base_texture;
    Rgb emission{0, 0, 0};  ///< Radiance in nit, texture aside.
    TextureUse emission_texture;
    float metallic = 0, roughness = 1;  ///< Range [0, 1]; times what follows.
    TextureUse roughness_texture;       ///< Green is roughness, blue is metallic; linear.
    /// Share of the light that passes, tinted by the base colour (KHR_materials_transmission); the red
    /// channel of its texture times this. Without effect on materials that emit.
    float transmission = 0;
    TextureUse transmission_texture;
    /// Tangent-space normals as in glTF: red along +U, green up the image; x and y times normal_scale.
    TextureUse normal_texture;
    float normal_scale = 1;
    bool double_sided = false;
    AlphaMode alpha_mode = AlphaMode::opaque;
    float alpha_cutoff = 0.5f;
};

/// The way +U runs along a surface, unit length, and the side of cross(normal, along) that is up the image.
struct Tangent {
    Vec3 along{1, 0, 0};
    float side = 1;  ///< 1 or -1.
};

/// A vertex on a triangle of another mesh.
struct BetweenVertices {
    std::array<std::uint32_t, 3> of{};
    std::array<float, 3> share{1, 0, 0};  ///< Sum 1; {1, 0, 0}: that vertex itself.
};

/// One triangle list with its own vertices, in the node's own space. Normals are unit length.
/// uv0 is empty or as long as positions; uv1 likewise: the level's own lightmap UVs, when it brings them.
/// tangents likewise; where there are none, normal maps lie along the UVs of each triangle.
struct Mesh {
    std::string name;
    std::vector<Vec3> positions, normals;
    std::vector<Vec2> uv0, uv1;
    std::vector<Tangent> tangents;
    std::vector<std::uint32_t> indices;
    std::uint32_t source_mesh = none, source_primitive = none;  ///< Where it stands in the glTF,
    std::uint32_t source_primitives = 0;                        ///< and how many primitives that mesh has.
    /// Of a part of a mesh (part_surfaces()): for each vertex, the vertices of the source primitive that it
    /// lies between and its shares of them; empty: vertices are the source's own.
    std::vector<BetweenVertices> between;
    std::vector<std::uint8_t>
        covered;          ///< For each triangle, whether it lies whole under something; or empty.
    bool turned = false;  ///< The source's triangles seen from behind.
    bool is_covered(std::size_t triangle) const { return !covered.empty() && covered[triangle] != 0; }
    std::size_t triangle_count() const { return indices.size() / 3; }
};

enum class Part : std::uint8_t { still, moving, bake_only };  ///< "static", "moving", "bake-only" in files.
enum class LitBy : std::uint8_t { lightmap, probes, nothing };

/// What becomes of the lightmap UVs a mesh brings along.
enum class UnwrapMode : std::uint8_t {
    automatic,  ///< "auto": used where they are sound, made anew where not.
    keep,       ///< Used even where charts overlap or come too close, with a warning.
    make,       ///< Made anew.
};

/// Where a surface is cut for its lightmap, and how many sides get one.
enum class Cut : std::uint8_t { automatic, off };
enum class Sides : std::uint8_t { automatic, both, one };

/// What dividing surfaces into parts came to: part_surfaces().
struct PartFigures {
    std::size_t cut = 0;        ///< Surfaces that fell into parts,
    std::size_t parts = 0;      ///< and the surfaces they made besides themselves.
    std::size_t triangles = 0;  ///< Triangles that cutting added.
    std::size_t covered = 0;    ///< Triangles that lie whole under something: they get no texels,
    double covered_area = 0;    ///< and their area, square metres.
    std::size_t two_sided = 0;  ///< Double-sided surfaces that became one for each side.
    std::size_t whole = 0;      ///< Left whole for too many pieces.
};

/// One mesh primitive of one node, or a part of it: what receives a lightmap.
struct Surface {
    std::string name;  ///< Unique in the level; the node's name where that is unique already.
    std::string node;  ///< What globs match.
    std::uint32_t mesh = 0, material = 0;
    std::uint32_t source_node = none;
    Affine to_world;
    Part part = Part::still;
    LitBy lit_by = LitBy::lightmap;
    float density = 1;  ///< Times the level's density. Range (0, 64].
    UnwrapMode unwrap = UnwrapMode::automatic;
    float emission_gain = 1;       ///< Times the material's emission. >= 0.
    std::uint32_t group = none;    ///< Light group of its emission; none when it does not emit.
    std::uint32_t copy_of = none;  ///< The surface that a rig copied; none for those of the scene.
    bool animated = false;         ///< An animation of the scene, or a skin, moves it.
    Cut cut = Cut::automatic;
    Sides sides = Sides::automatic;
    std::uint32_t part_of = none;  ///< The surface it is a part of, by part_surfaces(); none: itself.
    /// One side of what its material shows from both: the written level gets it single-sided.
    bool one_side = false;
};

/// A node of the scene, for what is placed by name. Parents come before their children.
struct SceneNode {
    std::string name;
    Affine to_world;
    std::uint32_t parent = none;       ///< Into Level::nodes.
    std::uint32_t source_node = none;  ///< Its number in the glTF.
    bool rig_copy = false;             ///< A rig put it there in an earlier bake.
};

/// Shapes and images are shared by all copies and hashed once: change one by Shared::edit().
struct Scene {
    std::vector<Shared<Image>> images;
    std::vector<Material> materials;
    std::vector<Shared<Mesh>> meshes;
    std::vector<Surface> surfaces;
    std::vector<SceneNode> nodes;
    PartFigures parts;
    std::uint32_t source_nodes = 0;  ///< How many nodes the glTF has.
    std::string name;                ///< File name without folder and ending.
    std::string scene_hash;          ///< xxHash3-128 of the file, hex; empty for a level made in code.
    SceneCache cache;                ///< Not part of what the scene is.
};

}  // namespace stasigraph
