#pragma once
// What each set of a level depends on.

#include <string>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

struct NamedKey {
    std::string name, key;
};

/// By light group, on an unlit level: the light of the level's own sun and sky, at gain 1 and full strength.
std::vector<NamedKey> layer_light_keys(const Level& level, const std::string& unlit);
/// By set: the mix of what it shows, as written to files.
std::vector<NamedKey> set_keys(const Level& level, const std::string& unlit);

}  // namespace stasigraph
