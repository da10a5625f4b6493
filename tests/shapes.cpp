#include "shapes.hpp"

#include <algorithm>
#include <array>
#include <map>

namespace test {

using stasigraph::Material;
using stasigraph::pi;
using stasigraph::Vec3;

namespace {

/// A grid of quads over the unit square, closed in u or v where asked.
template <class F>
Mesh grid(const char* name, int w, int h, bool closed_u, bool closed_v, F place) {
    Mesh mesh;
    mesh.name = name;
    const int columns = closed_u ? w : w + 1, rows = closed_v ? h : h + 1;
    for (int j = 0; j < rows; ++j)
        for (int i = 0; i < columns; ++i)
            mesh.positions.push_back(place(static_cast<float>(i) / static_cast<float>(w),
                                           static_cast<float>(j) / static_cast<float>(h)));
    const auto vertex = [&](int i, int j) {
        return static_cast<std::uint32_t>((j % rows) * columns + i % columns);
    };
    for (int j = 0; j < h; ++j)
        for (int i = 0; i < w; ++i) {
            const std::uint32_t a = vertex(i, j), b = vertex(i + 1, j), c = vertex(i + 1, j + 1),
                                d = vertex(i, j + 1);
            mesh.indices.insert(mesh.indices.end(), {a, b, c, a, c, d});
        }
    smooth_normals(mesh);
    return mesh;
}

float hash(std::uint32_t x) {
    x ^= x >> 16;
    x *= 0x7feb352du;
    x ^= x >> 15;
    x *= 0x846ca68bu;
    x ^= x >> 16;
    return static_cast<float>(x >> 8) / 16777216.0f;
}

float capsule(Vec3 p, Vec3 a, Vec3 b, float radius) {
    const Vec3 d = b - a;
    const float t = std::clamp(dot(p - a, d) / dot(d, d), 0.0f, 1.0f);
    return length(p - a - d * t) - radius;
}

}  // namespace

void smooth_normals(Mesh& mesh) {
    std::map<std::array<float, 3>, Vec3> sums;
    const auto key = [&](std::uint32_t v) {
        const Vec3 p = mesh.positions[v];
        return std::array{p.x, p.y, p.z};
    };
    for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
        const std::uint32_t* i = &mesh.indices[3 * t];
        const Vec3 a = mesh.positions[i[0]], n = cross(mesh.positions[i[1]] - a, mesh.positions[i[2]] - a);
        for (int k = 0; k < 3; ++k) sums[key(i[k])] = sums[key(i[k])] + n;
    }
    mesh.normals.clear();
    for (std::uint32_t v = 0; v < mesh.positions.size(); ++v) {
        const Vec3 n = normalize(sums[key(v)]);
        mesh.normals.push_back(length(n) > 0 ? n : Vec3{0, 1, 0});
    }
}

Mesh sphere(int rings, float radius) {
    return grid("sphere", 2 * rings, rings, true, false, [=](float u, float v) {
        const float t = v * pi, p = u * 2 * pi;
        return Vec3{std::sin(t) * std::cos(p), -std::cos(t), -std::sin(t) * std::sin(p)} * radius;
    });
}

Mesh open_tube(int around, int along, float radius, float length) {
    return grid("tube", around, along, true, false, [=](float u, float v) {
        return Vec3{radius * std::cos(u * 2 * pi), v * length, -radius * std::sin(u * 2 * pi)};
    });
}

Mesh torus_knot(int along, int around, float size) {
    const auto curve = [=](float u) {
        const float t = u * 2 * pi, r = 2 + std::cos(3 * t);
        return Vec3{r * std::cos(2 * t), r * std::sin(2 * t), -std::sin(3 * t)} * size;
    };
    return grid("torus knot", along, around, true, true, [=](float u, float v) {
        const Vec3 middle = curve(u), ahead = normalize(curve(u + 0.001f) - curve(u - 0.001f));
        const Vec3 up = normalize(cross(ahead, Vec3{0.1f, 0.2f, 1})), side = cross(ahead, up);
        return middle + (up * std::cos(v * 2 * pi) + side * std::sin(v * 2 * pi)) * (0.35f * size);
    });
}

Mesh branching_tube(int cells) {
    // Gibson, Constrained Elastic Surface Nets, 1998, without the elastic part: one vertex in each cell that
    // the surface crosses, at the mean of its crossings.
    const float step = 4.0f / static_cast<float>(cells);
    const auto field = [](Vec3 p) {
        const std::array<float, 4> arms = {capsule(p, {0, -1.7f, 0}, {0, 0, 0}, 0.42f),
                                           capsule(p, {0, 0, 0}, {1.2f, 1.2f, 0.2f}, 0.3f),
                                           capsule(p, {0, 0, 0}, {-1.1f, 1.3f, -0.3f}, 0.22f),
                                           capsule(p, {0, 0, 0}, {0.1f, 0.9f, 1.3f}, 0.26f)};
        float sum = 0;
        for (const float a : arms) sum += std::exp(-8 * a);
        return -std::log(sum) / 8;
    };
    const auto corner = [&](int x, int y, int z) {
        return Vec3{static_cast<float>(x) * step - 2, static_cast<float>(y) * step - 2,
                    static_cast<float>(z) * step - 2};
    };
    const int n = cells + 1;
    std::vector<float> values(static_cast<std::size_t>(n) * n * n);
    const auto at = [&](int x, int y, int z) -> float& {
        return values[(static_cast<std::size_t>(z) * n + y) * n + x];
    };
    for (int z = 0; z < n; ++z)
        for (int y = 0; y < n; ++y)
            for (int x = 0; x < n; ++x) at(x, y, z) = field(corner(x, y, z));
    Mesh mesh;
    mesh.name = "branching tube";
    std::map<std::array<int, 3>, std::uint32_t> cell_vertex;
    const auto vertex = [&](int x, int y, int z) {
        const auto [found, fresh] =
            cell_vertex.try_emplace({x, y, z}, static_cast<std::uint32_t>(mesh.positions.size()));
        if (!fresh) return found->second;
        Vec3 sum;
        float count = 0;
        for (int a = 0; a < 8; ++a)
            for (int axis = 0; axis < 3; ++axis) {
                if (a >> axis & 1) continue;
                const int b = a | 1 << axis;
                const auto place = [&](int c) {
                    return std::array{x + (c & 1), y + (c >> 1 & 1), z + (c >> 2 & 1)};
                };
                const auto p = place(a), q = place(b);
                const float u = at(p[0], p[1], p[2]), v = at(q[0], q[1], q[2]);
                if ((u < 0) == (v < 0)) continue;
                const Vec3 from = corner(p[0], p[1], p[2]), to = corner(q[0], q[1], q[2]);
                sum = sum + from + (to - from) * (u / (u - v));
                ++count;
            }
        mesh.positions.push_back(sum * (1 / count));
        return found->second;
    };
    for (int z = 1; z < cells; ++z)
        for (int y = 1; y < cells; ++y)
            for (int x = 1; x < cells; ++x)
                for (int axis = 0; axis < 3; ++axis) {
                    const int d[3] = {axis == 0, axis == 1, axis == 2};
                    const bool in = at(x, y, z) < 0, out = at(x + d[0], y + d[1], z + d[2]) < 0;
                    if (in == out) continue;
                    // The four cells around the edge, counter-clockwise about the axis.
                    const int e[3] = {d[2], d[0], d[1]}, f[3] = {d[1], d[2], d[0]};
                    const auto cell = [&](int i, int j) {
                        return vertex(x - i * e[0] - j * f[0], y - i * e[1] - j * f[1],
                                      z - i * e[2] - j * f[2]);
                    };
                    std::uint32_t q[4] = {cell(0, 0), cell(1, 0), cell(1, 1), cell(0, 1)};
                    if (!in) std::swap(q[1], q[3]);
                    mesh.indices.insert(mesh.indices.end(), {q[0], q[1], q[2], q[0], q[2], q[3]});
                }
    smooth_normals(mesh);
    return mesh;
}

Mesh terrain(int side, float size) {
    return grid("terrain", side, side, false, false, [=](float u, float v) {
        return Vec3{u * size,
                    size * 0.08f * (std::sin(u * 7) * std::cos(v * 5) + 0.4f * std::sin(u * 19 + v * 11)),
                    -v * size};
    });
}

Mesh noisy_blob(int n, float radius, float noise) {
    Mesh mesh;
    mesh.name = "noisy blob";
    std::map<std::array<int, 3>, std::uint32_t> vertices;
    const auto vertex = [&](int x, int y, int z) {
        const auto [found, fresh] =
            vertices.try_emplace({x, y, z}, static_cast<std::uint32_t>(mesh.positions.size()));
        if (fresh) {
            const auto warp = [&](int a) {
                return std::tan((static_cast<float>(a) / static_cast<float>(n) - 0.5f) * pi / 2);
            };
            const Vec3 d = normalize(Vec3{warp(x), warp(y), warp(z)});
            const float lumps =
                0.25f * std::sin(3 * d.x + 1) * std::cos(4 * d.y) + 0.15f * std::sin(6 * d.z + 2 * d.x);
            const float off = hash(static_cast<std::uint32_t>(x * 7919 + y * 104729 + z * 1299709)) - 0.5f;
            mesh.positions.push_back(d * (radius * (1 + lumps + 2 * noise * off)));
        }
        return found->second;
    };
    for (int face = 0; face < 6; ++face)
        for (int i = 0; i < n; ++i)
            for (int j = 0; j < n; ++j) {
                const auto corner = [&](int a, int b) {
                    switch (face) {
                        case 0:
                            return vertex(a, b, n);
                        case 1:
                            return vertex(n - a, b, 0);
                        case 2:
                            return vertex(n, b, n - a);
                        case 3:
                            return vertex(0, b, a);
                        case 4:
                            return vertex(a, n, n - b);
                        default:
                            return vertex(a, 0, b);
                    }
                };
                const std::uint32_t a = corner(i, j), b = corner(i + 1, j), c = corner(i + 1, j + 1),
                                    d = corner(i, j + 1);
                mesh.indices.insert(mesh.indices.end(), {a, b, c, a, c, d});
            }
    smooth_normals(mesh);
    return mesh;
}

Mesh moebius_strip(int along, int across, float radius) {
    // The last column lies exactly on the first one, upside down.
    const auto place = [=](int i, int j) {
        const bool last = i == along;
        const float p = last ? 0 : static_cast<float>(i) / static_cast<float>(along) * 2 * pi;
        const float h = static_cast<float>(last ? across - j : j) / static_cast<float>(across) - 0.5f;
        const float r = radius * (1.5f + h * std::cos(p / 2));
        return Vec3{r * std::cos(p), radius * h * std::sin(p / 2), -r * std::sin(p)};
    };
    Mesh mesh;
    mesh.name = "moebius strip";
    for (int j = 0; j <= across; ++j)
        for (int i = 0; i <= along; ++i) mesh.positions.push_back(place(i, j));
    for (int j = 0; j < across; ++j)
        for (int i = 0; i < along; ++i) {
            const auto a = static_cast<std::uint32_t>(j * (along + 1) + i),
                       d = a + static_cast<std::uint32_t>(along) + 1;
            mesh.indices.insert(mesh.indices.end(), {a, a + 1, d + 1, a, d + 1, d});
        }
    smooth_normals(mesh);
    return mesh;
}

Mesh non_manifold_heap(int points, int triangles, std::uint32_t seed) {
    Numbers numbers(seed);
    Mesh mesh;
    mesh.name = "heap";
    for (int i = 0; i < points; ++i)
        mesh.positions.push_back(Vec3{numbers.next(), numbers.next(), numbers.next()} * 3);
    for (int i = 0; i < 3 * triangles; ++i)
        mesh.indices.push_back(static_cast<std::uint32_t>(numbers.next() * static_cast<float>(points)) %
                               static_cast<std::uint32_t>(points));
    mesh.normals.assign(mesh.positions.size(), {0, 1, 0});
    return mesh;
}

namespace {

void add_box_faces(Mesh& mesh, Vec3 l, Vec3 h) {
    const Vec3 p[8] = {{l.x, l.y, l.z}, {h.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z},
                       {l.x, l.y, h.z}, {h.x, l.y, h.z}, {l.x, h.y, h.z}, {h.x, h.y, h.z}};
    const int faces[6][4] = {{0, 4, 6, 2}, {5, 1, 3, 7}, {0, 1, 5, 4},
                             {6, 7, 3, 2}, {1, 0, 2, 3}, {4, 5, 7, 6}};
    for (const auto& f : faces) {
        const Vec3 n = normalize(cross(p[f[1]] - p[f[0]], p[f[2]] - p[f[0]]));
        for (const int k : {0, 1, 2, 0, 2, 3}) {
            mesh.indices.push_back(static_cast<std::uint32_t>(mesh.positions.size()));
            mesh.positions.push_back(p[f[k]]);
            mesh.normals.push_back(n);
        }
    }
}

}  // namespace

Mesh unwelded_box() {
    Mesh mesh;
    mesh.name = "unwelded box";
    add_box_faces(mesh, {0, 0, 0}, {2, 1, 3});
    // A flap whose long edge meets two short ones: T-junctions.
    const Vec3 a{2, 1, 0}, b{2, 1, 3}, m{2, 1, 1.3f}, c{3, 1.4f, 3}, d{3, 1.4f, 0};
    for (const auto& t : {std::array{a, m, d}, std::array{m, c, d}, std::array{m, b, c}})
        for (const Vec3 p : t) {
            mesh.indices.push_back(static_cast<std::uint32_t>(mesh.positions.size()));
            mesh.positions.push_back(p);
            mesh.normals.push_back(normalize(cross(t[1] - t[0], t[2] - t[0])));
        }
    return mesh;
}

Mesh boxes(int count, std::uint32_t seed) {
    Numbers numbers(seed);
    Mesh mesh;
    mesh.name = "boxes";
    for (int i = 0; i < count; ++i) {
        const Vec3 low{static_cast<float>(i % 8) * 5, 0, static_cast<float>(i / 8) * 5};
        const auto size = [&] { return 0.1f + 3.9f * numbers.next() * numbers.next(); };
        add_box_faces(mesh, low, low + Vec3{size(), size(), size()});
    }
    return mesh;
}

Surface& add_mesh(Level& level, Mesh mesh) {
    Material material;
    material.name = mesh.name;
    material.base_color = {0.5f, 0.5f, 0.5f};
    Surface surface;
    surface.name = surface.node = mesh.name;
    surface.mesh = static_cast<std::uint32_t>(level.meshes.size());
    surface.material = static_cast<std::uint32_t>(level.materials.size());
    level.meshes.push_back(std::move(mesh));
    level.materials.push_back(material);
    level.surfaces.push_back(surface);
    return level.surfaces.back();
}

Level clutter(std::uint32_t seed) {
    using namespace stasigraph;
    Numbers n(seed + 1);
    Level level;
    level.name = "clutter";
    const auto put = [&](const std::string& name, Vec3 low, Vec3 high) {
        Mesh mesh;
        mesh.name = name;
        add_box_faces(mesh, low, high);
        Surface& s = add_mesh(level, std::move(mesh));
        s.name = s.node = name;
    };
    const auto size = 3 + static_cast<std::size_t>(n.next() * 12);
    for (std::size_t i = 0; i < size; ++i) {
        const Vec3 low{n.next() * 8 - 4, n.next() * 3 - 0.5f, n.next() * 8 - 4},
            high = low + Vec3{0.05f + n.next() * 3, 0.05f + n.next() * 2, 0.05f + n.next() * 3};
        put("box " + std::to_string(i), low, high);
    }
    put("floor", {-8, -1, -8}, {8, -0.5f, 8});
    level.volumes = {box_volume("v", {-4, -0.4f, -4}, {4, 3, 4}, 0.9f)};
    level.sky.radiance = {2000, 2400, 3000};
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = {60000, 56000, 50000},
                            .direction = normalize(Vec3{n.next() - 0.5f, -0.9f, n.next() - 0.5f}),
                            .angular_diameter = 0.0093f});
    complete_level(level);
    return level;
}

}  // namespace test
