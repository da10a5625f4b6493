#pragma once
#include <filesystem>
#include <memory>

#include "stasigraph/io.hpp"

namespace stasigraph {

/// The .gltf or .glb behind a level file: the sheet's scene, or the file itself.
std::filesystem::path scene_of(const std::filesystem::path& level_file);

/// A bake sheet as parsed and checked for unknown keys, not yet applied.
class Sheet {
public:
    /// Throws Error naming file and line.
    /// `judged`: what check() has a finding for is taken as well as it can be, and becomes a remark.
    explicit Sheet(const std::filesystem::path& path, const std::vector<SheetChange>& changes = {},
                   bool judged = false);
    ~Sheet();
    Sheet(const Sheet&) = delete;
    Sheet& operator=(const Sheet&) = delete;

    /// [level] scene; empty when not said.
    std::string scene() const;
    /// What the sheet named and apply() opened, and nothing else.
    const std::vector<std::filesystem::path>& files() const;
    /// Applies everything to a level fresh from its scene. Entries that match nothing become notes.
    void apply(Level& level) const;

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace stasigraph
