#include "chart/given_uv.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "chart/plane_grid.hpp"
#include "chart/raster.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t most_pairs = 1000;

std::string pair_text(std::uint32_t a, std::uint32_t b) {
    return "triangles " + std::to_string(std::min(a, b)) + " and " + std::to_string(std::max(a, b));
}

/// Numbers the pieces: triangles that share an edge in the world and in the UVs.
std::uint32_t find_pieces(const Mesh& mesh, const MeshGraph& graph, FlatCharts& charts) {
    std::vector<std::uint32_t> parent(graph.triangle_count());
    std::iota(parent.begin(), parent.end(), 0u);
    const auto find = [&](std::uint32_t n) {
        while (parent[n] != n) n = parent[n] = parent[parent[n]];
        return n;
    };
    const auto uv = [&](std::uint32_t c) { return mesh.uv1[mesh.indices[c]]; };
    for (std::uint32_t c = 0; c < graph.across.size(); ++c) {
        const std::uint32_t o = graph.across[c];
        if (o == none || uv(c) != uv(next_corner(o)) || uv(next_corner(c)) != uv(o)) continue;
        const std::uint32_t a = find(c / 3), b = find(o / 3);
        parent[std::max(a, b)] = std::min(a, b);
    }
    std::vector<std::uint32_t> number(parent.size(), none);
    std::uint32_t count = 0;
    for (std::uint32_t t = 0; t < parent.size(); ++t) {
        if (charts.chart[t] == none) continue;
        const std::uint32_t root = find(t);
        if (number[root] == none) number[root] = count++;
        charts.chart[t] = number[root];
    }
    return count;
}

/// What the first two charts closer than the margin are, and how close; empty when all keep it.
std::string find_close_charts(const FlatCharts& charts, int width, int height, int margin,
                              std::uint32_t& triangle) {
    std::vector<std::uint32_t> owner(static_cast<std::size_t>(width) * height, none);
    const auto chart_at = [&](int x, int y) {
        return charts.chart[owner[static_cast<std::size_t>(y) * width + x]];
    };
    std::string found;
    for (std::uint32_t t = 0; t < charts.chart.size() && found.empty(); ++t) {
        if (charts.chart[t] == none) continue;
        for_touched(charts.flat[3 * t], charts.flat[3 * t + 1], charts.flat[3 * t + 2], [&](int x, int y) {
            if (x >= width || y >= height) return;
            std::uint32_t& o = owner[static_cast<std::size_t>(y) * width + x];
            if (o != none && charts.chart[o] != charts.chart[t] && found.empty()) {
                found = pair_text(o, t) + " of different charts share a texel";
                triangle = t;
            }
            o = t;
        });
    }
    for (int y = 0; y < height && found.empty(); ++y)
        for (int x = 0; x < width && found.empty(); ++x) {
            const std::uint32_t o = owner[static_cast<std::size_t>(y) * width + x];
            if (o == none) continue;
            // A gap of the margin that does not lie on the page's grid has a texel less of free ones.
            for (int gap = 1; gap < margin && found.empty(); ++gap)
                for (int d = -gap; d <= gap && found.empty(); ++d)
                    for (const auto& [dx, dy] : {std::pair{gap, d}, std::pair{d, gap}}) {
                        const int nx = x + dx, ny = y + dy;
                        if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
                        const std::uint32_t n = owner[static_cast<std::size_t>(ny) * width + nx];
                        if (n == none || chart_at(nx, ny) == chart_at(x, y)) continue;
                        triangle = o;
                        found = pair_text(o, n) + " of different charts are " + std::to_string(gap - 1) +
                                " free texels apart where the margin is " + std::to_string(margin);
                        break;
                    }
        }
    return found;
}

}  // namespace

namespace {

/// Whether all lie in the unit square.
bool lie_inside(const Mesh& mesh, GivenUv& given) {
    std::size_t outside = 0, first_outside = 0;
    for (std::size_t i = 0; i < mesh.uv1.size(); ++i) {
        const Vec2 p = mesh.uv1[i];
        if (p.x >= 0 && p.x <= 1 && p.y >= 0 && p.y <= 1) continue;
        if (outside++ == 0) first_outside = i;
    }
    if (outside == 0) return true;
    given.fault = "vertex " + std::to_string(first_outside) + " lies outside the unit square" +
                  (outside > 1 ? ", and " + std::to_string(outside - 1) + " more" : "");
    const auto corner = std::find(mesh.indices.begin(), mesh.indices.end(), first_outside);
    given.flaw = UvFlaw::range;
    if (corner != mesh.indices.end())
        given.triangle = static_cast<std::uint32_t>(corner - mesh.indices.begin()) / 3;
    return false;
}

/// Areas in the world and in the unit square.
struct UvAreas {
    double area = 0, uv_area = 0;
};

/// Puts all triangles with an area into one chart. Whether each that has one in the world has one there.
bool have_areas(const Mesh& mesh, const MeshGraph& graph, GivenUv& given, UvAreas& areas) {
    std::vector<std::uint32_t>& chart = given.charts.chart;
    chart.assign(graph.triangle_count(), none);
    std::size_t empty = 0, first_empty = 0;
    for (std::uint32_t t = 0; t < chart.size(); ++t) {
        const Vec2 a = mesh.uv1[mesh.indices[3 * t]], b = mesh.uv1[mesh.indices[3 * t + 1]],
                   c = mesh.uv1[mesh.indices[3 * t + 2]];
        const double twice = std::abs(static_cast<double>(cross(b - a, c - a)));
        if (twice <= 0 && graph.area[t] > 0 && empty++ == 0) first_empty = t;
        if (twice > 0 && graph.area[t] > 0) chart[t] = 0;
        areas.uv_area += twice / 2;
        areas.area += static_cast<double>(graph.area[t]);
    }
    if (empty == 0 && areas.uv_area > 0) return true;
    given.fault = areas.uv_area > 0
                      ? "triangle " + std::to_string(first_empty) + " has no area in it" +
                            (empty > 1 ? ", nor have " + std::to_string(empty - 1) + " more" : "")
                      : "it has no area";
    given.flaw = UvFlaw::range;
    given.triangle = static_cast<std::uint32_t>(first_empty);
    return false;
}

/// How much wider than high the square wants to be, by mean lengths of u and v in the world; the root of it.
double stretch_of(const Mesh& mesh, const MeshGraph& graph, const std::vector<std::uint32_t>& chart) {
    double along_u = 0, along_v = 0;
    for (std::uint32_t t = 0; t < chart.size(); ++t) {
        if (chart[t] == none) continue;
        const Vec2 uv = mesh.uv1[mesh.indices[3 * t]], p = mesh.uv1[mesh.indices[3 * t + 1]] - uv,
                   q = mesh.uv1[mesh.indices[3 * t + 2]] - uv;
        const Vec3 at = graph.place[graph.corner[3 * t]], e = graph.place[graph.corner[3 * t + 1]] - at,
                   f = graph.place[graph.corner[3 * t + 2]] - at;
        const float over = 1 / cross(p, q);
        const Vec3 du = (e * q.y - f * p.y) * over, dv = (f * p.x - e * q.x) * over;
        along_u += static_cast<double>(graph.area[t] * dot(du, du));
        along_v += static_cast<double>(graph.area[t] * dot(dv, dv));
    }
    const double stretch = along_v > 0 && along_u > 0 ? std::sqrt(std::sqrt(along_u / along_v)) : 1;
    return std::abs(stretch - 1) < 0.02 ? 1 : stretch;  // meant to be square
}

/// Whether no two triangles overlap.
bool lie_apart(GivenUv& given) {
    const FlatCharts& charts = given.charts;
    std::vector<Vec2> corners;
    std::vector<std::uint32_t> triangle;
    for (std::uint32_t t = 0; t < charts.chart.size(); ++t) {
        if (charts.chart[t] == none) continue;
        corners.insert(corners.end(), &charts.flat[3 * t], &charts.flat[3 * t] + 3);
        triangle.push_back(t);
    }
    const auto overlaps = find_overlaps(corners, 0.02f, most_pairs);
    if (overlaps.empty()) return true;
    given.flaw = UvFlaw::overlap;
    given.triangle = triangle[overlaps[0].second];
    given.warning = pair_text(triangle[overlaps[0].first], triangle[overlaps[0].second]) + " overlap in it";
    if (overlaps.size() > 1)
        given.warning += ", and " + std::to_string(overlaps.size() - 1) +
                         (overlaps.size() == most_pairs ? " pairs or more" : " more pairs");
    return false;
}

}  // namespace

GivenUv judge_given_uv(const Mesh& mesh, const MeshGraph& graph, int margin, int limit) {
    GivenUv given;
    FlatCharts& charts = given.charts;
    charts.chart.assign(graph.triangle_count(), none);
    UvAreas areas;
    if (!lie_inside(mesh, given) || !have_areas(mesh, graph, given, areas)) return given;
    const double stretch = stretch_of(mesh, graph, charts.chart),
                 size =
                     std::min(std::sqrt(areas.area / areas.uv_area), limit / std::max(stretch, 1 / stretch));
    const auto lay_out = [&](double by) {
        given.width = std::clamp(static_cast<int>(std::ceil(size * stretch * by - 1e-3)), 1, limit);
        given.height = std::clamp(static_cast<int>(std::ceil(size / stretch * by - 1e-3)), 1, limit);
        const auto sx = static_cast<float>(given.width), sy = static_cast<float>(given.height);
        for (std::size_t c = 0; c < charts.flat.size(); ++c)
            charts.flat[c] = on_uv_grid({mesh.uv1[mesh.indices[c]].x * sx, mesh.uv1[mesh.indices[c]].y * sy});
    };
    charts.flat.resize(mesh.indices.size());
    lay_out(1);
    charts.vertex = mesh.indices;
    charts.stretch.resize(find_pieces(mesh, graph, charts));
    if (!lie_apart(given)) return given;
    // UVs made for this margin at a slightly other size: a little more density keeps it.
    for (const double by : {1.0, 1.03, 1.06, 1.09}) {
        lay_out(by);
        given.warning = find_close_charts(charts, given.width, given.height, margin, given.triangle);
        if (given.warning.empty()) break;
    }
    if (!given.warning.empty()) given.flaw = UvFlaw::margin;
    return given;
}

std::vector<std::pair<std::uint32_t, std::uint32_t>> find_overlaps(const std::vector<Vec2>& corners,
                                                                   float slack, std::size_t most) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> found;
    if (corners.empty()) return found;
    Vec2 low = corners[0], high = corners[0];
    for (Vec2 p : corners) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    PlaneGrid grid(low, high, corners.size() / 3, slack);
    for (std::uint32_t t = 0; 3 * t + 2 < corners.size() && found.size() < most; ++t) {
        PlaneTriangle triangle{corners[3 * t], corners[3 * t + 1], corners[3 * t + 2]};
        const std::uint32_t other = grid.first_overlap(triangle);
        if (other != none) found.push_back({other, t});
        grid.add(triangle);
    }
    return found;
}

}  // namespace stasigraph
