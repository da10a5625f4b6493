#include "bake/set_keys.hpp"

#include "bake/keys.hpp"
#include "bake/unit_light.hpp"
#include "level/field_keys.hpp"

namespace stasigraph {

namespace {

std::vector<NamedKey> layers_of(const Level& unit, const std::string& unlit, const std::string& colors) {
    std::vector<NamedKey> named;
    for (std::uint32_t g = 0; g < unit.groups.size(); ++g)
        named.push_back({unit.groups[g], layer_keys(unit, g, unlit, colors).light});
    return named;
}

std::string set_key(const Level& unit, const BakeSet& set, const std::vector<NamedKey>& layers,
                    const std::string& unlit) {
    Hasher h("set");
    h.text(unlit);
    h.number(unit.lightmap.shape);
    for (std::uint32_t g = 0; g < unit.groups.size(); ++g) {
        const Rgb gain = set.gain(g);
        if (!(max_channel(gain) > 0)) continue;
        h.text(layers[g].key);
        h.color(gain);
    }
    add_fields(h, unit, unit.prelit, depends::mix);
    if (unit.prelit.by == PrelitBy::nothing) return h.key();
    add_fields(h, unit, unit.prelit, depends::prelit);
    add_fields(h, unit, set, depends::prelit);
    return h.key();
}

/// The level without the steps of series, at unit strength.
Level own_light(const Level& level) {
    Level own = level;
    std::erase_if(own.sets, [](const BakeSet& set) { return set.step != none; });
    to_unit_strength(own);
    return own;
}

}  // namespace

std::vector<NamedKey> layer_light_keys(const Level& level, const std::string& unlit) {
    return layers_of(own_light(level), unlit, color_key(level));
}

/// As a bake does it: the sets of the level's own sun and sky together, the steps of a series each alone.
std::vector<NamedKey> set_keys(const Level& level, const std::string& unlit) {
    const std::string colors = color_key(level);
    const Level own = own_light(level);
    const std::vector<NamedKey> own_layers = layers_of(own, unlit, colors);
    std::vector<NamedKey> keys;
    std::size_t plain = 0;
    for (std::uint32_t s = 0; s < level.sets.size(); ++s) {
        const BakeSet& set = level.sets[s];
        if (set.step == none) {
            keys.push_back({set.name, set_key(own, own.sets[plain++], own_layers, unlit)});
            continue;
        }
        Level then = as_in_set(level, s);
        then.sets = {set};
        to_unit_strength(then);
        keys.push_back({set.name, set_key(then, then.sets[0], layers_of(then, unlit, colors), unlit)});
    }
    return keys;
}

}  // namespace stasigraph
