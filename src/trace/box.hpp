#pragma once
// Boxes along the axes, and what may pass through them.

#include <algorithm>
#include <limits>

#include "stasigraph/math.hpp"

namespace stasigraph {

struct Box {
    Vec3 low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};  ///< Metres; empty as it comes.

    bool empty() const { return !(low.x <= high.x); }
    void add(Vec3 p) {
        low = min(low, p);
        high = max(high, p);
    }
    void add(const Box& b) {
        low = min(low, b.low);
        high = max(high, b.high);
    }
    Vec3 middle() const { return (low + high) * 0.5f; }
    Vec3 half() const { return (high - low) * 0.5f; }
    Box grown(float by) const {
        const Vec3 d{by, by, by};
        return {low - d, high + d};
    }
    bool holds(Vec3 p) const {
        return p.x >= low.x && p.x <= high.x && p.y >= low.y && p.y <= high.y && p.z >= low.z &&
               p.z <= high.z;
    }
    /// Whether a way of this many metres passes through it; a touch counts.
    bool meets(Vec3 origin, Vec3 direction, float distance) const {
        float from = 0, to = distance;
        const float o[3] = {origin.x, origin.y, origin.z}, d[3] = {direction.x, direction.y, direction.z},
                    l[3] = {low.x, low.y, low.z}, h[3] = {high.x, high.y, high.z};
        for (int a = 0; a < 3; ++a) {
            if (std::abs(d[a]) < 1e-12f) {
                if (o[a] < l[a] || o[a] > h[a]) return false;
                continue;
            }
            const float near = (l[a] - o[a]) / d[a], far = (h[a] - o[a]) / d[a];
            from = std::max(from, std::min(near, far));
            to = std::min(to, std::max(near, far));
        }
        return from <= to;
    }
    /// Whether any of it lies on the side of a plane that its normal points to.
    bool reaches_over(Vec3 place, Vec3 normal) const {
        const Vec3 h = half();
        const float reach = std::abs(normal.x) * h.x + std::abs(normal.y) * h.y + std::abs(normal.z) * h.z;
        return dot(normal, middle() - place) + reach >= 0;
    }
};

}  // namespace stasigraph
