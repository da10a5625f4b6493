#pragma once
// Which keys of a light go with which kind of it: sheets refuse the others, and they are no settings of it.

#include <string_view>

#include "stasigraph/lighting.hpp"

namespace stasigraph {

/// Of keys that every kind has, true.
constexpr bool is_key_of(LightKind kind, std::string_view key) {
    const auto is = [kind](auto... kinds) { return ((kind == kinds) || ...); };
    if (key == "azimuth" || key == "elevation" || key == "from" || key == "diameter" || key == "lux")
        return is(LightKind::sun);
    if (key == "at" || key == "across" || key == "lumens") return !is(LightKind::sun);
    if (key == "inner" || key == "outer" || key == "edge") return is(LightKind::spot);
    if (key == "width" || key == "height") return is(LightKind::rectangle);
    if (key == "length") return is(LightKind::tube);
    if (key == "radius") return !is(LightKind::sun, LightKind::rectangle);
    if (key == "candela" || key == "profile") return is(LightKind::point, LightKind::spot);
    if (key == "nit") return is(LightKind::rectangle, LightKind::disc, LightKind::tube);
    return true;
}

/// The key that says how strong such a light is.
constexpr std::string_view unit_key(LightKind kind) {
    for (const std::string_view key : {"lux", "candela", "nit"})
        if (is_key_of(kind, key)) return key;
    return "";
}

}  // namespace stasigraph
