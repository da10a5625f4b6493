#pragma once
// Where probes are placed, which surfaces a game loads together, and where one looks from.

#include <optional>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"
#include "stasigraph/reflection.hpp"
#include "stasigraph/volume.hpp"
#include "stasigraph/zone.hpp"

namespace stasigraph {

struct Camera {
    std::string name;
    Vec3 eye, toward{0, 0, -1};  ///< Metres; `toward` is a point looked at.
    float vertical_fov = 0.9f;   ///< Radians.
};

struct Placement {
    std::vector<Camera> cameras;
    std::vector<Volume> volumes;
    std::vector<Zone> zones;
    std::vector<Vec3> hand_probes;  ///< Metres. No rule ever drops or moves one.
    ProbeOptions probes;
    /// Where probes are, by an earlier place_probes(); empty: they are placed when the level is baked.
    std::optional<std::vector<ProbePlace>> placed;
    std::vector<ReflectionProbe> reflections;
    std::vector<ReflectionRule> reflection_rules;
};

}  // namespace stasigraph
