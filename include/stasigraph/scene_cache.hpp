#pragma once
// What is worked out from a scene and kept with it.

namespace stasigraph {

/// Trees of rays, by what they were made of, for all copies of a level: each is built once, and lives as long
/// as one of them. It says nothing of a scene by itself: what no longer fits a changed one is made anew.
///
/// Threads: copies may be used from any number of threads.
class SceneCache {
public:
    SceneCache();
    SceneCache(const SceneCache& other);
    SceneCache& operator=(SceneCache other) noexcept;
    ~SceneCache();

    struct State;  ///< For the library itself.
    State& state() const { return *state_; }

private:
    State* state_;
};

}  // namespace stasigraph
