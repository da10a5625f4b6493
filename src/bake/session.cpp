#include "stasigraph/session.hpp"

#include <algorithm>
#include <optional>
#include <utility>

#include "bake/set_keys.hpp"

namespace stasigraph {

Session::Session(Level level, Job& job, const Atlas* previous, BakeStore store)
    : store_(std::move(store)), baker_(std::move(level), job, previous, store_), level_(baker_.level()) {
    baked_ = baker_.light(level_, job);
    for (const NamedKey& set : set_keys(level_, "session")) keys_.push_back(set.key);
}

std::vector<PageRef> Session::update(const Level& wanted, Job& job) {
    Level level = wanted;
    complete_level(level);
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
    std::vector<PageRef> pages;
    Baked fresh = changed.empty() ? Baked{} : (other ? *other : baker_).light(level, job, changed);
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
            if (i >= baked_.sets.size() || p >= baked_.sets[i].pages.size() ||
                baked_.sets[i].pages[p].texels != sets[i].pages[p].texels)
                pages.push_back({i, p});
    }
    if (other) {
        baker_ = std::move(*other);
        baked_.probes = std::move(fresh.probes);
        baked_.shared = std::move(fresh.shared);
    }
    baked_.figures.layers_made = 0;
    if (!changed.empty()) {
        baked_.visibility = std::move(fresh.visibility);
        baked_.occlusion = std::move(fresh.occlusion);
        baked_.figures = fresh.figures;
    }
    baked_.sets = std::move(sets);
    level_ = std::move(level);
    keys_ = std::move(keys);
    return pages;
}

}  // namespace stasigraph
