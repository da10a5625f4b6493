#pragma once
// What a player can see: rays from the volumes people move in.

#include <cstdint>
#include <span>
#include <vector>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Threads: const members are safe from any number of threads.
/// Owner:   borrows the level and the caster.
class Sight {
public:
    /// Looks around from places all over the level's volumes, or from its cameras where it has no volume.
    /// Places inside of geometry do not count. The caster should hold what the game draws and does not move.
    /// Cost: about a million rays for each volume.
    Sight(const Level& level, const RayCaster& caster, Job& job);

    /// false when there is neither a volume nor a camera: then nothing is known, and everything counts as
    /// seen.
    bool knows() const noexcept { return !places_.empty(); }
    /// Whether any of these triangles of a surface can be seen from any of the places: met while looking
    /// around, or by rays from points spread over their area.
    bool sees(std::uint32_t surface, std::span<const std::uint32_t> triangles) const;

private:
    bool sees_point(Vec3 point, Vec3 normal, bool double_sided) const noexcept;

    const Level& level_;
    const RayCaster& caster_;
    std::vector<Vec3> places_;
    std::vector<std::vector<std::uint8_t>> met_;  ///< For each surface, for each triangle.
};

}  // namespace stasigraph
