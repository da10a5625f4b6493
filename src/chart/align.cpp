#include "chart/align.hpp"

#include <algorithm>
#include <cmath>

#include "chart/raster.hpp"

namespace stasigraph {

namespace {

/// Share of a chart's borders and creases that must agree on a direction before the chart is turned by it.
constexpr float straight_share = 0.3f;

/// Largest change of a distance between two snapped lines. Texels elsewhere keep their true size.
constexpr float most_snap = 0.09f;

/// Shorter lines are not worth snapping. Texels.
constexpr float least_line = 3;

constexpr int direction_bins = 180;  // half degrees of a quarter turn

struct Edge {
    Vec2 a, b;
};

struct ChartEdges {
    std::vector<std::uint32_t> corners;  ///< All of the chart.
    std::vector<std::uint32_t> lines;    ///< Corners at which a border or crease starts.
};

std::vector<ChartEdges> collect(const MeshGraph& graph, const FlatCharts& charts) {
    std::vector<ChartEdges> list(charts.count());
    for (std::uint32_t c = 0; c < charts.flat.size(); ++c) {
        const std::uint32_t chart = charts.chart[c / 3];
        if (chart == none) continue;
        list[chart].corners.push_back(c);
        const std::uint32_t o = graph.across[c];
        const bool inside = o != none && charts.vertex[c] == charts.vertex[next_corner(o)] &&
                            charts.vertex[next_corner(c)] == charts.vertex[o];
        if (!inside || (graph.crease[c] && c < o)) list[chart].lines.push_back(c);
    }
    return list;
}

/// The angle in [0, pi/2) along which most of the lines run; negative when they do not agree.
float common_angle(const std::vector<Edge>& lines) {
    std::vector<float> bins(direction_bins, 0.0f);
    float total = 0;
    const auto angle_of = [](Vec2 d) {
        const float a = std::atan2(d.y, d.x);
        return a - std::floor(a / (pi / 2)) * (pi / 2);
    };
    for (const Edge& e : lines) {
        const float l = length(e.b - e.a);
        const int bin = static_cast<int>(angle_of(e.b - e.a) / (pi / 2) * direction_bins) % direction_bins;
        bins[bin] += l;
        total += l;
    }
    const auto around = [&](int bin) {
        float sum = 0;
        for (int d = -2; d <= 2; ++d) sum += bins[(bin + d + direction_bins) % direction_bins];
        return sum;
    };
    int best = 0;
    for (int b = 1; b < direction_bins; ++b)
        if (around(b) > around(best) * 1.0001f) best = b;
    if (!(around(best) > straight_share * total)) return -1;
    // The mean of the directions near the best bin, weighted by length.
    const float middle = (static_cast<float>(best) + 0.5f) / direction_bins * (pi / 2);
    double sum = 0, weight = 0;
    for (const Edge& e : lines) {
        float off = angle_of(e.b - e.a) - middle;
        off -= std::round(off / (pi / 2)) * (pi / 2);
        if (std::abs(off) > 3 * (pi / 2) / direction_bins) continue;
        const auto l = static_cast<double>(length(e.b - e.a));
        sum += static_cast<double>(off) * l;
        weight += l;
    }
    return middle + (weight > 0 ? static_cast<float>(sum / weight) : 0);
}

struct Box {
    Vec2 low{1e30f, 1e30f}, high{-1e30f, -1e30f};
    void add(Vec2 p) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
};

Vec2 turn(Vec2 p, float cosine, float sine) {
    return {cosine * p.x + sine * p.y, cosine * p.y - sine * p.x};
}

/// The angle of the smallest bounding rectangle, to a degree.
float tightest_angle(const std::vector<Edge>& lines) {
    float best = 0, best_area = 1e38f;
    for (int degree = 0; degree < 90; ++degree) {
        const float a = static_cast<float>(degree) * pi / 180, co = std::cos(a), si = std::sin(a);
        Box box;
        for (const Edge& e : lines) box.add(turn(e.a, co, si));
        const Vec2 size = box.high - box.low;
        if (size.x * size.y < best_area * 0.9999f) {
            best_area = size.x * size.y;
            best = a;
        }
    }
    return best;
}

/// Of a triangle's area, by moves of lines between a chart's ends: two moves of a tenth, and some rounding.
constexpr float most_bent = 0.35f;

/// A map of one axis that moves lines to whole texels and is linear between them.
class Snap {
public:
    /// `lines`: place and length, any order. The extent is [0, high]. `ends`: only what lies at its ends,
    /// which scales all evenly.
    Snap(std::vector<std::pair<float, float>> lines, float high, bool ends) {
        const auto at_end = [high](float at) { return at < 0.25f || at > high - 0.25f; };
        std::sort(lines.begin(), lines.end());
        std::vector<std::pair<float, float>> joined;  // length, place
        for (std::size_t i = 0; i < lines.size();) {
            float at = 0, sum = 0;
            const float first = lines[i].first;
            for (; i < lines.size() && lines[i].first - first < 0.25f; ++i) {
                at += lines[i].first * lines[i].second;
                sum += lines[i].second;
            }
            if (sum >= least_line) joined.push_back({sum, at / sum});
        }
        // Longest first; the ends of the chart before everything else.
        std::stable_sort(joined.begin(), joined.end(), [&](const auto& a, const auto& b) {
            const bool end_a = at_end(a.second), end_b = at_end(b.second);
            return end_a != end_b ? end_a : a.first > b.first;
        });
        for (const auto& [weight, at] : joined)
            if (!ends || at_end(at)) insert(at);
    }
    float operator()(float v) const {
        if (from_.empty()) return v;
        std::size_t i =
            static_cast<std::size_t>(std::upper_bound(from_.begin(), from_.end(), v) - from_.begin());
        if (i == 0) return v - from_[0] + to_[0];
        if (i == from_.size()) return v - from_.back() + to_.back();
        const float t = (v - from_[i - 1]) / (from_[i] - from_[i - 1]);
        return to_[i - 1] + t * (to_[i] - to_[i - 1]);
    }

private:
    void insert(float at) {
        const auto i = std::lower_bound(from_.begin(), from_.end(), at) - from_.begin();
        const auto fits = [&](float target, std::ptrdiff_t neighbour) {
            if (neighbour < 0 || neighbour >= static_cast<std::ptrdiff_t>(from_.size())) return true;
            const float was = std::abs(at - from_[neighbour]), is = std::abs(target - to_[neighbour]);
            const bool ordered = (at < from_[neighbour]) == (target < to_[neighbour]);
            return ordered && was > 0 && std::abs(is / was - 1) <= most_snap;
        };
        const float down = std::floor(at), up = down + 1, closest = at - down < 0.5f ? down : up;
        for (const float target : {closest, closest == down ? up : down})
            if (fits(target, i - 1) && fits(target, i)) {
                from_.insert(from_.begin() + i, at);
                to_.insert(to_.begin() + i, target);
                return;
            }
    }
    std::vector<float> from_, to_;
};

AlignedCharts::Size align(const FlatCharts& charts, const ChartEdges& edges, float scale,
                          std::vector<Vec2>& uv) {
    std::vector<Edge> lines;
    for (const std::uint32_t c : edges.lines)
        lines.push_back({charts.flat[c] * scale, charts.flat[next_corner(c)] * scale});
    const float common = common_angle(lines), angle = common >= 0 ? common : tightest_angle(lines);
    const float co = std::cos(angle), si = std::sin(angle);
    Box box;
    for (const std::uint32_t c : edges.corners) box.add(turn(charts.flat[c] * scale, co, si));
    std::vector<std::pair<float, float>> at_x, at_y;
    if (common >= 0)
        for (const Edge& e : lines) {
            const Vec2 a = turn(e.a, co, si) - box.low, b = turn(e.b, co, si) - box.low;
            const float dx = std::abs(b.x - a.x), dy = std::abs(b.y - a.y);
            if (dx < 0.02f + 0.01f * dy) at_x.push_back({(a.x + b.x) / 2, dy});
            if (dy < 0.02f + 0.01f * dx) at_y.push_back({(a.y + b.y) / 2, dx});
        }
    Box fitted;
    // Where lines between the ends are moved, a slanted edge bends: thin triangles along it could turn over.
    for (const bool ends : {false, true}) {
        const Snap x(at_x, box.high.x - box.low.x, ends), y(at_y, box.high.y - box.low.y, ends);
        fitted = {};
        bool bent = false;
        for (const std::uint32_t c : edges.corners) {
            const Vec2 p = turn(charts.flat[c] * scale, co, si) - box.low;
            uv[c] = on_uv_grid({x(p.x), y(p.y)});
            fitted.add(uv[c]);
        }
        for (const std::uint32_t c : edges.corners) {
            if (c % 3 != 0) continue;
            const float was =
                            cross(charts.flat[c + 1] - charts.flat[c], charts.flat[c + 2] - charts.flat[c]) *
                            scale * scale,
                        is = cross(uv[c + 1] - uv[c], uv[c + 2] - uv[c]);
            bent |= is < (1 - most_bent) * was || is > (1 + most_bent) * was;
        }
        if (!bent) break;
    }
    // A border that was moved below zero takes the chart with it by whole texels.
    const Vec2 shift{-std::floor(fitted.low.x), -std::floor(fitted.low.y)};
    for (const std::uint32_t c : edges.corners) uv[c] = uv[c] + shift;
    const auto texels = [](float v) { return std::max(1, static_cast<int>(std::ceil(v))); };
    return {texels(fitted.high.x + shift.x), texels(fitted.high.y + shift.y)};
}

}  // namespace

AlignedCharts align_charts(const MeshGraph& graph, const FlatCharts& charts, const std::vector<float>& scale,
                           Job& job) {
    AlignedCharts aligned;
    aligned.uv.resize(charts.flat.size());
    aligned.size.resize(charts.count());
    const std::vector<ChartEdges> edges = collect(graph, charts);
    job.parallel(edges.size(), 1, [&](std::size_t i, std::size_t) {
        aligned.size[i] = align(charts, edges[i], scale[i], aligned.uv);
    });
    return aligned;
}

}  // namespace stasigraph
