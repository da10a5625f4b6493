#include "chart/flatten.hpp"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>
#include <numeric>

namespace stasigraph {

namespace {

using Matrix = Eigen::SparseMatrix<double>;
using Solver = Eigen::SimplicialLDLT<Matrix>;

/// A triangle laid on the plane at its true size, with the cotangents of its angles.
struct TrueTriangle {
    double x1, x2, y2;  ///< Corners (0, 0), (x1, 0), (x2, y2).
    double cot[3];      ///< Of the angle opposite the edge that starts at each corner.
};

TrueTriangle lay(const Patch& patch, std::size_t f) {
    const Vec3 a = patch.place[patch.faces[f][0]], b = patch.place[patch.faces[f][1]],
               c = patch.place[patch.faces[f][2]];
    const Vec3 ab = b - a, ac = c - a;
    const double l = static_cast<double>(length(ab)), l2 = static_cast<double>(dot(ac, ac));
    TrueTriangle t{};
    t.x1 = l;
    t.x2 = l > 0 ? static_cast<double>(dot(ab, ac)) / l : 0;
    const double cross_length = static_cast<double>(length(cross(ab, ac)));
    t.y2 = l > 0 ? cross_length / l : std::sqrt(l2);
    const auto cotangent = [&](Vec3 u, Vec3 v) {
        return static_cast<double>(dot(u, v)) / std::max(cross_length, 1e-12);
    };
    t.cot[0] = cotangent(a - c, b - c);
    t.cot[1] = cotangent(b - a, c - a);
    t.cot[2] = cotangent(c - b, a - b);
    return t;
}

/// The two border vertices that are farthest apart along the longest axis; below 0 where there is no border.
std::pair<int, int> far_apart(const Patch& patch) {
    Vec3 low = patch.place[0], high = low;
    for (Vec3 p : patch.place) {
        low = min(low, p);
        high = max(high, p);
    }
    const Vec3 span = high - low;
    const auto along = [&](Vec3 p) {
        return span.x >= span.y && span.x >= span.z ? p.x : span.y >= span.z ? p.y : p.z;
    };
    int first = -1, last = -1;
    for (const std::uint32_t e : patch.border) {
        const int v = static_cast<int>(patch.faces[e / 3][e % 3]);
        if (first < 0 || along(patch.place[v]) < along(patch.place[first])) first = v;
        if (last < 0 || along(patch.place[v]) > along(patch.place[last])) last = v;
    }
    return {first, last};
}

/// Lévy et al., Least Squares Conformal Maps for Automatic Texture Atlas Generation, 2002, written as
/// Dirichlet energy minus area (Mullen et al., Spectral Conformal Parameterization, 2008) with two vertices
/// held.
bool solve_conformal(const Patch& patch, std::vector<Vec2>& flat) {
    const auto n = static_cast<int>(patch.place.size());
    const auto [first, last] = far_apart(patch);  // these are held
    if (first < 0 || first == last) return false;
    std::vector<int> unknown(2 * static_cast<std::size_t>(n), -1);
    int count = 0;
    for (int v = 0; v < n; ++v)
        if (v != first && v != last)
            for (int k = 0; k < 2; ++k) unknown[2 * static_cast<std::size_t>(v) + k] = count++;
    std::vector<double> held(unknown.size(), 0.0);
    held[2 * static_cast<std::size_t>(last)] =
        static_cast<double>(length(patch.place[last] - patch.place[first]));
    std::vector<Eigen::Triplet<double>> entries;
    Eigen::VectorXd right = Eigen::VectorXd::Zero(count);
    const auto add = [&](std::size_t row, std::size_t column, double value) {
        if (unknown[row] < 0) return;
        if (unknown[column] >= 0)
            entries.emplace_back(unknown[row], unknown[column], value);
        else
            right[unknown[row]] -= value * held[column];
    };
    for (std::size_t f = 0; f < patch.faces.size(); ++f) {
        const TrueTriangle t = lay(patch, f);
        for (int k = 0; k < 3; ++k) {
            const std::size_t i = 2 * static_cast<std::size_t>(patch.faces[f][k]),
                              j = 2 * static_cast<std::size_t>(patch.faces[f][(k + 1) % 3]);
            const double w = t.cot[k] / 2;
            for (std::size_t d = 0; d < 2; ++d) {
                add(i + d, i + d, w);
                add(j + d, j + d, w);
                add(i + d, j + d, -w);
                add(j + d, i + d, -w);
            }
            // Minus the area: -1/2 (x_i y_j - x_j y_i), as a symmetric form.
            add(i, j + 1, -0.5);
            add(j + 1, i, -0.5);
            add(j, i + 1, 0.5);
            add(i + 1, j, 0.5);
        }
    }
    Matrix m(count, count);
    m.setFromTriplets(entries.begin(), entries.end());
    Solver solver(m);
    if (solver.info() != Eigen::Success) return false;
    const Eigen::VectorXd solved = solver.solve(right);
    if (solver.info() != Eigen::Success || !solved.allFinite()) return false;
    const auto value = [&](std::size_t i) {
        return static_cast<float>(unknown[i] >= 0 ? solved[unknown[i]] : held[i]);
    };
    for (std::size_t v = 0; v < flat.size(); ++v) flat[v] = {value(2 * v), value(2 * v + 1)};
    return true;
}

struct Plane {
    Vec3 normal;
    float least_cosine = 1;  ///< Of any triangle's normal against it.
    bool flat = true;
};

Plane fit_plane(const Patch& patch) {
    Plane plane;
    std::vector<Vec3> normals(patch.faces.size());
    Vec3 sum;
    for (std::size_t f = 0; f < normals.size(); ++f) {
        const Vec3 a = patch.place[patch.faces[f][0]];
        normals[f] = cross(patch.place[patch.faces[f][1]] - a, patch.place[patch.faces[f][2]] - a);
        sum = sum + normals[f];
    }
    plane.normal = normalize(sum);
    for (Vec3 n : normals) plane.least_cosine = std::min(plane.least_cosine, dot(normalize(n), plane.normal));
    // Flat is what no texel could tell from a plane.
    const Vec3 origin = patch.place[patch.faces[0][0]];
    for (Vec3 p : patch.place) plane.flat = plane.flat && std::abs(dot(p - origin, plane.normal)) < 0.01f;
    plane.flat = plane.flat && plane.least_cosine > 0.9f;
    return plane;
}

constexpr int flatten_steps = 8;

}  // namespace

Patch make_patch(const MeshGraph& graph, std::vector<std::uint32_t> triangles,
                 const std::function<bool(std::uint32_t)>& holds) {
    Patch patch;
    patch.triangles = std::move(triangles);
    const auto local = [&](std::uint32_t triangle) {
        const auto at = std::lower_bound(patch.triangles.begin(), patch.triangles.end(), triangle);
        return at != patch.triangles.end() && *at == triangle
                   ? static_cast<std::uint32_t>(at - patch.triangles.begin())
                   : none;
    };
    std::vector<std::uint32_t> parent(3 * patch.triangles.size());
    std::iota(parent.begin(), parent.end(), 0u);
    const auto find = [&](std::uint32_t c) {
        while (parent[c] != c) c = parent[c] = parent[parent[c]];
        return c;
    };
    const auto unite = [&](std::uint32_t a, std::uint32_t b) {
        a = find(a);
        b = find(b);
        parent[std::max(a, b)] = std::min(a, b);
    };
    for (std::uint32_t f = 0; f < patch.triangles.size(); ++f)
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t c = 3 * patch.triangles[f] + k, o = graph.across[c];
            const std::uint32_t other = o == none ? none : local(o / 3);
            if (other == none || !holds(c)) {
                patch.border.push_back(3 * f + k);
                continue;
            }
            unite(3 * f + k, 3 * other + next_corner(o) % 3);
            unite(3 * f + (k + 1) % 3, 3 * other + o % 3);
        }
    std::vector<std::uint32_t> number(parent.size(), none);
    patch.faces.resize(patch.triangles.size());
    for (std::uint32_t i = 0; i < parent.size(); ++i) {
        const std::uint32_t root = find(i);
        if (number[root] == none) {
            number[root] = static_cast<std::uint32_t>(patch.place.size());
            patch.place.push_back(graph.place[graph.corner[3 * patch.triangles[i / 3] + i % 3]]);
        }
        patch.faces[i / 3][i % 3] = number[root];
    }
    return patch;
}

std::vector<Vec2> flatten(const Patch& patch) {
    std::vector<Vec2> flat(patch.place.size());
    const Plane plane = fit_plane(patch);
    const Frame frame(plane.normal);
    for (std::size_t v = 0; v < flat.size(); ++v)
        flat[v] = {dot(frame.tangent, patch.place[v]), dot(frame.bitangent, patch.place[v])};
    if (plane.flat) return flat;
    // Projection starts well where every triangle faces its way; the conformal solve where some do not.
    if (plane.least_cosine < 0.2f) {
        solve_conformal(patch, flat);
        scale_to_area(patch, flat);
    }
    const std::vector<Vec2> start = flat;
    relax(patch, {}, flatten_steps, flat);
    scale_to_area(patch, flat);
    if (measure_flat(patch, flat).turned_over > 0 && measure_flat(patch, start).turned_over == 0)
        flat = start;
    return flat;
}

namespace {

/// The rotation that brings a true triangle closest to where it lies now: its cosine and sine.
std::pair<double, double> closest_turn(const TrueTriangle& t, const std::array<std::uint32_t, 3>& v,
                                       const std::vector<Vec2>& flat) {
    const double x[3][2] = {{0, 0}, {t.x1, 0}, {t.x2, t.y2}};
    double a = 0, b = 0;
    for (int k = 0; k < 3; ++k) {
        const int m = (k + 1) % 3;
        const double ex = x[m][0] - x[k][0], ey = x[m][1] - x[k][1];
        const double ux = static_cast<double>(flat[v[m]].x - flat[v[k]].x),
                     uy = static_cast<double>(flat[v[m]].y - flat[v[k]].y);
        a += t.cot[k] * (ex * ux + ey * uy);
        b += t.cot[k] * (ex * uy - ey * ux);
    }
    const double l = std::sqrt(a * a + b * b);
    return l > 0 ? std::pair(a / l, b / l) : std::pair(1.0, b);
}

/// Adds what a triangle, turned so, wants of its corners; `unknown`: their rows, below 0 where they are held.
void pull_corners(const TrueTriangle& t, const std::array<std::uint32_t, 3>& v, const std::vector<Vec2>& flat,
                  const std::vector<int>& unknown, Eigen::MatrixX2d& right) {
    const double x[3][2] = {{0, 0}, {t.x1, 0}, {t.x2, t.y2}};
    const auto [a, b] = closest_turn(t, v, flat);
    for (int k = 0; k < 3; ++k) {
        const int m = (k + 1) % 3;
        const double ex = x[m][0] - x[k][0], ey = x[m][1] - x[k][1];
        const double rx = t.cot[k] * (a * ex - b * ey), ry = t.cot[k] * (b * ex + a * ey);
        const auto pull = [&](int row, double sx, double sy, int other, Vec2 at) {
            if (row < 0) return;
            right(row, 0) += sx;
            right(row, 1) += sy;
            if (other >= 0) return;
            right(row, 0) += t.cot[k] * static_cast<double>(at.x);
            right(row, 1) += t.cot[k] * static_cast<double>(at.y);
        };
        const int i = unknown[v[k]], j = unknown[v[m]];
        pull(i, -rx, -ry, j, flat[v[m]]);
        pull(j, rx, ry, i, flat[v[k]]);
    }
}

}  // namespace

/// Liu et al., A Local/Global Approach to Mesh Parameterization, 2008 (as rigid as possible).
void relax(const Patch& patch, const std::vector<std::uint8_t>& pinned, int steps, std::vector<Vec2>& flat) {
    const std::size_t n = patch.place.size();
    std::vector<int> unknown(n, -1);
    int count = 0;
    for (std::size_t v = 0; v < n; ++v)
        if (pinned.empty() ? v > 0 : !pinned[v]) unknown[v] = count++;
    if (count == 0) return;
    std::vector<TrueTriangle> triangles(patch.faces.size());
    std::vector<Eigen::Triplet<double>> entries;
    for (std::size_t f = 0; f < triangles.size(); ++f) {
        TrueTriangle& t = triangles[f] = lay(patch, f);
        for (int k = 0; k < 3; ++k) {
            // Obtuse corners have negative weights, needles huge ones; either would spoil the solve.
            const double w = t.cot[k] = std::clamp(t.cot[k], 0.05, 20.0);
            const int i = unknown[patch.faces[f][k]], j = unknown[patch.faces[f][(k + 1) % 3]];
            if (i >= 0) entries.emplace_back(i, i, w);
            if (j >= 0) entries.emplace_back(j, j, w);
            if (i >= 0 && j >= 0) {
                entries.emplace_back(i, j, -w);
                entries.emplace_back(j, i, -w);
            }
        }
    }
    Matrix laplacian(count, count);
    laplacian.setFromTriplets(entries.begin(), entries.end());
    Solver solver(laplacian);
    if (solver.info() != Eigen::Success) return;
    Eigen::MatrixX2d right(count, 2);
    for (int step = 0; step < steps; ++step) {
        right.setZero();
        for (std::size_t f = 0; f < triangles.size(); ++f)
            pull_corners(triangles[f], patch.faces[f], flat, unknown, right);
        const Eigen::MatrixX2d solved = solver.solve(right);
        if (!solved.allFinite()) return;
        for (std::size_t v = 0; v < n; ++v)
            if (unknown[v] >= 0)
                flat[v] = {static_cast<float>(solved(unknown[v], 0)),
                           static_cast<float>(solved(unknown[v], 1))};
    }
}

void scale_to_area(const Patch& patch, std::vector<Vec2>& flat) {
    double world = 0, now = 0;
    for (const auto& f : patch.faces) {
        const Vec3 a = patch.place[f[0]];
        world += static_cast<double>(length(cross(patch.place[f[1]] - a, patch.place[f[2]] - a)));
        now += std::abs(static_cast<double>(cross(flat[f[1]] - flat[f[0]], flat[f[2]] - flat[f[0]])));
    }
    if (!(now > 0)) return;
    const auto scale = static_cast<float>(std::sqrt(world / now));
    for (Vec2& p : flat) p = p * scale;
}

}  // namespace stasigraph
