// What check() finds, and what it leaves alone: each rule on a small level that breaks it and on one that
// does not.

#include "yard.hpp"

namespace test::check_rules_tests {

namespace {

/// The yard with one panel of two quads, with lightmap UVs of its own: their low and high corners.
Level panel(std::array<float, 4> first, std::array<float, 4> second,
            UnwrapMode unwrap = UnwrapMode::automatic) {
    Level level = yard();
    Surface& s = add_surface(level, "panel",
                             {{0, 1, 0},
                              {1, 1, 0},
                              {1, 2, 0},
                              {0, 1, 0},
                              {1, 2, 0},
                              {0, 2, 0},
                              {1.5f, 1, 0},
                              {2.5f, 1, 0},
                              {2.5f, 2, 0},
                              {1.5f, 1, 0},
                              {2.5f, 2, 0},
                              {1.5f, 2, 0}},
                             grey);
    s.unwrap = unwrap;
    std::vector<Vec2> uvs;
    for (const auto& [u0, v0, u1, v1] : {first, second})
        for (const Vec2 p : {Vec2{u0, v0}, {u1, v0}, {u1, v1}, {u0, v0}, {u1, v1}, {u0, v1}})
            uvs.push_back(p);
    level.meshes[s.mesh].edit([&](Mesh& m) { m.uv1 = uvs; });
    return level;
}

void make_moving(Level& level) {
    for (Surface& s : level.surfaces) s.part = Part::moving;
}

Zone zone(const char* name, Vec3 low, Vec3 high) {
    return {.name = name, .boxes = {box_volume(name, low, high, 1)}};
}

/// One rule: a level that breaks it, what is named and about where; and one that only looks like it.
struct Rule {
    const char* id;
    Severity severity;
    const char* name;
    std::optional<Vec3> at;
    std::function<Level()> broken, sound;
};

const std::vector<Rule>& rules() {
    using enum Severity;
    static const auto crate = [](Level& l) { add_box(l, "crate", {1, 0, 1}, {2, 1, 2}, false, grey); };
    static const std::vector<Rule> all = {
        {"lamp-buried", error, "lamp", Vec3{1.5f, 0.5f, 1.5f},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.lights.push_back(lamp({1.5f, 0.5f, 1.5f}));
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.lights.push_back(lamp({1.5f, 1.5f, 1.5f}));
             });
         }},
        {"lamp-close", warning, "slab", Vec3{0, 0, 0},
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 0.03f, 0}));
              }); },
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 0.4f, 0}));
              }); }},
        {"lamp-reaches-nothing", warning, "lamp", Vec3{0, 3, 0},
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 3, 0}, 100, 1));
              }); },
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 3, 0}, 100, 5));
              }); }},
        {"lamp-reaches-nothing", warning, "lamp", Vec3{0, 3, 0},
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.push_back(lamp({0, 3, 0}));
                 l.lights.back().kind = LightKind::spot;
                 l.lights.back().direction = {0, 1, 0};
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.push_back(lamp({0, 3, 0}));
                 l.lights.back().kind = LightKind::spot;
                 l.lights.back().outer_cone = 0.02f;
             });
         }},
        {"many-suns",
         warning,
         "sun 2",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.push_back(l.lights[0]);
                 l.lights.back().name = "sun 2";
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.push_back(l.lights[0]);
                 l.lights.back().group = group_index(l, "second");
                 complete_level(l);
                 l.sets[0].gains[l.lights.back().group] = 0;
             });
         }},
        {"no-light",
         error,
         "yard",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.clear();
                 l.sky.radiance = {};
             });
         },
         [] { return with(yard(), [](Level& l) { l.lights.clear(); }); }},
        {"no-light",
         error,
         "night",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 complete_level(l);
                 l.sets.push_back({.name = "night", .gains = std::vector<float>(l.groups.size(), 0.0f)});
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 complete_level(l);
                 l.sets.push_back({.name = "night", .gains = {0.0f, 0.001f}});
             });
         }},
        // The game lights that set itself.
        {"no-light",
         error,
         "night",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 complete_level(l);
                 l.sets.push_back({.name = "night", .gains = std::vector<float>(l.groups.size(), 0.0f)});
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.lights.push_back(lamp({0, 2, 0}));
                 l.lights.back().role = BakeRole::realtime;
                 l.lights.back().group = group_index(l, "torch");
                 complete_level(l);
                 l.sets.push_back({.name = "night", .gains = std::vector<float>(l.groups.size(), 0.0f)});
                 l.sets.back().gains[l.lights.back().group] = 1;
             });
         }},
        {"no-static", error, "yard", {}, [] { return with(yard(), make_moving); }, yard},
        {"all-realtime",
         error,
         "yard",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 l.lights[0].role = BakeRole::realtime;
                 l.sky.radiance = {};
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.lights[0].role = BakeRole::bounce;
                 l.sky.radiance = {};
             });
         }},
        {"thin-wall",
         error,
         "slab",
         {},
         [] { return with(hut(0.04f), [](Level& l) { l.lightmap.cut = Cut::off; }); },
         [] { return hut(0.25f); }},
        // A post is no wall, though it has a bright and a dark side.
        {"thin-wall",
         error,
         "south",
         {},
         [] { return with(hut(0.04f), [](Level& l) { l.lightmap.cut = Cut::off; }); },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "post", {0, 0, 0}, {0.06f, 2, 0.06f}, false, grey);
             });
         }},
        {"sheet-wall", error, "screen", Vec3{0, 0, 0},
         [] {
             return with(yard(), [](Level& l) {
                 add_quad(l, "screen", {-1, 0, 0}, {1, 0, 0}, {1, 2, 0}, {-1, 2, 0}, grey);
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "screen", {-1, 0, -0.3f}, {1, 2, 0}, false, grey);
             });
         }},
        {"gap", warning, "north 1", Vec3{0.506f, 1.2f, -2.1f}, [] { return shed(0, 0.012f); },
         [] { return shed(0, -0.05f); }},
        // A crate before a wall leaves a slit, but nothing gets out.
        {"gap", warning, "north 2", Vec3{0.506f, 1.2f, -2.1f}, [] { return shed(0, 0.012f); },
         [] {
             return with(shed(0, -0.05f), [](Level& l) {
                 add_box(l, "crate", {-0.5f, 0, -1.98f}, {0.5f, 1, -1}, false, grey);
             });
         }},
        {"open-room", warning, "roof 1", Vec3{0, 2.4f, 0}, [] { return shed(0.16f, -0.05f); },
         [] { return shed(1.2f, -0.05f); }},
        {"flipped-faces",
         error,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.meshes.back().edit([](Mesh& m) { std::swap(m.indices[0], m.indices[1]); });
             });
         },
         [] { return with(yard(), crate); }},
        {"flipped-faces", error, "screen", Vec3{0, 1.5f, -5.9f},
         [] {
             return with(yard(), [](Level& l) {
                 add_quad(l, "screen", {2, 1, -5.9f}, {-2, 1, -5.9f}, {-2, 2, -5.9f}, {2, 2, -5.9f}, grey);
             });
         },
         [] {
             return with(yard(), [](Level& l) {  // seen from both sides
                 add_quad(l, "screen", {1, 1, 0}, {-1, 1, 0}, {-1, 2, 0}, {1, 2, 0}, grey);
             });
         }},
        {"uv-range",
         warning,
         "panel",
         {},
         [] {
             return panel({0, 0, 0.4f, 0.4f}, {0.5f, 0, 1.5f, 0.4f});
         },
         [] {
             return panel({0, 0, 0.4f, 0.4f}, {0.6f, 0, 1, 0.4f});
         }},
        {"uv-overlap",
         error,
         "panel",
         {},
         [] {
             return panel({0, 0, 0.6f, 0.6f}, {0.4f, 0.4f, 1, 1}, UnwrapMode::keep);
         },
         [] {
             return panel({0, 0, 0.6f, 0.6f}, {0.4f, 0.4f, 1, 1}, UnwrapMode::make);
         }},
        {"uv-margin",
         warning,
         "panel",
         {},
         [] {
             return panel({0, 0, 0.495f, 0.5f}, {0.505f, 0, 1, 0.5f});
         },
         [] {
             return panel({0, 0, 0.3f, 0.3f}, {0.7f, 0, 1, 0.3f});
         }},
        {"density-jump", warning, "more", Vec3{6, 0, 0},
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "more", {6, -0.3f, -2}, {9, 0, 2}, false, grey).density = 0.1f;
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "more", {6, -0.3f, -2}, {9, 0, 2}, false, grey).density = 0.5f;
             });
         }},
        {"page-margin",
         warning,
         "[lightmap]",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 l.lightmap.page = 128;
                 l.lightmap.margin = 32;
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.lightmap.page = 512;
                 l.lightmap.margin = 32;
             });
         }},
        {"costly-surface",
         warning,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().density = 16;
                 add_box(l, "other", {-2, 0, 1}, {-1, 1, 2}, false, grey).density = 8;
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().density = 16;
                 add_box(l, "other", {-2, 0, 1}, {-1, 1, 2}, false, grey).density = 16;
             });
         }},
        {"unseen-surface",
         warning,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "crate", {-3, -0.25f, -3}, {3, -0.05f, 3}, false, grey).density = 4;
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "crate", {-3, 0, -3}, {3, 0.2f, 3}, false, grey).density = 4;
             });
         }},
        {"albedo-bright",
         warning,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "crate", {1, 0, 1}, {2, 1, 2}, false, {0.97f, 0.97f, 0.97f});
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "crate", {1, 0, 1}, {2, 1, 2}, false, {0.88f, 0.88f, 0.88f});
             });
         }},
        {"albedo-dark",
         warning,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "crate", {1, 0, 1}, {2, 1, 2}, false, {0.004f, 0.004f, 0.004f});
             });
         },
         [] {
             return with(yard(), [](Level& l) {  // a lamp's glass may be black
                 add_box(l, "crate", {1, 0, 1}, {2, 1, 2}, false, {}, {500, 500, 500});
             });
         }},
        {"tinted-light",
         warning,
         "sun",
         {},
         [] { return with(yard(), [](Level& l) {
                  l.lights[0].color = Rgb{1, 0.2f, 0.9f} * 50000;
              }); },
         [] { return with(yard(), [](Level& l) { l.lights[0].color = kelvin_to_rgb(2500) * 50000; }); }},
        {"tinted-light",
         warning,
         "sky",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 complete_level(l);
                 l.sets[0].tints.assign(l.groups.size(), {1, 1, 1});
                 l.sets[0].tints[l.sky.group] = {0.1f, 1, 0.2f};
             });
         },
         [] { return with(yard(), [](Level& l) { l.sky.radiance = kelvin_to_rgb(20000) * 5000; }); }},
        {"odd-unit",
         warning,
         "sun",
         {},
         [] { return with(yard(), [](Level& l) {
                  l.lights[0].color = {3, 3, 3};
              }); },
         [] { return with(yard(), [](Level& l) {
                  l.lights[0].color = {0.25f, 0.25f, 0.25f};
              }); }},  // a moon
        {"odd-unit", warning, "lamp", Vec3{0, 2, 0},
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 2, 0}, 2e6f));
              }); },
         [] { return with(yard(), [](Level& l) {
                  l.lights.push_back(lamp({0, 2, 0}, 2000));
              }); }},
        {"small-emitter",
         warning,
         "spark",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "spark", {0, 1, 0}, {0.01f, 1.01f, 0.01f}, false, grey, {9000, 9000, 9000});
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 add_box(l, "spark", {0, 1, 0}, {0.2f, 1.2f, 0.2f}, false, grey, {9000, 9000, 9000});
             });
         }},
        {"animated-but-static",
         error,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().animated = true;
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().animated = true;
                 l.surfaces.back().part = Part::moving;
             });
         }},
        {"moving-without-animation",
         hint,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().part = Part::moving;
             });
         },
         [] { return with(yard(), crate); }},
        {"coplanar-faces",
         error,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 crate(l);
                 l.surfaces.back().name = "twin";
             });
         },
         [] {
             return with(yard(), [](Level& l) {  // stacked: their faces touch where nobody looks
                 crate(l);
                 add_box(l, "upper", {1, 1, 1}, {2, 2, 2}, false, grey);
             });
         }},
        {"mirrored",
         hint,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().to_world.x = {-1, 0, 0};
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.surfaces.back().to_world.x = {-1, 0, 0};
                 l.surfaces.back().to_world.z = {0, 0, -1};
             });
         }},
        {"volume-coarse",
         warning,
         "all",
         {},
         [] { return with(yard(), [](Level& l) { l.volumes[0].spacing = 4; }); },
         yard},
        {"volume-outside",
         warning,
         "high",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 l.volumes.push_back(box_volume("high", {-1, 20, -1}, {1, 25, 1}, 1));
             });
         },
         [] {
             return with(hut(0.25f), [](Level& l) {
                 l.volumes[0] = box_volume("high", {-5, 0.1f, -5}, {5, 2.1f, 5}, 1);
             });
         }},
        {"reflection-crosses-wall",
         warning,
         "mirror",
         {},
         [] {
             return with(shed(0, -0.05f), [](Level& l) {
                 l.reflections.push_back({.name = "mirror",
                                          .middle = {0, 1.2f, 0},
                                          .half = {4, 1.1f, 4},
                                          .capture = {0, 1.2f, 0},
                                          .parallax = false});
             });
         },
         [] {
             return with(shed(0, -0.05f), [](Level& l) {
                 add_box(l, "crate", {0.5f, 0, 0.5f}, {1.5f, 1, 1.5f}, false, grey);
                 l.reflections.push_back({.name = "mirror",
                                          .middle = {0, 1.2f, 0},
                                          .half = {2, 1.2f, 2},
                                          .capture = {0, 1.2f, 0},
                                          .parallax = false});
             });
         }},
        {"zones-overlap", warning, "b", Vec3{1, 1, 0},
         [] {
             return with(yard(), [](Level& l) {
                 l.zones = {zone("a", {-5, -0.5f, -5}, {2, 2.5f, 5}),
                            zone("b", {0, -0.5f, -5}, {5, 2.5f, 5})};
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 l.zones = {zone("a", {-5, -0.5f, -5}, {0, 2.5f, 5}),
                            zone("b", {0, -0.5f, -5}, {5, 2.5f, 5})};
             });
         }},
        {"zone-leaves-out",
         warning,
         "crate",
         {},
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.zones = {zone("a", {-5, -0.5f, -5}, {5, 2.5f, 5})};
                 l.zones[0].left_out = {1};
             });
         },
         [] {
             return with(yard(), [](Level& l) {
                 crate(l);
                 l.zones = {zone("a", {-6.1f, -0.5f, -6.1f}, {6.1f, 2.5f, 6.1f})};
             });
         }},
        {"too-dark",
         error,
         "base",
         {},
         [] { return with(shed(0, -0.05f), [](Level& l) { l.check.least_light = 5; }); },
         [] { return with(hut(0.25f), [](Level& l) { l.check.least_light = 5; }); }},
    };
    return all;
}

}  // namespace

TEST(Check, finds_nothing_in_a_sound_yard) {
    const Checked c = checked(yard());
    EXPECT_TRUE(c.findings.empty()) << listed(c);
}

SLOW_TEST(Check, finds_each_mistake_where_it_is_and_not_what_only_looks_like_it) {
    for (const Rule& rule : rules()) {
        SCOPED_TRACE(rule.id);
        const Checked bad = checked(rule.broken()), good = checked(rule.sound());
        const std::vector<Finding> found = of(bad, rule.id);
        ASSERT_FALSE(found.empty()) << rule.id << " is not found; instead:\n" << listed(bad);
        bool named = false, near = !rule.at;
        for (const Finding& f : found) {
            named = named || std::find(f.names.begin(), f.names.end(), rule.name) != f.names.end();
            near = near || (f.at && length(*f.at - *rule.at) < 1.2f);
            EXPECT_FALSE(f.what.empty() || f.remedy.empty()) << rule.id;
        }
        EXPECT_EQ(found[0].severity, rule.severity) << rule.id;
        EXPECT_TRUE(named) << rule.id << " does not name " << rule.name << ": " << found[0].what;
        EXPECT_TRUE(near) << rule.id << " is elsewhere: " << found[0].at->x << " " << found[0].at->y << " "
                          << found[0].at->z;
        EXPECT_TRUE(of(good, rule.id).empty()) << rule.id << " is found where it is not:\n" << listed(good);
    }
}

TEST(Check, knows_a_kind_for_everything_it_finds) {
    for (const Rule& rule : rules()) {
        const auto kinds = finding_kinds();
        EXPECT_TRUE(std::any_of(kinds.begin(), kinds.end(), [&](auto& k) {
            return std::string(k.id) == rule.id;
        })) << rule.id;
    }
}

}  // namespace test::check_rules_tests
