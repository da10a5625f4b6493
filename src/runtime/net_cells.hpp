#pragma once
// Nets of probes: their tetrahedra and what lies beside what.
// Standard library only, C++17, nothing allocated.

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>

#include "runtime/nearness.hpp"

namespace stasigraph::runtime {

inline constexpr std::uint32_t no_cell = 0xffffffffu;

/// Probes with a smaller share of rays that met no back face stand in or behind geometry, and never answer.
inline constexpr float least_front_share = 0.7f;

struct Point {
    float x, y, z;
};
inline Point operator-(Point a, Point b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Point operator+(Point a, Point b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Point operator*(Point a, float s) {
    return {a.x * s, a.y * s, a.z * s};
}
inline float dot(Point a, Point b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}

/// A net of probes, borrowed. Rules: (1) every cell is a tetrahedron of the points `vertex`; beside[k] is the
/// cell over the face opposite vertex k, no_cell where there is none. (2) Points from `count` on are
/// auxiliary points without light, by which a net spans space whose probes lie in a plane, a line or a point;
/// `dimension` says in which, and points that are asked for are projected into it. (3) A cell's `inverse`
/// takes an offset from its first vertex to the weights of the other three.
struct NetView {
    std::uint32_t count = 0, cells = 0;
    const float* position = nullptr;  ///< Three for each point, auxiliary ones included; metres.
    const float* front_share = nullptr;
    const float* clearance =
        nullptr;                   ///< Metres around a probe in which it sees everything; null: not known.
    const float* reach = nullptr;  ///< Metres up to which a probe's distances are known.
    const NearnessCode* nearness = nullptr;  ///< side^2 for each probe.
    int side = 0;
    const std::uint32_t *vertex = nullptr, *adjacent = nullptr;  ///< Four for each cell.
    const float* inverse = nullptr;                              ///< Nine for each cell, by rows.
    /// Probes that share a cell with a probe, and itself: neighbour_first[p] to [p + 1], ascending.
    const std::uint32_t *neighbour_first = nullptr, *neighbour = nullptr;
    /// A bit for each cell: hollow ones, in which no probe answers. What surrounds the others, as a tree of
    /// boxes: faces as four times the cell and the corner that is not theirs, and six numbers for each box.
    const std::uint32_t *hollow = nullptr, *border = nullptr;
    std::uint32_t borders = 0;
    const float* border_box = nullptr;
    /// Where walks begin that come from far away: a grid over all probes, the cell that holds the middle of
    /// each of its boxes; null: they begin at the hint.
    const std::uint32_t* start = nullptr;
    int starts[3] = {0, 0, 0};
    float low[3] = {0, 0, 0}, per_metre[3] = {0, 0, 0};
    int dimension = 3;
    float base[3] = {0, 0, 0}, axis[2][3] = {{0, 0, 0}, {0, 0, 0}};  ///< Of the plane or line.

    Point at(std::uint32_t p) const {
        return {position[3 * std::size_t{p}], position[3 * std::size_t{p} + 1],
                position[3 * std::size_t{p} + 2]};
    }
};

/// The inverse of a cell, as NetView keeps it.
inline void invert_cell(const NetView& net, std::uint32_t cell, float* out) {
    double e[3][3];
    const Point o = net.at(net.vertex[4 * std::size_t{cell}]);
    for (int k = 0; k < 3; ++k) {
        const Point p = net.at(net.vertex[4 * std::size_t{cell} + 1 + k]);
        e[k][0] = double{p.x} - double{o.x};
        e[k][1] = double{p.y} - double{o.y};
        e[k][2] = double{p.z} - double{o.z};
    }
    const auto cross = [](const double* a, const double* b, double* c) {
        c[0] = a[1] * b[2] - a[2] * b[1];
        c[1] = a[2] * b[0] - a[0] * b[2];
        c[2] = a[0] * b[1] - a[1] * b[0];
    };
    double rows[3][3];
    cross(e[1], e[2], rows[0]);
    cross(e[2], e[0], rows[1]);
    cross(e[0], e[1], rows[2]);
    const double volume = e[0][0] * rows[0][0] + e[0][1] * rows[0][1] + e[0][2] * rows[0][2];
    for (int i = 0; i < 9; ++i) out[i] = volume > 0 ? static_cast<float>(rows[i / 3][i % 3] / volume) : 0.0f;
}

namespace detail {

/// Where a point lies; outside a net its nearest place, and how far it is.
struct Located {
    std::uint32_t cell = no_cell;
    float weight[4] = {0, 0, 0, 0};
    float beyond = 0;
};

inline void weigh_corners(const NetView& net, std::uint32_t cell, Point p, float* w) {
    const Point d = p - net.at(net.vertex[4 * std::size_t{cell}]);
    const float* m = net.inverse + 9 * std::size_t{cell};
    for (int k = 0; k < 3; ++k) w[k + 1] = m[3 * k] * d.x + m[3 * k + 1] * d.y + m[3 * k + 2] * d.z;
    w[0] = 1 - w[1] - w[2] - w[3];
}

/// The place of a triangle nearest to a point, as weights of its corners. Ericson, Real-Time Collision
/// Detection, 2005, section 5.1.5.
inline void nearest_on_triangle(Point p, Point a, Point b, Point c, float* w) {
    const Point ab = b - a, ac = c - a, ap = p - a, bp = p - b, cp = p - c;
    const float d1 = dot(ab, ap), d2 = dot(ac, ap), d3 = dot(ab, bp), d4 = dot(ac, bp), d5 = dot(ab, cp),
                d6 = dot(ac, cp);
    const auto set = [&](float wa, float wb, float wc) {
        w[0] = wa;
        w[1] = wb;
        w[2] = wc;
    };
    if (d1 <= 0 && d2 <= 0) return set(1, 0, 0);
    if (d3 >= 0 && d4 <= d3) return set(0, 1, 0);
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return set(1 - d1 / (d1 - d3), d1 / (d1 - d3), 0);
    if (d6 >= 0 && d5 <= d6) return set(0, 0, 1);
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return set(1 - d2 / (d2 - d6), 0, d2 / (d2 - d6));
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const float t = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return set(0, 1 - t, t);
    }
    const float sum = va + vb + vc;
    set(va / sum, vb / sum, vc / sum);
}

}  // namespace detail

/// Makes the lists of neighbours of a net. `first`: count + 1 of them; `list`: room for 16 a cell, of which
/// as many as first[count] says are used.
inline void list_neighbours(NetView& net, std::uint32_t* first, std::uint32_t* list) {
    std::fill(first, first + net.count + 1, 0);
    const auto pairs = [&](auto f) {
        for (std::size_t c = 0; c < net.cells; ++c)
            for (int a = 0; a < 4; ++a)
                for (int b = 0; b < 4; ++b) {
                    const std::uint32_t from = net.vertex[4 * c + a], to = net.vertex[4 * c + b];
                    if (from < net.count && to < net.count) f(from, to);
                }
    };
    pairs([&](std::uint32_t from, std::uint32_t) { ++first[from + 1]; });
    for (std::uint32_t p = 0; p < net.count; ++p) first[p + 1] += first[p];
    pairs([&](std::uint32_t from, std::uint32_t to) { list[first[from]++] = to; });
    // Each first is where its list ends now; the cells of a probe name a neighbour several times.
    std::uint32_t used = 0, begin = 0;
    for (std::uint32_t p = 0; p < net.count; ++p) {
        const std::uint32_t end = first[p];
        std::sort(list + begin, list + end);
        std::uint32_t* const last = std::unique(list + begin, list + end);
        first[p] = used;
        used = static_cast<std::uint32_t>(std::copy(list + begin, last, list + used) - list);
        begin = end;
    }
    first[net.count] = used;
    net.neighbour_first = first;
    net.neighbour = list;
}

}  // namespace stasigraph::runtime
