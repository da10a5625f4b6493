#pragma once
// Findings: what is likely to be wrong with a level, before any bake.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// hint: worth knowing. warning: will be seen. error: the bake will be wrong.
enum class Severity : std::uint8_t { hint, warning, error };
/// "hint", "warning" or "error".
const char* to_text(Severity severity);

/// One thing that check() has to say.
struct Finding {
    std::string id;  ///< One of finding_kinds(); stays the same from version to version.
    Severity severity = Severity::warning;
    std::vector<std::string>
        names;                      ///< Surfaces, lights, materials, volumes, zones, or a place in the sheet.
    std::string what, remedy;       ///< A sentence each.
    double measure = 0, limit = 0;  ///< What was measured, and what would do; 0 and 0: nothing to measure.
    std::string unit;               ///< Of both.
    std::size_t places = 1;         ///< How many there are alike; `at` is the worst one.
    std::optional<Vec3> at;         ///< Metres.
    Vec3 facing;                    ///< The side from which it can be looked at, unit length; 0: any.
    float size = 0.5f;              ///< Metres across what is meant.
    std::string accepted;           ///< The sheet's reason to let it be; empty: nobody has accepted it.
};

/// An id and what it stands for.
struct FindingKind {
    const char* id;
    const char* about;
};
std::span<const FindingKind> finding_kinds();

struct Checked {
    std::vector<Finding> findings;  ///< Errors first; those accepted last.
    std::size_t errors = 0, warnings = 0, hints = 0, accepted = 0;
};

/// Looks for mistakes that a bake would show. Nothing is unwrapped or baked: texels are counted by area and
/// density, light is estimated by a few paths where walls stand in question, and what a player sees by rays
/// from the level's volumes and cameras. Same findings for any number of threads. Cost: about four million
/// rays, and linear in triangles.
Checked check(const Level& level, Job& job);

}  // namespace stasigraph
