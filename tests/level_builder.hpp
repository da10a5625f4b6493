#pragma once
// Levels put together from boxes, sheets and rooms.

#include <cmath>
#include <string>
#include <vector>

#include "stasigraph/stasigraph.hpp"

namespace test {

using namespace stasigraph;

inline const Rgb plaster{0.7f, 0.68f, 0.62f}, ground_color{0.35f, 0.36f, 0.3f}, wood{0.45f, 0.3f, 0.2f};

/// Adds surfaces, a material for each.
class LevelBuilder {
public:
    Level level;

    void triangles(const std::string& name, const std::vector<Vec3>& corners, Rgb albedo,
                   bool double_sided = false) {
        Mesh mesh;
        mesh.name = name;
        for (std::size_t t = 0; t + 2 < corners.size(); t += 3) {
            const Vec3 n = normalize(cross(corners[t + 1] - corners[t], corners[t + 2] - corners[t]));
            for (std::size_t k = 0; k < 3; ++k) {
                mesh.indices.push_back(static_cast<std::uint32_t>(mesh.positions.size()));
                mesh.positions.push_back(corners[t + k]);
                mesh.normals.push_back(n);
            }
        }
        Surface s;
        s.name = s.node = name;
        s.mesh = static_cast<std::uint32_t>(level.meshes.size());
        s.material = static_cast<std::uint32_t>(level.materials.size());
        Material m;
        m.name = name;
        m.base_color = albedo;
        m.double_sided = double_sided;
        level.materials.push_back(m);
        level.meshes.push_back(std::move(mesh));
        level.surfaces.push_back(s);
    }
    void quad(const std::string& name, Vec3 a, Vec3 b, Vec3 c, Vec3 d, Rgb albedo,
              bool double_sided = false) {
        triangles(name, {a, b, c, a, c, d}, albedo, double_sided);
    }
    void floor(float half, float y = 0) {
        quad("ground", {-half, y, half}, {half, y, half}, {half, y, -half}, {-half, y, -half}, ground_color);
    }
    static void add_box(std::vector<Vec3>& out, Vec3 l, Vec3 h, float turn = 0, Vec3 hinge = {}) {
        const Vec3 p[8] = {{l.x, l.y, l.z}, {h.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z},
                           {l.x, l.y, h.z}, {h.x, l.y, h.z}, {l.x, h.y, h.z}, {h.x, h.y, h.z}};
        const int faces[6][4] = {{0, 4, 6, 2}, {5, 1, 3, 7}, {0, 1, 5, 4},
                                 {6, 7, 3, 2}, {1, 0, 2, 3}, {4, 5, 7, 6}};
        const auto turned = [&](Vec3 v) {
            const Vec3 d = v - hinge;
            return hinge + Vec3{d.x * std::cos(turn) + d.z * std::sin(turn), d.y,
                                d.z * std::cos(turn) - d.x * std::sin(turn)};
        };
        for (const auto& f : faces)
            for (const int k : {0, 1, 2, 0, 2, 3}) out.push_back(turned(p[f[k]]));
    }
    void box(const std::string& name, Vec3 low, Vec3 high, Rgb albedo, float turn = 0, Vec3 hinge = {}) {
        std::vector<Vec3> corners;
        add_box(corners, low, high, turn, hinge);
        triangles(name, corners, albedo);
    }
    /// Four walls around a room, each a box of its own; `gap`: a doorway in the east wall from z = gap on,
    /// one metre wide.
    void walls(const std::string& name, Vec3 low, Vec3 high, float t, float gap = 1e9f) {
        box(name + " north", {low.x - t, low.y, low.z - t}, {high.x + t, high.y, low.z}, plaster);
        box(name + " south", {low.x - t, low.y, high.z}, {high.x + t, high.y, high.z + t}, plaster);
        box(name + " west", {low.x - t, low.y, low.z}, {low.x, high.y, high.z}, plaster);
        if (gap > high.z) {
            box(name + " east", {high.x, low.y, low.z}, {high.x + t, high.y, high.z}, plaster);
        } else {
            box(name + " east", {high.x, low.y, low.z}, {high.x + t, high.y, gap}, plaster);
            box(name + " east far", {high.x, low.y, gap + 1}, {high.x + t, high.y, high.z}, plaster);
            box(name + " lintel", {high.x, low.y + 2, gap}, {high.x + t, high.y, gap + 1}, plaster);
        }
    }
    void roof(Vec3 low, Vec3 high, float t) {
        box("roof", {low.x - t, high.y, low.z - t}, {high.x + t, high.y + 0.15f, high.z + t}, plaster);
    }
};

}  // namespace test
