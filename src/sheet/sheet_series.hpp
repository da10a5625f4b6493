#pragma once
#include <functional>

#include "sheet/sheet_entry.hpp"

namespace stasigraph {

/// [[series]]: a run of sets along the path of the sun. `mix` fills in what all of them share.
void add_series(const Entry& e, Level& level, const std::function<void(BakeSet&)>& mix);

}  // namespace stasigraph
