#include "probe/body_places.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>

#include "base/random.hpp"
#include "level/volume_rules.hpp"

namespace stasigraph {

namespace {

/// Metres that a part of a figure keeps from what stands still, and how far over a floor it is at most.
constexpr float room_to_move = 0.2f, most_over_floor = 1.9f;
constexpr float around_each = 1;  ///< Metres to each side.
constexpr std::size_t most_tries = 3000;
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
class Crowd {
public:
    explicit Crowd(const std::vector<Vec3>& places) {
        for (const Vec3 p : places) cells_[key(cell_of(p))].push_back(p);
    }
    std::size_t around(Vec3 p) const {
        const std::array<int, 3> c = cell_of(p);
        std::size_t count = 0;
        for (int x = -1; x <= 1; ++x)
            for (int y = -1; y <= 1; ++y)
                for (int z = -1; z <= 1; ++z)
                    if (const auto at = cells_.find(key({c[0] + x, c[1] + y, c[2] + z})); at != cells_.end())
                        for (const Vec3 q : at->second) {
                            const Vec3 d = q - p;
                            count += std::max({std::abs(d.x), std::abs(d.y), std::abs(d.z)}) <= around_each;
                        }
        return count;
    }

private:
    static std::array<int, 3> cell_of(Vec3 p) {
        const auto at = [](float v) { return static_cast<int>(std::floor(v / around_each)); };
        return {at(p.x), at(p.y), at(p.z)};
    }
    static std::uint64_t key(std::array<int, 3> c) {
        std::uint64_t k = 0;
        for (const int v : c) k = k << 21 | (static_cast<std::uint32_t>(v) & 0x1fffffu);
        return k;
    }
    std::unordered_map<std::uint64_t, std::vector<Vec3>> cells_;
};

}  // namespace

std::vector<Vec3> body_places(const Level& level, const RayCaster& caster, const std::vector<Vec3>& around,
                              std::size_t count, bool floors) {
    std::vector<Vec3> out;
    if (around.empty()) return out;
    std::uint32_t drawn = 0;
    const auto number = [&] { return static_cast<float>(mix_bits(body_seed + drawn++) >> 8) / 16777216.0f; };
    const auto most = static_cast<float>(around.size());
    const Crowd crowd(around);
    for (std::size_t tries = 0; out.size() < count && tries < most_tries * count; ++tries) {
        const auto pick = std::min(static_cast<std::size_t>(number() * most), around.size() - 1);
        const Vec3 from = around[pick];
        const float x = 2 * number() - 1, y = 2 * number() - 1, z = 2 * number() - 1;
        const Vec3 way = Vec3{x, y, z} * around_each;
        const float far = length(way);
        const Vec3 to = from + way;
        // Where many are close together, places would be as well.
        if (number() * static_cast<float>(crowd.around(to)) > 1) continue;
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
