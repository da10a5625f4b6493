#include "chart/cut.hpp"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "chart/segment.hpp"

namespace stasigraph {

namespace {

/// A piece that a cut leaves behind goes to the other side when it is smaller than this share of the chart.
constexpr double least_share = 0.1;

struct Piece {
    std::uint32_t chart;
    std::vector<std::uint32_t> triangles;  ///< Ascending.
};

class Cutter {
public:
    Cutter(const MeshGraph& graph, const FlatCharts& charts, const CutLimits& limits)
        : graph_(graph), charts_(charts), limits_(limits), side_(graph.triangle_count(), none) {}

    /// The pieces a chart falls into, in the order of their lowest triangles.
    void cut(Piece whole, std::vector<Piece>& done) {
        std::vector<Piece> open;
        open.push_back(std::move(whole));
        while (!open.empty()) {
            Piece piece = std::move(open.back());
            open.pop_back();
            if (!too_large(piece) || !halve(piece, open)) done.push_back(std::move(piece));
        }
    }

private:
    Vec2 middle(std::uint32_t t) const {
        return (charts_.flat[3 * t] + charts_.flat[3 * t + 1] + charts_.flat[3 * t + 2]) * (1.0f / 3);
    }

    struct Shape {
        double area = 0, x = 0, y = 0, axis_x = 1, axis_y = 0;
    };
    /// Area, middle and longer axis (the larger eigenvector of the second moments).
    Shape shape(const Piece& piece) const {
        Shape s;
        double xx = 0, xy = 0, yy = 0;
        for (const std::uint32_t t : piece.triangles) {
            const auto a = static_cast<double>(graph_.area[t]);
            const Vec2 m = middle(t);
            const auto x = static_cast<double>(m.x), y = static_cast<double>(m.y);
            s.area += a;
            s.x += a * x;
            s.y += a * y;
            xx += a * x * x;
            xy += a * x * y;
            yy += a * y * y;
        }
        s.x /= s.area;
        s.y /= s.area;
        xx = xx / s.area - s.x * s.x;
        xy = xy / s.area - s.x * s.y;
        yy = yy / s.area - s.y * s.y;
        const double angle = 0.5 * std::atan2(2 * xy, xx - yy);
        s.axis_x = std::cos(angle);
        s.axis_y = std::sin(angle);
        return s;
    }

    bool too_large(const Piece& piece) const {
        if (piece.triangles.size() < 2) return false;
        const Shape s = shape(piece);
        if (s.area > limits_.most_area) return true;
        if (s.area <= limits_.judged_area) return false;
        double low[2] = {1e30, 1e30}, high[2] = {-1e30, -1e30};
        for (const std::uint32_t t : piece.triangles)
            for (std::size_t c = 3 * std::size_t{t}; c < 3 * std::size_t{t} + 3; ++c) {
                const auto x = static_cast<double>(charts_.flat[c].x),
                           y = static_cast<double>(charts_.flat[c].y);
                const double p[2] = {x * s.axis_x + y * s.axis_y, y * s.axis_x - x * s.axis_y};
                for (int k = 0; k < 2; ++k) {
                    low[k] = std::min(low[k], p[k]);
                    high[k] = std::max(high[k], p[k]);
                }
            }
        return s.area < limits_.least_fill * (high[0] - low[0]) * (high[1] - low[1]);
    }

    /// Numbers the parts of one side that hang together; their areas.
    std::vector<double> parts(const Piece& piece, std::vector<std::uint32_t>& part) {
        std::vector<double> areas;
        part.assign(piece.triangles.size(), none);
        const auto local = [&](std::uint32_t t) {
            return static_cast<std::size_t>(
                std::lower_bound(piece.triangles.begin(), piece.triangles.end(), t) -
                piece.triangles.begin());
        };
        std::vector<std::uint32_t> open;
        for (std::size_t i = 0; i < part.size(); ++i) {
            if (part[i] != none) continue;
            const auto number = static_cast<std::uint32_t>(areas.size());
            areas.push_back(0);
            part[i] = number;
            open.push_back(piece.triangles[i]);
            while (!open.empty()) {
                const std::uint32_t t = open.back();
                open.pop_back();
                areas.back() += static_cast<double>(graph_.area[t]);
                for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c) {
                    const std::uint32_t o = graph_.across[c];
                    if (o == none || side_[o / 3] != side_[t] ||
                        charts_.vertex[c] != charts_.vertex[next_corner(o)] ||
                        charts_.vertex[next_corner(c)] != charts_.vertex[o])
                        continue;
                    std::uint32_t& p = part[local(o / 3)];
                    if (p != none) continue;
                    p = number;
                    open.push_back(o / 3);
                }
            }
        }
        return areas;
    }

    bool halve(const Piece& piece, std::vector<Piece>& out) {
        const Shape s = shape(piece);
        for (const std::uint32_t t : piece.triangles) {
            const Vec2 m = middle(t);
            side_[t] =
                (static_cast<double>(m.x) - s.x) * s.axis_x + (static_cast<double>(m.y) - s.y) * s.axis_y < 0
                    ? 0
                    : 1;
        }
        straighten_borders(
            graph_, piece.triangles, [](std::uint32_t, std::uint32_t) { return true; }, side_);
        std::vector<std::uint32_t> part;
        std::vector<double> areas = parts(piece, part);
        // Splinters change sides; what is still in more parts stays so.
        for (std::size_t i = 0; i < part.size(); ++i)
            if (areas[part[i]] < least_share * s.area) side_[piece.triangles[i]] ^= 1;
        areas = parts(piece, part);
        for (const std::uint32_t t : piece.triangles) side_[t] = none;
        if (areas.size() < 2) return false;
        std::vector<Piece> pieces(areas.size(), Piece{piece.chart, {}});
        for (std::size_t i = 0; i < part.size(); ++i) pieces[part[i]].triangles.push_back(piece.triangles[i]);
        for (Piece& p : pieces) out.push_back(std::move(p));
        return true;
    }

    const MeshGraph& graph_;
    const FlatCharts& charts_;
    const CutLimits& limits_;
    std::vector<std::uint32_t> side_;  ///< Of the triangles of the piece that is being halved.
};

}  // namespace

FlatCharts cut_large_charts(const MeshGraph& graph, const FlatCharts& charts, const CutLimits& limits,
                            std::vector<std::uint32_t>& parent) {
    std::vector<Piece> whole(charts.count());
    for (std::uint32_t t = 0; t < charts.chart.size(); ++t)
        if (charts.chart[t] != none) {
            whole[charts.chart[t]].chart = charts.chart[t];
            whole[charts.chart[t]].triangles.push_back(t);
        }
    std::vector<Piece> pieces;
    Cutter cutter(graph, charts, limits);
    for (Piece& p : whole) cutter.cut(std::move(p), pieces);
    std::sort(pieces.begin(), pieces.end(),
              [](const Piece& a, const Piece& b) { return a.triangles.front() < b.triangles.front(); });
    FlatCharts out = charts;
    out.stretch.clear();
    parent.clear();
    std::unordered_map<std::uint64_t, std::uint32_t> vertices;
    for (const Piece& p : pieces) {
        const auto number = static_cast<std::uint32_t>(parent.size());
        parent.push_back(p.chart);
        out.stretch.push_back(charts.stretch[p.chart]);
        for (const std::uint32_t t : p.triangles) {
            out.chart[t] = number;
            for (std::size_t c = 3 * std::size_t{t}; c < 3 * std::size_t{t} + 3; ++c)
                out.vertex[c] = vertices
                                    .try_emplace(static_cast<std::uint64_t>(number) << 32 | charts.vertex[c],
                                                 static_cast<std::uint32_t>(vertices.size()))
                                    .first->second;
        }
    }
    return out;
}

}  // namespace stasigraph
