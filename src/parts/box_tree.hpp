#pragma once
// Which boxes overlap a box: a tree of medians over plain arrays.

#include <algorithm>
#include <cstdint>
#include <numeric>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

struct Bounds {
    Vec3 low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};
    void add(Vec3 p) {
        low = min(low, p);
        high = max(high, p);
    }
    bool meets(const Bounds& o) const {
        return low.x <= o.high.x && o.low.x <= high.x && low.y <= o.high.y && o.low.y <= high.y &&
               low.z <= o.high.z && o.low.z <= high.z;
    }
};

/// Threads: const members are safe from any number of threads. Cost: O(n log n) to build.
class BoxTree {
public:
    explicit BoxTree(const std::vector<Bounds>& boxes) : order_(boxes.size()) {
        std::iota(order_.begin(), order_.end(), 0u);
        if (!boxes.empty()) build(boxes, 0, static_cast<std::uint32_t>(boxes.size()));
    }
    /// Calls f(number of a box) for all boxes that meet `wanted`; the order depends on the boxes alone.
    template <class F>
    void for_each(const std::vector<Bounds>& boxes, const Bounds& wanted, F f) const {
        if (!nodes_.empty()) visit(boxes, wanted, 0, f);
    }

private:
    static constexpr std::uint32_t leaf_size = 8;
    struct Node {
        Bounds bounds;
        std::uint32_t first = 0, count = 0, right = 0;
    };

    std::uint32_t build(const std::vector<Bounds>& boxes, std::uint32_t first, std::uint32_t end) {
        const auto number = static_cast<std::uint32_t>(nodes_.size());
        nodes_.emplace_back();
        Bounds all, middles;
        for (std::uint32_t i = first; i < end; ++i) {
            const Bounds& b = boxes[order_[i]];
            all.add(b.low);
            all.add(b.high);
            middles.add((b.low + b.high) * 0.5f);
        }
        nodes_[number] = {all, first, end - first, 0};
        if (end - first <= leaf_size) return number;
        const Vec3 size = middles.high - middles.low;
        const auto key = [&](std::uint32_t b) {
            const Vec3 sum = boxes[b].low + boxes[b].high;
            return size.x >= size.y && size.x >= size.z ? sum.x : size.y >= size.z ? sum.y : sum.z;
        };
        const std::uint32_t middle = (first + end) / 2;
        std::nth_element(
            order_.begin() + first, order_.begin() + middle, order_.begin() + end,
            [&](std::uint32_t a, std::uint32_t b) { return key(a) != key(b) ? key(a) < key(b) : a < b; });
        build(boxes, first, middle);
        const std::uint32_t right = build(boxes, middle, end);
        nodes_[number].count = 0;
        nodes_[number].right = right;
        return number;
    }
    template <class F>
    void visit(const std::vector<Bounds>& boxes, const Bounds& wanted, std::uint32_t at, F& f) const {
        const Node& n = nodes_[at];
        if (!n.bounds.meets(wanted)) return;
        for (std::uint32_t i = n.first; i < n.first + n.count; ++i)
            if (boxes[order_[i]].meets(wanted)) f(order_[i]);
        if (n.right == 0) return;
        visit(boxes, wanted, at + 1, f);
        visit(boxes, wanted, n.right, f);
    }

    std::vector<std::uint32_t> order_;
    std::vector<Node> nodes_;
};

}  // namespace stasigraph
