#pragma once
// Nets of probes: their tetrahedra, the one that holds a point, and what is made of a net when it is loaded.
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
/// stand-ins without light, by which a net spans space whose probes lie in a plane, a line or a point;
/// `dimension` says in which, and points that are asked for are projected into it. (3) A cell's `inverse`
/// takes an offset from its first vertex to the weights of the other three.
struct NetView {
    std::uint32_t count = 0, cells = 0;
    const float* position = nullptr;  ///< Three for each point, stand-ins included; metres.
    const float* front_share = nullptr;
    const float* clearance =
        nullptr;                   ///< Metres around a probe in which it sees everything; null: not known.
    const float* reach = nullptr;  ///< Metres up to which a probe's distances are known.
    const NearnessCode* nearness = nullptr;  ///< side^2 for each probe.
    int side = 0;
    const std::uint32_t *vertex = nullptr, *beside = nullptr;  ///< Four for each cell.
    const float* inverse = nullptr;                            ///< Nine for each cell, by rows.
    /// Probes that share a cell with a probe, and itself: neighbour_first[p] to [p + 1], ascending.
    const std::uint32_t *neighbour_first = nullptr, *neighbour = nullptr;
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

/// A face of the hull: that of a cell opposite one of its vertices.
struct HullFace {
    std::uint32_t cell;
    int face;
};

/// The face of the hull on the other side of one of a hull face's edges: the one without corner `away`.
inline HullFace hull_beside(const NetView& net, HullFace from, int away) {
    std::uint32_t cell = from.cell, stays = net.vertex[4 * std::size_t{cell} + from.face];
    int over = away;
    // Around the edge through the cells that share it; `stays` is the corner shared with the next one.
    for (std::uint32_t guard = 0; guard < net.cells; ++guard) {
        const std::uint32_t next = net.beside[4 * std::size_t{cell} + over];
        if (next == no_cell) return {cell, over};
        int shared = 0, came = 0;
        for (int k = 0; k < 4; ++k) {
            if (net.vertex[4 * std::size_t{next} + k] == stays) shared = k;
            if (net.beside[4 * std::size_t{next} + k] == cell) came = k;
        }
        stays = net.vertex[4 * std::size_t{next} + came];
        over = shared;
        cell = next;
    }
    return from;
}

/// The place of a hull face nearest to a point, as weights of its cell's corners; the square of the distance.
inline float look_at_face(const NetView& net, HullFace f, Point p, float* w) {
    int c[3], n = 0;
    for (int k = 0; k < 4; ++k)
        if (k != f.face) c[n++] = k;
    const std::uint32_t* v = net.vertex + 4 * std::size_t{f.cell};
    float t[3];
    const Point a = net.at(v[c[0]]), b = net.at(v[c[1]]), d = net.at(v[c[2]]);
    nearest_on_triangle(p, a, b, d, t);
    w[f.face] = 0;
    for (int i = 0; i < 3; ++i) w[c[i]] = t[i];
    const Point q = a * t[0] + b * t[1] + d * t[2] - p;
    return dot(q, q);
}

/// The place of the hull nearest to a point outside it: goes on over edges and around corners while that
/// comes nearer, which for a convex hull leads to the nearest.
inline Located nearest_on_hull(const NetView& net, HullFace face, Point p) {
    Located out;
    float best = look_at_face(net, face, p, out.weight);
    for (std::uint32_t guard = 0; guard < net.cells + 8; ++guard) {
        // Within a face that is the nearest place; on an edge or in a corner other faces may come nearer.
        int on = 0, corner = 0, free = 0;
        for (int k = 0; k < 4; ++k) {
            if (k == face.face) continue;
            if (out.weight[k] > 1e-6f) {
                ++on;
                corner = k;
            } else {
                free = k;
            }
        }
        if (on == 3) break;
        const std::uint32_t pivot = net.vertex[4 * std::size_t{face.cell} + corner];
        HullFace better = face, at = face;
        float better_weight[4] = {0, 0, 0, 0};
        int away = free;
        // Over the edge; around a corner over one edge after the other that ends in it.
        for (std::uint32_t turn = 0; turn < net.cells + 8; ++turn) {
            const HullFace next = hull_beside(net, at, away);
            if (next.cell == face.cell && next.face == face.face) break;
            float w[4];
            if (const float d = look_at_face(net, next, p, w); d < best * (1 - 1e-6f)) {
                best = d;
                better = next;
                std::copy(w, w + 4, better_weight);
            }
            if (on > 1) break;
            // The edge that was crossed holds the pivot and this corner, over which the turn goes on.
            std::uint32_t shared = no_cell;
            for (int k = 0; k < 4; ++k)
                if (const std::uint32_t v = net.vertex[4 * std::size_t{at.cell} + k];
                    k != at.face && k != away && v != pivot)
                    shared = v;
            int then = -1;
            for (int k = 0; k < 4; ++k)
                if (k != next.face && net.vertex[4 * std::size_t{next.cell} + k] == shared) then = k;
            if (then < 0) break;
            at = next;
            away = then;
        }
        if (better.cell == face.cell && better.face == face.face) break;
        face = better;
        std::copy(better_weight, better_weight + 4, out.weight);
    }
    out.cell = face.cell;
    out.beyond = std::sqrt(best);
    return out;
}

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
    if (cell >= net.cells) return false;
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
        const std::uint32_t next = net.beside[4 * std::size_t{cell} + worst];
        if (next == no_cell) return nearest_on_hull(net, {cell, worst}, p);
        cell = next;
    }
    out.cell = cell;
    settle(out);
    return out;
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
