#pragma once
// Places found by where they are.

#include <array>
#include <cmath>
#include <cstdint>
#include <unordered_map>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// Places in cubes of some metres a side.
class PlaceGrid {
public:
    explicit PlaceGrid(float cell) : cell_(cell) {}
    void add(Vec3 p) { cells_[key(cell_of(p))].push_back(p); }

    /// Calls f(place) for all places of the cubes within `distance` of p, those farther away among them,
    /// until it returns true; whether it did.
    template <class F>
    bool any_around(Vec3 p, float distance, F f) const {
        const std::array<int, 3> c = cell_of(p);
        const int r = static_cast<int>(std::ceil(distance / cell_));
        for (int x = -r; x <= r; ++x)
            for (int y = -r; y <= r; ++y)
                for (int z = -r; z <= r; ++z) {
                    const auto at = cells_.find(key({c[0] + x, c[1] + y, c[2] + z}));
                    if (at == cells_.end()) continue;
                    for (const Vec3 q : at->second)
                        if (f(q)) return true;
                }
        return false;
    }
    bool any_within(Vec3 p, float distance) const {
        return any_around(p, distance, [&](Vec3 q) { return length(q - p) < distance; });
    }

private:
    std::array<int, 3> cell_of(Vec3 p) const {
        const auto at = [&](float v) { return static_cast<int>(std::floor(v / cell_)); };
        return {at(p.x), at(p.y), at(p.z)};
    }
    static std::uint64_t key(std::array<int, 3> c) {
        std::uint64_t k = 0;
        for (const int v : c) k = k << 21 | (static_cast<std::uint32_t>(v) & 0x1fffffu);
        return k;
    }
    float cell_;
    std::unordered_map<std::uint64_t, std::vector<Vec3>> cells_;
};

}  // namespace stasigraph
