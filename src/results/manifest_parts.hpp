#pragma once
// What manifest.json says, part by part: see docs/files.md.

#include <string>
#include <vector>

#include "codec/json_place.hpp"
#include "stasigraph/bake.hpp"

namespace stasigraph {

/// Where each lightmapped surface lies; and those without a lightmap that are in the game, lit by probes or
/// by nothing.
Json surfaces_json(const Level& level, const Atlas& atlas);
Json unmapped_json(const Level& level, const Atlas& atlas);
/// probes.json: what stands where in probes.bin.
Json probes_json(const ProbeNet& net, const std::vector<const BakedSet*>& sets);
Json settings_json(const Level& level);
/// The entry of a set in an earlier manifest that fits these UVs; null where there is none.
Json earlier_entry(const Json& before, const std::string& atlas, const std::string& set);

}  // namespace stasigraph
