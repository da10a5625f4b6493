#pragma once
// A level held open by a host program while its light is being tuned.

#include <vector>

#include "stasigraph/bake.hpp"

namespace stasigraph {

/// One page of one set.
struct PageRef {
    std::uint32_t set = 0, page = 0;
    friend bool operator==(const PageRef&, const PageRef&) = default;
};

/// Bakes once, then keeps pages and probes in step with the light.
///
/// Threads: one call at a time; cancel a running one through its job, from any thread. After that the session
/// is as it
///          was before, and what was traced is not lost.
/// Owner:   keeps its own copies of level and results, and the store's functions.
/// Cost:    a light group that is dimmed or tinted as a whole, a set's gains: mixing, no ray. A lamp within a
/// group, or
///          one that moves: that group's direct light and one solve. Bounces, colours of surfaces: a solve.
/// Memory:  a Baker's, and the pages of every set.
class Session {
public:
    /// As for Baker. Lights everything once.
    Session(Level level, Job& job, const Atlas* previous = nullptr, BakeStore store = {});

    /// Takes the level over and lights what is different. Where it differs in more than light (see
    /// Baker::light) the ground is made anew: from what the store holds, an edit; without a store, all of it.
    /// Surfaces stay cut as they are in the level that is given: where a wall moved, give the level as it was
    /// before part_surfaces(), cut anew.
    /// Throws Error for a level that cannot be baked; then nothing has changed. Returns the pages that are
    /// not what they were, by set and page; see maps_changed() for maps that belong to no set.
    std::vector<PageRef> update(const Level& level, Job& job);

    /// Pages whose visibility or occlusion the last update made anew; those maps are the same for all sets.
    const std::vector<std::uint32_t>& maps_changed() const noexcept { return maps_changed_; }

    const Level& level() const noexcept { return level_; }
    const Atlas& atlas() const noexcept { return baker_.atlas(); }
    /// All results as of the last update; sets as in the level.
    const Baked& baked() const noexcept { return baked_; }

private:
    BakeStore store_;
    Baker baker_;
    Level level_;
    Baked baked_;
    std::vector<std::string> keys_;  // of the sets
    std::string maps_key_;
    std::vector<std::uint32_t> maps_changed_;
};

}  // namespace stasigraph
