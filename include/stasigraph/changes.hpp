#pragma once
// What a bake was made from, and what of it is different now.

#include <string>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// One value of an item: numbers, or a text (a name, or a hash of what is too long to keep).
struct InputValue {
    std::string key;
    std::string text;
    std::vector<double> numbers;
    friend bool operator==(const InputValue&, const InputValue&) = default;
};
/// One thing a person changes: a surface, a light, the sky, a set, a volume of probes, a table of settings.
struct InputItem {
    std::string kind, name;
    std::vector<InputValue> values;
    friend bool operator==(const InputItem&, const InputItem&) = default;
};

/// Hashes of everything each part of a bake depends on. Equal keys: it need not be made again.
struct InputKeys {
    struct Named {
        std::string name, key;
    };
    std::string unlit;          ///< Geometry, lightmap settings and what decides what rays see.
    std::vector<Named> layers;  ///< By light group: its light, as if it were mixed at gain 1.
    std::vector<Named> sets;    ///< By set: the mix of those it shows, as written.
    std::string probes, visibility, occlusion, reflections;
    std::string costs;  ///< Settings that decide how long a bake takes.
};

struct LevelInputs {
    std::vector<InputItem> items;
    InputKeys keys;
};

/// Cost: hashes every mesh and texture. The level is completed first.
LevelInputs inputs_of(const Level& level);

/// One difference, as a person would say it, and what it touches.
struct Change {
    std::string text;          ///< E.g. "crate_3 moved 0.4 m".
    bool unlit = false;        ///< Every lightmap and probe.
    bool every_layer = false;  ///< Every light group's light, but no rays from its lamps.
    bool probes = false, visibility = false, occlusion = false, reflections = false;
    std::vector<std::string> groups;  ///< Light groups whose light is different.
    std::string set;                  ///< The one set that is mixed differently.
};
std::vector<Change> changes_between(const std::vector<InputItem>& before, const std::vector<InputItem>& now);

}  // namespace stasigraph
