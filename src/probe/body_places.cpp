#include "probe/body_places.hpp"

#include <algorithm>
#include <cmath>

#include "base/random.hpp"
#include "probe/place_grid.hpp"

namespace stasigraph {

namespace {

/// Metres that a part of a figure keeps from what stands still, and how far over a floor it is at most.
constexpr float room_to_move = 0.2f, most_over_floor = 1.9f;
constexpr float around_each = 1;  ///< Metres to each side.
constexpr std::size_t most_tries = 100;
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

/// How many of some places lie within a cube around another.
std::size_t count_around(const PlaceGrid& places, Vec3 p) {
    std::size_t count = 0;
    places.any_around(p, around_each, [&](Vec3 q) {
        const Vec3 d = q - p;
        count += std::max({std::abs(d.x), std::abs(d.y), std::abs(d.z)}) <= around_each ? 1 : 0;
        return false;
    });
    return count;
}

}  // namespace

std::vector<Vec3> body_places(const Level& level, const RayCaster& caster, const std::vector<Vec3>& around,
                              std::size_t count, bool floors) {
    std::vector<Vec3> out;
    if (around.empty()) return out;
    std::uint32_t drawn = 0;
    const auto number = [&] { return static_cast<float>(mix_bits(body_seed + drawn++) >> 8) / 16777216.0f; };
    const auto most = static_cast<float>(around.size());
    PlaceGrid places(around_each);
    for (const Vec3 p : around) places.add(p);
    for (std::size_t tries = 0; out.size() < count && tries < most_tries * count;) {
        const auto pick = std::min(static_cast<std::size_t>(number() * most), around.size() - 1);
        const Vec3 from = around[pick];
        const float x = 2 * number() - 1, y = 2 * number() - 1, z = 2 * number() - 1;
        const Vec3 way = Vec3{x, y, z} * around_each;
        const float far = length(way);
        const Vec3 to = from + way;
        // Where many are close together, places would be as well.
        if (number() * static_cast<float>(count_around(places, to)) > 1) continue;
        ++tries;
        // Panes are in the way as well, of bodies if not of light.
        if (!(far > 0) || caster.closest({from, way * (1 / far), far}).surface != none) continue;
        if (!wanted(level, to)) continue;
        bool free = !floors || caster.blocked({to, {0, -1, 0}, most_over_floor});
        for (const Vec3 side : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
            free = free && caster.closest({to, side, room_to_move}).surface == none;
        if (free) out.push_back(to);
    }
    return out;
}

}  // namespace stasigraph
