#pragma once
// What every command shares: options, messages, progress, exit status.

#include <fmt/core.h>

#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>

#include "arguments.hpp"
#include "stasigraph/bake_folder.hpp"
#include "stasigraph/baked_level.hpp"
#include "stasigraph/game_file.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

namespace cli {

using Json = nlohmann::ordered_json;
namespace fs = std::filesystem;

struct Common {
    fs::path level;
    bool json = false, quiet = false;
    unsigned threads = 0;
    std::string tier;   ///< Asked for; empty: the sheet's, or of what looks at results the one baked last.
    double memory = 0;  ///< GB; 0: any.
    std::function<void(const stasigraph::Progress&)> watch;  ///< Called with every step of the work, if set.
};

/// LEVEL, --json, --quiet, --threads, and an example under the help.
void add_common(const Command& app, Common& common, const std::string& example,
                const std::string& level = "a bake sheet (.toml), a .gltf or a .glb");

/// --tier, of a command that looks at results: the one baked last unless given.
void add_tier(const Command& app, Common& common);
/// Gives the level the tier to look at: the one asked for, else that of the folder's results, else its own.
void look_at_tier(const Common& common, const fs::path& folder, stasigraph::Level& level);

/// Runs a command's body: errors to standard error, exit status as the contract says.
int guarded(const Common& common, const std::function<void(stasigraph::Job&)>& body);

/// What is said of a command that is stopped now: what it wrote so far, and how it goes on. Commands keep it
/// true.
std::string& left_behind();

/// Exit status of the command that ran; main returns it.
int& exit_status();

/// Tells of a level's sheet what does nothing, and, once for each level, what was left out or assumed.
void tell(const Common& common, const stasigraph::Level& level);
/// Loads and tells.
stasigraph::Level load(const Common& common);

/// A note on standard error, as those of loading.
void log_note(const std::string& text);

/// Takes the progress line off the terminal, if one is shown.
void clear_progress();

/// Prints to standard output, never into the progress line.
template <class... T>
void say(fmt::format_string<T...> text, T&&... values) {
    clear_progress();
    fmt::print(text, std::forward<T>(values)...);
}

/// --camera, or --eye with --toward and --fov.
struct CameraOptions {
    std::string camera, eye, toward;
    float fov = 50;
};
void add_camera(const Command& app, CameraOptions& options);
/// Throws UsageError where --eye or --toward is no place.
void check_camera(const CameraOptions& options);
stasigraph::Camera camera_of(const CameraOptions& options, const stasigraph::Level& level);

/// The first few reasons, and how many more there are.
std::string reasons_text(const std::vector<std::string>& reasons);
/// "3.2 MB", "12 s", "4:05 min".
std::string bytes_text(double bytes);
std::string seconds_text(double seconds);
std::string count_text(double count);

Json vec(stasigraph::Vec3 v);
Json rgb(stasigraph::Rgb c);
/// Key, value, unit and range, as far as it has them.
Json setting_json(const stasigraph::SettingValue& setting);
stasigraph::Vec3 parse_vec(const std::string& text, const std::string& option);

/// load_baked_level() at the tier asked for; says so where the bake is out of date. `level`: of load().
stasigraph::BakedLevel load_baked(const Common& common, stasigraph::Level level, const fs::path& folder,
                                  const std::string& set);

/// Says on standard error that a bake is out of date, and because of what.
void warn_stale(const stasigraph::SavedBake& bake);

/// Says that what probes would light is drawn black, where a level has such things and its bake no probes.
void warn_unlit(const stasigraph::Level& level);

void add_start(const Command& app);
void add_survey(const Command& app);
void add_check(const Command& app);
void add_compare(const Command& app);
void add_report(const Command& app);
void add_unwrap(const Command& app);
void add_place(const Command& app);
void add_bake(const Command& app);
void add_status(const Command& app);
void add_vary(const Command& app);
void add_meter(const Command& app);
void add_view(const Command& app);
void add_pack(const Command& app);
void add_play(const Command& app);

}  // namespace cli
