// Lamps that probes tell by themselves: closed forms, shadows, files.

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <fstream>

#include "codec/files.hpp"
#include "light/direct.hpp"
#include "probe/lamps.hpp"
#include "results/result_parts.hpp"
#include "runtime/half.hpp"
#include "runtime/lamp_sum.hpp"
#include "shapes.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/runtime.h"
#include "stasigraph/runtime.hpp"
#include "support.hpp"

namespace test::probe_lamps_tests {
namespace {

namespace rt = stasigraph::runtime;

/// A floor far below, a volume of probes two metres apart, and lamps in between.
Level open_air(const Light& lamp) {
    Level level;
    add_floor(level, 0.5f, {0, 0, 0});
    level.surfaces[0].to_world.origin = {0, -300, 0};
    level.volumes.push_back(box_volume("air", {-12, -2, -2}, {12, 2, 2}, 2));
    level.quality.tier = Tier::glance;
    level.lights.push_back(lamp);
    return level;
}

Light lamp_at(Vec3 place, float candela = 100) {
    Light lamp;
    lamp.name = "lamp";
    lamp.position = place;
    lamp.color = {candela, 0.5f * candela, 0.1f * candela};
    return lamp;
}

Rgb told(const Baked& baked, Vec3 at, Vec3 normal, std::size_t set = 0) {
    return probe_irradiance(probe_weights(baked.probes, at), baked.sets[set].probes, baked.sets[set].lamps,
                            at, normal);
}

TEST(ProbeLamps, alone_in_the_open_are_told_within_a_hundredth_at_every_distance) {
    const Vec3 stands{0.37f, 0.21f, -0.13f};
    const Bake b = bake_level(open_air(lamp_at(stands)));
    Numbers numbers(3);
    for (int i = 0; i < 400; ++i) {
        const float far = 0.3f * std::pow(10 / 0.3f, static_cast<float>(i) / 400);
        // Within the net, whose height and depth are four metres.
        const Vec3 aside =
            far * 0.9f < 1.5f
                ? normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f})
                : normalize(Vec3{i % 2 ? 1.0f : -1.0f, 0.1f * numbers.next(), 0.1f * numbers.next()});
        const Vec3 at = stands + aside * far;
        for (const Vec3 n : {aside * -1.0f, normalize(aside * -1.0f + Vec3{0, 1, 0}), Vec3{0, 1, 0}}) {
            const float exact = 100 * std::max(0.0f, dot(n, aside * -1.0f)) / (far * far);
            const Rgb e = told(b.baked, at, n);
            EXPECT_NEAR(e.r, exact, 0.01f * 100 / (far * far)) << far;
            EXPECT_NEAR(e.g, 0.5f * exact, 0.005f * 100 / (far * far)) << far;
        }
    }
}

TEST(ProbeLamps, behind_a_post_are_dark_there_and_bright_beside_it) {
    Level level = open_air(lamp_at({0, 0, 0}));
    // A wide post between the lamp and the probes on its right.
    add_box(level, "post", {0.9f, -3, -3}, {1.1f, 3, 3}, false, {0.0f, 0.0f, 0.0f});
    const Bake b = bake_level(level);
    constexpr float half_spacing = 1;
    for (float far = 1.3f; far < 10; far += 0.1f) {
        const float bright = told(b.baked, {-far, 0, 0}, {1, 0, 0}).r,
                    dark = told(b.baked, {far, 0, 0}, {-1, 0, 0}).r;
        EXPECT_NEAR(bright, 100 / (far * far), 0.01f * 100 / (far * far)) << far;
        if (far > 1.1f + half_spacing) {
            EXPECT_LT(dark, 0.02f * 100 / (far * far)) << far;
        }
    }
}

TEST(ProbeLamps, have_sharp_shadows_whose_edge_is_where_it_is_between_probes) {
    Level level = open_air(lamp_at({0, 0.2f, 0}));
    add_box(level, "plate", {0.95f, -6, -6}, {1.05f, 0.22f, 6}, false, {0.0f, 0.0f, 0.0f});
    const Bake b = bake_level(level);
    const auto near_edge = [&](float x, float over) {
        const Vec3 at{x, 0.2f + 0.02f / 1.05f * x + over, 0.1f};
        const Vec3 to = Vec3{0, 0.2f, 0} - at;
        const float far = length(to);
        return told(b.baked, at, to * (1 / far)).r * far * far / 100;
    };
    for (float x = 2; x < 9; x += 0.25f) {
        EXPECT_NEAR(near_edge(x, 0.25f), 1, 0.05f) << x;
        EXPECT_NEAR(near_edge(x, -0.25f), 0, 0.05f) << x;
    }
}

/// One of each kind, of some size, as a level may have it.
std::vector<Light> all_kinds() {
    std::vector<Light> lights;
    for (const LightKind kind : {LightKind::sun, LightKind::point, LightKind::spot, LightKind::rectangle,
                                 LightKind::disc, LightKind::tube}) {
        Light l = lamp_at({0.3f, 1.2f, -0.4f}, 50);
        l.kind = kind;
        l.direction = normalize(Vec3{0.3f, -1, 0.2f});
        l.across = normalize(cross(l.direction, {0, 0, 1}));
        l.inner_cone = 0.5f;
        l.outer_cone = 0.9f;
        l.angular_diameter = 0.05f;
        if (kind == LightKind::rectangle) {
            l.width = 0.8f;
            l.height = 0.4f;
        } else if (kind == LightKind::tube) {
            l.width = 1.2f;
            l.radius = 0.02f;
        } else if (kind != LightKind::sun) {
            l.radius = kind == LightKind::disc ? 0.4f : 0.05f;
        }
        lights.push_back(l);
        l.range = 4;
        if (kind != LightKind::sun) lights.push_back(l);
    }
    return lights;
}

TEST(ProbeLamps, of_every_kind_are_worked_out_as_they_are_sampled) {
    Level level;
    Profile profile;
    profile.name = "fan";
    profile.plane = {0, 0.5f * pi, pi, 1.5f * pi, 2 * pi};
    profile.angle = {0, 0.4f, 0.8f, 1.6f};
    profile.candela = {100, 80, 30, 5, 100, 60, 10, 0, 100, 80, 30, 5, 100, 60, 10, 0, 100, 80, 30, 5};
    complete_profile(profile);
    const std::vector<Profile> profiles{profile};
    std::vector<Light> lights = all_kinds();
    lights.push_back(lights[3]);
    lights.back().profile = 0;
    Numbers numbers(5);
    for (const Light& light : lights) {
        ProbeLamps lamps;
        add_lamp(lamps, light, profiles);
        const rt::LampView view = view_of(lamps);
        for (int i = 0; i < 60; ++i) {
            const Vec3 at{3 * numbers.next() - 1.5f, 1.6f * numbers.next() - 1.4f, 3 * numbers.next() - 1.5f},
                n = normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f});
            const Receiver r{.position = at, .normal = n, .face_normal = n};
            double sum = 0, across = 0;
            draw_light(light, profiles, r, {4096, 77}, [&](Vec3 w, Rgb e, float) {
                sum += static_cast<double>(e.r * r.weight(w));
                across += static_cast<double>(e.r);
            });
            const float e =
                light.color.r * rt::lamp_light(view, lamps.lamp[0], {at.x, at.y, at.z}, {n.x, n.y, n.z});
            // A tube near by is thick, a disc is told as an octagon, what the horizon cuts is rounded, and a
            // range counts from the middle.
            EXPECT_NEAR(e, sum, 0.01 * across + 0.03 * sum + 1e-6)
                << static_cast<int>(light.kind) << " " << light.range << " " << at.x << " " << at.y << " "
                << at.z;
        }
    }
}

TEST(ProbeLamps, beyond_those_a_shader_gets_go_into_its_coefficients_without_a_jump) {
    ProbeLamps lamps;
    for (int i = 0; i < 7; ++i)
        add_lamp(lamps, lamp_at({1.5f * static_cast<float>(i), 2, 0.3f * static_cast<float>(i % 3)}), {});
    const rt::LampView view = view_of(lamps);
    // One probe that sees all of each.
    const std::uint32_t first[] = {0, 7};
    std::array<std::uint32_t, 7> entry;
    for (std::uint32_t i = 0; i < entry.size(); ++i) entry[i] = rt::lamp_entry(i, 1, rt::farthest_edge);
    constexpr float whole[3] = {1, 1, 1};
    double before = 0;
    for (int step = 0; step < 4000; ++step) {
        const rt::Point at{-2 + 0.003f * static_cast<float>(step), 0, 0.2f};
        rt::LampSum seen;
        seen.add_probe({first, entry.data()}, 0, 1, nullptr);
        seen.add_color(&lamps.color[0].r, whole);
        seen.look(view);
        float coefficients[27] = {}, exact[3] = {};
        rt::LampLight lamp[4];
        const int count = seen.strongest(view, at, lamp, 4, coefficients);
        ASSERT_LE(count, 4);
        seen.light(view, at, {0, 1, 0}, exact);
        float rgb[3];
        rt::light_of(coefficients, 0, 1, 0, rgb);
        double sum = static_cast<double>(rgb[0]);
        for (int i = 0; i < count; ++i)
            sum += static_cast<double>(std::max(0.0f, lamp[i].toward[1]) * lamp[i].lux[0]);
        EXPECT_NEAR(sum, exact[0], 0.06 * static_cast<double>(exact[0])) << step;
        if (step > 0) {
            EXPECT_NEAR(sum, before, 0.01 * before) << step;
        }
        before = sum;
    }
}

TEST(ProbeLamps, shine_on_what_moves_where_it_mirrors_them) {
    Level level = open_air(lamp_at({1, 1, 1}));
    add_quad(level, "sheet", {-0.5f, -0.5f, 0}, {0.5f, -0.5f, 0}, {0.5f, 0.5f, 0}, {-0.5f, 0.5f, 0},
             {0.8f, 0.8f, 0.8f})
        .part = Part::moving;
    Material& metal = level.materials[level.surfaces.back().material];
    metal.metallic = 1;
    metal.roughness = 0.3f;
    const Bake b = bake_level(std::move(level));
    const Camera camera{.name = "eye", .eye = {-1, -1, 1}, .toward = {0, 0, 0}, .vertical_fov = 0.6f};
    const auto picture = [&](bool mirror) {
        ViewOptions options;
        options.width = options.height = 101;
        options.samples = 1;
        options.mirror = mirror;
        Job job;
        return view({b.level, b.atlas}, {&b.baked.sets[0], &b.baked.probes}, camera, options, job);
    };
    const Picture with = picture(true), without = picture(false);
    const auto shine = [&](std::size_t i) {
        return static_cast<double>(with.pixels[i].r) - static_cast<double>(without.pixels[i].r);
    };
    // The microfacet reflection where the half vector is the normal.
    const double cosine = 1 / std::sqrt(3.0), alpha = 0.09 * 0.09, a = 0.09 * 0.09,
                 facets = 1 / (3.14159265 * a),
                 seen = 0.5 / (2 * cosine * std::sqrt(cosine * cosine * (1 - alpha) + alpha)),
                 mirrored = 0.8 + 0.2 * std::pow(1 - cosine, 5.0);
    const std::size_t middle = 50 * 101 + 50;
    EXPECT_NEAR(shine(middle), 100.0 / 3 * cosine * facets * seen * mirrored, 0.05 * shine(middle));
    // Twelve degrees off it is gone, but for a little.
    EXPECT_GT(shine(middle), 20 * shine(50 * 101 + 75));
    EXPECT_GE(shine(50 * 101 + 75), 0);
}

/// A room of two groups in two sets, one lamp behind tinted glass.
Level two_sets() {
    Level level;
    add_box(level, "room", {-3, 0, -3}, {3, 3, 3}, true, {0.5f, 0.5f, 0.5f});
    add_quad(level, "pane", {1, 0, -3}, {1, 0, 3}, {1, 3, 3}, {1, 3, -3}, {0.9f, 0.5f, 0.2f});
    level.materials[level.surfaces.back().material].transmission = 1;
    level.materials[level.surfaces.back().material].double_sided = true;
    level.quality.tier = Tier::glance;
    level.lightmap.density = 4;
    level.volumes = {box_volume("room", {-2.5f, 0.3f, -2.5f}, {2.5f, 2.7f, 2.5f}, 1.2f)};
    for (const float x : {-2.0f, 2.0f}) {
        Light lamp = lamp_at({x, 2, 0.5f});
        lamp.name = x < 0 ? "left" : "right";
        level.lights.push_back(lamp);
    }
    level.groups = {"left", "right"};
    for (std::uint32_t i = 0; i < 2; ++i) level.lights[i].group = i;
    complete_level(level);
    level.sets = {{"both", {1, 1}, {}, {}, none}, {"one", {0.5f, 0}, {}, {}, none}};
    return level;
}

TEST(ProbeLamps, with_the_rest_of_a_probes_light_are_its_light_again) {
    const Bake b = bake_level(two_sets());
    EXPECT_EQ(b.baked.sets[0].lamps.lamp.size(), 4u);
    EXPECT_EQ(b.baked.sets[1].lamps.name, (std::vector<std::string>{"left", "left through glass"}));
    // What glass leaves of a lamp is told as a lamp of that colour.
    float tinted = 0, most = 0;
    for (std::size_t s = 0; s < 2; ++s)
        for (std::uint32_t p = 0; p < b.baked.probes.size(); ++p) {
            const BakedSet& set = b.baked.sets[s];
            ShRgb sum = set.lamps.rest[p];
            Receiver here{.position = b.baked.probes.position[p], .in_air = true};
            for (std::uint32_t e = set.lamps.first[p]; e < set.lamps.first[p + 1]; ++e) {
                const std::uint32_t lamp = rt::lamp_of(set.lamps.entry[e]);
                const float share = rt::share_of(set.lamps.entry[e]) *
                                    rt::lit_share(set.lamps.lamp[lamp], rt::edge_of(set.lamps.entry[e]));
                Light light = lamp_at({set.lamps.lamp[lamp].position[0], 2, 0.5f});
                light.color = set.lamps.color[lamp];
                draw_light(light, {}, here, {1, 1},
                           [&](Vec3 w, Rgb lux, float) { add_light(sum, w, lux * share); });
                if (set.lamps.name[lamp].ends_with("through glass")) {
                    tinted = std::max(tinted, share);
                    EXPECT_NEAR(light.color.g, 0.5f * 5 / 9 * light.color.r, 1e-3f * light.color.r);
                }
            }
            for (std::size_t i = 0; i < 9; ++i) {
                // Both are windowed where they ring, each by itself.
                const float apart = std::abs(sum[i].r - set.probes[p][i].r);
                most = std::max(most, apart / set.probes[p][0].r);
                if (i == 0) {
                    EXPECT_LT(apart, 1e-3f * set.probes[p][0].r);
                }
            }
        }
    EXPECT_NEAR(tinted, 0.9f, 0.03f);
    EXPECT_LT(most, 0.25f);
}

/// A roof with a slot, closed by red glass, through which the sun shines straight down.
Level red_beam() {
    Level level;
    for (const float side : {-1.0f, 1.0f})
        add_box(level, side < 0 ? "roof_a" : "roof_b", {side < 0 ? -4.0f : 1.0f, 4, -4},
                {side < 0 ? -1.0f : 4.0f, 4.3f, 4}, false, {0.1f, 0.1f, 0.1f});
    add_floor(level, 8, {0.1f, 0.1f, 0.1f});
    add_quad(level, "pane", {-1, 4.1f, -4}, {1, 4.1f, -4}, {1, 4.1f, 4}, {-1, 4.1f, 4}, {0.8f, 0.2f, 0.1f});
    level.materials[level.surfaces.back().material].transmission = 1;
    level.materials[level.surfaces.back().material].double_sided = true;
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.direction = {0, -1, 0};
    sun.angular_diameter = 0.0093f;
    sun.color = {1000, 1000, 1000};
    level.lights.push_back(sun);
    level.quality.tier = Tier::glance;
    level.lightmap.density = 4;
    level.volumes = {box_volume("room", {-2.6f, 0.4f, -2}, {2.6f, 3.4f, 2}, 0.9f)};
    return level;
}

TEST(ProbeLamps, through_coloured_glass_have_shadows_as_sharp_as_without) {
    const Bake b = bake_level(red_beam());
    // Near the edge of the beam: 15 cm to either side there is all of it, or what floor and walls send.
    for (const float z : {-1.3f, 0.0f, 0.7f})
        for (const float y : {0.9f, 1.6f, 2.4f}) {
            const Rgb in = told(b.baked, {0.85f, y, z}, {0, 1, 0}),
                      out = told(b.baked, {1.15f, y, z}, {0, 1, 0});
            EXPECT_NEAR(in.r, 800, 40) << y << " " << z;
            EXPECT_NEAR(in.g, 200, 15) << y << " " << z;
            EXPECT_LT(out.r, 60) << y << " " << z;
        }
}

TEST(ProbeLamps, come_back_from_files_and_files_without_them_still_load) {
    const Level level = two_sets();
    const Bake b = bake_level(level);
    std::vector<ProbeFileSet> sets;
    for (const BakedSet& set : b.baked.sets) sets.push_back({set, ""});
    const Bytes bytes = pack_probes(b.baked.probes, sets);
    rt::Probes probes;
    ASSERT_EQ(probes.load(bytes.data(), bytes.size()), rt::Status::ok) << probes.message();
    ASSERT_EQ(probes.lamp_count(0), 4u);
    EXPECT_STREQ(probes.lamp_name(1, 0), "left");
    EXPECT_NEAR(probes.lamp_color(1, 0).r, 50, 0.01f);
    EXPECT_NEAR(probes.lamp(0, 1).position[0], 2, 1e-6f);
    EXPECT_EQ(probes.lamp_count(7), 0u);
    std::uint32_t hint = 0;
    const Vec3 at{-1.3f, 0.7f, 0.4f};
    const rt::Weights w = probes.weights({at.x, at.y, at.z}, hint);
    for (std::uint32_t s = 0; s < 2; ++s)
        EXPECT_NEAR(probes.irradiance(s, w, {0, 1, 0}).r, told(b.baked, at, {0, 1, 0}, s).r, 0.01f);
    const rt::PlaceLight light = probes.light(0, w);
    EXPECT_EQ(light.count, 2);
    // Without its tail a file is one of the version before.
    std::size_t tail = bytes.size();
    for (const BakedSet& set : b.baked.sets) {
        std::size_t names = 0;
        for (const std::string& name : set.lamps.name) names += 4 + (name.size() + 3) / 4 * 4;
        tail -= 20 + set.lamps.lamp.size() * (sizeof(rt::Lamp) + 12) + 4 * set.lamps.first.size() +
                4 * set.lamps.entry.size() + 108 * set.lamps.rest.size() + names;
    }
    const auto part = [&](std::size_t from, std::size_t to) {
        return Bytes(bytes.begin() + static_cast<std::ptrdiff_t>(from),
                     bytes.begin() + static_cast<std::ptrdiff_t>(to));
    };
    // It held mean and mean square distances, on a map of half the side.
    const ProbeFileLayout layout = layout_of(b.baked.probes);
    Bytes before = part(0, layout.nearness);
    before[8] = 2;
    before[28] = 8;
    for (std::size_t i = 0; i < 64 * b.baked.probes.size(); ++i) {
        const std::size_t cell = i / 64 * 256 + i % 64 / 8 * 32 + i % 8 * 2;
        const auto& code = b.baked.probes.nearness[cell];
        const rt::Nearness n = rt::nearness_of({code[0], code[1]});
        const float d = 1 / n.mean, spread = n.spread * d * d;
        for (const float v : {d, d * d + spread * spread}) {
            const std::uint16_t half = rt::to_half(v);
            before.push_back(static_cast<std::uint8_t>(half & 255u));
            before.push_back(static_cast<std::uint8_t>(half >> 8));
        }
    }
    const Bytes rest_of_it = part(layout.light, tail);
    before.insert(before.end(), rest_of_it.begin(), rest_of_it.end());
    ASSERT_EQ(probes.load(before.data(), before.size()), rt::Status::ok) << probes.message();
    EXPECT_EQ(probes.lamp_count(0), 0u);
    EXPECT_EQ(probes.light(0, w).count, 0);
    EXPECT_NEAR(probes.irradiance(0, w, {0, 1, 0}).r,
                probe_irradiance(probe_weights(b.baked.probes, at), b.baked.sets[0].probes, {0, 1, 0}).r,
                0.01f);
    // A lamp's number that leads nowhere, and every length.
    Bytes damaged = bytes;
    std::size_t rest = 108 * b.baked.probes.size();  // after a set's entries, with its names
    for (const std::string& name : b.baked.sets.back().lamps.name) rest += 4 + (name.size() + 3) / 4 * 4;
    damaged[bytes.size() - rest - 4 + 3] = 0xff;
    EXPECT_NE(probes.load(damaged.data(), damaged.size()), rt::Status::ok);
    for (std::size_t size = tail; size < bytes.size(); size += 97)
        EXPECT_NE(probes.load(bytes.data(), size), rt::Status::ok) << size;
    // By C.
    const Folder folder;
    std::ofstream(folder / "probes.bin", std::ios::binary)
        .write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    sgraph_probes* c = nullptr;
    ASSERT_EQ(sgraph_probes_load((folder / "probes.bin").c_str(), &c, nullptr, 0), SGRAPH_OK);
    const float point[3] = {at.x, at.y, at.z}, up[3] = {0, 1, 0};
    float rgb[3];
    sgraph_probes_irradiance_at(c, 0, point, up, &hint, rgb);
    EXPECT_NEAR(rgb[0], told(b.baked, at, {0, 1, 0}).r, 0.01f);
    sgraph_probes_free(c);
}

}  // namespace
}  // namespace test::probe_lamps_tests
