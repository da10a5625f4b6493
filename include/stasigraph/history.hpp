#pragma once
// What was baked when: one record for each bake that wrote something.

#include <filesystem>
#include <string>
#include <vector>

namespace stasigraph {

struct BakeRecord {
    struct Stage {
        std::string name;
        double seconds = 0;
        double bytes = 0;  ///< Most memory the process held during it; 0 where that is not known.
    };
    std::string when, tier;  ///< UTC, as "2026-01-31 17:05".
    std::vector<std::string> sets, because;
    double seconds = 0, noise = 0;
    std::size_t texels = 0, links = 0, traced = 0, probes = 0;
    std::vector<Stage> stages;
};

/// Adds a record to `history.json` in a level's cache, which keeps the last two hundred; fills in `when`
/// where it is empty. A damaged file is begun anew. It is not among the results, whose bytes depend on the
/// level alone.
void add_to_history(const std::filesystem::path& folder, BakeRecord record);
/// The oldest first. Empty where there is none, or a damaged one.
std::vector<BakeRecord> bake_history(const std::filesystem::path& folder);

}  // namespace stasigraph
