#pragma once
// A level with the bake in its folder, as commands and hosts that look at results want it: metered, packed
// and played.

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/game_file.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/play.hpp"

namespace stasigraph {

/// A level as it was baked, with one set of results or all.
struct BakedLevel {
    Level level;
    SavedBake bake;
};
/// `level`: as load_level() gives it. `folder`: of results. `set`: empty for all. `tier`: to be looked at;
/// empty: the one baked last. A bake that is out of date says so in its `stale` and `because`. Throws Error
/// where there is no bake of it.
BakedLevel load_baked_level(Level level, const std::filesystem::path& folder, const std::string& set,
                            std::optional<Tier> tier = {});

// ---- metered

/// Points of a JSON file: [{"at": [x, y, z], "facing": [x, y, z]}, ...], facing or not. Throws Error naming
/// the file and the point.
std::vector<MeterPoint> read_meter_points(const std::filesystem::path& file);
/// Throws Error, naming `where`, for a facing without a direction.
void check_facing(Vec3 facing, const std::string& where);

struct MeterRequest {
    std::vector<MeterPoint> points;
    bool from_probes = false;  ///< Else from the lightmap.
    float reach = 0.05f;       ///< Metres from a point to the surface it is on, at most.
};
/// Readings in the first set of results that was loaded, one a point.
std::vector<MeterReading> meter_bake(const BakedLevel& baked, const MeterRequest& request, Job& job);

/// Names of lights that shine in a set without being baked whole: the game adds their light. The first six,
/// and how many more.
std::string live_lights(const Level& level, const std::string& set);

/// A walk, and what it comes to.
struct MeteredWalk {
    std::string set;
    std::vector<WalkStep> steps;
    float length = 0;                     ///< Metres.
    float error_worst = 0, error_95 = 0;  ///< Of perceptual lightness: at worst, and at 95 of 100 steps.
    std::vector<std::size_t> jumps;       ///< Numbers of the steps that jump.
};
/// walk_probes() in the first set of results that was loaded, with the level as that set shows it.
MeteredWalk walk_bake(const BakedLevel& baked, const std::vector<Vec3>& path, const WalkOptions& settings,
                      Job& job);

// ---- packed

/// save_game() to a file, read back as a game reads it. Holds the folder where the file lies in it. Throws
/// Error where it cannot be written, or does not read back.
void pack_bake(const BakedLevel& baked, const std::filesystem::path& folder,
               const std::filesystem::path& file, const GameOptions& settings, Job& job);

// ---- played

struct PlayRequest {
    PlayScript script;
    std::string name;              ///< In the titles of the contact sheet and the plot.
    std::filesystem::path folder;  ///< Of results, with game.sgl, which is packed anew where it is older.
    std::filesystem::path to;      ///< Where frames go; it is made.
};
/// A frame that was written.
struct PlayedFrame {
    std::string file;  ///< In the folder.
    double at = 0;     ///< Seconds.
    std::string zone, shows;
    float exposure = 0;  ///< EV at ISO 100.
};
struct PlayedFolder {
    PlayResult result;
    std::vector<PlayedFrame> frames;
};
/// Plays a script and writes frame-0001.png and so on, sheet.png (twelve frames, evenly over all) and
/// light.png.
PlayedFolder play_to_folder(const PlayRequest& request, const BakedLevel& baked, Job& job);

}  // namespace stasigraph
