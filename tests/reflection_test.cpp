// Reflection probes: what they capture, what rough surfaces make of it, where lookups lead, and their files.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "shapes.hpp"
#include "stores.hpp"
#include "support.hpp"

namespace test::reflection_tests {
namespace {

const Rgb grey{0.5f, 0.5f, 0.5f};

/// A dim sky over a bright ground, with a lamp and a window in it: twenty times, fifty times as bright.
CubeMap contrasts(int side) {
    CubeMap map{side, {}};
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x) {
                const Vec3 d =
                    cube_direction(side, face, static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f);
                const float base = d.y > 0 ? 1 + d.y : 3 + 2 * std::sin(5 * d.x);
                const bool lamp = dot(d, normalize(Vec3{0.5f, 0.7f, -0.4f})) > 0.995f,
                           window = d.x < -0.6f && std::abs(d.y - 0.2f) < 0.2f && std::abs(d.z) < 0.3f;
                const float v = base + (lamp ? 50.0f : 0) + (window ? 20.0f : 0);
                map.texels.push_back({v, v * 0.8f, d.z > 0 ? v : 0.5f * v});
            }
    return map;
}

/// Solid angle of a texel by the corners of its face (its integral in closed form).
double solid_angle(int side, int x, int y) {
    const auto at = [&](int i) { return 2.0 * i / side - 1; };
    const auto part = [](double u, double v) { return std::atan2(u * v, std::sqrt(u * u + v * v + 1)); };
    return part(at(x), at(y)) - part(at(x), at(y + 1)) - part(at(x + 1), at(y)) + part(at(x + 1), at(y + 1));
}

/// What a surface of this roughness mirrors along a direction, as a sum over every texel.
std::array<double, 3> by_all_texels(const CubeMap& map, Vec3 way, double roughness) {
    const double alpha = roughness * roughness, square = alpha * alpha;
    std::array<double, 3> sum{};
    double whole = 0;
    std::size_t t = 0;
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < map.side; ++y)
            for (int x = 0; x < map.side; ++x, ++t) {
                const Vec3 l = cube_direction(map.side, face, static_cast<float>(x) + 0.5f,
                                              static_cast<float>(y) + 0.5f);
                const double c = static_cast<double>(dot(way, l));
                if (!(c > 0)) continue;
                const double nh2 = (1 + c) / 2, f = nh2 * (square - 1) + 1;
                const double w = square / (f * f) * c * solid_angle(map.side, x, y);
                sum[0] += w * static_cast<double>(map.texels[t].r);
                sum[1] += w * static_cast<double>(map.texels[t].g);
                sum[2] += w * static_cast<double>(map.texels[t].b);
                whole += w;
            }
    for (double& s : sum) s /= whole;
    return sum;
}

SLOW_TEST(Filter, agrees_with_a_sum_over_every_texel_at_four_roughness_values) {
    Job job;
    CubeMap sharp = contrasts(128);
    // And a spark of one texel, ten thousand times as bright.
    sharp.texels[3 * 128 * 128 + 40 * 128 + 77] = {20000, 15000, 10000};
    for (const float roughness : {0.2f, 0.4f, 0.6f, 1.0f}) {
        const CubeMap map = prefilter(sharp, roughness, 4, job);
        double worst = 0, mean = 0;
        std::size_t t = 0;
        for (int face = 0; face < 6; ++face)
            for (int y = 0; y < 4; ++y)
                for (int x = 0; x < 4; ++x, ++t) {
                    const std::array<double, 3> exact = by_all_texels(
                        sharp,
                        cube_direction(4, face, static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f),
                        static_cast<double>(roughness));
                    const float got[3] = {map.texels[t].r, map.texels[t].g, map.texels[t].b};
                    for (std::size_t c = 0; c < 3; ++c) {
                        const double off = std::abs(static_cast<double>(got[c]) / exact[c] - 1);
                        worst = std::max(worst, off);
                        mean += off / (3 * 96);
                    }
                }
        std::printf("roughness %.1f: %.2f %% off at worst, %.3f %% in the mean\n",
                    static_cast<double>(roughness), 100 * worst, 100 * mean);
        EXPECT_LT(worst, 0.02) << roughness;
    }
}

TEST(Filter, leaves_an_even_light_even_at_every_level_and_keeps_the_capture) {
    Job job;
    CubeMap even{64, std::vector<Rgb>(6 * 64 * 64, {300, 200, 100})};
    const ReflectionMap map = filter_levels(even, job);
    ASSERT_EQ(map.levels.size(), 5u);
    EXPECT_EQ(map.levels.size(), static_cast<std::size_t>(reflection_levels(64)));
    EXPECT_TRUE(map.levels[0] == even);
    for (std::size_t l = 0; l < map.levels.size(); ++l) {
        EXPECT_EQ(map.levels[l].side, 64 >> l);
        for (const Rgb c : map.levels[l].texels) {
            ASSERT_NEAR(c.r, 300, 0.01f);
            ASSERT_NEAR(c.b, 100, 0.01f);
        }
    }
}

TEST(Filter, gives_the_same_bytes_for_any_number_of_threads) {
    const CubeMap sharp = contrasts(32);
    Job one({.threads = 1}), five({.threads = 5});
    EXPECT_TRUE(filter_levels(sharp, one) == filter_levels(sharp, five));
}

TEST(CubeMap, directions_lead_back_to_their_texels_and_edges_have_no_seam) {
    // The axes as the standards have them: the middle of each face, and what is right of it.
    const Vec3 middle[6] = {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}},
               right[6] = {{0, 0, -1}, {0, 0, 1}, {1, 0, 0}, {1, 0, 0}, {1, 0, 0}, {-1, 0, 0}},
               down[6] = {{0, -1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}, {0, -1, 0}, {0, -1, 0}};
    for (int face = 0; face < 6; ++face) {
        EXPECT_EQ(cube_direction(2, face, 1, 1), middle[face]);
        EXPECT_GT(dot(cube_direction(2, face, 2, 1), right[face]), 0.7f) << face;
        EXPECT_GT(dot(cube_direction(2, face, 1, 2), down[face]), 0.7f) << face;
    }
    // A light that is a smooth function of the direction is so across every edge, too.
    const int side = 16;
    CubeMap map{side, {}};
    const auto light = [](Vec3 d) { return 10 + 3 * d.x - 2 * d.y + d.z; };
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x) {
                const float v = light(
                    cube_direction(side, face, static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f));
                map.texels.push_back({v, v, v});
            }
    Numbers numbers(5);
    for (int i = 0; i < 20000; ++i) {
        const Vec3 d = normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f});
        ASSERT_NEAR(cube_light(map, d).g, light(d), 0.06f) << d.x << " " << d.y << " " << d.z;
    }
}

// ---- capturing

struct Captured {
    Bake bake;
    CaptureFigures figures;
    const ReflectionMap& map(std::size_t probe = 0, std::size_t set = 0) const {
        return bake.baked.sets[set].reflections[probe];
    }
};

Captured capture(Level level, unsigned threads = 0, const BakeStore& store = {}) {
    complete_level(level);
    Job job(JobOptions{.threads = threads});
    Captured c{{level, {}, {}}, {}};
    const std::vector<ReflectionProbe> probes = place_reflections(level, job, store);
    Baker baker(level, job, nullptr, store);
    c.bake.atlas = baker.atlas();
    CapturedBake made = light_and_capture(baker, level, {probes}, job, store);
    c.bake.baked = std::move(made.baked);
    c.figures = made.figures;
    return c;
}

Level quick(float density = 4) {
    Level level;
    level.quality.tier = Tier::glance;
    level.lightmap.density = density;
    return level;
}

TEST(Capture, an_even_room_is_even_at_every_level) {
    // Walls of 100 nit that reflect half: 200 nit from everywhere, after all bounces.
    Level level = quick(8);
    level.quality.tier = Tier::proof;
    add_box(level, "room", {-2, 0, -2}, {3, 3, 2}, true, grey, {100, 100, 100});
    level.reflections = {probe_in({-2, 0, -2}, {3, 3, 2})};
    const Captured c = capture(level);
    ASSERT_EQ(c.map().levels.size(), 4u);
    for (const CubeMap& l : c.map().levels)
        for (const Rgb v : l.texels) ASSERT_NEAR(v.g, 200, 2.0f);
    EXPECT_EQ(c.figures.rays, 4u * 6u * 32 * 32);
}

SLOW_TEST(Capture, sees_the_sky_as_it_is_and_nothing_beyond_far_or_closer_than_near) {
    Level level = quick();
    add_floor(level, 400, {0.5f, 0.5f, 0.5f});
    add_quad(level, "card", {-1, 0, -3}, {1, 0, -3}, {1, 4, -3}, {-1, 4, -3}, {0, 0, 0}, {5000, 0, 0});
    level.sky.radiance = {900, 1100, 1500};
    ReflectionProbe p = probe_in({-9, 0, -9}, {9, 6, 9});
    p.capture = {0, 2, 0};
    level.reflections = {p, p, p, p};
    level.reflections[1].near = 3.5f;
    level.reflections[2].sky_beyond = 2.5f;
    level.reflections[3].sees = "floor";
    for (std::size_t i = 0; i < 4; ++i) level.reflections[i].name = std::to_string(i);
    const Captured c = capture(level);
    const auto look = [&](std::size_t i, Vec3 d) { return cube_light(c.map(i).levels[0], normalize(d)); };
    const Vec3 card{0, 0.2f, -1};
    EXPECT_NEAR(look(0, {0.1f, 1, 0}).b, 1500, 0.75f) << "half a step of a half float";
    EXPECT_NEAR(look(0, card).r, 5000, 4);
    EXPECT_NEAR(look(1, card).r, 900, 0.5f) << "the card is closer than near";
    EXPECT_NEAR(look(2, card).r, 900, 0.5f) << "and farther than far";
    EXPECT_NEAR(look(3, card).r, 900, 0.5f) << "and not among what is seen";
    EXPECT_GT(look(3, {0, -1, 0}).r, 100);
    EXPECT_LT(look(3, {0, -1, 0}).r, 899) << "the floor reflects half of the sky";
}

TEST(Capture, lookups_in_a_box_room_lead_to_the_right_place_within_a_texel) {
    // A bright square on the north wall, looked for from all over the room.
    Level level = quick(4);
    const Vec3 low{-3, 0, -2}, high{4, 3, 2};
    add_box(level, "room", low, high, true, {0.02f, 0.02f, 0.02f}, {1, 1, 1});
    add_quad(level, "mark", {0.6f, 1.0f, -1.999f}, {1.4f, 1.0f, -1.999f}, {1.4f, 1.8f, -1.999f},
             {0.6f, 1.8f, -1.999f}, {0, 0, 0}, {1000, 1000, 1000});
    ReflectionProbe p = probe_in(low, high, 128);
    p.capture = {-1.5f, 1.2f, 0.7f};  // apart from the middle
    level.reflections = {p};
    const Captured c = capture(level);
    Numbers numbers(3);
    int on = 0, off = 0;
    for (int i = 0; i < 4000; ++i) {
        const Vec3 at{low.x + 0.2f + 6.6f * numbers.next(), 0.2f + 2.6f * numbers.next(),
                      -1.0f + 2.8f * numbers.next()},
            to{-2.9f + 6.8f * numbers.next(), 0.1f + 2.8f * numbers.next(), -2};
        const Vec3 way = lookup_direction(p, at, normalize(to - at)), right = normalize(to - p.capture);
        // A texel in the middle of a face is 2 / 128 wide as seen from the capture.
        EXPECT_LT(length(way - right), 1e-4f);
        const float seen = cube_light(c.map().levels[0], way).g;
        // The mark's rim in texels of the map, at the distance it is seen from.
        const float texel = 2.0f / 128 * length(to - p.capture) * 1.3f;
        const float inside = std::min(0.4f - std::abs(to.x - 1.0f), 0.4f - std::abs(to.y - 1.4f));
        if (inside > texel) {
            EXPECT_GT(seen, 990) << to.x << " " << to.y;
            ++on;
        } else if (inside < -texel) {
            EXPECT_LT(seen, 100) << to.x << " " << to.y;
            ++off;
        }
    }
    EXPECT_GT(on, 50);
    EXPECT_GT(off, 2000);
}

/// A room with a lamp, and a probe for all of it.
Level room_with_a_lamp() {
    Level level = quick();
    add_box(level, "room", {-2, 0, -2}, {3, 3, 2}, true, grey);
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {0, 2.5f, 0};
    lamp.color = {300, 280, 250};
    level.lights.push_back(lamp);
    level.reflections = {probe_in({-2, 0, -2}, {3, 3, 2})};
    return level;
}

TEST(Capture, is_the_same_for_any_threads_and_lit_again_without_rays_when_light_alone_changes) {
    Level level = room_with_a_lamp();
    add_box(level, "crate", {1, 0, -1}, {1.6f, 0.6f, -0.4f}, false, {0.7f, 0.3f, 0.2f});
    MemoryStore memory;
    const Captured first = capture(level, 1, memory.store());
    EXPECT_TRUE(first.map() == capture(level, 5).map());
    level.lights[0].position = {0.5f, 2.5f, 0};
    const Captured again = capture(level, 2, memory.store());
    EXPECT_EQ(again.figures.rays, 0u);
    EXPECT_EQ(again.figures.captured, 1u);
    EXPECT_TRUE(again.map() == capture(level, 2).map()) << "as a capture from nothing";
    EXPECT_FALSE(again.map() == first.map());
    // What moves in the geometry sends them again.
    level.surfaces[1].to_world.origin.x = -1;
    EXPECT_GT(capture(level, 2, memory.store()).figures.rays, 0u);
}

/// Light of two groups, and two sets that mix them.
Level of_two_groups() {
    Level level = room_with_a_lamp();
    add_quad(level, "screen", {-1, 1, -1.9f}, {1, 1, -1.9f}, {1, 2, -1.9f}, {-1, 2, -1.9f}, {0, 0, 0},
             {50, 80, 120});
    complete_level(level);
    level.sets = {{.name = "both", .gains = {1, 1}}, {.name = "dim", .gains = {0.25f, 1}}};
    return level;
}

TEST(Capture, light_that_is_dimmed_or_tinted_costs_a_sum) {
    Level level = of_two_groups();
    MemoryStore memory;
    const Captured first = capture(level, 0, memory.store());
    EXPECT_EQ(first.figures.layers, 2u);
    EXPECT_EQ(first.figures.captured, 2u);
    level.lights[0].color = {100, 280, 500};
    level.sets[1].gains = {0.5f, 0.125f};
    const Captured retuned = capture(level, 0, memory.store());
    EXPECT_EQ(retuned.figures.rays, 0u);
    EXPECT_EQ(retuned.figures.captured, 0u);
    EXPECT_TRUE(retuned.map(0, 0) == capture(level).map(0, 0)) << "as a capture from nothing";
    EXPECT_TRUE(retuned.map(0, 1) == capture(level).map(0, 1));
    EXPECT_FALSE(retuned.map() == first.map());
    // One lamp elsewhere: its group is captured anew, the other is not.
    level.lights[0].position.x = 1;
    EXPECT_EQ(capture(level, 0, memory.store()).figures.captured, 1u);
}

TEST(Capture, a_mix_of_layers_is_what_is_seen_under_the_mix) {
    // Pages and mirrors are mixed apart; a map tells what a picture from its place shows.
    const Captured c = capture(of_two_groups());
    for (std::size_t set = 0; set < 2; ++set) {
        const Bake& b = c.bake;
        Job job;
        const Level shown = as_in_set(b.level, static_cast<std::uint32_t>(set));
        const ViewLight light{&b.baked.sets[set], &b.baked.probes, &b.baked.visibility, nullptr, nullptr};
        const Vec3 from = b.level.reflections[0].capture;
        for (const Vec3 way : {Vec3{1, 0.1f, 0.2f}, {-1, 0.3f, 0.1f}, {0.1f, -1, 0.2f}, {0.05f, 0.1f, -1}}) {
            const Picture seen =
                view({shown, b.atlas}, light, {.eye = from, .toward = from + way, .vertical_fov = 0.02f},
                     {.width = 8, .height = 8, .mirror = false}, job);
            const Rgb mixed = cube_light(c.map(0, set).levels[0], normalize(way));
            Rgb mean;
            for (const Rgb p : seen.pixels) mean += p * (1.0f / 64);
            EXPECT_NEAR(luminance(mixed) / luminance(mean), 1, 0.05) << set << " " << way.x << " " << way.y;
        }
    }
}

TEST(Capture, glass_is_seen_through_in_its_colour) {
    Level level = quick();
    add_floor(level, 2, {0, 0, 0});
    add_quad(level, "pane", {-9, -9, -3}, {9, -9, -3}, {9, 9, -3}, {-9, 9, -3}, {1, 0.25f, 0.25f});
    level.materials.back().transmission = 1;
    level.sky.radiance = {1000, 1000, 1000};
    level.reflections = {probe_in({-2, 0.5f, -2}, {2, 3, 2})};
    const Captured c = capture(level);
    const Rgb through = cube_light(c.map().levels[0], {0, 0.2f, -1}),
              beside = cube_light(c.map().levels[0], {0, 0.2f, 1});
    EXPECT_NEAR(beside.r, 1000, 0.5f);
    EXPECT_NEAR(through.r, 1000, 1);
    EXPECT_NEAR(through.g, 250, 1);
}

TEST(Plane, mirrors_what_is_above_it_and_sees_nothing_of_what_is_below) {
    Level level = quick();
    add_quad(level, "bottom", {-4, -1, 4}, {4, -1, 4}, {4, -1, -4}, {-4, -1, -4}, {0, 0, 0}, {0, 7000, 0});
    add_quad(level, "pond", {-2, 0, 1}, {2, 0, 1}, {2, 0, -1}, {-2, 0, -1}, {0.02f, 0.02f, 0.02f});
    add_quad(level, "sign", {-3, 1, -3}, {3, 1, -3}, {3, 2, -3}, {-3, 2, -3}, {0, 0, 0}, {3000, 0, 0});
    level.sky.radiance = {1000, 1000, 1000};
    ReflectionRule rule;
    rule.name = "water";
    rule.water = rule.everywhere = true;
    rule.on = "pond";
    rule.near = 0;
    rule.resolution = 64;
    level.reflection_rules = {rule};
    const Captured c = capture(level);
    ASSERT_EQ(c.bake.baked.reflections.size(), 1u);
    const ReflectionProbe& p = c.bake.baked.reflections[0];
    EXPECT_EQ(p.shape, ReflectionShape::plane);
    EXPECT_NEAR(p.half.x * p.half.z, 2, 1e-4f) << "half lengths of 4 by 2 metres";
    EXPECT_NEAR(p.capture.y, 0.02f, 1e-3f);
    const CubeMap& map = c.map().levels[0];
    for (const Rgb v : map.texels) {
        ASSERT_LE(v.g, 1001) << "what is below was seen";
        ASSERT_GT(std::max(v.r, v.g), 900);
    }
    EXPECT_NEAR(cube_light(map, normalize(Vec3{0, 1.5f, -3})).r, 3000, 1);
    EXPECT_NEAR(cube_light(map, normalize(Vec3{0, -1.5f, -3})).r, 3000, 1) << "its mirror image";
    // It answers for what lies along it, and not for a wall that rises from it.
    EXPECT_EQ(reflection_weights({p}, {1, 0, 0.5f}, {0, 1, 0}).count, 1);
    EXPECT_EQ(reflection_weights({p}, {1, 0, 0.5f}, {0, 0, 1}).count, 0);
    EXPECT_EQ(reflection_weights({p}, {2.1f, 0, 0.5f}, {0, 1, 0}).count, 0);
    EXPECT_EQ(reflection_weights({p}, {1, 0.3f, 0.5f}, {0, 1, 0}).count, 0);
}

TEST(Capture, shiny_surfaces_of_a_picture_mirror_it_and_rough_ones_mirror_it_blurred) {
    // A metal floor in a dark room with a bright strip on the far wall, seen at 45 degrees.
    const auto floor_at = [](float roughness, float metallic, bool mirror) {
        Level level = quick();
        add_box(level, "room", {-3, 0, -3}, {3, 3, 3}, true, {0.02f, 0.02f, 0.02f}, {1, 1, 1});
        add_quad(level, "strip", {-3, 1.2f, -2.999f}, {3, 1.2f, -2.999f}, {3, 1.8f, -2.999f},
                 {-3, 1.8f, -2.999f}, {0, 0, 0}, {2000, 1000, 500});
        add_quad(level, "metal", {-2, 0.001f, 2}, {2, 0.001f, 2}, {2, 0.001f, -2}, {-2, 0.001f, -2},
                 {0.8f, 0.8f, 0.8f});
        level.materials.back().metallic = metallic;
        level.materials.back().roughness = roughness;
        level.reflections = {probe_in({-3, 0, -3}, {3, 3, 3}, 64)};
        const Captured c = capture(level);
        Job job;
        const ViewLight light{&c.bake.baked.sets[0], &c.bake.baked.probes, nullptr, nullptr,
                              &c.bake.baked.reflections};
        // From 1.5 m up, 1.5 m before the spot; the strip is 1.5 m up and behind the spot by as much.
        const Picture p =
            view({c.bake.level, c.bake.atlas}, light, {"eye", {0, 1.5f, 0}, {0, 0, -1.5f}, 0.2f},
                 {.width = 9, .height = 9, .samples = 1, .mirror = mirror}, job);
        return p.pixels[40];
    };
    const Rgb mirror = floor_at(0, 1, true), blurred = floor_at(0.6f, 1, true), plain = floor_at(0, 1, false),
              varnish = floor_at(0, 0, true), paint = floor_at(0, 0, false);
    EXPECT_NEAR(mirror.r, 2000 * 0.8f, 40) << "a polished metal shows the strip times its colour";
    EXPECT_NEAR(mirror.b, 500 * 0.8f, 10);
    EXPECT_LT(blurred.r, 0.6f * mirror.r);
    EXPECT_GT(blurred.r, 1.5f * plain.r);
    // 4 % at normal incidence, at 45 degrees by Schlick 4.2 %, over its own light.
    EXPECT_NEAR(varnish.r - paint.r * (1 - 0.042f), 0.042f * 2000, 4);
}

TEST(Capture, a_bent_normal_does_not_let_a_floor_mirror_what_is_behind_the_wall) {
    // A dark room in a glaring one. Normals of its floor lean over the wall beside which it is looked at.
    const auto floor_of = [](Vec3 normal) {
        Level level = quick();
        add_box(level, "outside", {-30, -9, -30}, {30, 30, 30}, true, grey, {5000, 5000, 5000});
        add_box(level, "room", {-3, 0, -3}, {3, 3, 3}, true, {0.02f, 0.02f, 0.02f});
        add_quad(level, "tiles", {-3, 0.001f, 3}, {3, 0.001f, 3}, {3, 0.001f, -3}, {-3, 0.001f, -3}, grey);
        level.materials.back().roughness = 0.3f;
        set_normals(level.meshes.back(), normal);
        level.reflections = {probe_in({-3, 0, -3}, {3, 3, 3}, 64), probe_in({-9, -9, -9}, {9, 9, 9}, 64)};
        for (ReflectionProbe& p : level.reflections) p.blend = 0.25f;
        level.reflections[1].name = "outside";
        level.reflections[1].capture = {6, 6, 6};
        level.reflections[1].parallax = false;
        const Captured c = capture(level);
        Job job;
        const ViewLight light{&c.bake.baked.sets[0], &c.bake.baked.probes, nullptr, nullptr,
                              &c.bake.baked.reflections};
        return view({c.bake.level, c.bake.atlas}, light, {"eye", {0, 1.5f, 0}, {2.95f, 0, 0}, 0.02f},
                    {.width = 9, .height = 9, .samples = 1, .mirror = true}, job)
            .pixels[40];
    };
    EXPECT_LT(luminance(floor_of({0, 1, 0})), 5);
    EXPECT_LT(luminance(floor_of(normalize(Vec3{0.6f, 1, 0}))), 5);
}

// ---- which probes answer

TEST(Weights, the_first_answers_and_fades_out_beyond_its_rim_into_what_is_left) {
    ReflectionProbe big = probe_in({-10, 0, -10}, {10, 5, 10}), small = probe_in({-2, 0, -2}, {2, 3, 2});
    big.blend = small.blend = 1;
    ReflectionProbe ball;
    ball.shape = ReflectionShape::sphere;
    ball.middle = {5, 1, 5};
    ball.radius = 2;
    ball.blend = 2;
    const std::vector<ReflectionProbe> probes = {ball, small, big};
    const auto at = [&](Vec3 p, Vec3 normal = {0, 1, 0}) { return reflection_weights(probes, p, normal); };
    const ReflectionWeights middle = at({0, 1.5f, 0}), wall = at({2, 1.5f, 0}, {-1, 0, 0}),
                            floor = at({2, 0, 2}), beyond = at({2.25f, 1.5f, 0}),
                            other_side = at({2.2f, 1.5f, 0}, {1, 0, 0}), outside = at({11.1f, 1, 0}),
                            by_ball = at({5, 3.75f, 5});
    for (const ReflectionWeights& w : {middle, wall, floor}) {
        ASSERT_EQ(w.count, 1) << "all of it up to its walls and into its corners";
        EXPECT_EQ(w.probe[0], 1u);
        EXPECT_EQ(w.weight[0], 1);
    }
    ASSERT_EQ(beyond.count, 2);
    EXPECT_NEAR(beyond.weight[0], 0.75f, 1e-5f);
    EXPECT_NEAR(beyond.weight[1], 0.25f, 1e-5f);
    EXPECT_EQ(beyond.probe[1], 2u);
    EXPECT_LT(other_side.weight[0], 0.6f) << "a wall's other side looks away";
    EXPECT_EQ(outside.count, 0);
    EXPECT_EQ(by_ball.probe[0], 0u);
    EXPECT_NEAR(by_ball.weight[0], 0.5f, 1e-5f)
        << "a quarter of a metre off its surface, one beyond the ball";
    // Across every rim the weights change little from one step to the next.
    ReflectionWeights before = at({-12, 1.5f, 0});
    for (float x = -12; x < 12; x += 0.05f) {
        const ReflectionWeights now = at({x, 1.5f, 0});
        float change = 0;
        for (std::uint32_t p = 0; p < 3; ++p) {
            const auto weight = [&](const ReflectionWeights& w) {
                for (int k = 0; k < w.count; ++k)
                    if (w.probe[static_cast<std::size_t>(k)] == p)
                        return w.weight[static_cast<std::size_t>(k)];
                return 0.0f;
            };
            change = std::max(change, std::abs(weight(now) - weight(before)));
        }
        ASSERT_LE(change, 0.051f) << x;
        before = now;
    }
}

}  // namespace
}  // namespace test::reflection_tests
