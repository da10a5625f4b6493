#include "materials.hpp"

#include <algorithm>
#include <cmath>

namespace demo {

namespace {

/// A tangent-space normal map from heights, in pixels, that repeat.
int normal_map(Scene& s, const std::string& name, int side, const std::function<double(int, int)>& height) {
    return s.texture(name, side, side, 3, [=](int x, int y) {
        const auto at = [&](int px, int py) { return height((px + side) % side, (py + side) % side); };
        const double dx = (at(x + 1, y) - at(x - 1, y)) / 2, dy = (at(x, y + 1) - at(x, y - 1)) / 2,
                     l = std::sqrt(dx * dx + dy * dy + 1);
        return std::array<double, 4>{0.5 - 0.5 * dx / l, 0.5 + 0.5 * dy / l, 0.5 + 0.5 / l, 1};
    });
}

/// Dressed stone in courses, half a metre by a quarter, with bevelled joints.
double stone_height(int x, int y) {
    const int course = y / 32, u = (x + 32 * (course % 2)) % 64, v = y % 32;
    const double edge = std::min({u, 63 - u, v, 31 - v}), bevel = std::min(1.0, edge / 4);
    return 3.2 * bevel * (2 - bevel) + 0.9 * noise((x + 32 * (course % 2)) / 64, course, 31) * bevel +
           0.8 * noise(x / 3, y / 3, 32);
}

}  // namespace

Materials make_materials(Scene& s) {
    Materials m{};
    const int tiles = s.texture("tiles", 64, 64, 3, [](int x, int y) {
        const bool joint = x % 32 < 1 || y % 32 < 1;
        const double v = joint ? 0.42 : 0.72 + 0.08 * noise(x / 32, y / 32, 7) + 0.03 * noise(x, y, 8);
        return std::array<double, 4>{v, v * 0.97, v * 0.91, 1};
    });
    const int rock = s.texture("rock", 128, 128, 3, [](int x, int y) {
        // Blended with itself across the border, so that it repeats.
        const auto at = [](double u, double v) { return hills(u * 0.9, v * 0.9); };
        const double u = x / 128.0,
                     v = 0.55 + 0.16 * ((1 - u) * at(x, y) + u * at(x - 128, y)) + 0.06 * noise(x, y, 3);
        return std::array<double, 4>{v, v * 0.96, v * 0.9, 1};
    });
    const int planks = s.texture("planks", 64, 64, 3, [](int x, int y) {
        const double v =
            (y % 16 < 1 ? 0.5 : 0.8) + 0.1 * noise(x / 8, y / 16, 11) + 0.06 * noise(x / 2, y, 12);
        return std::array<double, 4>{v, v * 0.82, v * 0.62, 1};
    });
    const int needles = s.texture("needles", 64, 128, 4, [](int x, int y) {
        // A spray: a stem, and needles that lean away from it, shorter toward the tip.
        const double t = y / 127.0,
                     half = 28 * (1 - std::pow(1 - t, 2)) * (0.55 + 0.45 * noise(0, y / 5, 21)),
                     d = std::abs(x - 31.5);
        const bool on = d < 1.5 || (d < half && std::fmod(y + d * 0.8, 5.0) < 2.9 && y < 124);
        const double v = 0.5 + 0.3 * noise(x / 3, y / 3, 22);
        return std::array<double, 4>{v * 0.45, v * 0.7, v * 0.38, on ? 1.0 : 0.0};
    });
    const int screen = s.texture("screen", 64, 64, 3, [](int x, int y) {
        const bool line = std::abs(32 - y + 14 * std::sin(x * 0.22) * std::cos(x * 0.05)) < 1.6,
                   grid = x % 16 == 0 || y % 16 == 0;
        const double v = line ? 1.0 : grid ? 0.45 : 0.28;
        return std::array<double, 4>{line ? 0.9 : v * 0.3, v, line ? 0.7 : v * 0.85, 1};
    });
    const auto plain = [&](const char* name, Color c, double roughness = 0.9, int texture = -1,
                           double metallic = 0) {
        s.material(name, c, roughness, texture, metallic);
        return s.last_material();
    };
    m.tiles = plain("tiles", {0.75, 0.72, 0.68}, 0.7, tiles);
    m.plaster = plain("plaster", {0.8, 0.79, 0.76});
    m.vermilion = plain("vermilion", {0.72, 0.13, 0.05});
    m.concrete = plain("concrete", {0.42, 0.41, 0.4});
    m.dome = plain("dome_metal", {0.68, 0.7, 0.72}, 0.5);
    m.brass = plain("brass", {0.75, 0.55, 0.25}, 0.35, -1, 1);
    m.dark_steel = plain("dark_steel", {0.12, 0.12, 0.13}, 0.5);
    m.wood = plain("wood", {0.55, 0.42, 0.3}, 0.8, planks);
    m.rock = plain("rock", {0.55, 0.53, 0.5}, 1, rock);
    m.stone = plain("stone", {0.62, 0.58, 0.52}, 0.95, rock);
    s.last()["normalTexture"] = {{"index", normal_map(s, "stone_normals", 128, stone_height)}};
    m.water = plain("water", {0.03, 0.06, 0.07}, 0.05);
    m.bark = plain("bark", {0.16, 0.1, 0.07});
    Json& n = s.material("needles", {0.9, 0.95, 0.85}, 1, needles);
    n["alphaMode"] = "MASK";
    n["alphaCutoff"] = 0.5;
    n["doubleSided"] = true;
    m.needles = s.last_material();
    const auto glowing = [&](const char* name, Color base, Color glow, double nit, int texture) {
        Json& g = s.material(name, base, 0.6);
        g["emissiveFactor"] = {glow.r, glow.g, glow.b};
        g["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = nit;
        if (texture >= 0) g["emissiveTexture"] = {{"index", texture}};
        return s.last_material();
    };
    m.red_glass = glowing("red_glass", {0.5, 0.05, 0.03}, {1, 0.06, 0.02}, 220, -1);
    m.screen = glowing("screen", {0.02, 0.02, 0.02}, {0.55, 1, 0.85}, 260, screen);
    m.panel = glowing("light_panel", {0.8, 0.8, 0.8}, {1, 0.9, 0.75}, 1800, -1);
    m.console = plain("console", {0.2, 0.23, 0.25}, 0.6);
    m.cloth = plain("cloth", {0.2, 0.28, 0.45});
    m.skin = plain("skin", {0.62, 0.42, 0.32});
    m.paint = plain("yellow_paint", {0.8, 0.55, 0.05}, 0.5);
    m.canvas = plain("canvas", {0.45, 0.42, 0.33});
    return m;
}

}  // namespace demo
