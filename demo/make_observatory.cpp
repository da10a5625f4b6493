// Writes the demo level: a mountain observatory, and a sky for its evening. Usage: make_observatory FILE.glb
// [SKY.exr]. With --faulty GOOD.toml FOLDER its twin with all mistakes that `stasigraph check` knows.
// North is -Z, the floor of the hall lies at y = 0.

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfOutputFile.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "faults.hpp"
#include "lighting.hpp"
#include "materials.hpp"

namespace demo {

namespace {

Point around(double radius, double y, double angle) {
    return {radius * std::cos(angle), y, radius * std::sin(angle)};
}

// ---- the dome hall
// -------------------------------------------------------------------------------------------------

/// The round wall from r0 to r1 with door openings east and west, 64 segments with edges at the door jambs.
Shape hall_wall(double r0, double r1, double top, double door) {
    Shape w;
    const auto angle = [](int i) { return (i + 0.5) * tau / 64; };
    const auto is_door = [](int i) {
        return i >= 62 || i < 1 || (i >= 30 && i < 33);
    };  // segment i: angle(i) .. angle(i + 1)
    for (int i = 0; i < 64; ++i) {
        const double a = angle(i), b = angle(i + 1), low = is_door(i) ? door : -0.05;
        const auto p = [&](double r, double y, double t) { return around(r, y, t); };
        const auto curved = [&](double r, double from, double to, double sign) {
            std::uint16_t v[4];
            int k = 0;
            for (const auto& [t, y] : {std::pair{from, low}, {to, low}, {to, top}, {from, top}})
                v[k++] = w.vertex(p(r, y, t), {sign * std::cos(t), 0, sign * std::sin(t)}, r * t, -y);
            w.indices.insert(w.indices.end(), {v[0], v[1], v[2], v[0], v[2], v[3]});
        };
        curved(r0, a, b, -1);
        curved(r1, b, a, 1);
        w.quad(p(r0, top, a), p(r0, top, b), p(r1, top, b), p(r1, top, a));
        w.quad(p(r1, low, a), p(r1, low, b), p(r0, low, b), p(r0, low, a));
        if (is_door(i) && !is_door((i + 63) % 64))
            w.quad(p(r1, -0.05, a), p(r1, door, a), p(r0, door, a), p(r0, -0.05, a));
        if (is_door(i) && !is_door((i + 1) % 64))
            w.quad(p(r0, -0.05, b), p(r0, door, b), p(r1, door, b), p(r1, -0.05, b));
    }
    return w;
}

/// Half a sphere in slices across the slit: alpha runs from the front horizon over the zenith to the back,
/// beta from one side to the other. The slit leaves out the middle slice from alpha 20 to 105 degrees.
Shape dome_shell(double inner, double outer, double base, double slit_azimuth) {
    Shape d;
    const std::vector<double> beta = {-90, -78,  -66, -54, -43, -33, -24, -15.5, -7.5,
                                      7.5, 15.5, 24,  33,  43,  54,  66,  78,    90};
    const int columns = 36, rows = static_cast<int>(beta.size()) - 1;
    const Point front{std::sin(slit_azimuth), 0, -std::cos(slit_azimuth)}, side{-front.z, 0, front.x};
    const auto at = [&](double r, int i, int j) {
        const double a = 5 * deg * i, b = beta[j] * deg;
        return front * (r * std::cos(b) * std::cos(a)) + side * (r * std::sin(b)) +
               Point{0, base + r * std::cos(b) * std::sin(a), 0};
    };
    const auto keep = [](int i, int j) { return !(j == 8 && i >= 4 && i < 21); };
    d.sheet(
        columns, rows, [&](int i, int j) { return at(outer, i, j); }, keep, false);
    d.sheet(
        columns, rows, [&](int i, int j) { return at(inner, i, j); }, keep, true);
    for (int i = 4; i < 21; ++i) {
        d.quad(at(outer, i, 8), at(outer, i + 1, 8), at(inner, i + 1, 8), at(inner, i, 8));
        d.quad(at(inner, i, 9), at(inner, i + 1, 9), at(outer, i + 1, 9), at(outer, i, 9));
    }
    d.quad(at(inner, 4, 8), at(inner, 4, 9), at(outer, 4, 9), at(outer, 4, 8));
    d.quad(at(outer, 21, 8), at(outer, 21, 9), at(inner, 21, 9), at(inner, 21, 8));
    for (int j = 0; j < rows; ++j) {
        d.quad(at(inner, 0, j + 1), at(inner, 0, j), at(outer, 0, j), at(outer, 0, j + 1));
        d.quad(at(inner, 36, j), at(inner, 36, j + 1), at(outer, 36, j + 1), at(outer, 36, j));
    }
    return d;
}

void add_hall(Scene& s, const Materials& m) {
    Shape floor;
    floor.lathe({{0, -0.6}, {7.5, -0.6}, {7.5, 0}, {0, 0}}, 64);
    s.node("hall_floor", s.mesh("hall_floor", floor, m.tiles));
    s.node("hall_wall", s.mesh("hall_wall", hall_wall(7.0, 7.5, 3.5, 2.3), m.plaster));
    const double slit = 205 * deg;
    s.node("dome", s.mesh("dome", dome_shell(7.1, 7.35, 3.4, slit), m.dome));

    Shape pier;
    pier.lathe({{0, -0.02},
                {1.5, -0.02},
                {1.5, 0.2},
                {1.15, 0.2},
                {1.15, 0.4},
                {0.85, 0.4},
                {0.7, 1.7},
                {0.8, 1.8},
                {0, 1.8}},
               40);
    s.node("pier", s.mesh("pier", pier, m.concrete));
    const Point toward =
        unit({std::sin(slit) * std::cos(48 * deg), std::sin(48 * deg), -std::cos(slit) * std::cos(48 * deg)});
    const Point side = unit(cross(toward, {0, 1, 0})), centre{0, 3.1, 0};
    Shape fork, tube;
    for (double k : {-1.0, 1.0}) {
        const Point foot = side * (0.62 * k) + Point{0, 1.75, 0};
        fork.rod(foot, foot + Point{0, 1.45, 0}, 0.11, 16);
        fork.rod(centre + side * (0.45 * k), centre + side * (0.75 * k), 0.2, 20);
    }
    fork.rod({0, 1.7, 0}, {0, 1.95, 0}, 0.78, 32);
    Shape upright;
    upright.lathe({{0, -1.5},
                   {0.3, -1.5},
                   {0.34, -1.3},
                   {0.46, -1.2},
                   {0.46, 1.9},
                   {0.5, 1.92},
                   {0.5, 2.1},
                   {0.44, 2.1},
                   {0.42, 1.2},
                   {0, 1.2}},
                  40);
    const Point x = side, z = cross(x, toward);
    tube.add(upright, [&](Point p) { return centre + x * p.x + toward * p.y + z * p.z; });
    Shape finder;
    finder.rod(centre + z * -0.62 - toward * 0.4, centre + z * -0.62 + toward * 0.8, 0.09, 16);
    finder.rod(centre - toward * 1.75, centre - toward * 1.45, 0.12, 16);
    s.node("telescope_fork", s.mesh("telescope_fork", fork, m.dark_steel));
    s.node("telescope", s.mesh("telescope", {{tube, m.brass}, {finder, m.dark_steel}}));
}

// ---- the rooms
// -----------------------------------------------------------------------------------------------------

void add_corridor(Scene& s, const Materials& m) {
    Shape floor, walls, ceiling;
    floor.box({7.3, -0.59, -1.49}, {17.09, -0.005, 1.49});
    ceiling.box({7.2, 2.4, -1.5}, {17.2, 2.8, 1.5});
    walls.box({7.1, -0.05, 1.1}, {17.2, 2.45, 1.5});
    walls.box({7.1, -0.05, -1.5}, {10.99, 2.45, -1.1});
    walls.box({13.01, -0.05, -1.5}, {17.2, 2.45, -1.1});
    walls.box({11, 2.05, -1.5}, {13, 2.45, -1.1}, "yzZ");
    s.node("corridor_floor", s.mesh("corridor_floor", floor, m.concrete));
    s.node("corridor_walls", s.mesh("corridor_walls", walls, m.plaster));
    s.node("corridor_ceiling", s.mesh("corridor_ceiling", ceiling, m.plaster));

    Shape plate, bulb;
    plate.box({-0.09, -0.14, 0}, {0.09, 0.14, 0.04}, "xXyYZ");
    Shape half;
    half.lathe({{0, 0}, {0.06, 0}, {0.06, 0.09}, {0.045, 0.14}, {0, 0.16}}, 16);
    bulb.add(half, [](Point p) { return Point{p.x, -0.08 + p.y, 0.1 + p.z}; });
    const int lamp = s.mesh("night_lamp", {{plate, m.dark_steel}, {bulb, m.red_glass}});
    const double xs[] = {8.6, 10.2, 14.0, 16.2};
    int number = 0;
    for (double x : xs)
        for (double side : {-1.0, 1.0}) {
            const std::string n = std::to_string(++number);
            s.node("night_lamp_" + n, lamp, {x, 1.85, side * 1.1}, side > 0 ? tau / 2 : 0);
            s.light("night_light_" + n,
                    {{"type", "point"},
                     {"color", {1.0, 0.08, 0.03}},
                     {"intensity", 6},
                     {"extras", {{"radius", 0.05}}}},
                    {x, 1.85, side * 0.82}, {x, 1, side * 0.82});
        }
}

void add_stair(Scene& s, const Materials& m) {
    Shape steps, walls;
    constexpr int count = 19;
    const double rise = 0.2, run = 0.28, top = -1.45;
    steps.quad({11, -0.005, -1.0}, {13, -0.005, -1.0}, {13, -0.005, top}, {11, -0.005, top});
    for (int i = 0; i < count; ++i) {
        const double y = i == 0 ? -0.005 : -rise * i, z = top - run * i, low = -rise * (i + 1);
        steps.quad({13, low, z}, {11, low, z}, {11, y, z}, {13, y, z});
        steps.quad({11, low, z}, {13, low, z}, {13, low, z - run}, {11, low, z - run});
    }
    const double end = top - run * count, bottom = -rise * count;  // -6.77, -3.8
    steps.quad({11, bottom, end}, {13, bottom, end}, {13, bottom, -7.5}, {11, bottom, -7.5});
    steps.box({10.9, -4.4, -7.5}, {13.1, -4.2, -1.0});
    walls.box({10.4, -4.4, -7.39}, {11, 2.35, -1.11});
    walls.box({13, -4.4, -7.39}, {13.6, 2.35, -1.11});
    walls.box({10.9, -1.49, -7.39}, {13.1, 2.35, -7.0});
    walls.box({10.9, -4.3, -1.05}, {13.1, -0.02, -0.9});
    s.node("stair_steps", s.mesh("stair_steps", steps, m.concrete));
    s.node("stair_walls", s.mesh("stair_walls", walls, m.plaster));
    Shape roof;
    roof.box({10.38, 2.3, -7.42}, {13.62, 2.7, -1.3});
    s.node("stair_roof", s.mesh("stair_roof", roof, m.concrete));

    Shape rail;
    for (int k = 0; k < 3; ++k) rail.rod({0, 0, -0.7 * k}, {0, 0.9, -0.7 * k}, 0.018, 8);
    rail.rod({0, 0.9, 0.06}, {0, 0.9, -1.46}, 0.025, 10);
    rail.rod({0, 0.45, 0}, {0, 0.45, -1.4}, 0.012, 8);
    const int railing = s.mesh("railing", rail, m.dark_steel);
    // On the terrace in rows; on the stair sheared to its slope by steps of one mesh each.
    for (int k = 0; k < 6; ++k)
        s.node("railing_north_" + std::to_string(k + 1), railing, {-18.6 + 1.45 * k, 0, -5.9}, -tau / 4);
    for (int k = 0; k < 6; ++k)
        s.node("railing_south_" + std::to_string(k + 1), railing, {-18.6 + 1.45 * k, 0, 5.9}, -tau / 4);
    Shape stair_rail;
    stair_rail.rod({0, 0.9, 0}, {0, 0.9 + bottom, -run * count}, 0.025, 10);
    for (int k = 0; k <= count; k += 3)
        stair_rail.rod({0, -rise * k, -run * k - 0.1}, {0, 0.88 - rise * k, -run * k - 0.1}, 0.015, 8);
    s.node("stair_railing", s.mesh("stair_railing", stair_rail, m.dark_steel), {11.12, 0, top});
}

void add_vault(Scene& s, const Materials& m) {
    Shape shell, floor;
    const double x0 = 8, x1 = 16, z0 = -14, z1 = -7.4, y = -3.8, spring = -2.4;
    floor.box({x0 - 0.4, y - 0.5, z0 - 0.4}, {x1 + 0.4, y, z1 + 0.1});
    // Walls; the south one has the doorway to the stair.
    shell.box({x0 - 0.5, y - 0.1, z0 - 0.5}, {x0, -0.8, z1 + 0.3});
    shell.box({x1, y - 0.1, z0 - 0.5}, {x1 + 0.5, -0.8, z1 + 0.3});
    shell.box({x0 - 0.4, y - 0.1, z0 - 0.5}, {x1 + 0.4, -1.9, z0});
    shell.box({x0 - 0.4, y - 0.1, z1}, {10.98, -0.85, z1 + 0.35});
    shell.box({13.02, y - 0.1, z1}, {x1 + 0.4, -0.85, z1 + 0.35});
    shell.box({10.9, -1.5, z1}, {13.1, -0.85, z1 + 0.35});
    // The barrel: an ellipse across z, with an outer shell.
    Shape barrel;
    const int parts = 24;
    const auto arc = [&](int i, double grow) {
        const double a = tau / 2 * i / parts, half = (z1 - z0) / 2;
        return Point{0, spring + (1.2 + grow) * std::sin(a), (z0 + z1) / 2 - (half + grow) * std::cos(a)};
    };
    const auto at = [&](double x, Point p) { return Point{x, p.y, p.z}; };
    barrel.sheet(
        1, parts, [&](int i, int j) { return at(i ? x1 + 0.1 : x0 - 0.1, arc(j, 0)); },
        [](int, int) { return true; }, false);
    barrel.sheet(
        1, parts, [&](int i, int j) { return at(i ? x1 + 0.1 : x0 - 0.1, arc(j, 0.35)); },
        [](int, int) { return true; }, true);
    s.node("vault_floor", s.mesh("vault_floor", floor, m.stone));
    s.node("vault_walls", s.mesh("vault_walls", shell, m.stone));
    s.node("vault_ceiling", s.mesh("vault_ceiling", barrel, m.plaster));

    Shape shelf, crate;
    for (double level : {0.1, 0.75, 1.4}) shelf.box({-0.9, level, -0.25}, {0.9, level + 0.04, 0.25});
    for (double px : {-0.88, 0.84})
        for (double pz : {-0.24, 0.2}) shelf.box({px, 0, pz}, {px + 0.04, 1.6, pz + 0.04});
    crate.box({-0.25, 0, -0.2}, {0.25, 0.4, 0.2});
    const int shelves = s.mesh("shelf", shelf, m.wood), crates = s.mesh("crate", crate, m.wood);
    for (int k = 0; k < 3; ++k) {
        s.node("shelf_" + std::to_string(k + 1), shelves, {9.4 + 2.6 * k, y, -13.65});
        s.node("crate_" + std::to_string(2 * k + 1), crates, {9.0 + 2.6 * k, y + 0.79, -13.65}, 0.1 * k);
        s.node("crate_" + std::to_string(2 * k + 2), crates, {9.9 + 2.6 * k, y + 0.14, -13.65}, -0.15 * k);
    }
    s.node("crate_7", crates, {14.6, y, -10.2}, 0.5);
    s.node("crate_8", crates, {14.65, y + 0.4, -10.25}, 0.9);
    for (int k = 0; k < 2; ++k)
        s.light("vault_lamp_" + std::to_string(k + 1),
                {{"type", "spot"},
                 {"color", {1.0, 0.78, 0.5}},
                 {"intensity", 160},
                 {"range", 12},
                 {"spot", {{"innerConeAngle", 0.5}, {"outerConeAngle", 0.95}}},
                 {"extras", {{"radius", 0.06}}}},
                {10 + 4.0 * k, -1.35, -10.7}, {10 + 4.0 * k, -4, -10.9});
}

void add_instruments(Scene& s, const Materials& m) {
    Shape floor, ceiling, white, strong, south, east;
    floor.box({17.08, -0.6, -4.38}, {25.38, 0, 4.38});
    ceiling.box({17.0, 3, -4.4}, {25.4, 3.4, 4.4});
    white.box({17.0, -0.05, -4.4}, {17.4, 3.05, -1.0});
    white.box({17.0, -0.05, 1.0}, {17.4, 3.05, 4.4});
    white.box({17.0, 2.3, -1.05}, {17.4, 3.05, 1.05}, "xXy");
    strong.box({17.3, -0.05, -4.39}, {25.2, 3.05, -4.0});
    south.box({17.3, -0.05, 4.0}, {25.2, 3.05, 4.4});
    east.box({25.0, -0.05, -4.3}, {25.4, 1.1, 4.3});
    east.box({25.0, 2.2, -4.3}, {25.4, 3.05, 4.3});
    east.box({25.0, 1.05, -4.3}, {25.4, 2.25, -2.0});
    east.box({25.0, 1.05, 2.0}, {25.4, 2.25, 4.3});
    s.node("instruments_floor", s.mesh("instruments_floor", floor, m.wood));
    s.node("instruments_ceiling", s.mesh("instruments_ceiling", ceiling, m.plaster));
    s.node("instruments_white_wall", s.mesh("instruments_white_wall", white, m.plaster));
    s.node("instruments_red_wall", s.mesh("instruments_red_wall", strong, m.vermilion));
    s.node("instruments_south_wall", s.mesh("instruments_south_wall", south, m.plaster));
    s.node("instruments_window_wall", s.mesh("instruments_window_wall", east, m.plaster));

    Shape body, screen, chair, panel;
    // A desk with a slanted back that carries the screen; it faces -Z.
    body.box({-0.7, 0, -0.35}, {0.7, 0.75, 0.35});
    const Point a{-0.7, 0.75, 0.05}, b{0.7, 0.75, 0.05}, c{0.7, 1.45, 0.3}, d{-0.7, 1.45, 0.3},
        e{-0.7, 0.75, 0.35}, f{0.7, 0.75, 0.35}, g{0.7, 1.45, 0.35}, h{-0.7, 1.45, 0.35};
    body.quad(b, a, d, c);
    body.quad(e, f, g, h);
    body.quad(d, h, g, c);
    body.quad(a, e, h, d);
    body.quad(f, b, c, g);
    const Point lift = unit(cross(a - b, c - b)) * 0.012, right = unit(a - b), up = unit(c - b);
    const auto on = [&](double u, double v) { return b + right * u + up * v + lift; };
    const Point q[4] = {on(0.1, 0.08), on(1.3, 0.08), on(1.3, 0.68), on(0.1, 0.68)};
    const double uv[4][2] = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};
    for (int k = 0; k < 4; ++k) screen.vertex(q[k], unit(lift), uv[k][0], uv[k][1]);
    screen.indices = {0, 1, 2, 0, 2, 3};
    chair.box({-0.22, 0.43, -0.22}, {0.22, 0.48, 0.22});
    chair.box({-0.22, 0.52, -0.24}, {0.22, 0.95, -0.2});
    for (double px : {-0.2, 0.17})
        for (double pz : {-0.2, 0.17}) chair.box({px, 0, pz}, {px + 0.03, 0.44, pz + 0.03}, "xXzZy");
    chair.box({-0.2, 0.47, -0.235}, {-0.17, 0.54, -0.205});
    chair.box({0.17, 0.47, -0.235}, {0.2, 0.54, -0.205});
    panel.box({-0.6, -0.05, -0.15}, {0.6, 0, 0.15}, "xXyzZ");
    const int consoles = s.mesh("console", {{body, m.console}, {screen, m.screen}}),
              chairs = s.mesh("chair", chair, m.dark_steel), panels = s.mesh("light_panel", panel, m.panel);
    for (int k = 0; k < 4; ++k) {
        s.node("console_" + std::to_string(k + 1), consoles, {18.8 + 1.6 * k, 0, 3.5});
        s.node("chair_" + std::to_string(k + 1), chairs, {18.8 + 1.6 * k + 0.1 * noise(k, 0, 5), 0, 2.6},
               tau / 2 * 0 + 0.5 * (noise(k, 1, 5) - 0.5));
    }
    s.node("chair_5", chairs, {9.8, 0, 0.6}, tau / 2);
    s.node("chair_6", chairs, {-9.0, 0, 3.4}, 0.8);
    s.node("chair_7", chairs, {-9.2, 0, -3.2}, 2.2);
    s.node("chair_8", chairs, {3.6, 0, 3.2}, 3.8);
    for (int k = 0; k < 2; ++k)
        s.node("work_light_" + std::to_string(k + 1), panels, {19.5 + 3.4 * k, 3.0, 0});
}

// ---- outdoors
// ------------------------------------------------------------------------------------------------------

double ground_height(double x, double z) {
    // Level under and around the buildings, hills beyond.
    const double dx = std::max({-21.0 - x, x - 27.0, 0.0}), dz = std::max({-16.0 - z, z - 8.0, 0.0}),
                 d = std::hypot(dx, dz);
    const double t = std::min(1.0, d / 16), away = t * t * (3 - 2 * t);
    return -0.28 + 0.1 * hills(x * 2, z * 2) * std::min(1.0, d / 3 + 0.4) +
           away * (2.2 * hills(x, z) + 0.02 * d * d * 0.16 - 0.02 * d);
}

void add_ground(Scene& s, const Materials& m) {
    // Lines of the grid, some moved so that the hole over the stair ends inside its walls.
    const auto lines = [](std::vector<double> fixed) {
        std::vector<double> l;
        for (int i = 0; i <= 80; ++i) l.push_back(-46 + 1.2 * i);
        for (double f : fixed)
            *std::min_element(l.begin(), l.end(),
                              [&](double a, double b) { return std::abs(a - f) < std::abs(b - f); }) = f;
        return l;
    };
    const std::vector<double> xs = lines({10.7, 13.3}), zs = lines({-7.2, -1.2});
    Shape ground;
    ground.sheet(
        80, 80,
        [&](int i, int j) {
            return Point{xs[i], ground_height(xs[i], zs[j]), zs[j]};
        },
        [&](int i, int j) {
            return !(xs[i] >= 10.7 && xs[i + 1] <= 13.3 && zs[j] >= -7.2 && zs[j + 1] <= -1.2);
        },
        true);
    for (float& v : ground.uvs) v *= 0.25f;
    s.node("ground", s.mesh("ground", ground, m.rock));

    // Boulders: a sphere of six grids, pushed in and out.
    for (int kind = 0; kind < 2; ++kind) {
        Shape boulder;
        for (int face = 0; face < 6; ++face) {
            const auto at = [&](int i, int j) {
                const double u = std::tan((i / 7.0 - 0.5) * tau / 4), v = std::tan((j / 7.0 - 0.5) * tau / 4);
                const Point c = face == 0   ? Point{1, u, v}
                                : face == 1 ? Point{-1, v, u}
                                : face == 2 ? Point{v, 1, u}
                                : face == 3 ? Point{u, -1, v}
                                : face == 4 ? Point{u, v, 1}
                                            : Point{v, u, -1};
                const Point n = unit(c);
                return n * (1 + 0.28 * hills(9 * n.x + 40 * kind, 9 * n.z + 7 * n.y) +
                            0.1 * hills(31 * n.x, 31 * n.y + 17 * n.z));
            };
            boulder.sheet(
                7, 7, at, [](int, int) { return true; }, false);
        }
        const int mesh = s.mesh("boulder_" + std::string(1, static_cast<char>('a' + kind)), boulder, m.rock);
        for (int k = 0; k < 18; ++k) {
            const double a = tau * (k + 0.7 * noise(k, kind, 31)) / 18, r = 27 + 14 * noise(k, kind, 32),
                         x = 3 + r * std::cos(a), z = -4 + r * 0.85 * std::sin(a),
                         size = 0.5 + 1.1 * noise(k, kind, 33);
            s.node("boulder_" + std::string(1, static_cast<char>('a' + kind)) + "_" + std::to_string(k + 1),
                   mesh, {x, ground_height(x, z) + 0.15 * size, z}, tau * noise(k, kind, 34),
                   {size, size * 0.8, size});
        }
    }

    Shape trunk, cards;
    trunk.lathe({{0, -0.4}, {0.17, -0.4}, {0.13, 1.5}, {0.04, 4.6}, {0, 4.7}}, 10);
    for (int ring = 0; ring < 7; ++ring)
        for (int k = 0; k < 6; ++k) {
            const double y = 1.1 + 0.55 * ring, reach = 1.75 - 0.21 * ring,
                         a = tau * (k + 0.5 * (ring % 2) + 0.3 * noise(ring, k, 41)) / 6;
            const Point out{std::cos(a), 0, std::sin(a)}, side{-out.z, 0, out.x}, root{0, y + 0.12, 0},
                tip = out * reach + Point{0, y - 0.3, 0};
            const double half = 0.55 * reach * 0.62;
            const Point n = unit(cross(side, tip - root));
            const Point p[4] = {root - side * half, root + side * half, tip + side * half, tip - side * half};
            const double uv[4][2] = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};
            std::uint16_t i[4];
            for (int c = 0; c < 4; ++c) i[c] = cards.vertex(p[c], n, uv[c][0], uv[c][1]);
            cards.indices.insert(cards.indices.end(), {i[0], i[1], i[2], i[0], i[2], i[3]});
        }
    const int pine = s.mesh("pine", {{trunk, m.bark}, {cards, m.needles}});
    for (int k = 0; k < 22; ++k) {
        const double a = tau * (k + 0.8 * noise(k, 1, 51)) / 22, r = 25 + 12 * noise(k, 2, 51),
                     x = 2 + r * std::cos(a), z = -3 + r * 0.9 * std::sin(a),
                     size = 0.9 + 0.9 * noise(k, 3, 51);
        s.node("pine_" + std::to_string(k + 1), pine, {x, ground_height(x, z), z}, tau * noise(k, 4, 51),
               {size, size, size});
    }
    const double near[3][3] = {{-21.5, 3.5, 1.25}, {-20.8, -4.6, 1.0}, {-12.5, -8.6, 1.35}};
    for (int k = 0; k < 3; ++k)
        s.node("pine_" + std::to_string(23 + k), pine,
               {near[k][0], ground_height(near[k][0], near[k][1]), near[k][1]}, 1.1 * k,
               {near[k][2], near[k][2], near[k][2]});
}

void add_terrace(Scene& s, const Materials& m) {
    Shape slab, pool, parapet, water;
    const double top = -0.005;
    slab.box({-19, -0.7, -6.2}, {-15, top, 6.2}, "xyYzZ");
    slab.box({-15, -0.7, -6.2}, {-10.5, top, -1.5}, "yYz");
    slab.box({-15, -0.7, 1.5}, {-10.5, top, 6.2}, "yYZ");
    slab.box({-10.5, -0.7, -6.2}, {-4.4, top, 6.2}, "XyYzZ");
    pool.quad({-15, -0.35, 1.5}, {-10.5, -0.35, 1.5}, {-10.5, -0.35, -1.5}, {-15, -0.35, -1.5});
    pool.quad({-15, -0.35, 1.5}, {-15, -0.35, -1.5}, {-15, top, -1.5}, {-15, top, 1.5});
    pool.quad({-10.5, -0.35, -1.5}, {-10.5, -0.35, 1.5}, {-10.5, top, 1.5}, {-10.5, top, -1.5});
    pool.quad({-15, -0.35, -1.5}, {-10.5, -0.35, -1.5}, {-10.5, top, -1.5}, {-15, top, -1.5});
    pool.quad({-10.5, -0.35, 1.5}, {-15, -0.35, 1.5}, {-15, top, 1.5}, {-10.5, top, 1.5});
    water.quad({-15, -0.1, 1.5}, {-10.5, -0.1, 1.5}, {-10.5, -0.1, -1.5}, {-15, -0.1, -1.5});
    parapet.box({-19.1, -0.1, -6.3}, {-18.75, 0.85, 6.3});
    parapet.box({-18.8, -0.1, -6.3}, {-9.6, 0.35, -6.0});
    parapet.box({-18.8, -0.1, 6.0}, {-9.6, 0.35, 6.3});
    parapet.box({-9.65, -0.1, -6.3}, {-4.2, 0.85, -5.95});
    parapet.box({-9.65, -0.1, 5.95}, {-4.2, 0.85, 6.3});
    s.node("terrace", s.mesh("terrace", slab, m.stone));
    s.node("pool", s.mesh("pool", pool, m.tiles));
    s.node("pool_water", s.mesh("pool_water", water, m.water));
    s.node("parapet", s.mesh("parapet", parapet, m.stone));
}

void add_moving(Scene& s, const Materials& m) {
    Shape body, head, tray, wheels;
    body.lathe({{0, 0},
                {0.16, 0},
                {0.17, 0.1},
                {0.15, 0.5},
                {0.19, 0.85},
                {0.17, 1.05},
                {0.23, 1.35},
                {0.2, 1.45},
                {0.07, 1.5},
                {0, 1.5}},
               24);
    Shape ball;
    std::vector<std::array<double, 2>> half;
    for (int i = 0; i <= 12; ++i)
        half.push_back({i == 0 || i == 12 ? 0.0 : 0.12 * std::sin(tau / 2 * i / 12),
                        1.64 - 0.14 * std::cos(tau / 2 * i / 12)});
    head.lathe(half, 20);
    s.node("figure", s.mesh("figure", {{body, m.cloth}, {head, m.skin}}), {-2.6, 0, 2.4})["extras"]["part"] =
        "moving";
    tray.box({-0.45, 0.3, -0.3}, {0.45, 0.36, 0.3});
    tray.box({-0.45, 0.75, -0.3}, {0.45, 0.81, 0.3});
    for (double px : {-0.43, 0.39})
        for (double pz : {-0.28, 0.24}) tray.box({px, 0.1, pz}, {px + 0.04, 0.76, pz + 0.04});
    tray.rod({-0.45, 0.95, -0.28}, {-0.45, 0.95, 0.28}, 0.02, 10);
    for (double px : {-0.4, 0.4})
        for (double pz : {-0.25, 0.25}) wheels.rod({px, 0.08, pz - 0.02}, {px, 0.08, pz + 0.02}, 0.08, 16);
    s.node("trolley", s.mesh("trolley", {{tray, m.paint}, {wheels, m.dark_steel}}), {15.2, 0, 0.3},
           0.35)["extras"]["part"] = "moving";
}

}  // namespace

std::vector<unsigned char> make_observatory(bool faulty) {
    Scene s;
    const Materials m = make_materials(s);
    add_hall(s, m);
    add_corridor(s, m);
    add_stair(s, m);
    add_vault(s, m);
    add_instruments(s, m);
    add_ground(s, m);
    add_terrace(s, m);
    add_moving(s, m);
    add_lighting(s);
    s.light("torch",
            {{"type", "spot"},
             {"color", {1.0, 0.1, 0.04}},
             {"intensity", 30},
             {"range", 9},
             {"spot", {{"innerConeAngle", 0.2}, {"outerConeAngle", 0.45}}},
             {"extras", {{"radius", 0.02}}}},
            {-2.35, 1.2, 2.25}, {0.9, 0.4, 0.3});
    s.light("terrace_flood",
            {{"type", "spot"},
             {"color", {1.0, 0.9, 0.75}},
             {"intensity", 900},
             {"range", 16},
             {"spot", {{"innerConeAngle", 0.5}, {"outerConeAngle", 0.8}}},
             {"extras", {{"radius", 0.08}}}},
            {-7.6, 3.25, 3.4}, {-13.5, 0, -0.5});
    const double azimuth = 212 * deg, elevation = 42 * deg;
    const Point from{std::sin(azimuth) * std::cos(elevation), std::sin(elevation),
                     -std::cos(azimuth) * std::cos(elevation)};
    s.light("sun", {{"type", "directional"}, {"color", {1.0, 0.95, 0.88}}, {"intensity", 90000}}, {0, 30, 0},
            Point{0, 30, 0} - from);
    s.camera("dome", {-4.6, 1.7, -4.2}, {0.8, 2.4, 1.0}, 62 * deg);
    s.camera("corridor", {7.6, 1.6, 0.35}, {16.5, 1.2, -0.15}, 58 * deg);
    s.camera("instruments", {24.7, 1.8, 0.2}, {17.6, 1.15, 0.1}, 66 * deg);
    s.camera("terrace", {-21.5, 3.2, 9.5}, {-9.0, 1.4, 0.0}, 52 * deg);
    s.camera("vault", {15.2, -2.2, -8.2}, {9.2, -3.1, -13.2}, 62 * deg);
    if (faulty) add_faults(s, m);
    return s.glb();
}

}  // namespace demo

static bool write_sky(const char* path) {
    const int width = 256, height = 128;
    const std::vector<float> pixels = demo::evening_sky(width, height);
    Imf::Header header(width, height);
    header.compression() = Imf::ZIP_COMPRESSION;
    Imf::FrameBuffer buffer;
    for (std::size_t c = 0; c < 3; ++c) {
        const std::string name(1, "RGB"[c]);
        header.channels().insert(name, Imf::Channel(Imf::FLOAT));
        buffer.insert(
            name, Imf::Slice::Make(Imf::FLOAT, pixels.data() + c, header.dataWindow(), 3 * sizeof(float), 0));
    }
    try {
        Imf::OutputFile out(path, header);
        out.setFrameBuffer(buffer);
        out.writePixels(height);
    } catch (const std::exception& e) {
        std::fprintf(stderr, "%s\n", e.what());
        return false;
    }
    return true;
}

static bool write_file(const std::filesystem::path& path, const std::vector<unsigned char>& bytes) {
    std::ofstream out(path, std::ios::binary);
    out.write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    return out.good();
}

/// The twin's scene and sheets beside copies of what else the good level's sheet names.
static bool write_twin(const std::filesystem::path& good, const std::filesystem::path& folder) {
    namespace fs = std::filesystem;
    std::ifstream in(good);
    const std::string sheet{std::istreambuf_iterator<char>(in), {}};
    fs::create_directories(folder);
    bool fine = in.good() && write_file(folder / "observatory.glb", demo::make_observatory(true));
    for (const auto& [file, text] : demo::faulty_sheets(sheet))
        fine = fine && write_file(folder / file, {text.begin(), text.end()});
    for (const fs::directory_entry& e : fs::directory_iterator(good.parent_path()))
        if (e.path().extension() == ".ies")
            fs::copy_file(e.path(), folder / e.path().filename(), fs::copy_options::overwrite_existing);
    return fine;
}

int main(int argc, char** argv) {
    const std::string first = argc > 1 ? argv[1] : "";
    try {
        if (argc == 4 && first == "--faulty") return write_twin(argv[2], argv[3]) ? 0 : 1;
    } catch (const std::exception& e) {
        std::fprintf(stderr, "%s\n", e.what());
        return 1;
    }
    if (first.empty() || first.starts_with("--") || argc > 3) {
        std::fprintf(stderr,
                     "usage: make_observatory FILE.glb [SKY.exr]\n"
                     "       make_observatory --faulty GOOD.toml FOLDER\n");
        return 2;
    }
    return write_file(first, demo::make_observatory(false)) && (argc == 2 || write_sky(argv[2])) ? 0 : 1;
}
