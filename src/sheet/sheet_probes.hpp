#pragma once
// [[volume]], [[probe]] and [probes] of a bake sheet.

#include "sheet/sheet_entry.hpp"

namespace stasigraph {

void apply_volume(const Entry& e, Level& level);
void apply_probe(const Entry& e, Level& level);
void apply_probe_options(const Entry& e, Level& level);

}  // namespace stasigraph
