#pragma once
// Where a net of probes ends. Tetrahedra fill the hull of all probes: over a layer of them, beside it and in
// bays they reach from one side to the other, flat and metres long, and tell of what is far off a hand's
// breadth from the probes. These are hollow: there the nearest place of what is left answers. Standard
// library only, C++17, nothing allocated.

#include "runtime/net_cells.hpp"

namespace stasigraph::runtime {

/// A cell is hollow if this many times the spacing of probes around each of its corners fits between them as
/// the radius of an empty ball, and only hollow ones lie between it and the outside (Edelsbrunner and Muecke,
/// Three-Dimensional Alpha Shapes, ACM TOG 13(1), 1994, with a radius by spacing).
inline constexpr float hollow_spacings = 4;

namespace detail {

constexpr std::uint32_t faces_a_leaf = 4;

inline bool is_hollow(const NetView& net, std::uint32_t cell) {
    return net.hollow && (net.hollow[cell >> 5] >> (cell & 31) & 1u) != 0;
}

/// The radius of the ball through a cell's corners, metres; huge where it has no volume.
inline float ball_radius(const NetView& net, std::uint32_t cell) {
    const Point o = net.at(net.vertex[4 * std::size_t{cell}]);
    // The centre's weights are linear in the squared lengths of edges; of that the inverse is there.
    const float* m = net.inverse + 9 * std::size_t{cell};
    float half[3];
    for (int k = 0; k < 3; ++k) {
        const Point e = net.at(net.vertex[4 * std::size_t{cell} + 1 + k]) - o;
        half[k] = 0.5f * dot(e, e);
    }
    const Point c{m[0] * half[0] + m[3] * half[1] + m[6] * half[2],
                  m[1] * half[0] + m[4] * half[1] + m[7] * half[2],
                  m[2] * half[0] + m[5] * half[1] + m[8] * half[2]};
    const float r2 = dot(c, c);
    return r2 > 0 && r2 < 1e30f ? std::sqrt(r2) : 1e15f;
}

/// The mean distance of a probe's nearest three neighbours, as many as one in a corner of a lattice has.
inline float spacing_at(const NetView& net, std::uint32_t probe) {
    constexpr int count = 3;
    if (probe >= net.count) return 1e15f;
    float near[count] = {0, 0, 0};
    int found = 0;
    for (std::uint32_t i = net.neighbour_first[probe]; i < net.neighbour_first[probe + 1]; ++i) {
        if (net.neighbour[i] == probe) continue;
        const Point e = net.at(net.neighbour[i]) - net.at(probe);
        const float far = dot(e, e);
        if (found == count && !(far < near[count - 1])) continue;
        int at = found < count ? found++ : count - 1;
        for (; at > 0 && near[at - 1] > far; --at) near[at] = near[at - 1];
        near[at] = far;
    }
    float sum = 0;
    for (int k = 0; k < found; ++k) sum += std::sqrt(near[k]);
    return found > 0 ? sum / static_cast<float>(found) : 1e15f;
}

inline void face_corners(const NetView& net, std::uint32_t face, Point out[3]) {
    for (std::uint32_t k = 0, n = 0; k < 4; ++k)
        if (k != (face & 3)) out[n++] = net.at(net.vertex[(face & ~3u) + k]);
}

/// Puts the faces of a box in the order of the tree, the box around them first.
inline void lay_box(const NetView& net, std::uint32_t* face, std::uint32_t begin, std::uint32_t end,
                    float* box, std::size_t number) {
    const auto middle = [&](std::uint32_t f, int axis) {
        Point c[3];
        face_corners(net, f, c);
        const Point sum = c[0] + c[1] + c[2];
        const float at = axis == 0 ? sum.x : (axis == 1 ? sum.y : sum.z);
        return at == at ? at : 0.0f;  // a damaged file's
    };
    float* const b = box + 6 * number;
    for (int a = 0; a < 3; ++a) {
        b[a] = 1e30f;
        b[3 + a] = -1e30f;
    }
    for (std::uint32_t i = begin; i < end; ++i) {
        Point c[3];
        face_corners(net, face[i], c);
        for (const Point p : c) {
            const float at[3] = {p.x, p.y, p.z};
            for (int a = 0; a < 3; ++a) {
                b[a] = std::min(b[a], at[a]);
                b[3 + a] = std::max(b[3 + a], at[a]);
            }
        }
    }
    if (end - begin <= faces_a_leaf) return;
    int axis = 0;
    for (int a = 1; a < 3; ++a)
        if (b[3 + a] - b[a] > b[3 + axis] - b[axis]) axis = a;
    const std::uint32_t half = begin + (end - begin) / 2;
    std::nth_element(face + begin, face + half, face + end, [&](std::uint32_t p, std::uint32_t q) {
        const float a = middle(p, axis), c = middle(q, axis);
        return a < c || (a == c && p < q);
    });
    lay_box(net, face, begin, half, box, 2 * number + 1);
    lay_box(net, face, half, end, box, 2 * number + 2);
}

inline float box_gap(const float* b, Point p) {
    const float x = std::max(std::max(b[0] - p.x, p.x - b[3]), 0.0f),
                y = std::max(std::max(b[1] - p.y, p.y - b[4]), 0.0f),
                z = std::max(std::max(b[2] - p.z, p.z - b[5]), 0.0f);
    return x * x + y * y + z * z;
}

/// A face, if a place on it is nearer to a point than the one there is.
inline void try_face(const NetView& net, std::uint32_t face, Point p, Located& out, float& best) {
    Point c[3];
    face_corners(net, face, c);
    float w[3];
    nearest_on_triangle(p, c[0], c[1], c[2], w);
    const Point q = c[0] * w[0] + c[1] * w[1] + c[2] * w[2] - p;
    const float far = dot(q, q);
    if (!(far < best)) return;
    best = far;
    out.cell = face >> 2;
    for (std::uint32_t k = 0, n = 0; k < 4; ++k) out.weight[k] = k == (face & 3) ? 0 : w[n++];
}

/// The place of the border nearest to a point. `from`: a cell whose own faces may be it, which most often
/// are.
inline Located nearest_on_border(const NetView& net, Point p, std::uint32_t from) {
    struct Open {
        std::size_t box;
        std::uint32_t begin, end;
        float gap;
    };
    Open open[64] = {{0, 0, net.borders, 0}};
    Located out;
    out.cell = net.borders > 0 ? net.border[0] >> 2 : 0;
    float best = 1e30f;
    if (from < net.cells && !is_hollow(net, from))
        for (std::uint32_t face = 4 * from; face < 4 * from + 4; ++face)
            if (net.adjacent[face] == no_cell || is_hollow(net, net.adjacent[face]))
                try_face(net, face, p, out, best);
    for (int count = 1; count > 0;) {
        const Open at = open[--count];
        if (!(at.gap < best)) continue;
        if (at.end - at.begin > faces_a_leaf) {
            const std::uint32_t half = at.begin + (at.end - at.begin) / 2;
            const std::size_t next = 2 * at.box + 1;
            const Open a{next, at.begin, half, box_gap(net.border_box + 6 * next, p)},
                b{next + 1, half, at.end, box_gap(net.border_box + 6 * (next + 1), p)};
            const bool first = a.gap < b.gap;
            if (const Open& later = first ? b : a; later.gap < best) open[count++] = later;
            open[count++] = first ? a : b;
            continue;
        }
        for (std::uint32_t i = at.begin; i < at.end; ++i) try_face(net, net.border[i], p, out, best);
    }
    out.beyond = std::sqrt(best);
    return out;
}

}  // namespace detail

/// What find_border() needs room for, 32 bits each: a bit for each cell, and as many faces as cells have.
inline std::size_t border_words(std::uint32_t cells) {
    return (std::size_t{cells} + 31) / 32 + 4 * std::size_t{cells};
}
/// Six numbers for each box of a tree over this many faces.
inline std::size_t border_floats(std::uint32_t faces) {
    std::size_t leaves = 1;
    while (leaves * detail::faces_a_leaf < faces) leaves *= 2;
    return 6 * 2 * leaves;
}

/// Finds the hollow cells of a net, of which inverses and neighbours are there, and the faces around the
/// others. `words`: border_words() of them, kept for as long as the view is used, as what lay_border() takes.
inline void find_border(NetView& net, std::uint32_t* words) {
    std::uint32_t *const hollow = words, *const face = words + (std::size_t{net.cells} + 31) / 32;
    std::fill(hollow, face, 0);
    net.hollow = hollow;
    net.border = face;
    if (net.dimension == 3) {
        const auto is_wide = [&](std::uint32_t cell) {
            float widest = 0;
            for (int k = 0; k < 4; ++k)
                widest = std::max(widest, detail::spacing_at(net, net.vertex[4 * std::size_t{cell} + k]));
            return detail::ball_radius(net, cell) > hollow_spacings * widest;
        };
        // From the outside in; the room for faces holds those that are still to be looked at.
        std::uint32_t count = 0, kept = net.cells;
        const auto peel = [&](std::uint32_t cell) {
            if (detail::is_hollow(net, cell) || kept == 1 || !is_wide(cell)) return;
            hollow[cell >> 5] |= 1u << (cell & 31);
            face[count++] = cell;
            --kept;
        };
        for (std::uint32_t i = 0; i < 4 * net.cells; ++i)
            if (net.adjacent[i] == no_cell) peel(i >> 2);
        while (count > 0) {
            const std::uint32_t cell = face[--count];
            for (int k = 0; k < 4; ++k)
                if (const std::uint32_t next = net.adjacent[4 * std::size_t{cell} + k]; next != no_cell)
                    peel(next);
        }
    }
    net.borders = 0;
    for (std::uint32_t i = 0; i < 4 * net.cells; ++i)
        if (!detail::is_hollow(net, i >> 2) &&
            (net.adjacent[i] == no_cell || detail::is_hollow(net, net.adjacent[i])))
            face[net.borders++] = i;
}
/// Puts its faces in the order of a tree. `boxes`: border_floats() of them.
inline void lay_border(NetView& net, std::uint32_t* words, float* boxes) {
    net.border_box = boxes;
    if (net.borders > 0)
        detail::lay_box(net, words + (std::size_t{net.cells} + 31) / 32, 0, net.borders, boxes, 0);
}

}  // namespace stasigraph::runtime
