#pragma once
// The lamps of all sets as one table, for the packed level.

#include "stasigraph/bake.hpp"

namespace stasigraph {

/// A lamp that several sets show as seen alike by all probes is one lamp with a colour in each set.
struct PackedLamps {
    std::vector<runtime::Lamp> lamp;
    std::vector<std::string> name;
    std::vector<runtime::LampProfile> profile;
    std::vector<float> values;
    std::vector<Rgb> color;  ///< Of each set each lamp; black where the set does not show it.
    std::vector<std::uint32_t> first, entry;
    std::vector<ShRgb> rest;  ///< Of each set each probe; empty where a set does not tell lamps apart.
};
PackedLamps pack_lamps(const std::vector<BakedSet>& sets, std::size_t probes);

}  // namespace stasigraph
