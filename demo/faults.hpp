#pragma once
// The mistakes of the faulty twin: a yard beside the observatory with each of them once.

#include "materials.hpp"

namespace demo {

/// Nodes and lamps that `stasigraph check` has a finding for, most of them named after it.
void add_faults(Scene& s, const Materials& m);

/// The sheets of the twin, from that of the good level.
struct FaultySheet {
    const char* file;
    std::string text;
};
std::vector<FaultySheet> faulty_sheets(const std::string& good);

}  // namespace demo
