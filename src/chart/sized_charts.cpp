#include "chart/sized_charts.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <unordered_map>

#include "chart/flatten.hpp"

namespace stasigraph {

namespace {

/// Stretch of every chart as it lies on the page, against the density the chart is meant to have.
/// Texels.
constexpr float thinnest = 1.0f / 500;

void measure_charts(const Unfolded& unfolded, const std::vector<float>& share, Layout& layout) {
    std::vector<Patch> patches(layout.charts.size());
    std::vector<std::vector<Vec2>> flat(layout.charts.size());
    for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
        const std::uint32_t c = layout.chart[t];
        if (c == none) continue;
        const float size = share[unfolded.given() ? 0 : c];
        // Slivers are wherever the grid of UVs puts them; nobody sees how they are stretched.
        const auto place = [&](std::uint32_t k) {
            return unfolded.graph.place[unfolded.graph.corner[3 * t + k]] * size;
        };
        const Vec3 e = place(1) - place(0), f = place(2) - place(0);
        if (length(cross(e, f)) < thinnest * std::max({length(e), length(f), length(f - e)})) continue;
        Patch& patch = patches[c];
        const auto first = static_cast<std::uint32_t>(patch.place.size());
        patch.faces.push_back({first, first + 1, first + 2});
        // UVs that came along may be mirrored; that is no stretch.
        const Vec2 a = layout.uv[layout.indices[3 * t]], b = layout.uv[layout.indices[3 * t + 1]],
                   d = layout.uv[layout.indices[3 * t + 2]];
        const bool mirrored = cross(b - a, d - a) < 0;
        for (std::uint32_t k = 0; k < 3; ++k) {
            patch.place.push_back(unfolded.graph.place[unfolded.graph.corner[3 * t + k]] * size);
            const Vec2 p = layout.uv[layout.indices[3 * t + k]];
            flat[c].push_back(mirrored ? Vec2{-p.x, p.y} : p);
        }
    }
    for (std::size_t c = 0; c < patches.size(); ++c) {
        const FlatMeasure m = measure_flat(patches[c], flat[c]);
        layout.charts[c].worst_stretch = m.worst;
        layout.charts[c].mean_stretch = m.mean;
    }
}

}  // namespace

SizedCharts size_charts(const Unfolded& unfolded, const std::vector<float>& share, Job& job) {
    SizedCharts sized;
    const std::vector<std::uint32_t>& chart = unfolded.charts.chart;
    if (unfolded.given()) {
        const auto scaled = [&](int v) {
            return std::max(1, static_cast<int>(std::ceil(static_cast<float>(v) * share[0])));
        };
        const int w = scaled(unfolded.given_width), h = scaled(unfolded.given_height);
        const float sx = static_cast<float>(w) / static_cast<float>(unfolded.given_width),
                    sy = static_cast<float>(h) / static_cast<float>(unfolded.given_height);
        for (const Vec2 p : unfolded.charts.flat)
            sized.aligned.uv.push_back(on_uv_grid({p.x * sx, p.y * sy}));
        sized.aligned.size = {{w, h}};
        sized.masks = {Mask(w, h)};
    } else {
        sized.aligned = align_charts(unfolded.graph, unfolded.charts, share, job);
        for (const auto& s : sized.aligned.size) sized.masks.emplace_back(s.width, s.height);
    }
    for (std::uint32_t t = 0; t < chart.size(); ++t) {
        if (chart[t] == none) continue;
        const std::size_t m = unfolded.given() ? 0 : chart[t];
        Mask& mask = sized.masks[m];
        for_touched(sized.aligned.uv[3 * t], sized.aligned.uv[3 * t + 1], sized.aligned.uv[3 * t + 2],
                    [&](int x, int y) {
                        if (x < mask.width && y < mask.height) mask.set(x, y);
                    });
    }
    // A chart too thin to touch anything on the grid still has a place.
    for (Mask& mask : sized.masks)
        if (mask.count() == 0) mask.set(0, 0);
    return sized;
}

namespace {

/// What is covered and seen after all, through a crack or as one of two faces in one place, shows the light
/// of the rim beside it: all of a covered triangle lies at one place of the page, where an open one that
/// faces the same way has a corner of it.
void lend_light(const Mesh& mesh, Layout& layout) {
    if (mesh.covered.empty()) return;
    std::map<std::array<float, 3>, std::vector<std::uint32_t>> open;  // places, corners of open triangles
    const auto place = [&](std::size_t c) {
        const Vec3 p = mesh.positions[mesh.indices[c]];
        return std::array{p.x, p.y, p.z};
    };
    const auto normal = [&](std::size_t t) {
        const Vec3 a = mesh.positions[mesh.indices[3 * t]], b = mesh.positions[mesh.indices[3 * t + 1]],
                   c = mesh.positions[mesh.indices[3 * t + 2]];
        return normalize(cross(b - a, c - a));
    };
    std::uint32_t any = none;
    for (std::uint32_t c = 0; c < mesh.indices.size(); ++c)
        if (layout.chart[c / 3] != none) {
            open[place(c)].push_back(c);
            any = std::min(any, c);
        }
    if (any == none) return;
    for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
        if (!mesh.is_covered(t)) continue;
        std::uint32_t best = any;
        float alike = -2;
        for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c)
            if (const auto at = open.find(place(c)); at != open.end())
                for (const std::uint32_t o : at->second)
                    if (const float d = dot(normal(t), normal(o / 3)); d > alike) {
                        alike = d;
                        best = o;
                    }
        // A little inside of the open triangle, so that it reads a texel of its own.
        const std::uint32_t* k = &layout.indices[best / 3 * 3];
        const Vec2 middle = (layout.uv[k[0]] + layout.uv[k[1]] + layout.uv[k[2]]) * (1.0f / 3);
        const Vec2 corner = layout.uv[layout.indices[best]], in = middle - corner;
        const float l = length(in);
        const Vec2 at = on_uv_grid(corner + in * std::min(1.0f, 0.7f / std::max(l, 0.7f)));
        for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c) layout.uv[layout.indices[c]] = at;
    }
}

/// UVs that came along, as they are.
void lay_given(const Mesh& mesh, const SizedCharts& sized, Layout& layout) {
    layout.indices = mesh.indices;
    layout.source.resize(mesh.uv1.size());
    std::iota(layout.source.begin(), layout.source.end(), 0u);
    for (const Vec2 p : mesh.uv1)
        layout.uv.push_back(on_uv_grid({p.x * static_cast<float>(sized.aligned.size[0].width),
                                        p.y * static_cast<float>(sized.aligned.size[0].height)}));
}

/// A corner of a chart, turned and moved as the chart is.
Vec2 placed_corner(const SizedCharts& sized, std::uint32_t corner, std::uint32_t chart, const Placed& place,
                   const Placed& origin) {
    Vec2 p = sized.aligned.uv[corner];
    auto w = static_cast<float>(sized.aligned.size[chart].width),
         h = static_cast<float>(sized.aligned.size[chart].height);
    for (int t = 0; t < place.turns; ++t) {
        p = {h - p.y, p.x};
        std::swap(w, h);
    }
    return p + Vec2{static_cast<float>(place.x - origin.x), static_cast<float>(place.y - origin.y)};
}

/// Charts of our own: corners that share vertex and chart share one here.
void lay_charts(const Mesh& mesh, const PlacedCharts& charts, const Placed& origin, Layout& layout) {
    layout.indices.resize(mesh.indices.size());
    std::unordered_map<std::uint64_t, std::uint32_t> vertices;
    for (std::uint32_t c = 0; c < mesh.indices.size(); ++c) {
        const std::uint32_t chart = layout.chart[c / 3];
        // Triangles without area keep their vertices, all at one place; so does each one that is covered.
        const std::uint64_t key =
            chart == none
                ? static_cast<std::uint64_t>(none) << 32 |
                      (mesh.is_covered(c / 3) ? none - c : mesh.indices[c])
                : static_cast<std::uint64_t>(charts.unfolded.charts.vertex[c]) << 32 | mesh.indices[c];
        const auto [at, fresh] = vertices.try_emplace(key, static_cast<std::uint32_t>(layout.source.size()));
        layout.indices[c] = at->second;
        if (!fresh) continue;
        layout.source.push_back(mesh.indices[c]);
        layout.uv.push_back(
            chart == none ? Vec2{} : placed_corner(charts.sized, c, chart, charts.places[chart], origin));
    }
    lend_light(mesh, layout);
}

/// Rectangles of charts, and the layout's own.
void bound_charts(const std::vector<float>& share, Layout& layout) {
    std::vector<Vec2> low(layout.charts.size(), {1e9f, 1e9f}), high(layout.charts.size(), {0, 0});
    for (std::uint32_t c = 0; c < layout.indices.size(); ++c) {
        const std::uint32_t chart = layout.chart[c / 3];
        if (chart == none) continue;
        const Vec2 p = layout.uv[layout.indices[c]];
        low[chart] = {std::min(low[chart].x, p.x), std::min(low[chart].y, p.y)};
        high[chart] = {std::max(high[chart].x, p.x), std::max(high[chart].y, p.y)};
    }
    layout.width = layout.height = 1;
    for (std::size_t i = 0; i < layout.charts.size(); ++i) {
        Chart& chart = layout.charts[i];
        chart.x = static_cast<int>(low[i].x);
        chart.y = static_cast<int>(low[i].y);
        chart.width = std::max(1, static_cast<int>(std::ceil(high[i].x)) - chart.x);
        chart.height = std::max(1, static_cast<int>(std::ceil(high[i].y)) - chart.y);
        chart.share = share[layout.given ? 0 : i];
        layout.width = std::max(layout.width, chart.x + chart.width);
        layout.height = std::max(layout.height, chart.y + chart.height);
    }
}

}  // namespace

Layout make_layout(const Mesh& mesh, const PlacedCharts& charts, Placed& origin) {
    const auto& [unfolded, sized, places, share] = charts;
    Layout layout;
    layout.mesh = unfolded.mesh;
    layout.given = unfolded.given();
    layout.chart = unfolded.charts.chart;
    layout.charts.resize(unfolded.charts.count());
    origin = places.empty() ? Placed{} : places[0];
    for (const Placed& p : places) {
        origin.x = std::min(origin.x, p.x);
        origin.y = std::min(origin.y, p.y);
    }
    if (layout.given)
        lay_given(mesh, sized, layout);
    else
        lay_charts(mesh, charts, origin, layout);
    bound_charts(share, layout);
    if (layout.given) {
        layout.width = sized.aligned.size[0].width;
        layout.height = sized.aligned.size[0].height;
    }
    measure_charts(unfolded, share, layout);
    return layout;
}

Mask layout_mask(const Layout& layout) {
    Mask mask(layout.width, layout.height);
    for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
        if (layout.chart[t] == none) continue;
        for_touched(layout.uv[layout.indices[3 * t]], layout.uv[layout.indices[3 * t + 1]],
                    layout.uv[layout.indices[3 * t + 2]], [&](int x, int y) {
                        if (x < mask.width && y < mask.height) mask.set(x, y);
                    });
    }
    return mask;
}

}  // namespace stasigraph
