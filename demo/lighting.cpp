#include "lighting.hpp"

#include <algorithm>

namespace demo {

namespace {

void add_windbreak(Scene& s, int steel) {
    const Color colors[3] = {{0.93, 0.22, 0.16}, {0.95, 0.66, 0.14}, {0.16, 0.36, 0.9}};
    const char* names[3] = {"rose", "amber", "blue"};
    Shape frame;
    for (int k = 0; k < 4; ++k) {
        const double x = -16.4 + 1.25 * k;
        frame.box({x - 0.03, 0, 4.57}, {x + 0.03, 2.1, 4.63});
    }
    frame.box({-16.37, 2.05, 4.57}, {-12.68, 2.1, 4.63}, "yYzZ");
    s.node("windbreak_frame", s.mesh("windbreak_frame", frame, steel));
    for (int k = 0; k < 3; ++k) {
        Json& m = s.material(std::string("glass_") + names[k], colors[k], 0.1);
        m["extensions"]["KHR_materials_transmission"]["transmissionFactor"] = 0.85;
        Shape pane;
        const double x = -16.37 + 1.25 * k;
        pane.box({x, 0.06, 4.59}, {x + 1.19, 2.05, 4.61});
        s.node(std::string("windbreak_") + names[k],
               s.mesh(std::string("pane_") + names[k], pane, s.last_material()));
    }
}

void add_sail(Scene& s, int steel) {
    Json& m = s.material("sailcloth", {0.86, 0.82, 0.7}, 0.9);
    m["alphaMode"] = "BLEND";
    m["doubleSided"] = true;
    m["pbrMetallicRoughness"]["baseColorFactor"] = {0.86, 0.82, 0.7, 0.6};
    Shape cloth, poles;
    cloth.sheet(
        8, 8,
        [](int i, int j) {
            const double u = i / 8.0, v = j / 8.0;
            return Point{-10.2 + 3.6 * u,
                         2.75 + 0.25 * (u + v - 2 * u * v) - 0.5 * u * (1 - u) - 0.4 * v * (1 - v),
                         -2.2 - 3.2 * v};
        },
        [](int, int) { return true; }, false);
    for (const auto& [x, z, y] :
         {std::array{-10.2, -2.2, 2.75}, {-6.6, -2.2, 3.0}, {-10.2, -5.4, 3.0}, {-6.6, -5.4, 2.75}})
        poles.rod({x, -0.01, z}, {x, y, z}, 0.03, 10);
    s.node("sail", s.mesh("sail", cloth, s.last_material()));
    s.node("sail_poles", s.mesh("sail_poles", poles, steel));
}

/// A sign over the west door: a crescent, three stars and a ridge of mountains in a line of light.
void add_sign(Scene& s, int steel) {
    const int picture = s.texture("sign", 128, 32, 3, [](int x, int y) {
        const double u = x + 0.5, v = y + 0.5;
        const double ridge = 24 - 9 * std::max(0.0, 1 - std::abs(u - 58) / 22) -
                             12 * std::max(0.0, 1 - std::abs(u - 84) / 26) -
                             5 * std::max(0.0, 1 - std::abs(u - 34) / 16);
        const bool line = u > 14 && u < 114 && std::abs(v - ridge) < 1.3;
        const bool moon = std::hypot(u - 20, v - 10) < 6 && std::hypot(u - 23, v - 9) > 5.2;
        bool star = false;
        for (const auto& [sx, sy] : {std::array{40.0, 7.0}, {64.0, 5.0}, {108.0, 9.0}})
            star = star || std::abs(u - sx) + std::abs(v - sy) < 2.2;
        if (line) return std::array<double, 4>{1, 0.42, 0.1, 1};
        if (moon || star) return std::array<double, 4>{0.5, 0.9, 1, 1};
        return std::array<double, 4>{0.0, 0.0, 0.0, 1};
    });
    Json& m = s.material("neon", {0.03, 0.03, 0.04}, 0.4);
    m["emissiveFactor"] = {1, 1, 1};
    m["emissiveTexture"] = {{"index", picture}};
    m["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = 2600;
    const int neon = s.last_material();
    Shape face, box;
    const double x = -7.72, low = 2.48, high = 2.98, half = 1.0;
    const Point corner[4] = {{x, low, -half}, {x, low, half}, {x, high, half}, {x, high, -half}};
    const double uv[4][2] = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};
    for (int k = 0; k < 4; ++k) face.vertex(corner[k], {-1, 0, 0}, uv[k][0], uv[k][1]);
    face.indices = {0, 1, 2, 0, 2, 3};
    box.box({x + 0.005, low - 0.04, -half - 0.04}, {x + 0.15, high + 0.04, half + 0.04});
    s.node("sign", s.mesh("sign", {{box, steel}, {face, neon}}));
}

void add_bollards(Scene& s, int steel, int frosted) {
    Shape post, glow;
    post.lathe({{0, 0}, {0.09, 0}, {0.07, 0.04}, {0.05, 0.06}, {0.05, 0.62}, {0, 0.62}}, 16);
    glow.lathe({{0, 0.62}, {0.045, 0.62}, {0.045, 0.7}, {0, 0.7}}, 12);
    s.node("bollard_1", s.mesh("bollard", {{post, steel}, {glow, frosted}}), {-17.6, 0, -4.9});
    // The others are places alone: the rig of the bake sheet brings posts and lamps.
    const double at[7][2] = {{-17.6, -2.4}, {-17.6, 2.4}, {-17.6, 4.9}, {-12.7, -5.2},
                             {-12.2, 5.2},  {-9.2, -2.3}, {-9.2, 2.3}};
    for (int k = 0; k < 7; ++k)
        s.node("bollard_" + std::to_string(k + 2), -1, {at[k][0], 0, at[k][1]}, 0.7 * k);
}

}  // namespace

void add_lighting(Scene& s) {
    s.material("fitting_steel", {0.22, 0.22, 0.23}, 0.5);
    const int steel = s.last_material();
    s.material("diffuser", {0.82, 0.82, 0.8}, 0.6);
    const int diffuser = s.last_material();
    Json& glowing = s.material("frosted_glow", {0.8, 0.78, 0.72}, 0.6);
    glowing["emissiveFactor"] = {1, 0.72, 0.42};
    glowing["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = 900;
    const int frosted = s.last_material();
    add_windbreak(s, steel);
    add_sail(s, steel);
    add_sign(s, steel);
    add_bollards(s, steel, frosted);

    // The screen that the telescope's flat fields are taken of: a disc of light before a round board.
    Shape board;
    board.lathe({{0, 0}, {0.72, 0}, {0.72, 0.05}, {0, 0.05}}, 40);
    Shape standing;
    standing.add(board, [](Point p) { return Point{p.x, p.z, -p.y}; });
    s.node("flat_field_board", s.mesh("flat_field_board", standing, diffuser), {0, 1.75, -6.72});
    s.place("flat_field", {0, 1.75, -6.7}, {0, 1.75, 0});

    // Over the stair a panel, over the shelves of the vault two tubes, with what they are mounted on.
    Shape panel, batten;
    panel.box({-0.3, 0.02, -0.6}, {0.3, 0.07, 0.6});
    s.node("stair_panel_housing", s.mesh("stair_panel_housing", panel, diffuser), {12, 2.2, -4.2});
    s.place("stair_panel", {12, 2.2, -4.2}, {12, 0, -4.2});
    batten.box({-0.78, 0.03, -0.03}, {0.78, 0.07, 0.03});
    const int battens = s.mesh("tube_batten", batten, steel);
    for (int k = 0; k < 2; ++k) {
        const Point at{9.9 + 3.9 * k, -2.06, -13.2};
        s.node("vault_batten_" + std::to_string(k + 1), battens, at);
        s.place("vault_tube_" + std::to_string(k + 1), at, at + Point{0, -1, 0});
    }
    // Two washers under the ceiling of the instruments' room, aimed at the red wall.
    for (int k = 0; k < 2; ++k) {
        const Point at{19.6 + 3.4 * k, 2.85, -3.1};
        Shape can;
        can.rod({0, 0.02, 0}, {0, 0.15, 0}, 0.07, 14);
        s.node("washer_can_" + std::to_string(k + 1),
               s.mesh("washer_can_" + std::to_string(k + 1), can, steel), at);
        s.place("washer_" + std::to_string(k + 1), at, at + Point{0, -1, -0.55});
    }
    // A card that nobody sees, over the doorway of the vault: it stands in for what comes down the stair.
    Json& fill = s.material("fill_glow", {0, 0, 0}, 1);
    fill["emissiveFactor"] = {1, 0.8, 0.6};
    fill["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = 120;
    Shape card;
    card.quad({12.8, -2.1, -7.5}, {11.2, -2.1, -7.5}, {11.2, -1.6, -7.5}, {12.8, -1.6, -7.5});
    s.node("fill_card", s.mesh("fill_card", card, s.last_material()))["extras"]["part"] = "bake-only";
}

std::vector<float> evening_sky(int width, int height) {
    const double azimuth = 262 * deg, elevation = 7 * deg;
    const Point sun{std::sin(azimuth) * std::cos(elevation), std::sin(elevation),
                    -std::cos(azimuth) * std::cos(elevation)};
    std::vector<float> pixels;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double v = tau / 2 * (y + 0.5) / height, a = tau * ((x + 0.5) / width - 0.5);
            const Point d{std::sin(v) * std::sin(a), std::cos(v), -std::sin(v) * std::cos(a)};
            const double near = std::max(-1.0, std::min(1.0, dot(d, sun))), away = std::acos(near);
            double rgb[3];
            if (d.y < 0) {
                for (double& c : rgb) c = 60 * (1 + 0.6 * d.y);
            } else {
                const double low = std::exp(-4.5 * d.y), warm = std::exp(-away * 1.7) * low;
                const double band = 0.5 + 0.5 * hills(30 * a, 90 * d.y + 20),
                             cloud = std::max(0.0, band - 0.62) * low * 2;
                rgb[0] = 240 + 600 * low + 5200 * warm + 1800 * cloud * std::exp(-away);
                rgb[1] = 420 + 620 * low + 2500 * warm + 900 * cloud * std::exp(-away);
                rgb[2] = 900 + 500 * low + 700 * warm + 500 * cloud * std::exp(-away);
                const double glare = 30000 * std::exp(-away / (2.2 * deg));
                rgb[0] += glare;
                rgb[1] += 0.6 * glare;
                rgb[2] += 0.25 * glare;
            }
            // The disc spreads over the pixels it touches; all of it is about 9000 lux.
            const double edge = 0.8 * deg;
            if (away < edge) {
                const double disc = 4.2e7 * (1 - 0.4 * away / edge);
                rgb[0] += disc;
                rgb[1] += 0.62 * disc;
                rgb[2] += 0.28 * disc;
            }
            for (double c : rgb) pixels.push_back(static_cast<float>(c));
        }
    return pixels;
}

}  // namespace demo
