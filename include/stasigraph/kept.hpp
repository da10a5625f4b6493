#pragma once
// Results that are kept under a name, to be compared with later ones.

#include <filesystem>
#include <string>
#include <vector>

namespace stasigraph {

/// A bake as it was, with the level as it was: later bakes and edits leave both alone.
struct KeptBake {
    std::string name, tier;
    std::string when;              ///< UTC, as "2026-01-31 17:05".
    std::filesystem::path folder;  ///< As load_bake() takes it.
    std::filesystem::path level;   ///< The sheet or scene of that time.
};

/// Copies what a folder of results holds by its manifest, and every file of the level, to `kept/<name>` in
/// it. Throws Error where there is no bake, where the name is taken or cannot be the name of a folder. The
/// copy appears whole or not at all.
KeptBake keep_bake(const std::filesystem::path& folder, const std::filesystem::path& level_file,
                   const std::string& name);
/// Throws Error where keep_bake() would for the name, so that nothing is baked in vain.
void check_keep(const std::filesystem::path& folder, const std::string& name);
/// Those of a folder, the newest first.
std::vector<KeptBake> kept_bakes(const std::filesystem::path& folder);
/// The one with this name. Throws Error naming those there are.
KeptBake kept_bake(const std::filesystem::path& folder, const std::string& name);

/// The files a level is read from: its sheet, its scene, and all that these name.
std::vector<std::filesystem::path> level_files(const std::filesystem::path& level_file);

}  // namespace stasigraph
