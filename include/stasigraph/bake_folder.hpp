#pragma once
// A bake as a person asks for it: of what is out of date, into a folder of results, within a time.

#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/game_file.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

/// What leaks of one surface, under the set that shows most of it.
struct SurfaceLeaks {
    std::string surface, set;
    std::size_t places = 0;
    Leak worst;
};
/// The surfaces of a bake with light or shadow on them that is not there, the one with most such places
/// first. Cost: a closer look at some hundred places in each set.
std::vector<SurfaceLeaks> leaks_by_surface(const Level& level, const Atlas& atlas, const Baked& baked,
                                           Job& job);

/// Which kinds of results a bake writes; the others stay as they are, out of date.
struct ResultKinds {
    bool pages = true, probes = true, reflections = true;
};

/// Those that are not made, as words; empty where all are.
std::string kinds_left_out(ResultKinds kinds);

struct BakeRequest {
    std::filesystem::path level_file;
    std::filesystem::path folder, cache;  ///< Empty: default_output() and default_cache().
    std::vector<std::string> sets;        ///< Empty: all.
    /// Reflections are left out where probes are, since they show what probes light.
    ResultKinds kinds;
    /// A glob: these surfaces' texels alone are written; "probes": probes alone. Empty: everything.
    std::string only;
    std::string keep;  ///< A name under which the result is kept; empty: not at all.
    double time_limit =
        0;                ///< Seconds; tier after tier, as far as they are done by then. 0: the level's own.
    bool repack = false;  ///< Pages are packed anew.
    bool rebake = false;  ///< What is up to date is baked all the same.
    /// Told why, before the work begins.
    std::function<void(const std::vector<std::string>& why)> on_start;
    /// Told of each tier that is written while a time limit runs.
    std::function<void(Tier)> on_written;
    /// Asked when the work is done, for the history: by stage, the most bytes that were held. Empty: not
    /// known.
    std::function<std::map<std::string, double>()> peak_bytes;
};

/// A bake that was written.
struct WrittenBake {
    Level level;  ///< With its probes placed.
    Atlas atlas;
    Baked baked;
    std::vector<std::string> sets;
    std::vector<Job::StageTime> times;
    std::vector<std::filesystem::path> files;
    std::optional<PlaceFigures> placing;  ///< Where probes were placed on the way.
    CaptureFigures captures;
    std::vector<SurfaceLeaks> leaks;
};

struct BakeOutcome {
    bool up_to_date = false;       ///< Nothing was to do.
    std::vector<std::string> why;  ///< What had changed.
    /// Empty where it was up to date, or where nothing better was done in time.
    std::optional<WrittenBake> written;
    std::filesystem::path kept;  ///< Where the result is kept, if that was asked for.
};

/// Bakes what is out of date of a level and writes it, adds to the history, and packs game.sgl anew where it
/// was packed before. `level`: complete, as it is to be baked; its file is read again for what is kept and
/// packed. Holds the folder's lock. Under a time limit the tiers are baked from the lowest up to the level's
/// own, each written when it is done, the first in any case where nothing up to date is there.
///
/// Errors:  Error, and nothing was written. Cancelled: what is written is whole, what was traced is kept.
/// Threads: one bake for a folder; another one is told so by Error.
BakeOutcome bake_folder(const Level& level, const BakeRequest& request, Job& job);

/// The charts that an earlier bake or unwrap of the level's tier left in the first of these folders that has
/// some; empty where none does. A damaged file is told of by a note and left aside.
Atlas earlier_atlas(const Level& level, const std::vector<std::filesystem::path>& folders, Job& job);
/// Where such charts lie: a folder of results, and where `unwrap` writes.
std::vector<std::filesystem::path> atlas_folders(const std::filesystem::path& level_file,
                                                 const std::filesystem::path& folder);

/// Packs a folder's bake of a tier again where it was packed before, with the same pixels; a note says where
/// that cannot be.
void refresh_game(const std::filesystem::path& level_file, const std::filesystem::path& folder, Tier tier,
                  Job& job);

}  // namespace stasigraph
