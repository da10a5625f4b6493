#pragma once
// Which places are free: not inside of anything, and clear of all surfaces.

#include <optional>

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Threads: safe. Owner: borrows both.
class FreeSpace {
public:
    FreeSpace(const Level& level, const RayCaster& caster) : level_(level), caster_(caster) {}

    /// Whether a place lies inside of solids, by what most rays say; or behind faces, by the share of rays
    /// that meet them from behind.
    bool solid(Vec3 place) const;
    /// Metres to the nearest surface, `within` at most.
    float clearance(Vec3 place, float within) const;
    /// Whether nothing stands between two places, glass included.
    bool sees(Vec3 from, Vec3 to) const;
    /// A free place with that clearance, near one that may be neither, and in sight of it where it is free;
    /// none within `most` metres.
    std::optional<Vec3> freed(Vec3 place, float clearance, float most) const;

private:
    std::optional<Vec3> pushed_off(Vec3 place, float clearance) const;

    const Level& level_;
    const RayCaster& caster_;
};

}  // namespace stasigraph
