#pragma once
// Levels whose colours are light: the preview, and light times base colour as textures.

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/bake.hpp"

namespace stasigraph {

/// `baked`: of the same bake, for its probes.
void write_preview_glb(const std::filesystem::path& to, const Level& level, const Atlas& atlas,
                       const BakedSet& set, const Baked& baked);

struct CombinedFiles {
    float exposure = 0;               ///< Exposure value at ISO 100.
    std::vector<std::string> images;  ///< Within the folder.
};
/// combined.glb and the images it uses, by Level::combined, in the folder of a set.
CombinedFiles write_combined(const std::filesystem::path& folder, const Level& level, const Atlas& atlas,
                             const BakedSet& set, const Baked& baked);

}  // namespace stasigraph
