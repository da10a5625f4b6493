#pragma once
// Levels whose colours are light: the preview, and light times base colour as textures.

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/bake.hpp"

namespace stasigraph {

/// A set as it is drawn into such a file. All borrowed.
struct LitSet {
    const Level& level;
    const Atlas& atlas;
    const BakedSet& set;
    const Baked& baked;            ///< Of the same bake, for its probes.
    const std::string& made_from;  ///< The set's key, which the file's extras say.
};

void write_preview_glb(const std::filesystem::path& to, const LitSet& lit);

struct PrelitFiles {
    float exposure = 0;               ///< Exposure value at ISO 100.
    std::vector<std::string> images;  ///< Within the folder.
};
/// prelit.glb and the images it uses, by Level::prelit, in the folder of a set.
PrelitFiles write_prelit(const std::filesystem::path& folder, const LitSet& lit);

}  // namespace stasigraph
