#pragma once
// [[reflection]] of a bake sheet.

#include "sheet/sheet_entry.hpp"

namespace stasigraph {

void apply_reflection(const Entry& e, Level& level);

}  // namespace stasigraph
