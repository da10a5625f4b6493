#pragma once
// The level as plain data: what a scene file and a bake sheet say, checked and in world units.

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"

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
    float alpha = 1;
    TextureUse base_texture;
    Rgb emission{0, 0, 0};  ///< Radiance in nit, texture aside.
    TextureUse emission_texture;
    float metallic = 0, roughness = 1;
    bool double_sided = false;
    AlphaMode alpha_mode = AlphaMode::opaque;
    float alpha_cutoff = 0.5f;
};

/// One triangle list with its own vertices, in the node's own space. Normals are unit length.
/// uv0 is empty or as long as positions; uv1 likewise: the level's own lightmap UVs, when it brings them.
struct Mesh {
    std::string name;
    std::vector<Vec3> positions, normals;
    std::vector<Vec2> uv0, uv1;
    std::vector<std::uint32_t> indices;
    std::uint32_t source_mesh = none, source_primitive = none;  ///< Where it stands in the glTF.
    std::size_t triangle_count() const { return indices.size() / 3; }
};

enum class Part : std::uint8_t { still, moving, stand_in };  ///< "static", "moving", "stand-in" in files.
enum class LitBy : std::uint8_t { lightmap, probes, nothing };

/// What becomes of the lightmap UVs a mesh brings along.
enum class UnwrapMode : std::uint8_t {
    automatic,  ///< "auto": used where they are sound, made anew where not.
    keep,       ///< Used even where charts overlap or come too close, with a warning.
    make,       ///< Made anew.
};

/// One mesh primitive of one node: what receives a lightmap.
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
    float emission_gain = 1;     ///< Times the material's emission. >= 0.
    std::uint32_t group = none;  ///< Light group of its emission; none when it does not emit.
};

enum class LightKind : std::uint8_t { sun, point, spot };

struct Light {
    std::string name;
    LightKind kind = LightKind::point;
    Rgb color{0, 0, 0};  ///< With intensity: lux at normal incidence (sun) or candela (point, spot).
    Vec3 position;
    Vec3 direction{0, -1, 0};                   ///< The way the light travels, unit length.
    float radius = 0;                           ///< Metres; 0 is a point with hard shadows.
    float angular_diameter = 0;                 ///< Radians, sun only. 0.0093 is the real sun's.
    float inner_cone = 0, outer_cone = pi / 4;  ///< Half angles of a spot, radians.
    float range = 0;             ///< Metres at which it is windowed to nothing; 0 is unlimited.
    std::uint32_t group = none;  ///< Filled in by complete_level().
    bool baked = true;           ///< false for bake = "live".
    friend bool operator==(const Light&, const Light&) = default;
};

/// A constant sky.
struct Sky {
    Rgb radiance{0, 0, 0};  ///< Nit, from every direction, below the horizon too.
    std::uint32_t group = none;
};

struct Camera {
    std::string name;
    Vec3 eye, toward{0, 0, -1};  ///< Metres; `toward` is a point looked at.
    float vertical_fov = 0.9f;   ///< Radians.
};

/// An axis-aligned box that wants a lattice of probes.
struct Volume {
    std::string name;
    Vec3 low, high;     ///< Metres.
    float spacing = 2;  ///< Metres between probes, at most. Range [0.05, 1000].
};

/// A named recipe: one gain for each light group, in the level's group order.
struct BakeSet {
    std::string name;
    std::vector<float> gains;
};

struct LightmapSettings {
    float density = 16;  ///< Texels per metre of surface. Range (0, 4096].
    int page = 1024;     ///< Texels; a power of two in [16, 16384].
    int margin = 4;      ///< Texels kept free around each chart. Range [1, 64].
    /// Largest stretch of any triangle a texel can show: the greater of the longest direction and the inverse
    /// of the shortest, against an even density. Range [1.01, 10]. Lower: more seams. Higher: uneven texels.
    float max_stretch = 1.5f;
    int block = 1;  ///< Charts share no block of so many texels square: 1, 4 or 8.
    int pages = 0;  ///< At most so many pages, the density giving way; 0 for as many as it takes.
    bool shrink_unseen =
        false;  ///< Charts that cannot be seen from any volume (or camera) get the least density.
    friend bool operator==(const LightmapSettings&, const LightmapSettings&) = default;
};

enum class Tier : std::uint8_t { glance, proof, final };

struct QualitySettings {
    Tier tier = Tier::proof;
    std::optional<int> bounces;  ///< Number of bounces; empty means until settled.
    float noise = 0;             ///< Relative standard error aimed for; 0 means the tier's own.
    std::uint32_t seed = 1;
    friend bool operator==(const QualitySettings&, const QualitySettings&) = default;
};

/// What a tier stands for.
struct TierSettings {
    float density_scale;          ///< Times the sheet's density.
    int first_links, most_links;  ///< A row starts with the one and grows to the other.
    float noise;                  ///< Relative standard error aimed for.
    int light_samples;            ///< Shadow rays for a light large enough to need them.
    int probe_links;
};
TierSettings tier_settings(Tier tier);

/// Threads: const use is safe from any number of threads.
struct Level {
    std::vector<Image> images;
    std::vector<Material> materials;
    std::vector<Mesh> meshes;
    std::vector<Surface> surfaces;
    std::vector<Light> lights;
    Sky sky;
    std::vector<std::string> groups;
    std::vector<BakeSet> sets;
    std::vector<Camera> cameras;
    std::vector<Volume> volumes;
    LightmapSettings lightmap;
    QualitySettings quality;
    std::vector<std::string> notes;      ///< What was skipped or assumed while loading, one sentence each.
    std::string name;                    ///< File name without folder and ending.
    std::string scene_hash, sheet_hash;  ///< xxHash3-128 of the files, hex; empty for a level made in code.
};

/// Index of the group with this name, made if it is not there yet. Sets get a gain of 1 for a new group.
std::uint32_t group_index(Level& level, const std::string& name);

/// Gives every light, emissive surface and the sky the default group ("sun", "lamps", "glow", "sky") where it
/// has none, and adds the set "base" where there is none. Call once after filling a level in code.
void complete_level(Level& level);

/// Throws Error on the first broken rule: indices in range, finite values, settings within their ranges.
void check_level(const Level& level);

/// The set with this name, or the first one for an empty name. Throws Error naming those there are.
std::uint32_t set_index(const Level& level, const std::string& name);

/// Colour of a black body, linear Rec. 709 at luminance 1. Kelvin in [1000, 20000].
/// Krystek, An algorithm to calculate correlated colour temperature, 1985.
Rgb kelvin_to_rgb(float kelvin);

}  // namespace stasigraph
