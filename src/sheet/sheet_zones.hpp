#pragma once
// Zones in a bake sheet.

#include "sheet/sheet_entry.hpp"

namespace stasigraph {

/// One entry. Entries of one name add to the same zone.
void apply_zone(const Entry& e, Level& level);

}  // namespace stasigraph
