#include "probe/body_places.hpp"

#include <algorithm>

#include "base/random.hpp"
#include "level/volume_rules.hpp"

namespace stasigraph {

namespace {

/// Metres that a part of a figure keeps from what stands still, and how far over a floor it is at most.
constexpr float room_to_move = 0.2f, most_over_floor = 1.9f;
constexpr float around_each = 1;  ///< Metres to each side.
constexpr std::size_t most_tries = 300;
constexpr std::uint32_t body_seed = 0x6a756467u;

/// Where probes reach that nobody asked for, as on the far side of a window, they need not be right.
bool wanted(const Level& level, Vec3 place) {
    bool any = false, inside = false;
    for (const Volume& v : level.volumes) {
        if (v.except && holds(v, place)) return false;
        any = any || !v.except;
        inside = inside || (!v.except && holds(v, place));
    }
    return inside || !any;
}

}  // namespace

std::vector<Vec3> body_places(const Level& level, const RayCaster& caster, const std::vector<Vec3>& around,
                              std::size_t count, bool floors) {
    std::vector<Vec3> out;
    if (around.empty()) return out;
    std::uint32_t drawn = 0;
    const auto number = [&] { return static_cast<float>(mix_bits(body_seed + drawn++) >> 8) / 16777216.0f; };
    const auto most = static_cast<float>(around.size());
    for (std::size_t tries = 0; out.size() < count && tries < most_tries * count; ++tries) {
        const auto pick = std::min(static_cast<std::size_t>(number() * most), around.size() - 1);
        const Vec3 from = around[pick];
        const float x = 2 * number() - 1, y = 2 * number() - 1, z = 2 * number() - 1;
        const Vec3 way = Vec3{x, y, z} * around_each;
        const float far = length(way);
        const Vec3 to = from + way;
        // Not through a pane either.
        if (!(far > 0) || caster.closest({from, way * (1 / far), far}).surface != none) continue;
        if (!wanted(level, to)) continue;
        bool free = !floors || caster.blocked({to, {0, -1, 0}, most_over_floor});
        for (const Vec3 side : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
            free = free && !caster.blocked({to, side, room_to_move});
        if (free) out.push_back(to);
    }
    return out;
}

}  // namespace stasigraph
