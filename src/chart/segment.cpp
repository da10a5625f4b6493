#include "chart/segment.hpp"

#include <algorithm>
#include <cstring>
#include <queue>
#include <unordered_map>

#include "chart/plane_grid.hpp"

namespace stasigraph {

namespace {

/// Cosine of the widest angle between a triangle and its chart's seed. Wider: fewer charts, more stretch (1 /
/// cosine). Narrower: less stretch, more borders. At 40 degrees the worst stretch is 1.3.
constexpr float min_cosine = 0.766f;

/// Cosine below which a triangle counts as edge-on to the final axis and gets another chart.
constexpr float edge_on = 0.2f;

struct Triangle {
    Vec3 normal;  ///< Unit length; zero for a triangle without area.
    float area = 0;
};

std::vector<Triangle> measure_triangles(const Mesh& mesh) {
    std::vector<Triangle> triangles(mesh.triangle_count());
    for (std::size_t t = 0; t < triangles.size(); ++t) {
        const Vec3 a = mesh.positions[mesh.indices[3 * t]], b = mesh.positions[mesh.indices[3 * t + 1]],
                   c = mesh.positions[mesh.indices[3 * t + 2]];
        const Vec3 n = cross(b - a, c - a);
        const float twice = length(n), longest = std::max({length(b - a), length(c - b), length(a - c)});
        // Thinner than a millionth of its length is no area at all: its normal would be rounding noise.
        if (twice > longest * longest * 1e-6f && std::isfinite(twice))
            triangles[t] = {n * (1 / twice), twice / 2};
    }
    return triangles;
}

/// For each corner the number of its place: vertices at the same position are one.
std::vector<std::uint32_t> weld(const Mesh& mesh) {
    struct Hash {
        std::size_t operator()(Vec3 p) const {
            std::uint32_t bits[3];
            p = p + Vec3{0, 0, 0};  // -0 becomes +0
            std::memcpy(bits, &p, sizeof bits);
            return bits[0] * 0x9e3779b97f4a7c15ull ^ bits[1] * 0xc2b2ae3d27d4eb4full ^
                   bits[2] * 0x165667b19e3779f9ull;
        }
    };
    std::unordered_map<Vec3, std::uint32_t, Hash> places;
    std::vector<std::uint32_t> corner(mesh.indices.size());
    for (std::size_t i = 0; i < corner.size(); ++i)
        corner[i] =
            places.try_emplace(mesh.positions[mesh.indices[i]], static_cast<std::uint32_t>(places.size()))
                .first->second;
    return corner;
}

/// For each corner, the triangle across the edge that starts there; none at borders and where three faces
/// meet.
std::vector<std::uint32_t> find_neighbours(const std::vector<std::uint32_t>& corner) {
    struct Edge {
        std::uint64_t key;
        std::uint32_t from;
        bool forward;
    };
    std::vector<Edge> edges;
    edges.reserve(corner.size());
    for (std::uint32_t i = 0; i < corner.size(); ++i) {
        const std::uint32_t a = corner[i], b = corner[i % 3 == 2 ? i - 2 : i + 1];
        if (a != b)
            edges.push_back({(static_cast<std::uint64_t>(std::min(a, b)) << 32) | std::max(a, b), i, a < b});
    }
    std::sort(edges.begin(), edges.end(),
              [](const Edge& a, const Edge& b) { return a.key != b.key ? a.key < b.key : a.from < b.from; });
    std::vector<std::uint32_t> across(corner.size(), none);
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t end = i;
        while (end < edges.size() && edges[end].key == edges[i].key) ++end;
        if (end - i == 2 && edges[i].forward != edges[i + 1].forward) {
            across[edges[i].from] = edges[i + 1].from / 3;
            across[edges[i + 1].from] = edges[i].from / 3;
        }
        i = end;
    }
    return across;
}

class Cutter {
public:
    explicit Cutter(const Mesh& mesh)
        : mesh_(mesh), triangles_(measure_triangles(mesh)), across_(find_neighbours(weld(mesh))) {
        charts_.chart.assign(triangles_.size(), none);
    }

    FlatCharts run() {
        for (std::uint32_t seed = 0; seed < triangles_.size(); ++seed) {
            // A pass settles at least the seed, so this ends.
            while (triangles_[seed].area > 0 && charts_.chart[seed] == none) settle(grow(seed));
        }
        charts_.indices.resize(mesh_.indices.size());
        std::unordered_map<std::uint64_t, std::uint32_t> vertices;
        const auto chart_vertex = [&](std::uint32_t chart, std::uint32_t vertex, Vec2 flat) {
            const auto [at, fresh] = vertices.try_emplace((static_cast<std::uint64_t>(chart) << 32) | vertex,
                                                          static_cast<std::uint32_t>(charts_.source.size()));
            if (fresh) {
                charts_.source.push_back(vertex);
                charts_.flat.push_back(flat);
            }
            return at->second;
        };
        for (std::size_t i = 0; i < mesh_.indices.size(); ++i) {
            const std::uint32_t chart = charts_.chart[i / 3], vertex = mesh_.indices[i];
            charts_.indices[i] = chart_vertex(
                chart, vertex, chart == none ? Vec2{} : flat_[chart].map(mesh_.positions[vertex]));
        }
        return std::move(charts_);
    }

private:
    /// A projection: p -> (dot(u, p), dot(v, p)) - origin.
    struct Projection {
        Vec3 u, v;
        Vec2 origin;
        Vec2 map(Vec3 p) const { return Vec2{dot(u, p), dot(v, p)} - origin; }
    };

    std::vector<std::uint32_t> grow(std::uint32_t seed) const {
        // Nearest normals first, so that a chart fills its plain part before it turns the corner; ties by
        // index.
        using Entry = std::pair<float, std::uint32_t>;
        std::priority_queue<Entry, std::vector<Entry>, std::greater<>> front;
        std::vector<std::uint32_t> members;
        std::unordered_map<std::uint32_t, bool> seen{{seed, true}};
        const Vec3 axis = triangles_[seed].normal;
        front.push({0.0f, seed});
        while (!front.empty()) {
            const std::uint32_t t = front.top().second;
            front.pop();
            members.push_back(t);
            for (int k = 0; k < 3; ++k) {
                const std::uint32_t n = across_[3 * t + k];
                if (n == none || charts_.chart[n] != none || triangles_[n].area <= 0) continue;
                const float c = dot(triangles_[n].normal, axis);
                if (c >= min_cosine && seen.try_emplace(n, true).second) front.push({1 - c, n});
            }
        }
        return members;
    }

    void settle(const std::vector<std::uint32_t>& members) {
        Vec3 axis;
        for (std::uint32_t t : members) axis = axis + triangles_[t].normal * triangles_[t].area;
        axis = normalize(axis);
        const Vec3 seed_normal = triangles_[members[0]].normal;
        if (!(dot(axis, seed_normal) > edge_on)) axis = seed_normal;
        const Frame frame(axis);
        const auto project = [&](std::uint32_t t, int k) {
            const Vec3 p = mesh_.positions[mesh_.indices[3 * t + k]];
            return Vec2{dot(frame.tangent, p), dot(frame.bitangent, p)};
        };
        // Accept triangles in growing order; what would lie over an accepted one is left for a later chart.
        Vec2 low{1e30f, 1e30f}, high{-1e30f, -1e30f};
        for (std::uint32_t t : members)
            for (int k = 0; k < 3; ++k) {
                const Vec2 p = project(t, k);
                low = {std::min(low.x, p.x), std::min(low.y, p.y)};
                high = {std::max(high.x, p.x), std::max(high.y, p.y)};
            }
        PlaneGrid grid(low, high, members.size());
        std::vector<std::uint32_t> accepted;
        for (std::uint32_t t : members) {
            const PlaneTriangle flat{project(t, 0), project(t, 1), project(t, 2)};
            const bool first = accepted.empty();
            if (!first && (dot(triangles_[t].normal, axis) < edge_on || grid.overlaps(flat))) continue;
            grid.add(flat);
            accepted.push_back(t);
        }
        const std::uint32_t chart = charts_.count++;
        for (std::uint32_t t : accepted) {
            charts_.chart[t] = chart;
            charts_.area += triangles_[t].area;
        }
        lay_flat(accepted, frame);
    }

    /// Turns the chart so that its bounding box is smallest, trying the directions of its border edges.
    void lay_flat(const std::vector<std::uint32_t>& members, const Frame& frame) {
        const std::uint32_t chart = charts_.chart[members[0]];
        std::vector<Vec2> points;
        std::vector<std::pair<float, Vec2>> borders;  // negative squared length, direction
        for (std::uint32_t t : members)
            for (int k = 0; k < 3; ++k) {
                const Vec3 a = mesh_.positions[mesh_.indices[3 * t + k]],
                           b = mesh_.positions[mesh_.indices[3 * t + (k + 1) % 3]];
                points.push_back({dot(frame.tangent, a), dot(frame.bitangent, a)});
                const std::uint32_t n = across_[3 * t + k];
                if (n != none && charts_.chart[n] == chart) continue;
                const Vec2 d{dot(frame.tangent, b - a), dot(frame.bitangent, b - a)};
                if (dot(d, d) > 0) borders.push_back({-dot(d, d), d * (1 / length(d))});
            }
        std::stable_sort(borders.begin(), borders.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        if (borders.size() > 48) borders.resize(48);
        if (borders.empty()) borders.push_back({0, {1, 0}});
        float best = 1e38f;
        Projection chosen;
        Vec2 box;
        for (const auto& [unused, d] : borders) {
            Vec2 low{1e30f, 1e30f}, high{-1e30f, -1e30f};
            for (Vec2 p : points) {
                const Vec2 q{dot(d, p), cross(d, p)};
                low = {std::min(low.x, q.x), std::min(low.y, q.y)};
                high = {std::max(high.x, q.x), std::max(high.y, q.y)};
            }
            const Vec2 size = high - low;
            // Among equal areas the first, longest border wins; a hair of slack keeps rounding from deciding.
            if (size.x * size.y < best * 0.9999f) {
                best = size.x * size.y;
                chosen = {frame.tangent * d.x + frame.bitangent * d.y,
                          frame.bitangent * d.x - frame.tangent * d.y, low};
                box = size;
            }
        }
        flat_.push_back(chosen);
        charts_.size.push_back(box);
    }

    const Mesh& mesh_;
    std::vector<Triangle> triangles_;
    std::vector<std::uint32_t> across_;
    FlatCharts charts_;
    std::vector<Projection> flat_;
};

}  // namespace

FlatCharts cut_charts(const Mesh& mesh) {
    return Cutter(mesh).run();
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
