#pragma once
// Files in and out: glTF, the bake sheet, images, the results of a bake.

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/bake.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/place.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

/// Reads a bake sheet (.toml) with its scene, or a bare .gltf or .glb. Everything is checked before use;
/// throws Error naming file and place. What one bad part costs (a node without a volume, triangles that are
/// not finite) is left out and said in Level::notes.
Level load_level(const std::filesystem::path& path);

/// A value of a bake sheet by its path, to be tried without editing the sheet: "quality.bounces", "sky.lux",
/// "light.sun.kelvin", "surface.crate_*.density", "set.dusk.gain.sun"; between the table and the key stands
/// what the entry matches or is named. "bounces", "tier", "noise" and "density" alone will do. `value` as
/// TOML writes it; what is none is taken as text.
struct SheetChange {
    std::string path, value;
};
/// Which surfaces a glob names, by their own name or their node's: 1 for each of those. Throws Error where it
/// names none.
std::vector<std::uint8_t> surfaces_named(const Level& level, const std::string& glob);

/// The level as if these were the sheet's last lines; of a bare scene, as if they were its sheet. Throws
/// Error where a path names nothing that a sheet has.
Level load_level(const std::filesystem::path& path, const std::vector<SheetChange>& changes);

/// The level for check(): a page size that a bake refuses becomes a remark.
Level load_level_to_check(const std::filesystem::path& path);

/// A commented bake sheet for a scene that was loaded bare.
std::string starter_sheet(const Level& level, const std::string& scene_file);

/// Where the results of a level go unless told otherwise: `baked/<name of its file>` beside it.
std::filesystem::path default_output(const std::filesystem::path& level_file);
/// Where `unwrap` writes unless told otherwise: `unwrapped/<name of its file>` beside it.
std::filesystem::path unwrap_output(const std::filesystem::path& level_file);
/// Throws Error where a folder holds the results of another level, which would be lost, or where the level
/// that is written there would take the place of a scene. Call before long work.
void check_output(const std::filesystem::path& folder, const Level& level,
                  const std::filesystem::path& level_file);
/// Throws Error where a file is there that must not be written over: what this level or another one is made
/// of.
void check_target(const std::filesystem::path& target, const std::filesystem::path& level_file);
/// The tier of the results in a folder; empty where there are none.
std::optional<Tier> baked_tier(const std::filesystem::path& folder);
/// Takes away what a killed bake left in a folder of results, and puts right what it left half done;
/// save_bake() does it as well. For one who holds its lock.
void mend_results(const std::filesystem::path& folder);

/// Where a level's cache lies: `.stasigraph` beside its file. Deleting it costs time and nothing else.
std::filesystem::path default_cache(const std::filesystem::path& level_file);
/// A store of files in a folder, which is made when first written to. Damaged files are told of through
/// `note` and removed; a full disk is told of once. Over `limit` bytes the files unused for longest are
/// removed, but none that this store used itself.
BakeStore open_store(const std::filesystem::path& folder, std::function<void(const std::string&)> note,
                     std::uint64_t limit = std::uint64_t{8} << 30);

/// Throws Error when nothing can be written there; makes the folder if need be. Call before long work.
void check_writable(const std::filesystem::path& folder);

/// Keeps a second bake out of a folder while it lives, also one of another process; a killed one lets go by
/// itself. Throws Error where another holds it.
class FolderLock {
public:
    explicit FolderLock(const std::filesystem::path& folder);
    ~FolderLock();
    FolderLock(const FolderLock&) = delete;
    FolderLock& operator=(const FolderLock&) = delete;

private:
    int file_ = -1;
};

struct SaveOptions {
    std::vector<Job::StageTime> times;  ///< What the stages of the bake took,
    std::filesystem::path cache;        ///< and where that is kept for later forecasts; empty: nowhere.
    /// By surface: 1 for those whose texels are written, while everything else keeps what an earlier bake of
    /// the same charts wrote, and stays as out of date as it was. Empty: all.
    std::vector<std::uint8_t> surfaces;
    unsigned threads = 0;  ///< As a job's: sets are written side by side.
    /// What is written at all; the rest likewise keeps what an earlier bake wrote. Reflections are written
    /// where they were captured.
    bool pages = true, probes = true, reflections = true;
    /// What came of placing the probes, where that was done for this bake; to be kept beside their places.
    std::optional<PlaceFigures> placing;
};

/// Writes sets, probes, both .glb files and, last, the manifest. Each file appears whole or not at all.
/// Sets of the level that are not among those baked keep what an earlier bake wrote. Files of an earlier bake
/// that are no longer part of the result are removed; files that are not ours are left alone. Returns the
/// paths written.
std::vector<std::filesystem::path> save_bake(const std::filesystem::path& folder,
                                             const std::filesystem::path& level_file,
                                             const ChartedLevel& charted, const Baked& baked,
                                             const SaveOptions& options = {});

/// One thing that a bake makes, and whether it is what the level would give now.
struct ResultStatus {
    std::string what;  ///< "lightmaps", "probes", "reflections", "visibility" or "occlusion".
    std::string set;   ///< Empty for the last two.
    bool stale = false;
    std::vector<std::string> because;  ///< Each a change since it was baked.
    /// Surfaces that were baked alone later on than the rest: as the level is now, and of a state in between.
    std::vector<std::string> surfaces_up_to_date, surfaces_older;
};
/// The one reason of what was never made.
inline constexpr const char* never_baked = "was never baked";
struct BakeStatus {
    std::vector<ResultStatus> results;
    double forecast_seconds = 0;  ///< Of a bake now; negative where nothing tells.
    bool up_to_date() const;
};
/// `cache`: where the times of earlier bakes are kept; without it nothing is forecast. Cost: reads no image;
/// hashes the level. A damaged manifest counts as none.
BakeStatus bake_status(const std::filesystem::path& folder, const Level& level,
                       const std::filesystem::path& cache = {});

/// The scene with TEXCOORD_1 filled from the atlas, and page, scale and offset in each node's extras.
void write_level_glb(const std::filesystem::path& to, const std::filesystem::path& level_file,
                     const Level& level, const Atlas& atlas);

/// Where probes are, as `places.json` in a folder of results: places that were found once stay while light
/// alone changes. Nothing where there is no such file, where it is damaged, or where the level asks for other
/// places now.
std::optional<std::vector<ProbePlace>> load_places(const std::filesystem::path& folder, const Level& level);
/// The same, whatever the level asks for now: for placing some volumes anew.
std::vector<ProbePlace> load_earlier_places(const std::filesystem::path& folder, const Level& level);
void save_places(const std::filesystem::path& folder, const Level& level, const PlacedProbes& placed);

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

/// A picture with what is written under it.
struct ContactPicture {
    std::string name;
    std::vector<std::string> lines;
    int width = 0, height = 0;
    std::vector<std::uint8_t> rgb;  ///< Eight-bit sRGB, rows from the top.
};
/// How big pictures of 16 by 10 may be for this many of them to lie on a sheet of a given width, pixels;
/// `lines`: of text under each, besides its name.
struct ContactLayout {
    int columns = 1, width = 0, height = 0, picture_width = 0, picture_height = 0;
};
ContactLayout contact_layout(std::size_t pictures, int width, std::size_t lines);
/// Pictures side by side in a PNG. Throws Error where one is larger than the layout has it.
void write_contact_sheet(const std::filesystem::path& to, const std::string& title,
                         const ContactLayout& layout, const std::vector<ContactPicture>& pictures);

/// A walk as a plot of 1280 x 800 pixels, PNG: light over distance, and the error below it; jumps are marked.
void write_walk_plot(const std::filesystem::path& to, const std::string& title,
                     const std::vector<WalkStep>& steps);

/// A result read back. Its figures are not among what is saved.
struct SavedBake : Baked {
    Atlas atlas;
    bool stale = false;                ///< The level would give something else now.
    std::vector<std::string> because;  ///< What changed since, where that can be told.
    std::string tier;
};

/// Reads what save_bake() wrote. Throws Error when there is none or when it is damaged. Surfaces that are new
/// or have other triangles since have no page in the atlas. `only`: one set's name, or empty for all.
SavedBake load_bake(const std::filesystem::path& folder, const Level& level, const std::string& only);

/// A cube map with all its levels, 16-bit floats times 2^exponent, as KTX 2.0 (Khronos, 2021); and back.
/// load_reflection() throws Error where a file is none, is damaged or is another kind of image.
void save_reflection(const std::filesystem::path& to, const ReflectionMap& map);
ReflectionMap load_reflection(const std::filesystem::path& from);

/// A colour of a picture and what it means; the colour is linear.
struct LegendLine {
    std::string text;
    Rgb color;
};
/// Letters a legend into the lower left corner of eight-bit RGB pixels.
void draw_legend(int width, int height, const std::vector<LegendLine>& lines, std::vector<std::uint8_t>& rgb);

/// Eight-bit RGB picture; rows from the top. The file appears whole or not at all.
void write_png(const std::filesystem::path& to, int width, int height, const std::vector<std::uint8_t>& rgb);
/// 16-bit float picture in linear light.
void write_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels);

/// Writes text beside, then renames.
void write_text(const std::filesystem::path& to, const std::string& text);

}  // namespace stasigraph
