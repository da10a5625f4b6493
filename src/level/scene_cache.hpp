#pragma once
// Finding what a scene keeps.

#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

#include "stasigraph/scene_cache.hpp"

namespace stasigraph {

struct SceneCache::State {
    std::atomic<int> holders = 1;
    std::mutex mutex;
    std::vector<std::pair<std::string, std::shared_ptr<const void>>>
        kept;  ///< What was used last comes first.

    std::shared_ptr<const void> find(const std::string& key);
    /// The one there is by then, where another thread was first.
    std::shared_ptr<const void> keep(const std::string& key, std::shared_ptr<const void> made);

private:
    std::shared_ptr<const void> find_locked(const std::string& key);
};

/// What is kept under a key, or make() of it. A key belongs to one type.
template <class T>
std::shared_ptr<const T> kept_with(const SceneCache& cache, const std::string& key,
                                   const std::function<std::shared_ptr<const T>()>& make) {
    SceneCache::State& state = cache.state();
    if (const std::shared_ptr<const void> there = state.find(key))
        return std::static_pointer_cast<const T>(there);
    return std::static_pointer_cast<const T>(state.keep(key, make()));
}

}  // namespace stasigraph
