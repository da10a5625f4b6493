#pragma once
// The cell of a net that holds a point. Standard library only, C++17, nothing allocated.

#include "runtime/net_border.hpp"

namespace stasigraph::runtime {

namespace detail {

/// Where a walk to a point begins: at the hint, unless that is more than three boxes of the grid away from
/// it, or from the nearest place of the grid.
inline std::uint32_t start_for(const NetView& net, Point p, std::uint32_t hint) {
    if (!net.start) return hint;
    const float at[3] = {p.x, p.y, p.z};
    float box[3];
    for (int a = 0; a < 3; ++a) {
        const float b = (at[a] - net.low[a]) * net.per_metre[a],
                    last = static_cast<float>(net.starts[a]) - 0.5f;
        box[a] = b > 0 ? (b < last ? b : last) : 0;
    }
    if (hint < net.cells) {
        const Point v = net.at(net.vertex[4 * std::size_t{hint}]);
        const float from[3] = {v.x, v.y, v.z};
        bool close = true;
        for (int a = 0; a < 3; ++a)
            close = close && std::fabs((from[a] - net.low[a]) * net.per_metre[a] - box[a]) < 3;
        if (close) return hint;
    }
    std::size_t number = 0;
    for (int a = 2; a >= 0; --a)
        number = number * static_cast<std::size_t>(net.starts[a]) +
                 static_cast<std::size_t>(static_cast<int>(box[a]));
    return net.start[number];
}

/// What is outside by less than this counts as inside: rounding.
inline constexpr float slack = -1e-5f;

/// Cuts weights off at 0 and makes them sum to 1.
inline void settle(Located& at) {
    float sum = 0;
    for (float& w : at.weight) {
        w = w > 0 ? w : 0;
        sum += w;
    }
    for (float& w : at.weight) w /= sum;
}

/// Whether a cell holds a point; the weights of its corners, if so. Most lookups of what moves end here.
inline bool found_in(const NetView& net, std::uint32_t cell, Point p, Located& out) {
    if (cell >= net.cells || is_hollow(net, cell)) return false;
    weigh_corners(net, cell, p, out.weight);
    for (const float w : out.weight)
        if (!(w >= slack)) return false;
    out.cell = cell;
    settle(out);
    return true;
}
/// The cell that holds a point: walks there from another (Devillers, Pion and Teillaud, Walking in a
/// Triangulation, 2002).
inline Located locate(const NetView& net, Point p, std::uint32_t from) {
    Located out;
    std::uint32_t cell = from < net.cells ? from : 0, best = cell;
    float best_least = -1e30f;
    for (std::uint32_t step = 0; step < net.cells + 8; ++step) {
        weigh_corners(net, cell, p, out.weight);
        int worst = 0;
        for (int k = 1; k < 4; ++k)
            if (out.weight[k] < out.weight[worst]) worst = k;
        if (out.weight[worst] > best_least) {
            best_least = out.weight[worst];
            best = cell;
        }
        if (out.weight[worst] >= slack) break;
        // Rounding can send a walk through flat cells in circles.
        if (step > 512 && best_least > -0.01f) {
            cell = best;
            weigh_corners(net, cell, p, out.weight);
            break;
        }
        const std::uint32_t next = net.adjacent[4 * std::size_t{cell} + worst];
        if (next == no_cell) return nearest_on_border(net, p, from);
        cell = next;
    }
    if (is_hollow(net, cell)) return nearest_on_border(net, p, from);
    out.cell = cell;
    settle(out);
    return out;
}

}  // namespace detail

/// Lays a grid of about three boxes a probe over a net, for walks from far away. `starts`: where it is kept,
/// for as long as the view is used; at least `most_starts` of them.
inline constexpr std::size_t most_starts = 32768;
inline void lay_grid(NetView& net, std::uint32_t* starts) {
    net.start = nullptr;
    if (net.cells == 0 || net.dimension < 3) return;
    Point low = net.at(0), high = low;
    for (std::uint32_t i = 1; i < net.count; ++i) {
        const Point p = net.at(i);
        low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
    }
    const float from[3] = {low.x, low.y, low.z}, size[3] = {high.x - low.x, high.y - low.y, high.z - low.z};
    const float count = static_cast<float>(std::min<std::size_t>(3 * std::size_t{net.count}, most_starts)),
                box = std::cbrt(size[0] * size[1] * size[2] / count);
    std::size_t boxes = 1;
    for (int a = 0; a < 3; ++a) {
        const float n = box > 0 ? std::floor(size[a] / box) : 1;
        net.starts[a] = n > 1 ? static_cast<int>(std::min(n, 1024.0f)) : 1;
        net.low[a] = from[a];
        net.per_metre[a] = size[a] > 0 ? static_cast<float>(net.starts[a]) / size[a] : 0;
        boxes *= static_cast<std::size_t>(net.starts[a]);
    }
    if (boxes > most_starts) return;
    std::uint32_t hint = 0;
    for (std::size_t i = 0; i < boxes; ++i) {
        float at[3];
        std::size_t rest = i;
        for (int a = 0; a < 3; ++a) {
            const auto n = static_cast<std::size_t>(net.starts[a]);
            at[a] = from[a] + (static_cast<float>(rest % n) + 0.5f) / static_cast<float>(n) * size[a];
            rest /= n;
        }
        starts[i] = hint = detail::locate(net, {at[0], at[1], at[2]}, hint).cell;
    }
    net.start = starts;
}

}  // namespace stasigraph::runtime
