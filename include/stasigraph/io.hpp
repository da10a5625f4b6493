#pragma once
// Files in and out: glTF, the bake sheet, images, the results of a bake.

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/bake.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

/// Reads a bake sheet (.toml) with its scene, or a bare .gltf or .glb. Everything is checked before use;
/// throws Error naming file and place. What one bad part costs (a node without a volume, triangles that are
/// not finite) is left out and said in Level::notes.
Level load_level(const std::filesystem::path& path);

/// A commented bake sheet for a scene that was loaded bare.
std::string starter_sheet(const Level& level, const std::string& scene_file);

/// Where the results of a level go unless told otherwise: `baked` beside its file.
std::filesystem::path default_output(const std::filesystem::path& level_file);

/// Where a level's cache lies: `.stasigraph` beside its file. Deleting it costs time and nothing else.
std::filesystem::path default_cache(const std::filesystem::path& level_file);
/// A store of files in a folder, which is made when first written to. Damaged files are told of through `note` and
/// removed; a full disk is told of once. Over `limit` bytes the files unused for longest are removed, but none that
/// this store used itself.
BakeStore open_store(const std::filesystem::path& folder, std::function<void(const std::string&)> note,
                     std::uint64_t limit = std::uint64_t{8} << 30);

/// Throws Error when nothing can be written there; makes the folder if need be. Call before long work.
void check_writable(const std::filesystem::path& folder);

/// Writes sets, probes, both .glb files and, last, the manifest. Each file appears whole or not at all.
/// `only`: names of the sets to write; empty means all. Files of an earlier bake that are no longer part of
/// the result are removed; files that are not ours are left alone. Returns the paths written.
std::vector<std::filesystem::path> save_bake(const std::filesystem::path& folder,
                                             const std::filesystem::path& level_file, const Level& level,
                                             const Atlas& atlas, const Baked& baked,
                                             const std::vector<std::string>& only);

/// The scene with TEXCOORD_1 filled from the atlas, and page, scale and offset in each node's extras.
void write_level_glb(const std::filesystem::path& to, const std::filesystem::path& level_file,
                     const Level& level, const Atlas& atlas);

/// An atlas by itself: which charts a surface has and where they lie. A later unwrap() that is given it keeps
/// the places of what has not changed. load_atlas() throws Error when the file is damaged.
void save_atlas(const std::filesystem::path& to, const Atlas& atlas);
Atlas load_atlas(const std::filesystem::path& from);
/// The file in a folder of results that holds the atlas of a tier.
std::filesystem::path atlas_file(const std::filesystem::path& folder, Tier tier);

/// A page with each chart in the colour that view() gives it, and the names of surfaces where they fit.
/// PNG, 1024 pixels or more wide, a whole number of pixels for each texel.
void write_page_picture(const std::filesystem::path& to, const Level& level, const Atlas& atlas,
                        std::uint32_t page);

/// A result read back.
struct SavedBake {
    Atlas atlas;
    std::vector<BakedSet> sets;
    ProbeNet probes;
    std::vector<VisibilityPage> visibility;
    std::vector<OcclusionPage> occlusion;
    bool stale = false;  ///< The scene or the sheet changed since.
    std::string tier;
};

/// Reads what save_bake() wrote. Throws Error when there is none or when it is damaged. Surfaces that are new
/// or have other triangles since have no page in the atlas. `only`: one set's name, or empty for all.
SavedBake load_bake(const std::filesystem::path& folder, const Level& level, const std::string& only);

/// Eight-bit RGB picture; rows from the top. The file appears whole or not at all.
void write_png(const std::filesystem::path& to, int width, int height, const std::vector<std::uint8_t>& rgb);
/// 16-bit float picture in linear light.
void write_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels);

/// Writes text beside, then renames.
void write_text(const std::filesystem::path& to, const std::string& text);

}  // namespace stasigraph
