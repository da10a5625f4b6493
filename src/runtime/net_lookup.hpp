#pragma once
// Which probes of a net answer at a point, and by how much. Standard library only, C++17, nothing allocated:
// the game and the baker look up by the same code.

#include "runtime/net_locate.hpp"

namespace stasigraph::runtime {

struct NetWeights {
    static constexpr int most = 8;
    int count = 0;  ///< 0: no probe is of use.
    std::uint32_t probe[most] = {};
    float weight[most] = {};  ///< Sum to 1.
    float beyond = 0;         ///< Metres to the net, of a point outside it.
};

namespace detail {

/// The four cells of an octahedral map of side^2 cells that a direction of any length lies between, and its
/// shares of them (Cigolle et al., Survey of Efficient Representations for Independent Unit Vectors, JCGT
/// 3(2), 2014).
struct MapCells {
    int cell[4];
    float share[4];
};
inline MapCells map_cells(int side, Point offset) {
    const float s = 1 / (std::fabs(offset.x) + std::fabs(offset.y) + std::fabs(offset.z));
    float u = offset.x * s, v = offset.z * s;
    if (offset.y < 0) {
        const float a = (1 - std::fabs(v)) * (u < 0 ? -1.0f : 1.0f),
                    b = (1 - std::fabs(u)) * (v < 0 ? -1.0f : 1.0f);
        u = a;
        v = b;
    }
    const float x = (u * 0.5f + 0.5f) * static_cast<float>(side) - 0.5f,
                y = (v * 0.5f + 0.5f) * static_cast<float>(side) - 0.5f;
    // Rounded down; both are over -1. (A call to floor() takes longer than all the rest.)
    const int i0 = static_cast<int>(x + 1) - 1, j0 = static_cast<int>(y + 1) - 1;
    const float tx = x - static_cast<float>(i0), ty = y - static_cast<float>(j0);
    MapCells out{{}, {(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty}};
    const bool inner = i0 >= 0 && j0 >= 0 && i0 + 1 < side && j0 + 1 < side;
    for (int k = 0; k < 4; ++k) {
        int i = i0 + (k & 1), at = j0 + (k >> 1);
        // Over an edge the map goes on at the mirrored place of the same edge.
        if (!inner && (i < 0 || i >= side)) {
            i = i < 0 ? 0 : side - 1;
            at = side - 1 - at;
        }
        if (!inner && (at < 0 || at >= side)) {
            at = at < 0 ? 0 : side - 1;
            i = side - 1 - i;
        }
        out.cell[k] = at * side + i;
    }
    return out;
}

/// Share of a probe's sight that reaches a place (Chebyshev's one-tailed inequality, as in Donnelly and
/// Lauritzen, Variance Shadow Maps, 2006, over one by the distance) by what its map says of that direction.
inline float sees(const NetView& net, std::uint32_t probe, Point offset) {
    const float whole = std::sqrt(dot(offset, offset)), reach = net.reach[probe];
    if (!(whole > 0 && whole < 1e30f)) return 1;
    // Nothing that its map knows is nearer.
    if (net.clearance && whole < net.clearance[probe]) return 1;
    const MapCells at = map_cells(net.side, offset);
    const NearnessCode* map = net.nearness + static_cast<std::size_t>(net.side) * net.side * probe;
    float mean = 0;
    for (int k = 0; k < 4; ++k) mean += at.share[k] * nearness_steps.value[map[at.cell[k]].mean];
    const float far = whole < reach ? whole : reach;
    if (mean * far <= 1) return 1;
    const float over = mean - 1 / far;
    float spread = 0;
    for (int k = 0; k < 4; ++k) spread += at.share[k] * nearness_of(map[at.cell[k]]).spread;
    // A least spread, of some centimetres, keeps flat surfaces from cutting sharply.
    const float least = mean * (0.02f + 0.03f * mean), wide = spread > least ? spread : least,
                variance = wide * wide, p = variance / (variance + over * over);
    // A probe in the sun, behind a roof, is hundreds of times as bright as what is under it.
    constexpr float unseen = 0.002f;
    const float seen = p * p * p - unseen;
    return seen > 0 ? seen * (1 / (1 - unseen)) : 0;
}
inline bool answers(const NetView& net, std::uint32_t p) {
    return p < net.count && !(net.front_share[p] < least_front_share);
}

/// Probes with their weights, each once.
struct Gathered {
    static constexpr int most = 128;
    int count = 0;
    std::uint32_t probe[most];
    float weight[most];

    void add(std::uint32_t p, float w) {
        int at = 0;
        while (at < count && probe[at] != p) ++at;
        if (at == most) return;
        if (at == count) {
            probe[at] = p;
            weight[at] = 0;
            ++count;
        }
        weight[at] += w;
    }
};

/// Puts the heaviest first, this many of them in order; `least`: the weight of the one after them, or 0.
inline void heaviest(const Gathered& all, int count, int* order, float& least) {
    for (int i = 0; i < all.count; ++i) order[i] = i;
    least = 0;
    if (all.count <= count) return;
    std::partial_sort(order, order + count + 1, order + all.count, [&](int a, int b) {
        return all.weight[a] > all.weight[b] ||
               (all.weight[a] == all.weight[b] && all.probe[a] < all.probe[b]);
    });
    least = all.weight[order[count]];
}

/// Calls f(probe, weight) for each probe that is a corner of a cell or shares a cell with one, ascending;
/// `weight`: the sum of the weights of those corners.
template <class F>
void for_neighbours(const NetView& net, const Located& at, F f) {
    const std::uint32_t *next[4], *end[4];
    float weight[4];
    int lists = 0;
    for (int k = 0; k < 4; ++k) {
        const std::uint32_t v = net.vertex[4 * std::size_t{at.cell} + k];
        if (!(at.weight[k] > 0) || v >= net.count) continue;
        next[lists] = net.neighbour + net.neighbour_first[v];
        end[lists] = net.neighbour + net.neighbour_first[v + 1];
        weight[lists++] = at.weight[k];
    }
    for (;;) {
        std::uint32_t probe = no_cell;
        for (int k = 0; k < lists; ++k)
            if (next[k] < end[k] && *next[k] < probe) probe = *next[k];
        if (probe == no_cell) return;
        float sum = 0;
        for (int k = 0; k < lists; ++k)
            if (next[k] < end[k] && *next[k] == probe) {
                sum += weight[k];
                ++next[k];
            }
        f(probe, sum);
    }
}

/// The probes that share a cell with a cell's corners and see a point, weighed by its weights of those
/// corners and the fourth power of their distance. What hangs on a corner goes to nothing where a cell
/// without it begins, so that nothing appears at once from cell to cell. They sum to 1, or to 0 where none
/// sees it.
inline void nearest_seeing(const NetView& net, const Located& at, Point p, Gathered& to) {
    constexpr int most_asked = 12;
    std::uint32_t probe[most_asked + 1];
    float value[most_asked + 1];
    int count = 0;
    const auto value_of = [&](std::uint32_t v, float weight) {
        const Point d = p - net.at(v);
        const float near = 1 / (dot(d, d) + 1e-3f);
        return answers(net, v) ? weight * near * near : 0;
    };
    for_neighbours(net, at, [&](std::uint32_t v, float weight) {
        const float own = value_of(v, weight);
        if (!(own > 0) || (count > most_asked && !(own > value[most_asked]))) return;
        int i = count > most_asked ? most_asked : count++;
        for (; i > 0 && value[i - 1] < own; --i) {
            value[i] = value[i - 1];
            probe[i] = probe[i - 1];
        }
        value[i] = own;
        probe[i] = v;
    });
    float sum = 0;
    const auto take = [&](std::uint32_t v, float weight) {
        const float seen = weight > 0 ? weight * sees(net, v, p - net.at(v)) : 0;
        if (!(seen > 0) || to.count == Gathered::most) return;
        to.probe[to.count] = v;
        to.weight[to.count++] = seen;
        sum += seen;
    };
    // The first that is not asked counts nothing, and so it and those that come and go there.
    const float least = count > most_asked ? value[most_asked] : 0;
    for (int i = 0; i < std::min(count, most_asked); ++i) take(probe[i], value[i] - least);
    // Where the nearest are all behind something.
    if (!(sum > 0))
        for_neighbours(net, at, [&](std::uint32_t v, float weight) { take(v, value_of(v, weight)); });
    for (int i = 0; i < to.count; ++i) to.weight[i] /= sum;
}

/// The heaviest ones, as many as there is room for; the one after them counts nothing, and so it and those
/// that come and go there.
inline void settle(Gathered& all, NetWeights& out) {
    int order[Gathered::most];
    float least = 0, total = 0;
    heaviest(all, NetWeights::most, order, least);
    const int count = std::min(all.count, NetWeights::most);
    out.count = 0;
    for (int k = 0; k < count; ++k) {
        const float w = all.weight[order[k]] - least;
        if (!(w > 0)) continue;
        out.probe[out.count] = all.probe[order[k]];
        out.weight[out.count++] = w;
        total += w;
    }
    if (total > 0) {
        for (int i = 0; i < out.count; ++i) out.weight[i] /= total;
        return;
    }
    // All alike.
    for (int k = 0; k < count; ++k) {
        out.probe[k] = all.probe[order[k]];
        out.weight[k] = 1 / static_cast<float>(count);
    }
    out.count = count;
}

}  // namespace detail

/// Weights of the probes at a point: those of the corners of its cell (outside the net: of the nearest place
/// of its border), each by how much of its sight reaches the point. The more is missing then, the more the
/// nearest of their neighbours that do see it answer instead. The weights are continuous in the point: each
/// function in them is, and what hangs on a corner goes to nothing where a cell without it begins; outside
/// the net they change over where two places of its border are as near. `hint`: in, a cell to look from
/// first; out, the one it was. `corrected`: whether sight counts at all. Threads: safe. Cost: constant with a
/// good hint, else a walk through the net.
inline NetWeights net_weights(const NetView& net, Point p, std::uint32_t& hint, bool corrected = true) {
    constexpr float enough = 0.95f;  // of the weights
    NetWeights out;
    if (net.cells == 0) return out;
    const Point asked = p;
    if (net.dimension < 3) {
        const Point base{net.base[0], net.base[1], net.base[2]}, d = p - base;
        p = base;
        for (int k = 0; k < net.dimension; ++k) {
            const Point a{net.axis[k][0], net.axis[k][1], net.axis[k][2]};
            p = p + a * dot(a, d);
        }
    }
    detail::Located at;
    if (!detail::found_in(net, hint, p, at)) at = detail::locate(net, p, detail::start_for(net, p, hint));
    hint = at.cell;
    out.beyond = at.beyond;
    if (net.dimension < 3) {
        const Point d = asked - p;
        out.beyond = std::sqrt(out.beyond * out.beyond + dot(d, d));
    }
    const std::uint32_t* corner = net.vertex + 4 * std::size_t{at.cell};
    float total = 0;
    for (int k = 0; k < 4; ++k) {
        const std::uint32_t v = corner[k];
        if (!(at.weight[k] > 0) || !detail::answers(net, v)) continue;
        const float w = at.weight[k] * (corrected ? detail::sees(net, v, asked - net.at(v)) : 1);
        if (!(w > 0)) continue;
        out.probe[out.count] = v;
        out.weight[out.count++] = w;
        total += w;
    }
    // Where little is missing, what the corners see of a linear interpolation tells more than what is near.
    const float missing = 1 - total / enough;
    if (!(missing > 0) || (!corrected && total > 0)) {
        for (int i = 0; i < out.count; ++i) out.weight[i] /= total;
        return out;
    }
    detail::Gathered all;
    detail::nearest_seeing(net, at, asked, all);
    const float much = missing < 0.4f ? missing / 0.4f : 1, near = much * much * (3 - 2 * much);
    if (all.count > 0) {
        for (int i = 0; i < all.count; ++i) all.weight[i] *= near;
        for (int i = 0; i < out.count; ++i) all.add(out.probe[i], out.weight[i] * (1 - near) / total);
    } else if (total > 0) {
        for (int i = 0; i < out.count; ++i) all.add(out.probe[i], out.weight[i]);
    } else {
        // Nothing sees the point: as if nothing stood in between.
        for (int k = 0; k < 4; ++k)
            if (at.weight[k] > 0 && detail::answers(net, corner[k])) all.add(corner[k], at.weight[k]);
        if (all.count == 0)
            detail::for_neighbours(net, at, [&](std::uint32_t v, float weight) {
                const Point d = asked - net.at(v);
                if (detail::answers(net, v)) all.add(v, weight / (dot(d, d) + 1e-3f));
            });
    }
    detail::settle(all, out);
    return out;
}

}  // namespace stasigraph::runtime
