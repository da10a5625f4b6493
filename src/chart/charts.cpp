#include "chart/charts.hpp"

#include <algorithm>
#include <array>

#include "chart/join.hpp"
#include "chart/segment.hpp"

namespace stasigraph {

namespace {

/// A region after its border was straightened: most triangles are those of a node of the tree.
struct RegionCharts {
    std::uint32_t node;
    std::vector<std::uint32_t> triangles;  ///< Ascending.
};

/// Splits a region as its node splits. Triangles that came from elsewhere go with a neighbour.
std::array<RegionCharts, 2> split(const MeshGraph& graph, const RegionTree& tree,
                                  const RegionCharts& region) {
    const std::uint32_t node = region.node - static_cast<std::uint32_t>(tree.triangle_count);
    std::array<RegionCharts, 2> halves{RegionCharts{tree.left[node], {}}, RegionCharts{tree.right[node], {}}};
    const std::vector<std::uint32_t> left = tree.triangles(tree.left[node]),
                                     right = tree.triangles(tree.right[node]);
    const auto in = [](const std::vector<std::uint32_t>& list, std::uint32_t t) {
        return std::binary_search(list.begin(), list.end(), t);
    };
    std::vector<std::uint8_t> side(region.triangles.size(), 2);
    for (std::size_t i = 0; i < side.size(); ++i) {
        const std::uint32_t t = region.triangles[i];
        side[i] = in(left, t) ? 0 : in(right, t) ? 1 : 2;
    }
    const auto side_of = [&](std::uint32_t t) -> std::uint8_t {
        const auto at = std::lower_bound(region.triangles.begin(), region.triangles.end(), t);
        return at != region.triangles.end() && *at == t
                   ? side[static_cast<std::size_t>(at - region.triangles.begin())]
                   : std::uint8_t{2};
    };
    for (bool any = true; any;) {
        any = false;
        for (std::size_t i = 0; i < side.size(); ++i)
            for (std::uint32_t c = 3 * region.triangles[i]; side[i] == 2 && c < 3 * region.triangles[i] + 3;
                 ++c)
                if (graph.across[c] != none && side_of(graph.across[c] / 3) != 2) {
                    side[i] = side_of(graph.across[c] / 3);
                    any = true;
                }
    }
    for (std::size_t i = 0; i < side.size(); ++i)
        halves[side[i] % 2].triangles.push_back(region.triangles[i]);
    return halves;
}

/// Charts of one region: itself, or what its two halves become.
std::vector<LooseChart> lay_region(const MeshGraph& graph, const RegionTree& tree, RegionCharts whole,
                                   float stretch_limit) {
    std::vector<LooseChart> done;
    std::vector<RegionCharts> open;
    open.push_back(std::move(whole));
    while (!open.empty()) {
        const RegionCharts region = std::move(open.back());
        open.pop_back();
        if (region.triangles.empty()) continue;
        const Patch patch = make_patch(graph, region.triangles, [](std::uint32_t) { return true; });
        std::vector<Vec2> flat = flatten(patch);
        const FlatMeasure measure = measure_flat(patch, flat);
        const bool good =
            measure.turned_over == 0 && measure.worst <= stretch_limit && lies_clear(patch, flat);
        if (!good && region.triangles.size() > 1) {
            if (region.node >= tree.triangle_count) {
                auto [left, right] = split(graph, tree, region);
                open.push_back(std::move(right));
                open.push_back(std::move(left));
            } else {
                // A single triangle of the tree that others have joined: all go their own ways.
                for (auto t = region.triangles.rbegin(); t != region.triangles.rend(); ++t)
                    open.push_back({*t, {*t}});
            }
            continue;
        }
        LooseChart& chart = done.emplace_back();
        chart.triangles = patch.triangles;
        for (const auto& f : patch.faces)
            for (const std::uint32_t v : f) chart.flat.push_back(flat[v]);
        chart.measure = measure;
    }
    return done;
}

/// Cosine of the widest angle between a region's mean normal and a triangle that straightening gives it.
constexpr float widest_straightened = 0.6f;

std::vector<RegionCharts> straightened_regions(const MeshGraph& graph, const RegionTree& tree) {
    std::vector<std::uint32_t> label(graph.triangle_count(), none), all;
    std::vector<Vec3> mean(tree.roots.size());
    for (std::uint32_t r = 0; r < tree.roots.size(); ++r) {
        for (const std::uint32_t t : tree.triangles(tree.roots[r])) {
            label[t] = r;
            mean[r] = mean[r] + graph.smooth[t] * graph.area[t];
        }
        mean[r] = normalize(mean[r]);
    }
    for (std::uint32_t t = 0; t < label.size(); ++t)
        if (label[t] != none) all.push_back(t);
    straighten_borders(
        graph, all,
        [&](std::uint32_t t, std::uint32_t to) {
            return dot(mean[to], graph.smooth[t]) > widest_straightened;
        },
        label);
    std::vector<RegionCharts> regions;
    for (const std::uint32_t root : tree.roots) regions.push_back({root, {}});
    for (const std::uint32_t t : all) regions[label[t]].triangles.push_back(t);
    return regions;
}

/// A region that is cut is cut along the edges between its parts: those inside a part hold.
LooseCharts cut_regions(const MeshGraph& graph, const ChartLimits& limits, Job& job) {
    const RegionTree tree = find_regions(graph);
    std::vector<RegionCharts> regions = straightened_regions(graph, tree);
    std::vector<std::vector<LooseChart>> parts(regions.size());
    job.parallel(parts.size(), 1, [&](std::size_t i, std::size_t) {
        parts[i] = lay_region(graph, tree, std::move(regions[i]), limits.stretch_limit);
    });
    LooseCharts loose;
    loose.chart_of.assign(graph.triangle_count(), none);
    for (auto& list : parts)
        for (LooseChart& chart : list) {
            for (const std::uint32_t t : chart.triangles)
                loose.chart_of[t] = static_cast<std::uint32_t>(loose.charts.size());
            describe(graph, chart);
            loose.charts.push_back(std::move(chart));
        }
    loose.holds.assign(graph.corner.size(), 0);
    for (std::uint32_t c = 0; c < graph.corner.size(); ++c) {
        const std::uint32_t o = graph.across[c];
        loose.holds[c] =
            o != none && loose.chart_of[c / 3] != none && loose.chart_of[c / 3] == loose.chart_of[o / 3];
    }
    return loose;
}

}  // namespace

FlatCharts cut_charts(const MeshGraph& graph, const ChartLimits& limits, Job& job) {
    LooseCharts loose = cut_regions(graph, limits, job);
    join_charts(graph, limits, loose, job);

    FlatCharts charts;
    charts.chart.assign(graph.triangle_count(), none);
    charts.flat.resize(graph.corner.size());
    charts.vertex.assign(graph.corner.size(), none);
    std::vector<std::uint32_t> order;
    for (std::uint32_t t = 0; t < loose.chart_of.size(); ++t) {
        const std::uint32_t c = loose.chart_of[t];
        if (c != none && loose.charts[c].triangles.front() == t) order.push_back(c);
    }
    charts.stretch.resize(order.size());
    std::vector<std::uint32_t> vertices(order.size() + 1, 0);
    const auto patch_of = [&](std::size_t i) {
        return make_patch(graph, loose.charts[order[i]].triangles,
                          [&](std::uint32_t c) { return loose.holds[c] != 0; });
    };
    job.parallel(order.size(), 1, [&](std::size_t i, std::size_t) {
        const Patch patch = patch_of(i);
        const LooseChart& chart = loose.charts[order[i]];
        std::vector<Vec2> flat(patch.place.size());
        for (std::size_t f = 0; f < patch.faces.size(); ++f)
            for (std::size_t k = 0; k < 3; ++k) flat[patch.faces[f][k]] = chart.flat[3 * f + k];
        scale_to_area(patch, flat);
        const FlatMeasure m = measure_flat(patch, flat);
        charts.stretch[i] = {m.worst, m.mean};
        vertices[i + 1] = static_cast<std::uint32_t>(patch.place.size());
        for (std::size_t f = 0; f < patch.faces.size(); ++f) {
            const std::size_t t = patch.triangles[f];
            charts.chart[t] = static_cast<std::uint32_t>(i);
            for (std::size_t k = 0; k < 3; ++k) {
                charts.flat[3 * t + k] = flat[patch.faces[f][k]];
                charts.vertex[3 * t + k] = patch.faces[f][k];
            }
        }
    });
    for (std::size_t i = 0; i < order.size(); ++i) vertices[i + 1] += vertices[i];
    for (std::size_t c = 0; c < charts.vertex.size(); ++c)
        if (charts.chart[c / 3] != none) charts.vertex[c] += vertices[charts.chart[c / 3]];
    return charts;
}

}  // namespace stasigraph
