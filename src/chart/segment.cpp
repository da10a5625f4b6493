#include "chart/segment.hpp"

#include <algorithm>
#include <numeric>
#include <queue>

namespace stasigraph {

namespace {

/// Largest 1 - |mean normal|^2 of a region, normals weighted by area. At 0.2 a spherical cap reaches 37
/// degrees from its middle and a strip of a tube 47: both flatten with little stretch. Smaller: more regions
/// to join later. Larger: regions that fold over themselves and have to be cut again.
constexpr float most_bend = 0.2f;

/// Weight of distance against bend. It decides among equals (planes, round things) and makes regions compact.
constexpr float distance_weight = 1e-3f;

struct Region {
    float area = 0;
    Vec3 normal_sum, middle_sum;
};

/// Ward, Hierarchical Grouping to Optimize an Objective Function, 1963, over normals: joining a and b costs
/// the growth of the sum of squared deviations from the mean.
struct Joiner {
    const MeshGraph& graph;
    std::vector<Region> regions;
    std::vector<std::uint32_t> parent;
    float total_area = 0;

    std::uint32_t find(std::uint32_t n) {
        while (parent[n] != n) n = parent[n] = parent[parent[n]];
        return n;
    }
    float cost(std::uint32_t i, std::uint32_t k) const {
        const Region &a = regions[i], &b = regions[k];
        const Vec3 bend = a.normal_sum * (1 / a.area) - b.normal_sum * (1 / b.area),
                   away = a.middle_sum * (1 / a.area) - b.middle_sum * (1 / b.area);
        return a.area * b.area / (a.area + b.area) *
               (dot(bend, bend) + distance_weight * dot(away, away) / total_area);
    }
    bool may_join(std::uint32_t i, std::uint32_t k) const {
        const Region &a = regions[i], &b = regions[k];
        const float area = a.area + b.area;
        const Vec3 n = a.normal_sum + b.normal_sum;
        return 1 - dot(n, n) / (area * area) <= most_bend;
    }
};

}  // namespace

std::vector<std::uint32_t> RegionTree::triangles(std::uint32_t node) const {
    std::vector<std::uint32_t> found, open{node};
    while (!open.empty()) {
        const std::uint32_t n = open.back();
        open.pop_back();
        if (n < triangle_count) {
            found.push_back(n);
        } else {
            open.push_back(left[n - triangle_count]);
            open.push_back(right[n - triangle_count]);
        }
    }
    std::sort(found.begin(), found.end());
    return found;
}

RegionTree find_regions(const MeshGraph& graph) {
    const std::size_t count = graph.triangle_count();
    Joiner joiner{.graph = graph, .regions = {}, .parent = {}};
    joiner.regions.resize(count);
    joiner.regions.reserve(2 * count);
    for (std::uint32_t t = 0; t < count; ++t) {
        const Vec3 middle = (graph.place[graph.corner[3 * t]] + graph.place[graph.corner[3 * t + 1]] +
                             graph.place[graph.corner[3 * t + 2]]) *
                            (1.0f / 3);
        joiner.regions[t] = {graph.area[t], graph.smooth[t] * graph.area[t], middle * graph.area[t]};
        joiner.total_area += graph.area[t];
    }
    joiner.parent.resize(2 * count);
    std::iota(joiner.parent.begin(), joiner.parent.end(), 0u);

    // Costs only grow while regions do, so an entry is a lower bound: it is priced again when it comes up.
    using Entry = std::pair<float, std::uint32_t>;  // cost, corner whose edge is meant
    std::vector<Entry> entries;
    for (std::uint32_t c = 0; c < graph.across.size(); ++c)
        if (graph.across[c] != none && c < graph.across[c] && !graph.crease[c])
            entries.push_back({joiner.cost(c / 3, graph.across[c] / 3), c});
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue(std::greater<>{},
                                                                         std::move(entries));
    RegionTree tree{.triangle_count = count, .left = {}, .right = {}, .roots = {}};
    while (!queue.empty()) {
        const auto [price, edge] = queue.top();
        queue.pop();
        const std::uint32_t a = joiner.find(edge / 3), b = joiner.find(graph.across[edge] / 3);
        if (a == b) continue;
        const float now = joiner.cost(a, b);
        if (now > price) {
            queue.push({now, edge});
            continue;
        }
        if (!joiner.may_join(a, b)) continue;
        const auto node = static_cast<std::uint32_t>(joiner.regions.size());
        const Region &p = joiner.regions[a], &q = joiner.regions[b];
        joiner.regions.push_back({p.area + q.area, p.normal_sum + q.normal_sum, p.middle_sum + q.middle_sum});
        joiner.parent[a] = joiner.parent[b] = node;
        tree.left.push_back(a);
        tree.right.push_back(b);
    }
    std::vector<std::uint8_t> listed(joiner.regions.size(), 0);
    for (std::uint32_t t = 0; t < count; ++t) {
        const std::uint32_t root = joiner.find(t);
        if (graph.area[t] > 0 && !listed[root]) {
            listed[root] = 1;
            tree.roots.push_back(root);
        }
    }
    return tree;
}

void straighten_borders(const MeshGraph& graph, const std::vector<std::uint32_t>& among,
                        const std::function<bool(std::uint32_t, std::uint32_t)>& may_move,
                        std::vector<std::uint32_t>& label) {
    constexpr int most_sweeps = 6;
    for (int sweep = 0; sweep < most_sweeps; ++sweep) {
        bool any = false;
        for (const std::uint32_t t : among) {
            const std::uint32_t own = label[t];
            if (own == none) continue;
            float own_length = 0, most = 0, lengths[3] = {};
            std::uint32_t labels[3] = {none, none, none}, best = none;
            int own_edges = 0;
            for (std::uint32_t k = 0; k < 3; ++k) {
                const std::uint32_t c = 3 * t + k, o = graph.across[c];
                if (o == none) continue;
                labels[k] = label[o / 3];
                const float l =
                    length(graph.place[graph.corner[next_corner(c)]] - graph.place[graph.corner[c]]);
                if (labels[k] == own) {
                    ++own_edges;
                    own_length += graph.crease[c] ? 0 : l;
                } else if (!graph.crease[c]) {
                    lengths[k] = l;
                }
            }
            for (int k = 0; k < 3; ++k) {
                if (labels[k] == none || labels[k] == own) continue;
                float sum = 0;
                for (int m = 0; m < 3; ++m) sum += labels[m] == labels[k] ? lengths[m] : 0;
                if (sum > most) {
                    most = sum;
                    best = labels[k];
                }
            }
            if (best == none || own_edges > 1 || most <= own_length * 1.001f || !may_move(t, best)) continue;
            label[t] = best;
            any = true;
        }
        if (!any) break;
    }
}

}  // namespace stasigraph
