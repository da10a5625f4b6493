#include "parts/wall_lines.hpp"

#include <algorithm>
#include <array>
#include <cstdint>
#include <map>
#include <numeric>
#include <tuple>

namespace stasigraph {

namespace {

/// Doorways that are closed, and how far ends are drawn out, metres.
constexpr double doorway = 2.5;
/// What hangs together within this is a wall if it is so long, or shorter but thin. Furniture is neither:
/// texels under a crate are covered one by one, and on its two sides are more than a bilinear footprint
/// apart.
constexpr double long_enough = 1.5, thin_length = 0.4, thin = 0.25;
/// What goes across a surface from border to border parts it, as a lid does the narrow wall beside a door,
/// from this width on: posts and legs are narrower.
constexpr double across = 0.12;
/// Lines are one at less than this angle (cosine). Segments shorter than that say nothing.
constexpr double one_way = 0.9995, shortest = 0.002;

struct Box2 {
    Point2 low{1e30, 1e30}, high{-1e30, -1e30};
    void add(Point2 p) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
};

/// Joins segments of one facet on common lines, the longest first, so that short ones follow them.
std::vector<WallLine> joined(std::vector<MetSegment> met, double reach) {
    std::stable_sort(met.begin(), met.end(), [](const MetSegment& p, const MetSegment& q) {
        return length(p.b - p.a) > length(q.b - q.a);
    });
    struct Bundle {
        WallLine line;
        std::vector<std::array<double, 2>> pieces;
    };
    std::vector<Bundle> bundles;
    for (const MetSegment& s : met) {
        const double l = length(s.b - s.a);
        if (l < shortest) continue;
        const Point2 way = (s.b - s.a) * (1 / l);
        Bundle* own = nullptr;
        for (Bundle& g : bundles)
            if (std::abs(g.line.height(s.a)) < reach && std::abs(g.line.height(s.b)) < reach &&
                (std::abs(dot(g.line.along, way)) > one_way || l < 4 * reach)) {
                own = &g;
                break;
            }
        if (!own) {
            bundles.push_back({{s.facet, s.a, way, 0, l}, {}});
            own = &bundles.back();
        }
        const double p = own->line.place(s.a), q = own->line.place(s.b);
        own->pieces.push_back({std::min(p, q), std::max(p, q)});
    }
    std::vector<WallLine> lines;
    for (Bundle& g : bundles) {
        std::sort(g.pieces.begin(), g.pieces.end());
        for (std::size_t i = 0; i < g.pieces.size();) {
            auto [low, high] = g.pieces[i];
            for (++i; i < g.pieces.size() && g.pieces[i][0] <= high + 2 * reach; ++i)
                high = std::max(high, g.pieces[i][1]);
            g.line.low = low;
            g.line.high = high;
            lines.push_back(g.line);
        }
    }
    return lines;
}

/// Where a line is crossed by another, as a place on it; false where they run alike.
bool crossing(const WallLine& a, Point2 from, Point2 along, double& on_a, double& on_b) {
    const double turn = cross(a.along, along);
    if (std::abs(turn) < 0.03) return false;
    const Point2 way = from - a.from;
    on_a = cross(way, along) / turn;
    on_b = cross(way, a.along) / turn;
    return true;
}

bool touch(const WallLine& a, const WallLine& b, double reach) {
    double on_a = 0, on_b = 0;
    if (crossing(a, b.from, b.along, on_a, on_b))
        return on_a > a.low - reach && on_a < a.high + reach && on_b > b.low - reach && on_b < b.high + reach;
    // Alike: by their ends.
    for (const double s : {b.low, b.high}) {
        const Point2 p = b.at(s);
        if (std::abs(a.height(p)) < reach && a.place(p) > a.low - reach && a.place(p) < a.high + reach)
            return true;
    }
    return false;
}

/// Whether a line goes from border to border of its facet.
bool parts_facet(const FacetOutline& facet, const WallLine& line, double reach) {
    const auto at_border = [&](Point2 p) {
        return std::any_of(facet.border.begin(), facet.border.end(), [&](const std::array<Point2, 2>& e) {
            const Point2 way = e[1] - e[0];
            const double l = dot(way, way), s = l > 0 ? std::clamp(dot(p - e[0], way) / l, 0.0, 1.0) : 0;
            return length(p - (e[0] + way * s)) <= 2 * reach;
        });
    };
    return line.length() >= across && at_border(line.at(line.low)) && at_border(line.at(line.high));
}

/// Lines that hang together: where they touch; over a fold of a surface by their ends.
class LineHeaps {
public:
    LineHeaps(const std::vector<FacetOutline>& facets, const std::vector<WallLine>& lines, double reach)
        : facets_(facets), lines_(lines), cell_(2 * reach), root_(lines.size()) {
        std::iota(root_.begin(), root_.end(), 0u);
        join_in_facets();
        join_ends();
    }
    std::uint32_t find(std::uint32_t i) {
        while (root_[i] != i) i = root_[i] = root_[root_[i]];
        return i;
    }
    Point3 in_world(const WallLine& l, double s) const {
        const FlatFrame& f = facets_[l.facet].frame;
        const Point2 p = l.at(s);
        return f.origin + f.along * p.x + f.across * p.y;
    }

private:
    void join(std::uint32_t i, std::uint32_t k) {
        const std::uint32_t p = find(i), q = find(k);
        root_[std::max(p, q)] = std::min(p, q);
    }
    void join_in_facets() {
        for (std::uint32_t i = 0; i < lines_.size();) {
            std::uint32_t end = i;
            while (end < lines_.size() && lines_[end].facet == lines_[i].facet) ++end;
            for (std::uint32_t a = i; a < end; ++a)
                for (std::uint32_t b = a + 1; b < end; ++b)
                    if (touch(lines_[a], lines_[b], cell_) || touch(lines_[b], lines_[a], cell_)) join(a, b);
            i = end;
        }
    }
    void join_ends() {
        std::map<std::tuple<std::int64_t, std::int64_t, std::int64_t>, std::vector<std::uint32_t>> ends;
        const auto cell_of = [&](Point3 p, int dx, int dy, int dz) {
            return std::tuple(static_cast<std::int64_t>(std::floor(p.x / cell_)) + dx,
                              static_cast<std::int64_t>(std::floor(p.y / cell_)) + dy,
                              static_cast<std::int64_t>(std::floor(p.z / cell_)) + dz);
        };
        for (std::uint32_t i = 0; i < lines_.size(); ++i)
            for (const double s : {lines_[i].low, lines_[i].high}) {
                const Point3 p = in_world(lines_[i], s);
                for (int n = 0; n < 27; ++n)
                    if (const auto at = ends.find(cell_of(p, n % 3 - 1, n / 3 % 3 - 1, n / 9 - 1));
                        at != ends.end())
                        for (const std::uint32_t k : at->second) join(i, k);
                ends[cell_of(p, 0, 0, 0)].push_back(i);
            }
    }

    const std::vector<FacetOutline>& facets_;
    const std::vector<WallLine>& lines_;
    double cell_;
    std::vector<std::uint32_t> root_;
};

/// How far a heap of lines reaches, and how wide it is about its longest line.
struct HeapExtent {
    Point3 low{1e30, 1e30, 1e30}, high{-1e30, -1e30, -1e30};
    std::uint32_t longest = 0;
    double width_low = 1e30, width_high = -1e30;
    bool one_facet = true;
};

std::vector<HeapExtent> extents(const std::vector<WallLine>& lines, LineHeaps& heaps) {
    std::vector<HeapExtent> extent(lines.size());
    for (std::uint32_t i = 0; i < lines.size(); ++i) {
        const std::uint32_t root = heaps.find(i);
        HeapExtent& e = extent[root];
        if (root == i || lines[i].length() > lines[e.longest].length()) e.longest = i;
        e.one_facet &= lines[i].facet == lines[root].facet;
        for (const double s : {lines[i].low, lines[i].high}) {
            const Point3 p = heaps.in_world(lines[i], s);
            e.low = {std::min(e.low.x, p.x), std::min(e.low.y, p.y), std::min(e.low.z, p.z)};
            e.high = {std::max(e.high.x, p.x), std::max(e.high.y, p.y), std::max(e.high.z, p.z)};
        }
    }
    for (std::uint32_t i = 0; i < lines.size(); ++i) {
        HeapExtent& e = extent[heaps.find(i)];
        const WallLine& main = lines[e.longest];
        if (lines[i].facet != main.facet) continue;
        for (const double s : {lines[i].low, lines[i].high}) {
            e.width_low = std::min(e.width_low, main.height(lines[i].at(s)));
            e.width_high = std::max(e.width_high, main.height(lines[i].at(s)));
        }
    }
    return extent;
}

/// Leaves out what is no longer than furniture.
void keep_walls(const std::vector<FacetOutline>& facets, double reach, std::vector<WallLine>& lines) {
    LineHeaps heaps(facets, lines, reach);
    const std::vector<HeapExtent> extent = extents(lines, heaps);
    std::vector<WallLine> kept;
    for (std::uint32_t i = 0; i < lines.size(); ++i) {
        const HeapExtent& e = extent[heaps.find(i)];
        const double far = length(e.high - e.low);
        if (far >= long_enough || (far >= thin_length && e.one_facet && e.width_high - e.width_low <= thin) ||
            parts_facet(facets[lines[i].facet], lines[i], reach))
            kept.push_back(lines[i]);
    }
    lines = std::move(kept);
}

/// Closes doorways between pieces of one line.
void close_doorways(std::vector<WallLine>& lines) {
    std::vector<WallLine> out;
    for (const WallLine& l : lines) {
        // Pieces of one line follow one another, in order.
        if (!out.empty() && out.back().facet == l.facet && out.back().from.x == l.from.x &&
            out.back().from.y == l.from.y && out.back().along.x == l.along.x &&
            out.back().along.y == l.along.y) {
            const double gap = l.low - out.back().high;
            if (gap <= doorway && gap <= std::max(out.back().length(), l.length())) {
                out.back().high = l.high;
                continue;
            }
        }
        out.push_back(l);
    }
    lines = std::move(out);
}

/// Draws the ends of a facet's lines out to what is near.
void draw_out(const FacetOutline& facet, double reach, std::vector<WallLine>& lines, std::size_t first,
              std::size_t end) {
    const std::vector<WallLine> before(lines.begin() + static_cast<std::ptrdiff_t>(first),
                                       lines.begin() + static_cast<std::ptrdiff_t>(end));
    for (std::size_t i = first; i < end; ++i)
        for (const double side : {-1.0, 1.0}) {
            const WallLine own = before[i - first];
            const double tip = side < 0 ? own.low : own.high;
            double nearest = std::min(doorway, own.length());
            bool found = false, held = false;
            const auto look = [&](Point2 from, Point2 along, double low, double high, bool border) {
                double on_own = 0, on_other = 0;
                if (!crossing(own, from, along, on_own, on_other)) return;
                if (on_other < low - reach || on_other > high + reach) return;
                const double beyond = (on_own - tip) * side;
                if (std::abs(beyond) <= 2 * reach) {
                    // It ends at another line: it is at its goal unless that one ends there, too.
                    held |= border || (on_other > low + 3 * reach && on_other < high - 3 * reach);
                } else if (beyond > 0 && beyond < nearest) {
                    nearest = beyond;
                    found = true;
                }
            };
            for (std::size_t k = 0; k < before.size(); ++k)
                if (k + first != i)
                    look(before[k].from, before[k].along, before[k].low, before[k].high, false);
            for (const auto& e : facet.border) {
                const Point2 way = e[1] - e[0];
                const double l = length(way);
                if (l > 0) look(e[0], way * (1 / l), 0, l, true);
            }
            if (held || !found) continue;
            (side < 0 ? lines[i].low : lines[i].high) = tip + side * nearest;
        }
}

}  // namespace

std::vector<WallLine> wall_lines(const std::vector<FacetOutline>& facets, const std::vector<MetSegment>& met,
                                 double reach) {
    std::vector<std::vector<MetSegment>> by_facet(facets.size());
    for (const MetSegment& s : met) by_facet[s.facet].push_back(s);
    std::vector<WallLine> lines;
    for (auto& of_one : by_facet) {
        const std::vector<WallLine> some = joined(std::move(of_one), reach);
        lines.insert(lines.end(), some.begin(), some.end());
    }
    keep_walls(facets, reach, lines);
    close_doorways(lines);
    for (std::size_t i = 0; i < lines.size();) {
        std::size_t end = i;
        while (end < lines.size() && lines[end].facet == lines[i].facet) ++end;
        draw_out(facets[lines[i].facet], reach, lines, i, end);
        i = end;
    }
    return lines;
}

}  // namespace stasigraph
