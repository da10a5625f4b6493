#pragma once
// Levels whose light comes to most places by few ways: what noise is looked for in.

#include <string>
#include <vector>

#include "stasigraph/stasigraph.hpp"

namespace test {

/// Names of the levels of dim_level(): a hall of a hundred lamps behind pillars; a street at night with far
/// lamps, a sign and a moonlit sky; a stair lit from above alone.
std::vector<std::string> dim_levels();

/// Complete, in parts where walls are to part it, at `proof`. Deterministic. Throws std::out_of_range for any
/// other name.
stasigraph::Level dim_level(const std::string& name);

}  // namespace test
