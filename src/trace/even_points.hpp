#pragma once
// Points spread evenly over triangles.

#include <cmath>
#include <cstdint>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// Calls f(point, corners, k) for `wanted` points at even steps of the area of `count` triangles, until it
/// answers true; answers whether it did. `corners_of(k)`: the k-th triangle's corners, as RayCaster::Corners.
/// Roberts, The Unreasonable Effectiveness of Quasirandom Sequences, 2018: the sequence R2.
template <class Corners, class F>
bool for_even_points(std::size_t count, double wanted, Corners corners_of, F f) {
    const auto area_of = [&](std::size_t k) {
        const auto c = corners_of(k);
        return 0.5 * static_cast<double>(length(cross(c.b - c.a, c.c - c.a)));
    };
    double area = 0, passed = 0;
    for (std::size_t k = 0; k < count; ++k) area += area_of(k);
    std::uint32_t taken = 0;
    for (std::size_t k = 0; k < count; ++k) {
        passed += area_of(k);
        while (taken < wanted && passed >= area * (taken + 0.5) / wanted) {
            float u = std::fmod(0.5f + 0.7548777f * static_cast<float>(taken), 1.0f),
                  v = std::fmod(0.5f + 0.5698403f * static_cast<float>(taken), 1.0f);
            if (u + v > 1) {
                u = 1 - u;
                v = 1 - v;
            }
            ++taken;
            const auto c = corners_of(k);
            if (f(c.a + (c.b - c.a) * u + (c.c - c.a) * v, c, k)) return true;
        }
    }
    return false;
}

}  // namespace stasigraph
