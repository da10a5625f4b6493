#include "parts/cut_mesh.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// What is nearer to a line lies on it, metres: slivers are worse than lines that are a little off.
constexpr double on_line = 0.002;
/// A line that reaches this far into a polygon, or over half of it, splits it.
constexpr double least_overlap = 0.015;
/// A triangle thinner than this share of its longest side's square is none.
constexpr double least_area = 1e-5;

}  // namespace

CutMesh::CutMesh(const Mesh& mesh, const Affine& to_world, const std::vector<std::uint32_t>& corner,
                 std::size_t places, const std::vector<std::uint32_t>& facet_of)
    : own_places_(places), local_(places), world_(places) {
    std::uint32_t facets = 0;
    for (const std::uint32_t f : facet_of)
        if (f != none) facets = std::max(facets, f + 1);
    of_facet_.resize(facets);
    for (std::size_t c = 0; c < corner.size(); ++c) {
        const Vec3 p = mesh.positions[mesh.indices[c]];
        local_[corner[c]] = in_double(p);
        world_[corner[c]] = in_double(transform_point(to_world, p));
    }
    for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
        Polygon& p = polygons_.emplace_back();
        p.triangle = t;
        p.facet = facet_of[t];
        for (std::uint32_t k = 0; k < 3; ++k) {
            Corner c{corner[3 * t + k], {}};
            c.share[k] = 1;
            p.corners.push_back(c);
        }
        if (p.facet != none) of_facet_[p.facet].push_back(t);
        for (std::uint32_t k = 0; k < 3; ++k)
            edges_[key(p.corners[k].place, p.corners[(k + 1) % 3].place)].polygons.push_back(t);
    }
}

/// A new place on an edge, at a share of the way from a to b, given to all polygons there.
std::uint32_t CutMesh::divide(std::uint32_t a, std::uint32_t b, double at) {
    const auto place = static_cast<std::uint32_t>(local_.size());
    local_.push_back(local_[a] + (local_[b] - local_[a]) * at);
    world_.push_back(world_[a] + (world_[b] - world_[a]) * at);
    const auto found = edges_.find(key(a, b));
    Edge edge = std::move(found->second);
    edges_.erase(found);
    for (const std::uint32_t number : edge.polygons) {
        auto& corners = polygons_[number].corners;
        for (std::size_t i = 0; i < corners.size(); ++i) {
            const Corner p = corners[i], q = corners[(i + 1) % corners.size()];
            const bool forward = p.place == a && q.place == b;
            if (!forward && !(p.place == b && q.place == a)) continue;
            const double t = forward ? at : 1 - at;
            Corner made{place, {}};
            for (std::size_t k = 0; k < 3; ++k) made.share[k] = p.share[k] + (q.share[k] - p.share[k]) * t;
            corners.insert(corners.begin() + static_cast<std::ptrdiff_t>(i) + 1, made);
            break;
        }
    }
    edges_[key(a, place)] = edge;
    edges_[key(place, b)] = std::move(edge);
    return place;
}

void CutMesh::mark(std::uint32_t a, std::uint32_t b, std::uint32_t line) {
    std::vector<std::uint32_t>& marks = edges_[key(a, b)].lines;
    if (std::find(marks.begin(), marks.end(), line) == marks.end()) marks.push_back(line);
}

void CutMesh::mark_edges(std::uint32_t polygon, std::uint32_t line, const std::vector<double>& height) {
    const auto& c = polygons_[polygon].corners;
    for (std::size_t i = 0; i < c.size(); ++i) {
        const std::size_t j = (i + 1) % c.size();
        if (height[i] == 0 && height[j] == 0) mark(c[i].place, c[j].place, line);
    }
}

std::vector<double> CutMesh::heights(const FacetOutline& facet, const WallLine& line,
                                     std::uint32_t polygon) const {
    std::vector<double> height;
    for (const Corner& c : polygons_[polygon].corners) {
        const double h = line.height(facet.frame.flat(world_[c.place]));
        height.push_back(std::abs(h) <= on_line ? 0 : h);
    }
    return height;
}

bool CutMesh::passes(const FacetOutline& facet, const WallLine& line, std::uint32_t polygon,
                     const std::vector<double>& height) const {
    // Where the line enters and leaves.
    double enters = 1e30, leaves = -1e30;
    const auto& c = polygons_[polygon].corners;
    for (std::size_t i = 0; i < height.size(); ++i) {
        const std::size_t j = (i + 1) % height.size();
        if (height[i] * height[j] >= 0 && height[i] != 0) continue;
        const Point2 p = facet.frame.flat(world_[c[i].place]), q = facet.frame.flat(world_[c[j].place]);
        const double s = line.place(height[i] == 0 ? p : p + (q - p) * (height[i] / (height[i] - height[j])));
        enters = std::min(enters, s);
        leaves = std::max(leaves, s);
    }
    const double overlap = std::min(leaves, line.high) - std::max(enters, line.low);
    return overlap > std::min(least_overlap, 0.5 * (leaves - enters));
}

std::uint32_t CutMesh::halve(std::uint32_t polygon, std::vector<double> height) {
    for (std::size_t i = 0; i < height.size(); ++i) {
        const std::size_t j = (i + 1) % height.size();
        if (!(height[i] * height[j] < 0)) continue;
        divide(polygons_[polygon].corners[i].place, polygons_[polygon].corners[j].place,
               height[i] / (height[i] - height[j]));
        height.insert(height.begin() + static_cast<std::ptrdiff_t>(i) + 1, 0.0);
    }
    const std::vector<Corner> corners = polygons_[polygon].corners;
    const std::size_t count = corners.size();
    std::vector<std::vector<Corner>> half(2);
    for (std::size_t i = 0; i < count; ++i)
        for (const int side : {0, 1})
            if (side == 0 ? height[i] >= 0 : height[i] <= 0)
                half[static_cast<std::size_t>(side)].push_back(corners[i]);
    // Only the first and last corner on the line belong to a half whose other corners lie off it: those
    // between lie on the new edge as well and are kept by both.
    const auto fresh = static_cast<std::uint32_t>(polygons_.size());
    polygons_.push_back({polygons_[polygon].triangle, polygons_[polygon].facet, std::move(half[1])});
    polygons_[polygon].corners = std::move(half[0]);
    for (std::size_t i = 0; i < count; ++i)
        std::erase(edges_[key(corners[i].place, corners[(i + 1) % count].place)].polygons, polygon);
    for (const std::uint32_t p : {polygon, fresh}) {
        const auto& c = polygons_[p].corners;
        for (std::size_t i = 0; i < c.size(); ++i)
            edges_[key(c[i].place, c[(i + 1) % c.size()].place)].polygons.push_back(p);
    }
    return fresh;
}

void CutMesh::split(const FacetOutline& facet, const std::vector<WallLine>& lines, std::uint32_t number) {
    const WallLine& line = lines[number];
    std::vector<std::uint32_t>& own = of_facet_[line.facet];
    const std::size_t before = own.size();
    for (std::size_t n = 0; n < before; ++n) {
        const std::uint32_t at = own[n];
        const std::vector<double> height = heights(facet, line, at);
        const auto [low, high] = std::minmax_element(height.begin(), height.end());
        if (*low > 0 || *high < 0) continue;
        mark_edges(at, number, height);
        if (!(*low < 0 && *high > 0) || !passes(facet, line, at, height)) continue;
        const std::uint32_t fresh = halve(at, height);
        own.push_back(fresh);
        for (const std::uint32_t p : {at, fresh}) mark_edges(p, number, heights(facet, line, p));
    }
}

bool CutMesh::merge_two(std::uint32_t a, std::uint32_t b) {
    const std::vector<Corner>& p = polygons_[a].corners;
    const std::vector<Corner>& q = polygons_[b].corners;
    const std::size_t n = p.size(), m = q.size();
    // The run of edges that both have: from p[first] over `run` edges, in q the other way round.
    const auto index_in_q = [&](std::uint32_t place) {
        for (std::size_t k = 0; k < m; ++k)
            if (q[k].place == place) return k;
        return m;
    };
    std::vector<std::uint8_t> common(n, 0);
    std::size_t run = 0, first = n;
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t k = index_in_q(p[(i + 1) % n].place);
        common[i] = k < m && q[(k + 1) % m].place == p[i].place ? 1 : 0;
        run += common[i];
    }
    for (std::size_t i = 0; i < n; ++i)
        if (common[i] && !common[(i + n - 1) % n]) {
            if (first != n) return false;  // two runs
            first = i;
        }
    if (run == 0 || first == n || run >= n || run >= m) return false;
    std::vector<Corner> ring;
    for (std::size_t i = 0; i <= n - run; ++i) ring.push_back(p[(first + run + i) % n]);
    const std::size_t start = index_in_q(p[first].place);
    for (std::size_t i = 1; i < m - run; ++i) ring.push_back(q[(start + i) % m]);
    // Convex: it never turns right.
    Point3 normal;
    for (std::size_t i = 2; i < ring.size(); ++i)
        normal = normal + cross(world_[ring[i - 1].place] - world_[ring[0].place],
                                world_[ring[i].place] - world_[ring[0].place]);
    normal = unit(normal);
    for (std::size_t i = 0; i < ring.size(); ++i) {
        const Point3 u = world_[ring[(i + 1) % ring.size()].place] - world_[ring[i].place],
                     v = world_[ring[(i + 2) % ring.size()].place] -
                         world_[ring[(i + 1) % ring.size()].place];
        if (dot(cross(u, v), normal) < -1e-6 * length(u) * length(v)) return false;
    }
    for (const std::uint32_t old : {a, b}) {
        const auto& c = polygons_[old].corners;
        for (std::size_t i = 0; i < c.size(); ++i)
            std::erase(edges_[key(c[i].place, c[(i + 1) % c.size()].place)].polygons, old);
    }
    polygons_[b].corners.clear();
    for (std::size_t i = 0; i < ring.size(); ++i)
        edges_[key(ring[i].place, ring[(i + 1) % ring.size()].place)].polygons.push_back(a);
    polygons_[a].corners = std::move(ring);
    return true;
}

bool CutMesh::on_a_line(std::uint32_t polygon, std::size_t corner) const {
    const auto& c = polygons_[polygon].corners;
    const std::size_t n = c.size();
    if (n <= 3) return false;
    const Point3 u = world_[c[corner].place] - world_[c[(corner + n - 1) % n].place],
                 v = world_[c[(corner + 1) % n].place] - world_[c[corner].place];
    return length(cross(u, v)) <= 1e-6 * length(u) * length(v);
}

void CutMesh::merge(const std::vector<std::uint64_t>& kind) {
    std::unordered_map<std::uint32_t, std::vector<std::uint32_t>> of_triangle;
    for (std::uint32_t p = 0; p < polygons_.size(); ++p) of_triangle[polygons_[p].triangle].push_back(p);
    for (std::uint32_t t = 0; t < polygons_.size(); ++t) {
        const auto found = of_triangle.find(t);
        if (found == of_triangle.end()) continue;
        const std::vector<std::uint32_t>& own = found->second;
        for (bool any = own.size() > 1; any;) {
            any = false;
            for (std::size_t i = 0; i < own.size(); ++i)
                for (std::size_t k = i + 1; k < own.size(); ++k)
                    if (kind[own[i]] == kind[own[k]] && !polygons_[own[i]].corners.empty() &&
                        !polygons_[own[k]].corners.empty() && merge_two(own[i], own[k]))
                        any = true;
        }
    }
    // Corners that are none.
    std::unordered_map<std::uint32_t, bool> needless;
    for (std::uint32_t p = 0; p < polygons_.size(); ++p)
        for (std::size_t i = 0; i < polygons_[p].corners.size(); ++i) {
            const std::uint32_t place = polygons_[p].corners[i].place;
            if (place < own_places_) continue;
            const bool line = on_a_line(p, i);
            const auto [at, fresh] = needless.try_emplace(place, line);
            if (!fresh) at->second = at->second && line;
        }
    for (Polygon& p : polygons_) {
        std::size_t gone = 0;
        for (const Corner& c : p.corners)
            if (const auto at = needless.find(c.place); at != needless.end() && at->second) ++gone;
        if (gone > 0 && p.corners.size() - gone >= 3)
            std::erase_if(p.corners, [&](const Corner& c) {
                const auto at = needless.find(c.place);
                return at != needless.end() && at->second;
            });
    }
}

bool CutMesh::is_cut(const std::vector<FacetOutline>& facets, const std::vector<WallLine>& lines,
                     std::uint32_t polygon, std::size_t i) const {
    const auto& c = polygons_[polygon].corners;
    const std::uint32_t a = c[i].place, b = c[(i + 1) % c.size()].place;
    const auto found = edges_.find(key(a, b));
    if (found == edges_.end()) return false;
    const Point3 middle = (world_[a] + world_[b]) * 0.5;
    return std::any_of(found->second.lines.begin(), found->second.lines.end(), [&](std::uint32_t n) {
        const WallLine& l = lines[n];
        const double s = l.place(facets[l.facet].frame.flat(middle));
        return s > l.low - 1e-3 && s < l.high + 1e-3;
    });
}

std::vector<std::array<std::uint32_t, 3>> CutMesh::triangles(std::uint32_t polygon) const {
    const Polygon& p = polygons_[polygon];
    std::vector<std::array<std::uint32_t, 3>> out;
    std::vector<std::uint32_t> ring(p.corners.size());
    for (std::uint32_t i = 0; i < ring.size(); ++i) ring[i] = i;
    const auto at = [&](std::uint32_t i) { return world_[p.corners[i].place]; };
    Point3 normal;
    for (std::uint32_t i = 2; i < ring.size(); ++i) normal = normal + cross(at(i - 1) - at(0), at(i) - at(0));
    normal = unit(normal);
    // By how far a triangle is from a line: twice its area over its longest side's square; below 0 where it
    // is turned.
    const auto fullness = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
        const Point3 u = at(b) - at(a), v = at(c) - at(a), w = at(c) - at(b);
        const double longest = std::max({dot(u, u), dot(v, v), dot(w, w)});
        return longest > 0 ? dot(cross(u, v), normal) / longest : 0;
    };
    // Ears: of all corners the one whose triangle is fullest goes first, where what stays is no line.
    while (ring.size() > 3) {
        std::size_t best = 0;
        double most = -1;
        for (std::size_t i = 0; i < ring.size(); ++i) {
            const std::size_t n = ring.size();
            const double full = fullness(ring[(i + n - 1) % n], ring[i], ring[(i + 1) % n]);
            if (full <= std::max(most, least_area)) continue;
            bool rest = false;
            for (std::size_t k = 2; k < n - 1 && !rest; ++k)
                rest = fullness(ring[(i + 1) % n], ring[(i + k) % n], ring[(i + k + 1) % n]) > least_area;
            if (!rest) continue;
            most = full;
            best = i;
        }
        const std::size_t n = ring.size();
        out.push_back({ring[(best + n - 1) % n], ring[best], ring[(best + 1) % n]});
        ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(best));
    }
    if (ring.size() == 3) out.push_back({ring[0], ring[1], ring[2]});
    return out;
}

}  // namespace stasigraph
