#pragma once
// Surfaces in parts, kept between runs.

#include <string>

#include "stasigraph/bake_store.hpp"
#include "stasigraph/level.hpp"
#include "stasigraph/parts.hpp"

namespace stasigraph {

/// Of all that parting depends on, our own code included.
std::string parts_key(const Level& level);

/// How many of each a level has before it is parted.
struct LevelCounts {
    std::size_t meshes = 0, materials = 0, surfaces = 0;
    explicit LevelCounts(const Level& level)
        : meshes(level.meshes.size()), materials(level.materials.size()), surfaces(level.surfaces.size()) {}
};

/// What parting made of a level.
struct PartedLevel {
    LevelCounts before;
    const Level& level;
    std::vector<std::uint32_t> copied;  ///< For each material that came, the one it is a single-sided copy
                                        ///< of; none: it is black.
    PartFigures figures;
};
void keep_parts(const BakeStore& store, const std::string& key, const PartedLevel& parted);
/// Parts a level as it was; false, and the level untouched, where that is not known or does not fit.
bool load_parts(const BakeStore& store, const std::string& key, Level& level, PartFigures& figures);

}  // namespace stasigraph
