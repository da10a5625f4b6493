#include "faults.hpp"

#include <limits>
#include <stdexcept>

namespace demo {

namespace {

constexpr double y0 = 1.2;  ///< The top of the yard.

/// Turns the winding of a shape's triangles from a number on.
void turn_from(Shape& shape, std::size_t first) {
    for (std::size_t i = 3 * first; i + 2 < shape.indices.size(); i += 3)
        std::swap(shape.indices[i + 1], shape.indices[i + 2]);
}

Shape crate(double size) {
    Shape c;
    c.box({-size / 2, 0, -size / 2}, {size / 2, size, size / 2});
    return c;
}

/// Four panels beside each other that face +Z, with lightmap UVs: each panel's square in the unit square.
Shape panels(const std::vector<std::array<double, 4>>& squares) {
    Shape p;
    for (std::size_t k = 0; k < squares.size(); ++k) {
        const double x = 0.55 * static_cast<double>(k);
        p.quad({x, 0, 0}, {x + 0.5, 0, 0}, {x + 0.5, 0.5, 0}, {x, 0.5, 0});
        const auto& [u, v, w, h] = squares[k];
        for (const auto& [a, b] : {std::pair{u, v}, {u + w, v}, {u + w, v + h}, {u, v + h}}) {
            p.lightmap_uvs.push_back(static_cast<float>(a));
            p.lightmap_uvs.push_back(static_cast<float>(b));
        }
    }
    return p;
}

/// A closed room of thick walls; `gap`: the width of a slit between two parts of its north wall; `hole`:
/// the side of a square hole in its roof.
Shape shed(double gap, double hole) {
    Shape w;
    const double a = 2, t = 0.25, h = 2.4;
    w.box({-a - t, 0, -a - t}, {a - 1, h, -a});  // north, in two parts
    w.box({a - 1 + gap, 0, -a - t}, {a, h, -a});
    w.box({-a - t, 0, a}, {a + t, h, a + t});  // south
    w.box({-a - t, 0, -a}, {-a, h, a});        // west
    w.box({a, 0, -a - t}, {a + t, h, a});      // east
    const double e = a + t + 0.1, r = hole / 2, top = h + 0.2;
    if (hole <= 0) {
        w.box({-e, h, -e}, {e, top, e});
    } else {
        w.box({-e, h, -e}, {-r, top, e});
        w.box({r, h, -e}, {e, top, e});
        w.box({-r, h, -e}, {r, top, -r});
        w.box({-r, h, r}, {r, top, e});
    }
    return w;
}

void add_buildings(Scene& s, const Materials& m) {
    Shape yard, buried, hut, screen, long_wall, costly, coarse;
    yard.box({-1, -2, 11}, {27, y0, 24});
    s.node("yard", s.mesh("yard", yard, m.stone));
    buried.box({0, -1.6, 12}, {26, 0.8, 23});
    s.node("unseen_slab", s.mesh("unseen_slab", buried, m.concrete));
    // Three walls of 4 cm and a roof, open to the north.
    hut.box({-0.8, 0, -0.8}, {-0.76, 1.9, 0.8});
    hut.box({0.76, 0, -0.8}, {0.8, 1.9, 0.8});
    hut.box({-0.8, 0, 0.76}, {0.8, 1.9, 0.8});
    hut.box({-0.85, 1.9, -0.85}, {0.85, 1.95, 0.85});
    s.node("thin_hut", s.mesh("thin_hut", hut, m.plaster), {2, y0, 20});
    screen.quad({-1, 0, 0}, {1, 0, 0}, {1, 2, 0}, {-1, 2, 0});
    s.node("sheet_screen", s.mesh("sheet_screen", screen, m.plaster), {5, y0, 16}, 0.4);
    s.node("gap_shed", s.mesh("gap_shed", shed(0.012, 0), m.plaster), {10, y0, 20});
    s.node("hole_shed", s.mesh("hole_shed", shed(0, 0.16), m.plaster), {16, y0, 20});
    long_wall.box({-5, 0, -0.15}, {5, 1.2, 0.15});
    s.node("long_wall", s.mesh("long_wall", long_wall, m.concrete), {12, y0, 11.6});
    costly.box({0, 0, 0}, {7, 3, 0.3});
    s.node("costly_panel", s.mesh("costly_panel", costly, m.concrete), {19.5, y0, 23.5});
    coarse.box({-2, -0.2, -1.5}, {2, 0, 1.5});
    s.node("coarse_paving", s.mesh("coarse_paving", coarse, m.stone), {-3, y0, 17});
}

void add_things(Scene& s, const Materials& m) {
    Shape turned = crate(0.8);
    turn_from(turned, 10);
    s.node("turned_crate", s.mesh("turned_crate", turned, m.wood), {1, y0, 13});
    s.node("overlap_panels", s.mesh("overlap_panels", panels({{0, 0, .6, .6}, {.4, .4, .6, .6}}), m.concrete),
           {2.5, y0 + 0.6, 13});
    s.node("range_panels", s.mesh("range_panels", panels({{0, 0, .5, .5}, {.8, 0, .5, .5}}), m.concrete),
           {4.5, y0 + 0.6, 13});
    s.node("margin_panels",
           s.mesh("margin_panels", panels({{0, 0, .499, .9}, {.501, 0, .499, .9}}), m.concrete),
           {6.5, y0 + 0.6, 13});
    s.material("too_white", {0.98, 0.98, 0.98});
    s.node("white_block", s.mesh("white_block", crate(0.7), s.last_material()), {8.5, y0, 13.5});
    s.material("too_black", {0.004, 0.004, 0.004});
    s.node("black_block", s.mesh("black_block", crate(0.7), s.last_material()), {10, y0, 13.5});
    Shape dot;
    dot.box({-0.01, 0, -0.01}, {0.01, 0.02, 0.01});
    s.material("spark", {0, 0, 0})["emissiveFactor"] = {1.0, 0.6, 0.3};
    s.last()["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = 20000.0;
    s.node("tiny_spark", s.mesh("tiny_spark", dot, s.last_material()), {11.5, y0, 13.5});
    Shape vane;
    vane.box({-0.5, 1.0, -0.03}, {0.5, 1.3, 0.03});
    vane.rod({0, 0, 0}, {0, 1.2, 0}, 0.04, 12);
    s.node("swinging_vane", s.mesh("swinging_vane", vane, m.paint), {13, y0, 13.5});
    s.swing("swinging_vane");
    s.node("parked_cart", s.mesh("parked_cart", crate(0.6), m.paint), {14.5, y0, 13.5})["extras"]["part"] =
        "moving";
    const int twin = s.mesh("twin_crate", crate(0.6), m.wood);
    s.node("twin_crate_1", twin, {16, y0, 13.5}, 0.3);
    s.node("twin_crate_2", twin, {16, y0, 13.5}, 0.3);
    s.node("mirrored_crate", s.mesh("mirrored_crate", crate(0.6), m.wood), {17.5, y0, 13.5}, 0, {-1, 1, 1});
    s.node("pressed_crate", twin, {19, y0, 13.5}, 0, {1, 0, 1});
}

/// Meshes that are broken by themselves.
void add_broken(Scene& s, const Materials& m) {
    Shape broken = crate(0.6), flat = crate(0.6), long_normals = crate(0.6);
    // One triangle more than the crate needs, so that it stays closed.
    const double nan = std::numeric_limits<double>::quiet_NaN();
    const std::uint16_t bad = broken.vertex({0, nan, 0}, {0, 1, 0}, 0, 0);
    broken.indices.insert(broken.indices.end(), {0, 1, bad});
    flat.indices.insert(flat.indices.end(), {0, 0, 1});
    for (float& n : long_normals.normals) n *= 3;
    s.node("broken_crate", s.mesh("broken_crate", broken, m.wood), {20, y0, 13.5});
    s.node("flat_crate", s.mesh("flat_crate", flat, m.wood), {21.5, y0, 13.5});
    s.node("long_normals_crate", s.mesh("long_normals_crate", long_normals, m.wood), {23, y0, 13.5});
}

void add_lamps(Scene& s) {
    const auto point = [&](const char* name, double candela, double range, Point at) {
        Json light = {{"type", "point"}, {"color", {1.0, 0.9, 0.8}}, {"intensity", candela}};
        if (range > 0) light["range"] = range;
        s.light(name, light, at, at + Point{0, -1, 0});
    };
    point("buried_lamp", 120, 0, {12, y0 + 0.6, 11.6});  // in the long wall
    point("close_lamp", 120, 0, {10, y0 + 1.2, 17.71});  // 4 cm before the gap shed
    point("short_lamp", 120, 0.5, {4, y0 + 2.5, 16.5});
    point("wrong_unit_lamp", 2e6, 0, {24, y0 + 2.5, 18});
    s.light("second_sun", {{"type", "directional"}, {"color", {1.0, 0.8, 0.6}}, {"intensity", 3}}, {0, 30, 0},
            {10, 20, 10});
}

std::string replaced(std::string text, const std::string& from, const std::string& to) {
    const std::size_t at = text.find(from);
    if (at == std::string::npos) throw std::runtime_error("the good sheet has no " + from);
    return text.replace(at, from.size(), to);
}

constexpr const char* mistakes = R"(
# ---- one mistake each

[check]
least_lux = 5.0             # nights are darker: too-dark

[[surface]]
match = "overlap_panels"
unwrap = "keep"
[[surface]]
match = "costly_panel"
density = 16.0              # costly-surface
[[surface]]
match = "coarse_paving"
density = 0.1               # density-jump
[[light]]
match = "stair_lamp_*"      # sheet-no-match
kelvin = 2200

[[set]]
name = "magenta"
tint = { sky = [1.0, 0.15, 1.0] }   # tinted-light

[[volume]]
name    = "yard"
low     = [-1.0, 1.25, 11.0]
high    = [27.0, 4.0, 24.0]
spacing = 5.0               # volume-coarse
[[volume]]
name    = "sheds"
low     = [8.1, 1.3, 18.1]
high    = [17.9, 3.5, 21.9]
spacing = 1.0
[[volume]]
name    = "clouds"          # volume-outside
low     = [0.0, 40.0, 0.0]
high    = [20.0, 60.0, 20.0]
spacing = 5.0

[[reflection]]
name = "through_walls"      # reflection-crosses-wall
low  = [8.1, 1.3, 18.1]
high = [17.9, 3.5, 21.9]
capture = [10.0, 2.4, 20.0]

[[zone]]
name = "annex"              # zones-overlap with the instruments
low  = [20.0, -0.2, -4.5]
high = [25.5, 3.5, 4.5]
[[zone]]
name = "yard corner"        # zone-leaves-out: the block is in it and taken out
low  = [9.4, 1.0, 12.9]
high = [10.6, 4.0, 14.1]
except = ["black_block"]
)";

}  // namespace

void add_faults(Scene& s, const Materials& m) {
    add_buildings(s, m);
    add_things(s, m);
    add_broken(s, m);
    add_lamps(s);
    s.camera("yard", {-2.5, 6.5, 9.5}, {13, 1.0, 19}, 58 * tau / 360);
}

std::vector<FaultySheet> faulty_sheets(const std::string& good) {
    const std::string with = replaced(replaced(good, "page    = 1024", "page    = 200           # page-size"),
                                      "margin  = 4", "mips_safe = 5           # page-margin");
    constexpr const char* alone = "[level]\nscene = \"observatory.glb\"\n";
    return {
        {"faulty.toml", with + mistakes},
        {"dark.toml", std::string("# no-light\n") + alone +
                          "[sky]\nradiance = [1.0, 1.0, 1.0]\n[[set]]\nname = \"dark\"\n"
                          "gain = { sky = 0.0, sun = 0.0, lamps = 0.0, glow = 0.0 }\n"},
        {"moving.toml",
         std::string("# no-static\n") + alone +
             "[[surface]]\nmatch = \"*\"\npart = \"moving\"\n[sky]\nradiance = [900.0, 900.0, 900.0]\n"},
        {"realtime.toml",
         std::string("# all-realtime\n") + alone +
             "[[surface]]\nmatch = \"*\"\ngain = 0.0\n[[light]]\nmatch = \"*\"\nbake = \"realtime\"\n"},
    };
}

}  // namespace demo
