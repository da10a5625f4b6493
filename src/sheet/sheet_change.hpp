#pragma once
#include "sheet/sheet_entry.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

/// Sets a table's key, adds to a named entry, or appends an entry that matches.
void change_sheet(toml::table& sheet, const SheetChange& change);

}  // namespace stasigraph
