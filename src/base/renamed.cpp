#include "base/renamed.hpp"

#include <utility>

namespace stasigraph {

namespace {

constexpr std::pair<std::string_view, std::string_view> renamed[] = {
    // tables and keys
    {"combined", "prelit"},
    {"max_stretch", "stretch_limit"},
    {"projection", "parallax"},
    {"far", "sky_beyond"},
    // values
    {"stand-in", "bake-only"},
    {"live", "realtime"},
    // findings
    {"dear-surface", "costly-surface"},
    {"turned-faces", "flipped-faces"},
    {"duplicate-surface", "coplanar-faces"},
    {"moves-but-static", "animated-but-static"},
    {"moving-but-still", "moving-without-animation"},
    {"all-live", "all-realtime"},
};

}  // namespace

std::string_view new_word(std::string_view old) {
    for (const auto& [was, is] : renamed)
        if (was == old) return is;
    return {};
}

}  // namespace stasigraph
