#include "level/scene_cache.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// Of one scene: what a bake sees, and what stands still. Others stay while somebody holds them.
constexpr std::size_t most_kept_with_scene = 2;

}  // namespace

std::shared_ptr<const void> SceneCache::State::find(const std::string& key) {
    const std::lock_guard lock(mutex);
    return find_locked(key);
}

std::shared_ptr<const void> SceneCache::State::find_locked(const std::string& key) {
    const auto at = std::find_if(kept.begin(), kept.end(), [&](const auto& k) { return k.first == key; });
    if (at == kept.end()) return nullptr;
    std::rotate(kept.begin(), at, at + 1);
    return kept.front().second;
}

std::shared_ptr<const void> SceneCache::State::keep(const std::string& key,
                                                    std::shared_ptr<const void> made) {
    const std::lock_guard lock(mutex);
    if (std::shared_ptr<const void> there = find_locked(key)) return there;
    kept.insert(kept.begin(), {key, made});
    for (std::size_t i = kept.size(); i-- > 1 && kept.size() > most_kept_with_scene;)
        if (kept[i].second.use_count() == 1) kept.erase(kept.begin() + static_cast<std::ptrdiff_t>(i));
    return made;
}

SceneCache::SceneCache() : state_(new State) {}

SceneCache::SceneCache(const SceneCache& other) : state_(other.state_) {
    ++state_->holders;
}

SceneCache& SceneCache::operator=(SceneCache other) noexcept {
    std::swap(state_, other.state_);
    return *this;
}

SceneCache::~SceneCache() {
    if (--state_->holders == 0) delete state_;
}

}  // namespace stasigraph
