#pragma once
// Trees that are built once for a scene.

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A tree over some of a level's surfaces with all that it reads, so that it lives on its own.
class SceneTree {
public:
    SceneTree(const Scene& scene, const std::function<bool(const Surface&)>& takes_part, unsigned threads);
    const RayCaster& rays() const { return rays_; }

private:
    Scene scene_;  ///< Shares shapes with the level.
    TextureSet textures_;
    RayCaster rays_;
};

/// The scene's own, built where it has none over the same surfaces, as they are now. `takes_part` decides by
/// what a surface is, never by where it lies in memory.
std::shared_ptr<const SceneTree> tree_of(const Scene& scene,
                                         const std::function<bool(const Surface&)>& takes_part,
                                         unsigned threads);

/// What a bake sees.
inline bool stands_in_bake(const Surface& s) {
    return s.part != Part::moving;
}
/// What a game shows that does not move.
inline bool stands_still(const Surface& s) {
    return s.part == Part::still;
}

}  // namespace stasigraph
