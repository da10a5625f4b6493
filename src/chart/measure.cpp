#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "chart/flatten.hpp"

namespace stasigraph {

namespace {

/// Triangles smaller than this cannot be seen in any texel; their stretch does not count. Square texels.
constexpr float least_judged_area = 0.01f;

/// Border edges that overlap by less than this touch. Texels.
constexpr float touch = 2e-3f;

/// Parts of one patch that come closer than this on the page share texels, by filtering. Texels.
constexpr float least_gap = 1.0f;
/// ... which does no harm where they are as close in the world. Texels.
constexpr float harmless_distance = 3.0f;

struct BorderEdge {
    Vec2 a, b;
    Vec3 middle;
    std::uint32_t from, to;
};

/// Whether the ends of t lie on both sides of s, and by more than a touch.
bool straddles(const BorderEdge& s, const BorderEdge& t) {
    const Vec2 d = s.b - s.a;
    const float l = length(d);
    if (l == 0) return false;
    const float u = cross(d, t.a - s.a) / l, v = cross(d, t.b - s.a) / l;
    return (u > touch && v < -touch) || (u < -touch && v > touch);
}

float distance_to(Vec2 p, const BorderEdge& e) {
    const Vec2 d = e.b - e.a;
    const float l = dot(d, d), s = l > 0 ? std::clamp(dot(p - e.a, d) / l, 0.0f, 1.0f) : 0;
    return length(p - e.a - d * s);
}

bool clash(const BorderEdge& s, const BorderEdge& t, const Patch& patch) {
    if (s.from == t.from || s.to == t.to || s.from == t.to || s.to == t.from) return false;
    if (straddles(s, t) && straddles(t, s)) return true;
    const float near = std::min(std::min(distance_to(s.a, t), distance_to(s.b, t)),
                                std::min(distance_to(t.a, s), distance_to(t.b, s)));
    if (near >= least_gap) return false;
    // The closest ends in the world stand for the parts.
    float world = length(s.middle - t.middle);
    for (const std::uint32_t i : {s.from, s.to})
        for (const std::uint32_t j : {t.from, t.to})
            world = std::min(world, length(patch.place[i] - patch.place[j]));
    return world > near + harmless_distance;
}

bool border_clear(const Patch& patch, const std::vector<Vec2>& flat) {
    std::vector<BorderEdge> edges;
    double sum = 0;
    for (const std::uint32_t e : patch.border) {
        const std::uint32_t from = patch.faces[e / 3][e % 3], to = patch.faces[e / 3][(e % 3 + 1) % 3];
        edges.push_back({flat[from], flat[to], (patch.place[from] + patch.place[to]) * 0.5f, from, to});
        sum += static_cast<double>(length(flat[to] - flat[from]));
    }
    const float cell =
        std::max(2 * least_gap, static_cast<float>(sum / std::max<std::size_t>(edges.size(), 1)));
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> cells;
    std::vector<std::uint32_t> met(edges.size(), none);
    for (std::uint32_t i = 0; i < edges.size(); ++i) {
        // Walks along the edge in steps of half a cell, and looks at the cells around each step.
        const Vec2 d = edges[i].b - edges[i].a;
        const int steps = std::max(1, static_cast<int>(std::ceil(2 * length(d) / cell)));
        const auto key = [&](Vec2 p, int dx, int dy) {
            const auto x = static_cast<std::int32_t>(std::floor(p.x / cell)) + dx,
                       y = static_cast<std::int32_t>(std::floor(p.y / cell)) + dy;
            return static_cast<std::uint64_t>(static_cast<std::uint32_t>(x)) << 32 |
                   static_cast<std::uint32_t>(y);
        };
        for (int s = 0; s <= steps; ++s) {
            const Vec2 p = edges[i].a + d * (static_cast<float>(s) / static_cast<float>(steps));
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) {
                    const auto found = cells.find(key(p, dx, dy));
                    if (found == cells.end()) continue;
                    for (const std::uint32_t k : found->second) {
                        if (met[k] == i) continue;
                        met[k] = i;
                        if (clash(edges[i], edges[k], patch)) return false;
                    }
                }
        }
        std::uint64_t last = 0;
        for (int s = 0; s <= steps; ++s) {
            const std::uint64_t k =
                key(edges[i].a + d * (static_cast<float>(s) / static_cast<float>(steps)), 0, 0);
            if (s == 0 || k != last) cells[k].push_back(i);
            last = k;
        }
    }
    return true;
}

/// Whether the triangles around every vertex fill no more than a full turn.
bool turns_clear(const Patch& patch, const std::vector<Vec2>& flat) {
    std::vector<float> turn(patch.place.size(), 0.0f);
    for (const auto& f : patch.faces)
        for (int k = 0; k < 3; ++k) {
            const Vec2 a = flat[f[(k + 1) % 3]] - flat[f[k]], b = flat[f[(k + 2) % 3]] - flat[f[k]];
            turn[f[k]] += std::atan2(cross(a, b), dot(a, b));
        }
    return std::all_of(turn.begin(), turn.end(), [](float t) { return t < 2 * pi + 0.02f; });
}

}  // namespace

FlatMeasure measure_flat(const Patch& patch, const std::vector<Vec2>& flat) {
    FlatMeasure m;
    double sum = 0, area_sum = 0;
    for (std::uint32_t i = 0; i < patch.faces.size(); ++i) {
        const auto& f = patch.faces[i];
        const Vec3 a = patch.place[f[0]], ab = patch.place[f[1]] - a, ac = patch.place[f[2]] - a;
        const double twice = static_cast<double>(length(cross(ab, ac)));
        const Vec2 p = flat[f[1]] - flat[f[0]], q = flat[f[2]] - flat[f[0]];
        const double turned = static_cast<double>(cross(p, q));
        if (turned <= 0) ++m.turned_over;
        if (!(twice > 2 * static_cast<double>(least_judged_area))) continue;
        // Singular values of the map from the true triangle, from its first fundamental form.
        const double l = static_cast<double>(length(ab)), x2 = static_cast<double>(dot(ab, ac)) / l,
                     y2 = twice / l;
        const double ux = static_cast<double>(p.x) / l, uy = static_cast<double>(p.y) / l;
        const double vx = (static_cast<double>(q.x) - ux * x2) / y2,
                     vy = (static_cast<double>(q.y) - uy * x2) / y2;
        const double e = ux * ux + uy * uy, g = vx * vx + vy * vy, fm = ux * vx + uy * vy;
        const double root = std::sqrt((e - g) * (e - g) + 4 * fm * fm);
        const double most = std::sqrt((e + g + root) / 2),
                     least = std::sqrt(std::max(0.0, (e + g - root) / 2));
        const double stretch = std::max(most, 1 / std::max(least, 1e-6));
        if (stretch > static_cast<double>(m.worst)) {
            m.worst = static_cast<float>(stretch);
            m.worst_face = i;
        }
        sum += stretch * twice;
        area_sum += twice;
    }
    if (area_sum > 0) m.mean = static_cast<float>(sum / area_sum);
    return m;
}

bool lies_clear(const Patch& patch, const std::vector<Vec2>& flat) {
    return turns_clear(patch, flat) && border_clear(patch, flat);
}

}  // namespace stasigraph
