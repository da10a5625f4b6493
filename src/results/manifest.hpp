#pragma once
// manifest.json: see docs/files.md. The one place that knows its members.

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "codec/json_node.hpp"
#include "stasigraph/bake.hpp"

namespace stasigraph {

inline constexpr int manifest_version = 2;

/// A page as a file, its light times 2^exponent.
struct ManifestMap {
    std::string file;
    int exponent = 0;
};

/// A captured map, and a picture of it for people.
struct ManifestMirror {
    std::string file, picture;
};

struct ManifestPrelit {
    std::string file;
    float exposure_ev = 0;
    std::vector<std::string> images;
};

/// What was made, and when its inputs were these: empty texts where there is none, or where it is that of the
/// set as a whole.
struct ManifestSet {
    std::string name, scene_hash, sheet_hash;
    std::vector<float> gains;                         ///< By group.
    std::vector<Rgb> tints;                           ///< By group, or empty.
    std::vector<ManifestMap> lightmaps, directional;  ///< By page; the second may be empty.
    std::string made_from, inputs;                    ///< A key, and the file of items behind it.
    std::optional<ManifestPrelit> prelit;
    std::map<std::string, std::string> surfaces_made_from;  ///< Where some alone were baked since.
    std::string probes_made_from;                           ///< Where probes stand,
    std::string probes_light_made_from;                     ///< and their light, where that is not made_from.
    std::string probes_inputs;
    std::vector<ManifestMirror> mirrors;  ///< By reflection probe.
    std::string mirrors_made_from, mirrors_inputs;
    std::string mirror_places;  ///< Those of the probes that they are of.

    const std::string& light_of_probes() const {
        return probes_light_made_from.empty() ? made_from : probes_light_made_from;
    }
    /// All files of the set, `inputs` files aside.
    std::vector<std::string> files() const;
    std::vector<std::string> mirror_files() const;
};

struct ManifestSurface {
    std::string name, node;
    std::uint32_t page = 0;
    Vec2 scale, offset;  ///< From the mesh's second UVs to the page's.
    int width = 0, height = 0;
    float density = 0;  ///< Texels per metre.
    std::uint32_t glb_node = none, glb_primitive = none;
};

/// In the game, and without a lightmap.
struct UnmappedSurface {
    std::string name, node;
    LitBy lit_by = LitBy::probes;
    std::uint32_t glb_node = none, glb_primitive = none;
};

struct ManifestVisibility {
    std::uint32_t page = 0;
    std::string file;
    std::vector<std::string> lights;  ///< By channel, at most four.
};

/// As the bake was asked for, the tier's own numbers filled in.
struct ManifestSettings {
    float density = 0, density_scale = 1;
    int page = 0, margin = 0;
    LightmapShape shape = LightmapShape::flat;
    std::string tier;
    std::uint32_t seed = 0;
    float noise = 0;
    int first_links = 0, most_links = 0;
    Denoise denoise = Denoise::automatic;
    Seams seams = Seams::automatic;
    Edges edges = Edges::straight;
    float bounce_gain = 1, saturation = 1;
    std::optional<int> bounces;  ///< None: until they settle.
};

struct Manifest {
    int version = manifest_version;  ///< Of another one, only level, files and result are read.
    std::string level, scene_hash, sheet_hash, atlas_hash;
    ManifestSettings settings;
    int bounces_done = 0;
    std::vector<std::string> groups;
    std::vector<int> pages;  ///< Sides, texels.
    float density_gave_way = 1;
    std::vector<ManifestSet> sets;
    std::string unlit;                                        ///< Key of the unlit level.
    std::vector<std::pair<std::string, std::string>> layers;  ///< Keys by group.
    std::string visibility_made_from, occlusion_made_from, inputs;
    std::vector<ReflectionProbe> mirrors;
    std::string mirror_places;  ///< A hash of those; empty where there are none.
    std::vector<ManifestSurface> surfaces;
    std::vector<UnmappedSurface> unmapped;
    std::vector<ManifestVisibility> visibility;
    float occlusion_reach = 0;
    std::vector<std::string> occlusion;  ///< Files by page; or empty.
    std::optional<std::size_t> probes;   ///< How many.
    std::string charts;
    std::vector<std::pair<std::string, std::string>> files;  ///< Hashes by name.
    std::string result;                                      ///< Folder of all of it.

    const ManifestSet* find(const std::string& set) const;
    /// Names of files that stay in their folder.
    std::vector<std::string> file_names() const;
};

/// Whether a file's name leads nowhere else: a manifest is a file like any other.
bool stays_in_folder(const std::filesystem::path& name);

/// Version, level, files and result alone; what is damaged of them is left out.
Manifest read_manifest_head(const Json& json);
/// Throws Error that names the place of a value that is not what it should be.
Manifest read_manifest(const Json& json);
/// Members in one order, whatever came first.
Json to_json(const Manifest& manifest);

/// Where each lightmapped surface lies, and those without a lightmap.
std::vector<ManifestSurface> mapped_surfaces(const Level& level, const Atlas& atlas);
std::vector<UnmappedSurface> unmapped_surfaces(const Level& level, const Atlas& atlas);
ManifestSettings settings_for_manifest(const Level& level);
/// Tells a list of reflection probes.
std::string mirror_places_of(const std::vector<ReflectionProbe>& probes);

}  // namespace stasigraph
