#pragma once
// Levels as people build them, with whatever stands on one ground; and light along their joints held against
// exact light.

#include <cmath>
#include <string>
#include <vector>

#include "stasigraph/stasigraph.hpp"

namespace test {

using namespace stasigraph;

/// Name of one of the levels of as_built().
std::vector<std::string> levels_as_built();

/// Lit by a sky alone, or, of those with a sealed room, by the sun as well; complete, and not yet in parts.
Level as_built(const std::string& name, float density, bool sun);

/// Inside of the sealed room; empty (low above high) where there is none.
struct SealedRoom {
    Vec3 low{1, 1, 1}, high{0, 0, 0};
    bool any() const { return low.x < high.x; }
    /// Whether a place of a surface lies inside, so far from all walls but the one it is on.
    bool holds(Vec3 p, float off, Vec3 normal) const {
        const auto in = [&](float v, float from, float to, float n) {
            const float most = std::abs(n) > 0.5f ? 0 : off;
            return v > from + most && v < to - most;
        };
        return in(p.x, low.x, high.x, normal.x) && in(p.y, low.y, high.y, normal.y) &&
               in(p.z, low.z, high.z, normal.z);
    }
};
SealedRoom sealed_room(const std::string& name);

/// A place beside a joint: where two surfaces meet, or one folds or ends.
struct JointPoint {
    Vec3 at, normal;
    float off = 0;  ///< Metres from the joint.
};

/// Places along all edges of static surfaces, at so many texels from them, that somebody could look at.
/// `every`: metres between places along an edge.
std::vector<JointPoint> joint_points(const Level& level, const std::vector<float>& texels, float density,
                                     float every, Job& job);

struct JointError {
    JointPoint point;
    float baked = 0, exact = 0, unsure = 0;  ///< Lux; what the exact light itself may be off by.
    /// Relative to the exact light (or a hundredth of what the open sky gives), beyond what that is unsure
    /// of.
    float error() const;
};

/// What a bake of the level shows there, against exact light.
std::vector<JointError> joint_errors(const Level& level, const Atlas& atlas, const BakedSet& set,
                                     const std::vector<JointPoint>& points, int paths, Job& job);

}  // namespace test
