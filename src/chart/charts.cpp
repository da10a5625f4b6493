#include "chart/charts.hpp"

#include <algorithm>
#include <map>

#include "chart/join.hpp"
#include "chart/segment.hpp"

namespace stasigraph {

namespace {

/// Charts under one region of the tree: the region itself, or what its two halves become.
std::vector<LooseChart> lay_region(const MeshGraph& graph, const RegionTree& tree, std::uint32_t root,
                                   float max_stretch) {
    std::vector<LooseChart> done;
    std::vector<std::uint32_t> open{root};
    while (!open.empty()) {
        const std::uint32_t node = open.back();
        open.pop_back();
        const Patch patch = make_patch(graph, tree.triangles(node), [](std::uint32_t) { return true; });
        std::vector<Vec2> flat = flatten(patch);
        const FlatMeasure measure = measure_flat(patch, flat);
        const bool good = measure.turned_over == 0 && measure.worst <= max_stretch && lies_clear(patch, flat);
        if (!good && node >= tree.triangle_count) {
            open.push_back(tree.right[node - tree.triangle_count]);
            open.push_back(tree.left[node - tree.triangle_count]);
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

/// A region that is cut is cut along the edges between its parts: those inside a part hold.
LooseCharts cut_regions(const MeshGraph& graph, const ChartLimits& limits, Job& job) {
    const RegionTree tree = find_regions(graph);
    std::vector<std::vector<LooseChart>> parts(tree.roots.size());
    job.parallel(parts.size(), 1, [&](std::size_t i, std::size_t) {
        parts[i] = lay_region(graph, tree, tree.roots[i], limits.max_stretch);
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
