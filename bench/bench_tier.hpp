#pragma once
#include <string>

#include "stasigraph/level.hpp"

/// The tier of that name; `proof` where it is none.
inline stasigraph::Tier tier_called(const std::string& name) {
    using stasigraph::Tier;
    return name == "glance" ? Tier::glance : name == "final" ? Tier::final : Tier::proof;
}
