#pragma once
// The level as plain data: what a scene file and a bake sheet say, checked and in world units.

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"
#include "stasigraph/reflection.hpp"
#include "stasigraph/volume.hpp"
#include "stasigraph/zone.hpp"

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

/// Luminous intensity by direction, from a photometric file (IES LM-63), unfolded to all angles.
///
/// Rows run over the plane, columns over the angle in it. Type C: `plane` turns about the aim from the lamp's
/// `across` axis, right-handed about the aim's opposite, in [0, 2 pi]; `angle` is that from the aim, in [0,
/// pi]. Type B: `plane` is the angle towards `across`, `angle` the one that tilts the aim in the plane across
/// it; both in [-pi / 2, pi / 2]. Nothing is sent beyond the outermost angle.
struct Profile {
    std::string name;
    bool type_b = false;
    std::vector<float> plane, angle;  ///< Radians, ascending; one plane alone stands for all.
    std::vector<float> candela;       ///< plane.size() rows of angle.size().
    float peak = 0;                   ///< Candela, the largest of them.
    float lumens = 0;                 ///< All of it together.
    friend bool operator==(const Profile&, const Profile&) = default;
};

/// Candela in a direction away from the lamp. `aim` and `across` unit length and square to each other.
float profile_candela(const Profile& profile, Vec3 aim, Vec3 across, Vec3 direction);
/// Fills in peak and lumens, by the trapezoid rule over both angles.
void complete_profile(Profile& profile);

enum class LightKind : std::uint8_t { sun, point, spot, rectangle, disc, tube };

/// What of a light is baked: direct and bounced; its bounces alone, while the game adds the direct light with
/// the help of a visibility map; nothing.
enum class BakeRole : std::uint8_t { whole, bounce, realtime };

/// Rectangles, discs and tubes are no geometry: rays pass them and cameras do not see them. The first two
/// send light from the side `direction` leaves, evenly bright from everywhere; tubes all around, but not from
/// their ends.
struct Light {
    std::string name;
    LightKind kind = LightKind::point;
    /// With intensity: lux at normal incidence (sun), candela (point, spot; at the peak of a profile), nit
    /// (rectangle, disc, tube).
    Rgb color{0, 0, 0};
    /// `color` as it was before the gain, tint and kelvin of a sheet, or before a program's own; black: as
    /// color. Never shown. Where the lights of a group differ from it by one factor, only that factor has
    /// changed, and their light is mixed anew instead of made.
    Rgb unit{0, 0, 0};
    Vec3 position;                ///< Metres; the middle.
    Vec3 direction{0, -1, 0};     ///< The way the light travels, unit length.
    Vec3 across{1, 0, 0};         ///< A rectangle's width, a tube's length, a profile's plane 0; unit length.
    float radius = 0;             ///< Metres, of the ball a lamp is, a disc or a tube; 0 is a point.
    float width = 0, height = 0;  ///< Metres, of a rectangle; width is also a tube's length.
    float angular_diameter = 0;   ///< Radians, sun only. 0.0093 is the real sun's.
    float inner_cone = 0, outer_cone = pi / 4;  ///< Half angles of a spot, radians.
    float falloff_exponent = 2;  ///< Exponent of the fall from the inner to the outer cone. Range (0, 16].
    float range = 0;             ///< Metres at which it is windowed to nothing; 0 is unlimited.
    std::uint32_t profile =
        none;                    ///< Into Level::profiles; points and spots. It stands in place of the cones.
    std::uint32_t group = none;  ///< Filled in by complete_level().
    BakeRole role = BakeRole::whole;
    friend bool operator==(const Light&, const Light&) = default;
};

/// Lumens that a lamp of this kind and size sends for each unit of its colour (candela or nit). Profiles: by
/// their own table; suns: 0.
float lumens_per_unit(const Light& light, const std::vector<Profile>& profiles);

enum class SkyKind : std::uint8_t { constant, image, standard };

/// Light from all directions that meet nothing.
struct Sky {
    SkyKind kind = SkyKind::constant;
    /// constant: nit from everywhere. image: what its pixels are multiplied by. standard: nit at the zenith.
    Rgb radiance{0, 0, 0};
    std::uint32_t group = none;
    // image: latitude-longitude, rows from the zenith, the middle column looking north (-Z), the right half
    // east.
    int width = 0, height = 0;
    std::vector<Rgb> pixels;  ///< Nit, finite, none below 0.
    float turn = 0;           ///< Radians clockwise as seen from above.
    // standard: CIE S 011 / ISO 15469.
    int type = 0;        ///< 1 to 15.
    Vec3 sun{0, 1, 0};   ///< Toward the sun, unit length.
    Rgb below{0, 0, 0};  ///< Nit from under the horizon.
    friend bool operator==(const Sky&, const Sky&) = default;
};

/// Nit from a direction (unit length). Images are looked up without blending, so that their integral is the
/// sum over their pixels.
Rgb sky_radiance(const Sky& sky, Vec3 direction);
/// Relative luminance of a CIE standard sky over that at its zenith; `sun` toward the sun, both unit length.
float standard_sky(int type, Vec3 sun, Vec3 direction);
/// Nit at the zenith for which a CIE standard sky gives an open, level field this much, lux.
float standard_sky_zenith(int type, Vec3 sun, float lux);

/// Finds the bright disc of an image sky, replaces it by the sky around it, and returns it as a sun of the
/// same direction, illuminance and colour; empty where nothing stands out (twenty times the sky around it).
std::optional<Light> take_sun(Sky& sky);
/// Toward the brightest pixel of an image sky, unit length.
Vec3 brightest_direction(const Sky& sky);

struct Camera {
    std::string name;
    Vec3 eye, toward{0, 0, -1};  ///< Metres; `toward` is a point looked at.
    float vertical_fov = 0.9f;   ///< Radians.
};

/// A named recipe: one gain for each light group, in the level's group order.
struct BakeSet {
    std::string name;
    std::vector<float> gains;
    std::vector<Rgb> tints;  ///< By group, times the gain; white for groups beyond its end.
    /// Exposure value at ISO 100 with which the set is looked at, in [-20, 30]; empty: metered. It decides
    /// below how much light noise is no longer seen, and is the default of pictures and prelit textures.
    std::optional<float> exposure;
    /// Into Level::series: the sun and the sky that this set has instead of the level's own; none: those.
    std::uint32_t step = none;
    /// The light group that this set holds alone, for the game to dim, tint and flicker; none: a set as
    /// others.
    std::uint32_t layer = none;

    /// Of one group, tint included; 1 for groups that are not known to the set.
    Rgb gain(std::size_t group) const {
        return (group < tints.size() ? tints[group] : Rgb{1, 1, 1}) *
               (group < gains.size() ? gains[group] : 1.0f);
    }
};

/// The sun and the sky at one time of a series.
struct SeriesStep {
    std::string series;  ///< Its name.
    float hour = 0;      ///< Of the day, [0, 24); of a series along a path, its share of the path times 24.
    std::uint32_t light = none;  ///< Which of the level's lights the sun is; none: there is no sun.
    Light sun;
    Sky sky;
};

/// Toward the sun, unit length: north is -Z, east +X. `latitude` in degrees, north positive; `day` of the
/// year, 1 to 366; `hour` of solar time, 12 when the sun stands highest.
Vec3 sun_place(double latitude, int day, double hour);

/// What a texel of a lightmap holds.
enum class LightmapShape : std::uint8_t {
    flat,        ///< Irradiance on the surface; normal maps are baked in as far as texels show them.
    directional  ///< That, and irradiance by normal as spherical harmonics of orders 0 and 1.
};

struct LightmapOptions {
    LightmapShape shape = LightmapShape::flat;
    float density = 16;  ///< Texels per metre of surface. Range (0, 4096].
    int page = 1024;     ///< Texels; a power of two in [16, 16384].
    int margin = 4;      ///< Texels kept free around each chart. Range [1, 64]; see margin_for_mips().
    /// Largest stretch of any triangle a texel can show: the greater of the longest direction and the inverse
    /// of the shortest, against an even density. Range [1.01, 10]. Lower: more seams. Higher: uneven texels.
    float stretch_limit = 1.5f;
    int block = 1;             ///< Charts share no block of so many texels square: 1, 4 or 8.
    int pages = 0;             ///< At most so many pages, the density giving way; 0 for as many as it takes.
    Cut cut = Cut::automatic;  ///< Whether surfaces are cut where walls stand on them: part_surfaces().
    /// What stands over a surface by less, metres, rests on it, as far as cutting is concerned. Range
    /// [0.001, 0.1].
    float cut_within = 0.01f;
    Sides sides = Sides::automatic;
    bool shrink_unseen =
        false;  ///< Charts that cannot be seen from any volume (or camera) get the least density.
    friend bool operator==(const LightmapOptions&, const LightmapOptions&) = default;
};

/// Texels of margin with which a page can be halved so often before a lookup at a chart's edge mixes in
/// another chart: 2^(halvings + 1), half of it filled from either side. Range [0, 5].
int margin_for_mips(int halvings);

enum class Tier : std::uint8_t { glance, proof, final };

/// Whether light that came by links is smoothed where that lowers its error.
enum class Denoise : std::uint8_t { automatic, off };

/// Whether both sides of a seam are brought to agree.
enum class Seams : std::uint8_t { automatic, off };

/// Whether edges of hard shadows are spread over two texels, so that filtering draws them straight, or are as
/// sharp as single texels show them.
enum class Edges : std::uint8_t { straight, sharp };

struct BakeOptions {
    Tier tier = Tier::proof;
    std::optional<int> bounces;  ///< Number of bounces; empty means until settled.
    /// Times what physics says each bounce carries on; 1 is physical. Range [0, 4]; no surface then reflects
    /// more than 95 % all the same.
    float bounce_gain = 1;
    /// Of the colour that light takes on when it bounces: 0 is grey, 1 as the surfaces are. Range [0, 4].
    float saturation = 1;
    float noise = 0;  ///< Relative standard error aimed for; 0 means the tier's own.
    int links = 0;    ///< Gather rays of every texel, [8, 4096]; 0 means the tier's own, by noise.
    Denoise denoise = Denoise::automatic;
    Seams seams = Seams::automatic;
    Edges edges = Edges::straight;
    std::uint32_t seed = 1;
    friend bool operator==(const BakeOptions&, const BakeOptions&) = default;
};

/// A map of how open the surroundings of each texel are.
struct OcclusionOptions {
    float reach = 0;  ///< Metres; what is farther away hides nothing. Range [0.01, 1000]; 0: no map.
    friend bool operator==(const OcclusionOptions&, const OcclusionOptions&) = default;
};

/// What shares a texture of light times base colour.
enum class PrelitBy : std::uint8_t { nothing, page, surface };

/// Light times base colour as ordinary textures, for what cannot draw lightmaps.
struct PrelitOptions {
    PrelitBy by = PrelitBy::nothing;  ///< nothing: none are made.
    int detail = 2;                   ///< Pixels along a texel. Range [1, 16].
    std::optional<float> exposure;    ///< Exposure value at ISO 100; empty: metered, set by set.
};

/// What a tier stands for.
struct TierOptions {
    float density_scale;          ///< Times the sheet's density.
    int first_links, most_links;  ///< A row starts with the one and grows to the other.
    float noise;                  ///< Relative standard error aimed for.
    int light_samples;            ///< Shadow rays for a light large enough to need them.
    int light_cut;                ///< Into how many parts the lamps of a group are told apart, at most.
    int probe_links;
    int occlusion_rays;  ///< A texel.
    float smoothing;     ///< How much noise counts against detail: over 1 smooths more.
};
TierOptions tier_options(Tier tier);
/// The same with what the settings ask for instead.
TierOptions tier_options(const BakeOptions& quality);

/// What reading a scene or a sheet left out, mended or could not place; check() makes a finding of each.
struct Remark {
    std::string finding;  ///< Its id.
    std::string name;     ///< Of the node or mesh, or the place in the sheet.
    std::string text;     ///< What is wrong, one sentence.
    double count = 1;     ///< Of what there is more than one of.
    std::uint32_t mesh = none;
};

/// Findings that somebody looked at and wants to be so: they stay listed, and no longer count.
struct Acceptance {
    std::string finding = "*", match = "*";  ///< Globs over a finding's id and over any of its names.
    std::string reason;
};

/// What check() is to hold a level to.
struct CheckOptions {
    float least_light = 0;  ///< Lux that every place has to have where people walk, in every set; 0: any.
};

/// Threads: const use is safe from any number of threads.
struct Level {
    std::vector<Image> images;
    std::vector<Material> materials;
    std::vector<Mesh> meshes;
    std::vector<Surface> surfaces;
    std::vector<Light> lights;
    std::vector<Profile> profiles;
    std::vector<SceneNode> nodes;
    Sky sky;
    std::vector<std::string> groups;
    std::vector<BakeSet> sets;
    std::vector<SeriesStep> series;
    std::vector<Camera> cameras;
    std::vector<Volume> volumes;
    std::vector<Zone> zones;
    std::vector<Vec3> hand_probes;  ///< Metres. No rule ever drops or moves one.
    ProbeOptions probes;
    /// Where probes are, by an earlier place_probes(); empty: they are placed when the level is baked.
    std::optional<std::vector<ProbePlace>> placed;
    std::vector<ReflectionProbe> reflections;
    std::vector<ReflectionRule> reflection_rules;
    LightmapOptions lightmap;
    OcclusionOptions occlusion;
    PrelitOptions prelit;
    BakeOptions quality;
    CheckOptions check;
    std::vector<Acceptance> accepted;
    std::vector<Remark> remarks;
    std::vector<std::string> notes;     ///< What was skipped or assumed while loading, one sentence each.
    std::vector<std::string> warnings;  ///< What in the sheet does nothing as it stands, one sentence each.
    PartFigures parts;
    std::uint32_t source_nodes = 0;      ///< How many nodes the glTF has.
    std::string name;                    ///< File name without folder and ending.
    std::string scene_hash, sheet_hash;  ///< xxHash3-128 of the files, hex; empty for a level made in code.
};

/// Whether a level asks for any probes.
inline bool has_probes(const Level& level) {
    return !level.volumes.empty() || !level.hand_probes.empty();
}

/// And whether it asks for reflection probes.
inline bool has_reflections(const Level& level) {
    return !level.reflections.empty() || !level.reflection_rules.empty();
}

/// Index of the group with this name, made if it is not there yet. Sets get a gain of 1 for a new group.
std::uint32_t group_index(Level& level, const std::string& name);

/// Gives every light, emissive surface and the sky the default group ("sun", "lamps", "glow", "sky") where it
/// has none, and adds the set "base" where there is none. Call once after filling a level in code.
void complete_level(Level& level);

/// Gives a level without volumes and without probes placed by hand one volume, "level", over all that is
/// static: wherever one can stand or fly (`explore` and `walkable` from floors and cameras), thinned at a
/// tolerance of 0.05 and to 4000 probes where the level says nothing else. Does nothing where
/// Level::probes.by_default is false, and for a level some kilometres wide, where probes would lie over 100 m
/// apart. load_level() calls it; call it after complete_level() for a level made
/// in code.
void add_default_volume(Level& level);

/// The level's sun (a light's number, or none) and sky when the sun stands elsewhere: sunlight is dimmed and
/// reddened by the air it passes, and the sky gives what a clear one gives, both against what they are where
/// the sun stands in the level. A sky's image does not turn.
SeriesStep series_step(const Level& level, std::uint32_t sun, Vec3 toward);
/// The level with the sun and the sky of one of its sets.
Level as_in_set(const Level& level, std::uint32_t set);

/// Metres from the origin along any axis, at most, of everything that has a place.
inline constexpr float farthest_place = 1e6f;
/// Throws Error naming `where` for a place beyond that, or one that is not finite.
void check_place(Vec3 place, const std::string& where);

/// Throws Error on the first broken rule: indices in range, finite values, settings within their ranges,
/// names of sets that can be folders. Safe on any level whatever; so is complete_level() before it.
void check_level(const Level& level);

/// The set with this name, or the first one for an empty name. Throws Error naming those there are.
std::uint32_t set_index(const Level& level, const std::string& name);

/// Colour of a black body, linear Rec. 709 at luminance 1. Kelvin in [1000, 20000]; below about 1900 the
/// locus leaves the gamut and blue is held at 0. Krystek, An algorithm to calculate correlated colour
/// temperature, 1985.
Rgb kelvin_to_rgb(float kelvin);

}  // namespace stasigraph
