#include "chart/mesh_graph.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

namespace stasigraph {

namespace {

/// Cosine of the bend at which an edge between hard normals is a crease.
constexpr float hard_crease = 0.94f;  // 20 degrees
/// The same where the normals run smoothly over the edge: sharper than that, shading cannot hide it.
constexpr float any_crease = 0.5f;  // 60 degrees
/// Neighbours that bend less than this take part in the averaging of normals.
constexpr float averaged_bend = 0.5f;
constexpr int averaging_steps = 3;

/// Places of equal vertices: open addressing over the bits of the position.
class Places {
public:
    explicit Places(std::size_t vertices) : slots_(std::bit_ceil(2 * vertices + 16), none) {}
    std::uint32_t number(Vec3 p, std::vector<Vec3>& places) {
        p = p + Vec3{0, 0, 0};  // -0 becomes +0
        std::uint64_t h = std::bit_cast<std::uint32_t>(p.x) * 0x9e3779b97f4a7c15ull ^
                          std::bit_cast<std::uint32_t>(p.y) * 0xc2b2ae3d27d4eb4full ^
                          std::bit_cast<std::uint32_t>(p.z) * 0x165667b19e3779f9ull;
        h ^= h >> 29;
        for (std::size_t at = h & (slots_.size() - 1);; at = (at + 1) & (slots_.size() - 1)) {
            if (slots_[at] == none) {
                slots_[at] = static_cast<std::uint32_t>(places.size());
                places.push_back(p);
                return slots_[at];
            }
            if (places[slots_[at]] == p) return slots_[at];
        }
    }

private:
    std::vector<std::uint32_t> slots_;
};

void find_across(MeshGraph& graph) {
    struct Edge {
        std::uint64_t key;
        std::uint32_t from;
        bool forward;
    };
    std::vector<Edge> edges;
    edges.reserve(graph.corner.size());
    for (std::uint32_t i = 0; i < graph.corner.size(); ++i) {
        const std::uint32_t a = graph.corner[i], b = graph.corner[next_corner(i)];
        if (a != b && graph.area[i / 3] > 0)
            edges.push_back({(static_cast<std::uint64_t>(std::min(a, b)) << 32) | std::max(a, b), i, a < b});
    }
    std::sort(edges.begin(), edges.end(),
              [](const Edge& a, const Edge& b) { return a.key != b.key ? a.key < b.key : a.from < b.from; });
    graph.across.assign(graph.corner.size(), none);
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t end = i;
        while (end < edges.size() && edges[end].key == edges[i].key) ++end;
        if (end - i == 2 && edges[i].forward != edges[i + 1].forward) {
            graph.across[edges[i].from] = edges[i + 1].from;
            graph.across[edges[i + 1].from] = edges[i].from;
        }
        i = end;
    }
}

void measure(MeshGraph& graph) {
    const std::size_t count = graph.corner.size() / 3;
    graph.normal.assign(count, {});
    graph.area.assign(count, 0.0f);
    for (std::size_t t = 0; t < count; ++t) {
        const Vec3 a = graph.place[graph.corner[3 * t]], b = graph.place[graph.corner[3 * t + 1]],
                   c = graph.place[graph.corner[3 * t + 2]];
        const Vec3 n = cross(b - a, c - a);
        const float twice = length(n), longest = std::max({length(b - a), length(c - b), length(a - c)});
        // Thinner than a millionth of its length is no area at all: its normal would be rounding noise.
        if (twice > longest * longest * 1e-6f && std::isfinite(twice)) {
            graph.normal[t] = n * (1 / twice);
            graph.area[t] = twice / 2;
        }
    }
}

/// Whether the mesh's own normals break along the edge between two triangles.
bool hard_edge(const Mesh& mesh, std::uint32_t from, std::uint32_t other) {
    if (mesh.normals.empty()) return false;
    const Vec3 a0 = mesh.normals[mesh.indices[from]], a1 = mesh.normals[mesh.indices[next_corner(from)]],
               b1 = mesh.normals[mesh.indices[other]], b0 = mesh.normals[mesh.indices[next_corner(other)]];
    return dot(a0, b0) < 0.98f || dot(a1, b1) < 0.98f;
}

void smooth_normals(MeshGraph& graph) {
    graph.smooth = graph.normal;
    std::vector<Vec3> next(graph.smooth.size());
    for (int step = 0; step < averaging_steps; ++step) {
        for (std::size_t t = 0; t < next.size(); ++t) {
            Vec3 sum = graph.smooth[t] * graph.area[t];
            for (std::size_t c = 3 * t; c < 3 * t + 3; ++c) {
                if (graph.across[c] == none) continue;
                const std::uint32_t n = graph.across[c] / 3;
                const float bend = dot(graph.smooth[t], graph.smooth[n]);
                if (bend > averaged_bend)
                    sum = sum + graph.smooth[n] * (graph.area[n] * (bend - averaged_bend));
            }
            next[t] = normalize(sum);
        }
        graph.smooth.swap(next);
    }
}

}  // namespace

Shape shape_of(const Affine& m, double density) {
    const auto product = [](Vec3 a, Vec3 b) {
        return static_cast<double>(a.x) * static_cast<double>(b.x) +
               static_cast<double>(a.y) * static_cast<double>(b.y) +
               static_cast<double>(a.z) * static_cast<double>(b.z);
    };
    // Cholesky factor of the metric: the same lengths and angles without rotation or mirror.
    Shape s;
    s.xx = std::sqrt(product(m.x, m.x));
    s.xy = product(m.x, m.y) / s.xx;
    s.xz = product(m.x, m.z) / s.xx;
    s.yy = std::sqrt(std::max(0.0, product(m.y, m.y) - s.xy * s.xy));
    s.yz = (product(m.y, m.z) - s.xy * s.xz) / s.yy;
    s.zz = std::sqrt(std::max(0.0, product(m.z, m.z) - s.xz * s.xz - s.yz * s.yz));
    const double scale = std::max({s.xx, s.yy, s.zz});
    const auto clean = [&](double v) {
        return std::isfinite(v) ? std::round(v / scale * 50) / 50 + 0.0 : 0.0;
    };
    const double rounded = std::exp(std::round(std::log(scale * density) * 50) / 50);
    if (!std::isfinite(rounded) || rounded <= 0) return {0, 0, 0, 0, 0, 0};
    // A squashed axis keeps a little of its length, or its triangles could not be told apart.
    const auto axis = [&](double v) { return std::max(clean(v), v > 0 ? 0.02 : 0.0) * rounded; };
    return {axis(s.xx), clean(s.xy) * rounded, clean(s.xz) * rounded,
            axis(s.yy), clean(s.yz) * rounded, axis(s.zz)};
}

MeshGraph make_graph(const Mesh& mesh, const Shape& shape) {
    MeshGraph graph;
    graph.corner.resize(mesh.indices.size());
    Places places(mesh.positions.size());
    std::vector<std::uint32_t> numbers(mesh.positions.size());
    for (std::size_t v = 0; v < numbers.size(); ++v)
        numbers[v] = places.number(mesh.positions[v], graph.place);
    for (std::size_t i = 0; i < graph.corner.size(); ++i) graph.corner[i] = numbers[mesh.indices[i]];
    Vec3 low{1e38f, 1e38f, 1e38f}, high{-1e38f, -1e38f, -1e38f};
    for (Vec3 p : graph.place) {
        low = min(low, p);
        high = max(high, p);
    }
    const Vec3 middle = low * 0.5f + high * 0.5f;
    for (Vec3& p : graph.place) {
        const double x = static_cast<double>(p.x) - static_cast<double>(middle.x),
                     y = static_cast<double>(p.y) - static_cast<double>(middle.y),
                     z = static_cast<double>(p.z) - static_cast<double>(middle.z);
        p = {static_cast<float>(shape.xx * x + shape.xy * y + shape.xz * z),
             static_cast<float>(shape.yy * y + shape.yz * z), static_cast<float>(shape.zz * z)};
    }
    measure(graph);
    find_across(graph);
    // What lies under something is no part of any chart.
    for (std::uint32_t t = 0; t < graph.area.size(); ++t) {
        if (!mesh.is_covered(t)) continue;
        graph.area[t] = 0;
        graph.normal[t] = {};
        for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c) {
            if (graph.across[c] != none) graph.across[graph.across[c]] = none;
            graph.across[c] = none;
        }
    }
    smooth_normals(graph);
    graph.crease.assign(graph.corner.size(), 0);
    for (std::uint32_t c = 0; c < graph.corner.size(); ++c) {
        const std::uint32_t other = graph.across[c];
        if (other == none) continue;
        const float bend = dot(graph.smooth[c / 3], graph.smooth[other / 3]);
        graph.crease[c] = bend < any_crease || (bend < hard_crease && hard_edge(mesh, c, other));
    }
    return graph;
}

}  // namespace stasigraph
