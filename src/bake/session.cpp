#include "stasigraph/session.hpp"

#include <algorithm>
#include <optional>
#include <utility>

#include "bake/keys.hpp"
#include "bake/set_keys.hpp"

namespace stasigraph {

namespace {

/// What visibility and occlusion are made from, on an unlit level.
std::string maps_key(const Level& level) {
    return visibility_key(level, "session") + occlusion_key(level, "session");
}

bool is_other(const BakedSet& before, const BakedSet& now, std::uint32_t page) {
    const auto differs = [&](const auto& a, const auto& b) {
        return (page < a.size()) != (page < b.size()) ||
               (page < a.size() && a[page].texels != b[page].texels);
    };
    return differs(before.pages, now.pages) || differs(before.directional, now.directional);
}

bool is_other(const Baked& before, const Baked& now, std::uint32_t page) {
    const auto differs = [&](const auto& a, const auto& b) {
        return (page < a.size()) != (page < b.size()) ||
               (page < a.size() && a[page].texels != b[page].texels);
    };
    return differs(before.occlusion, now.occlusion) || differs(before.visibility, now.visibility);
}

}  // namespace

Session::Session(Level level, Job& job, const Atlas* previous, BakeStore store)
    : store_(std::move(store)), baker_(std::move(level), job, previous, store_), level_(baker_.level()) {
    baked_ = baker_.light(level_, job);
    for (const NamedKey& set : set_keys(level_, "session")) keys_.push_back(set.key);
    maps_key_ = maps_key(level_);
}

std::vector<PageRef> Session::update(const Level& wanted, Job& job) {
    Level level = wanted;
    complete_level(level);
    check_level(level);
    maps_changed_.clear();
    std::optional<Baker> other;
    if (!baker_.takes(level)) other.emplace(level, job, &baker_.atlas(), store_);
    std::vector<std::string> keys;
    std::vector<std::uint32_t> changed;
    for (const NamedKey& set : set_keys(level, "session")) {
        const std::uint32_t i = static_cast<std::uint32_t>(keys.size());
        const bool same =
            !other && i < keys_.size() && keys_[i] == set.key && level.sets[i].name == level_.sets[i].name;
        if (!same) changed.push_back(i);
        keys.push_back(set.key);
    }
    // Maps belong to no set.
    const std::string maps_now = maps_key(level);
    const bool maps = other || maps_now != maps_key_;
    std::vector<PageRef> pages;
    Baked fresh = changed.empty() && !maps ? Baked{} : (other ? *other : baker_).light(level, job, changed);
    std::vector<BakedSet> sets(level.sets.size());
    std::size_t next = 0;
    for (std::uint32_t i = 0; i < sets.size(); ++i) {
        const bool made = next < changed.size() && changed[next] == i;
        if (!made) {
            sets[i] = std::move(baked_.sets[i]);
            continue;
        }
        sets[i] = std::move(fresh.sets[next++]);
        for (std::uint32_t p = 0; p < sets[i].pages.size(); ++p)
            if (i >= baked_.sets.size() || is_other(baked_.sets[i], sets[i], p)) pages.push_back({i, p});
    }
    if (maps)
        for (std::uint32_t p = 0; p < (other ? *other : baker_).atlas().pages.size(); ++p)
            if (other || is_other(baked_, fresh, p)) maps_changed_.push_back(p);
    if (other) {
        baker_ = std::move(*other);
        baked_.probes = std::move(fresh.probes);
    }
    baked_.figures.layers_made = 0;
    if (!changed.empty() || maps) {
        baked_.visibility = std::move(fresh.visibility);
        baked_.occlusion = std::move(fresh.occlusion);
        baked_.figures = fresh.figures;
    }
    baked_.sets = std::move(sets);
    level_ = std::move(level);
    keys_ = std::move(keys);
    maps_key_ = maps_now;
    return pages;
}

}  // namespace stasigraph
