#include "probe/rooms.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <unordered_map>

#include "base/random.hpp"
#include "probe/candidates.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t nodes_per_task = 64;
constexpr std::uint32_t room_looks = 96, room_seed = 0x726f6f6du;
constexpr float room_reach = 40;          ///< Metres up to which walls make a room.
constexpr float most_room_clearance = 6;  ///< Metres; wider places are equally wide.
/// A place is in a room if at least this share of its room_looks meets something, both of those that rise by
/// up to 30 degrees and of those that rise more. Beside a wall outdoors half of either do; under an awning
/// all of the steep ones and few of the others.
constexpr float least_walls_met = 0.85f, least_beside = 0.7f, least_above = 0.75f;
/// Two wide places are one room if the way between them is not narrower than this share of the narrower one.
constexpr float same_room = 0.65f;
/// Nor may it be much narrower than the wider place, unless the other is only a niche: a corridor is no part
/// of a hall.
constexpr float wide_gate = 0.6f;
constexpr std::size_t niche_nodes = 40;
/// A room is at least this wide, in metres from its widest place to the nearest surface, and has this many
/// nodes.
constexpr float least_clearance = 0.4f;
constexpr std::size_t least_nodes = 6;

struct Node {
    Vec3 at;
    float clearance = 0;
    bool inside = false;
    Vec3 walls;  ///< x, z: direction of walls met, four times their angle; y: how many.
};

void look_around(Node& n, const RayCaster& caster, const FreeSpace& space) {
    n.clearance = space.clearance(n.at, most_room_clearance);
    std::uint32_t met = 0, above = 0, met_above = 0, beside = 0, met_beside = 0;
    for (std::uint32_t k = 0; k < room_looks; ++k) {
        const Vec3 w = sphere_direction(sobol_point(room_seed, k));
        const Hit hit = caster.closest({n.at, w, room_reach});
        const bool up = w.y >= 0.5f, side = w.y > 0 && !up;
        above += up;
        beside += side;
        if (hit.surface == none) continue;
        ++met;
        met_above += up;
        met_beside += side;
        const Vec3 wall = caster.place(hit).face_normal;
        if (std::abs(wall.y) > 0.3f) continue;
        const float turn = 4 * std::atan2(wall.z, wall.x);
        n.walls = n.walls + Vec3{std::cos(turn), 1, std::sin(turn)};
    }
    const auto most = [](std::uint32_t part, float share, std::uint32_t all) {
        return static_cast<float>(part) >= share * static_cast<float>(all);
    };
    n.inside = most(met, least_walls_met, room_looks) && most(met_beside, least_beside, beside) &&
               most(met_above, least_above, above);
}

/// Of each node those near it that it sees.
std::vector<std::vector<std::uint32_t>> connect(const std::vector<Node>& nodes, const FreeSpace& space,
                                                Job& job) {
    constexpr float near = 1.5f * room_spacing;
    const auto cell = [&](Vec3 p, int axis) {
        const float c[3] = {p.x, p.y, p.z};
        return static_cast<std::int64_t>(std::floor(c[axis] / near)) + (1 << 20);
    };
    const auto key = [](std::int64_t x, std::int64_t y, std::int64_t z) { return (x << 42) | (y << 21) | z; };
    std::unordered_map<std::int64_t, std::vector<std::uint32_t>> grid;
    for (std::uint32_t i = 0; i < nodes.size(); ++i)
        grid[key(cell(nodes[i].at, 0), cell(nodes[i].at, 1), cell(nodes[i].at, 2))].push_back(i);
    std::vector<std::vector<std::uint32_t>> beside(nodes.size());
    job.parallel(nodes.size(), nodes_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Vec3 at = nodes[i].at;
            for (int k = 0; k < 27; ++k) {
                const auto there = grid.find(
                    key(cell(at, 0) + k % 3 - 1, cell(at, 1) + k / 3 % 3 - 1, cell(at, 2) + k / 9 - 1));
                if (there == grid.end()) continue;
                for (const std::uint32_t j : there->second)
                    if (j != i && length(nodes[j].at - at) <= near && space.sees(at, nodes[j].at))
                        beside[i].push_back(j);
            }
            std::sort(beside[i].begin(), beside[i].end());
        }
    });
    return beside;
}

/// Basins around the places that are wider than all beside them: each node belongs to that of its widest
/// neighbour. Then those become one between which it is wide, the widest gate first.
class Watershed {
public:
    Watershed(const std::vector<Node>& nodes, const std::vector<std::vector<std::uint32_t>>& beside)
        : nodes_(nodes), beside_(beside), basin_(nodes.size(), none), size_(nodes.size(), 0) {}

    /// The basin of each node, by its widest node; `none` for those that are not inside.
    std::vector<std::uint32_t> flood() {
        std::vector<std::uint32_t> order;
        for (std::uint32_t i = 0; i < nodes_.size(); ++i)
            if (nodes_[i].inside) order.push_back(i);
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) { return wider(a, b); });
        for (const std::uint32_t i : order) {
            std::uint32_t best = i;
            for (const std::uint32_t j : beside_[i])
                if (nodes_[j].inside && wider(j, best)) best = j;
            basin_[i] = best == i ? i : top(best);
            ++size_[top(i)];
        }
        for (const Gate& g : gates(order)) join(g);
        std::vector<std::uint32_t> out = basin_;
        for (const std::uint32_t i : order) out[i] = top(i);
        return out;
    }

private:
    struct Gate {
        float width;
        std::uint32_t a, b;
    };
    bool wider(std::uint32_t p, std::uint32_t q) const {
        return nodes_[p].clearance != nodes_[q].clearance ? nodes_[p].clearance > nodes_[q].clearance : p < q;
    }
    std::uint32_t top(std::uint32_t i) const {
        while (basin_[i] != i) i = basin_[i];
        return i;
    }
    std::vector<Gate> gates(const std::vector<std::uint32_t>& order) const {
        std::vector<Gate> out;
        for (const std::uint32_t i : order)
            for (const std::uint32_t j : beside_[i])
                if (nodes_[j].inside && i < j && basin_[i] != basin_[j])
                    out.push_back({std::min(nodes_[i].clearance, nodes_[j].clearance), i, j});
        std::stable_sort(out.begin(), out.end(),
                         [](const Gate& a, const Gate& b) { return a.width > b.width; });
        return out;
    }
    void join(const Gate& gate) {
        std::uint32_t a = top(gate.a), b = top(gate.b);
        if (a == b) return;
        if (!wider(a, b)) std::swap(a, b);
        const float narrow = nodes_[b].clearance;
        const bool wide = gate.width >= wide_gate * nodes_[a].clearance || size_[b] < niche_nodes;
        if (narrow >= least_clearance && !(wide && gate.width >= same_room * narrow)) return;
        basin_[b] = a;
        size_[a] += size_[b];
    }

    const std::vector<Node>& nodes_;
    const std::vector<std::vector<std::uint32_t>>& beside_;
    std::vector<std::uint32_t> basin_;
    std::vector<std::size_t> size_;
};

/// Where a room's walls and ceilings are no planes it goes on beyond most of them, by this many metres at
/// most; what lies farther is seen through a door or up a shaft.
constexpr float deepest_niche = 0.3f, highest_vault = 1;

/// By how much the farthest place of a round wall may be missed between two nodes, metres.
constexpr float missed = 0.05f, flat = 1e-3f;

struct RoomEnd {
    float most, farthest;
};

/// Where the space ends along an axis: the outermost tenth of its nodes tell by what most of them meet, so
/// that doors do not count, and rooms may go on beyond the region.
RoomEnd end_along(const std::vector<const Node*>& nodes, Vec3 axis, const RayCaster& caster) {
    const auto further = [&](const Node* a, const Node* b) { return dot(a->at, axis) > dot(b->at, axis); };
    std::vector<const Node*> outer = nodes;
    const auto count =
        static_cast<std::ptrdiff_t>(std::min(nodes.size(), std::max<std::size_t>(8, nodes.size() / 10)));
    std::stable_sort(outer.begin(), outer.end(), further);
    std::vector<float> ends;
    for (auto n = outer.begin(); n != outer.begin() + count; ++n) {
        const Hit hit = caster.closest({(*n)->at, axis, room_reach});
        if (hit.surface != none) ends.push_back(dot((*n)->at, axis) + hit.distance);
    }
    const float outermost = dot(outer.front()->at, axis);
    if (2 * static_cast<std::ptrdiff_t>(ends.size()) < count) return {outermost, outermost};
    std::sort(ends.begin(), ends.end());
    const auto middle = ends.begin() + static_cast<std::ptrdiff_t>(ends.size() / 2);
    const float limit = *middle + (std::abs(axis.y) > 0.5f ? highest_vault : deepest_niche);
    const float most = std::max(*middle, outermost),
                farthest = *(std::upper_bound(middle, ends.end(), limit) - 1);
    return {most, farthest > most + flat ? farthest + missed : most};
}

Room room_of(const std::vector<const Node*>& nodes, const RayCaster& caster) {
    Vec3 walls, sum;
    for (const Node* n : nodes) {
        walls = walls + n->walls;
        sum = sum + n->at;
    }
    const Vec3 mean = sum * (1 / static_cast<float>(nodes.size()));
    // Round rooms have walls all around and stay along the world's axes.
    const float even = std::hypot(walls.x, walls.z);
    const float turn = even > 0.35f * walls.y ? std::atan2(walls.z, walls.x) / 4 : 0;
    Room r;
    r.axes = {Vec3{std::cos(turn), 0, std::sin(turn)}, Vec3{0, 1, 0},
              Vec3{-std::sin(turn), 0, std::cos(turn)}};
    float best = -1e30f;
    for (const Node* n : nodes) {
        // Wide, and rather in the middle than in one of several places that are as wide.
        const float score = n->clearance - 0.1f * length(n->at - mean);
        if (score > best) {
            best = score;
            r.widest = n->at;
        }
    }
    float *half[3] = {&r.half.x, &r.half.y, &r.half.z},
          *all_half[3] = {&r.all_half.x, &r.all_half.y, &r.all_half.z};
    const auto fit = [](float low, float high, Vec3 axis, Vec3& middle_of, float& half_of) {
        half_of = std::max(0.5f * (high - low), 0.1f);
        middle_of = middle_of + axis * (0.5f * (high + low));
    };
    for (std::size_t a = 0; a < 3; ++a) {
        const RoomEnd high = end_along(nodes, r.axes[a], caster), low = end_along(nodes, -r.axes[a], caster);
        fit(-low.most, high.most, r.axes[a], r.middle, *half[a]);
        fit(-low.farthest, high.farthest, r.axes[a], r.all_middle, *all_half[a]);
    }
    return r;
}

float volume_of(const Room& r) {
    return r.half.x * r.half.y * r.half.z;
}

}  // namespace

Spaces find_spaces(const Volume& region, const std::vector<Vec3>& seeds, const RayCaster& caster,
                   const FreeSpace& space, Job& job) {
    Volume fine = region;
    fine.spacing = room_spacing;
    std::vector<Node> nodes;
    for (const Vec3 p : explored_space(fine, seeds, space, job)) nodes.push_back({.at = p, .walls = {}});
    job.parallel(nodes.size(), nodes_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) look_around(nodes[i], caster, space);
    });
    const std::vector<std::vector<std::uint32_t>> beside = connect(nodes, space, job);
    const std::vector<std::uint32_t> basin = Watershed(nodes, beside).flood();
    Spaces out;
    std::unordered_map<std::uint32_t, std::vector<const Node*>> of_basin;
    std::vector<std::uint32_t> order;
    for (std::uint32_t i = 0; i < nodes.size(); ++i) {
        if (basin[i] == none) {
            out.open.push_back(nodes[i].at);
            continue;
        }
        std::vector<const Node*>& list = of_basin[basin[i]];
        if (list.empty()) order.push_back(basin[i]);
        list.push_back(&nodes[i]);
    }
    for (const std::uint32_t b : order)
        if (of_basin[b].size() >= least_nodes && nodes[b].clearance >= least_clearance)
            out.rooms.push_back(room_of(of_basin[b], caster));
    std::stable_sort(out.rooms.begin(), out.rooms.end(),
                     [](const Room& a, const Room& b) { return volume_of(a) > volume_of(b); });
    return out;
}

}  // namespace stasigraph
