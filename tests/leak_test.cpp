// Light indoors at noon: probes beyond a wall must not answer for this side of it.

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdio>
#include <map>

#include "shapes.hpp"
#include "support.hpp"

namespace test::leak_tests {
namespace {

/// A house of thick walls with a window to the south and a lamp, the sun outside.
Level house() {
    Level level;
    const Rgb white{0.6f, 0.6f, 0.6f};
    add_box(level, "ground", {-8, -0.5f, -8}, {8, 0, 8}, false, {0.3f, 0.3f, 0.3f});
    add_box(level, "north", {-3, 0, -3}, {3, 3, -2.8f}, false, white);
    add_box(level, "west", {-3, 0, -3}, {-2.8f, 3, 3}, false, white);
    add_box(level, "east", {2.8f, 0, -3}, {3, 3, 3}, false, white);
    add_box(level, "roof", {-3, 3, -3}, {3, 3.2f, 3}, false, white);
    add_box(level, "south low", {-3, 0, 2.8f}, {3, 0.9f, 3}, false, white);
    add_box(level, "south high", {-3, 2.3f, 2.8f}, {3, 3, 3}, false, white);
    add_box(level, "south left", {-3, 0.9f, 2.8f}, {-1, 2.3f, 3}, false, white);
    add_box(level, "south right", {1, 0.9f, 2.8f}, {3, 2.3f, 3}, false, white);
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {90000, 90000, 90000};
    sun.direction = normalize({0.35f, -1, -0.5f});
    level.lights.push_back(sun);
    level.sky.radiance = {4000, 4500, 5500};
    level.lightmap.density = 5;
    level.quality.tier = Tier::proof;
    return level;
}

/// Where a figure leans against the walls, from within.
std::vector<Vec3> along_walls() {
    std::vector<Vec3> points;
    for (const float y : {0.5f, 1.2f, 1.7f, 2.4f})
        for (const float along : {-1.9f, -1.1f, -0.3f, 0.5f, 1.3f, 2.0f})
            for (const Vec3 p : {Vec3{along, y, -2.5f}, Vec3{-2.5f, y, along}, Vec3{2.5f, y, along}})
                points.push_back(p);
    return points;
}

float luminance_of(const ShRgb& sh) {
    float sum = 0;
    for (const Vec3 n : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
        sum += luminance(sh_irradiance(sh, n)) / 6;
    return sum;
}

struct Shares {
    std::vector<float> with, without;
    static float at(std::vector<float> v, double share) {
        std::sort(v.begin(), v.end());
        return v[static_cast<std::size_t>(share * static_cast<double>(v.size() - 1))];
    }
};

Shares leaks(const std::vector<Volume>& volumes) {
    Level level = house();
    level.volumes = volumes;
    const Bake net = bake_level(level);
    // What is exact: a probe at each of the places, baked on the same level.
    const std::vector<Vec3> points = along_walls();
    Level truth = house();
    truth.hand_probes = points;
    truth.quality.tier = Tier::final;
    const Bake exact = bake_level(truth);
    Shares out;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const float whole = luminance_of(exact.baked.sets[0].probes[i]);
        for (const bool corrected : {true, false}) {
            std::uint32_t hint = none;
            const ProbeWeights w =
                probe_weights(net.baked.probes, exact.baked.probes.position[i], hint, corrected);
            float sum = 0;
            for (const Vec3 n : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}})
                sum += luminance(probe_irradiance(w, net.baked.sets[0].probes, n)) / 6;
            (corrected ? out.with : out.without).push_back(std::abs(sum - whole) / whole);
        }
    }
    return out;
}

SLOW_TEST(Noise, of_probes_in_a_room_with_a_window_is_a_few_percent) {
    Level truth = house();
    truth.hand_probes = along_walls();
    const Bake fast = bake_level(truth);
    truth.quality.tier = Tier::final;
    const Bake exact = bake_level(truth);
    std::vector<float> off;
    for (std::size_t i = 0; i < truth.hand_probes.size(); ++i) {
        const float a = luminance_of(exact.baked.sets[0].probes[i]),
                    b = luminance_of(fast.baked.sets[0].probes[i]);
        off.push_back(std::abs(a - b) / a);
    }
    EXPECT_LT(Shares::at(off, 0.5), 0.03f);
    EXPECT_LT(Shares::at(off, 0.95), 0.08f);
}

SLOW_TEST(Leaks, of_noon_through_walls_stay_out_of_a_dim_room) {
    const Shares s = leaks({box_volume("all", {-6, 0, -6}, {6, 4, 6}, 0.8f)});
    const auto percent = [](const std::vector<float>& v, double share) {
        return 100 * static_cast<double>(Shares::at(v, share));
    };
    std::printf(
        "a figure by a wall indoors, noon outside: off by %.1f %% (half of the places), %.1f %% (95 of "
        "100), %.1f %% (all); without regard to walls by %.0f %%, %.0f %%, %.0f %%\n",
        percent(s.with, 0.5), percent(s.with, 0.95), percent(s.with, 1), percent(s.without, 0.5),
        percent(s.without, 0.95), percent(s.without, 1));
    EXPECT_LT(Shares::at(s.with, 1), 0.08f);
    EXPECT_GT(Shares::at(s.without, 0.5), 1) << "there is nothing to correct";
}

TEST(Leaks, over_the_highest_probes_of_a_room_those_below_answer_and_none_far_away) {
    // A closed hall between probes in the open, of which two stand a little higher than all others.
    Level level;
    const Rgb white{0.6f, 0.6f, 0.6f};
    add_box(level, "ground", {-30, -0.5f, -30}, {30, 0, 30}, false, {0.3f, 0.3f, 0.3f});
    add_thick_room(level, {-4, 0, -4}, {4, 5, 4}, 0.3f, white);
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {0.3f, 2, 0.3f};
    lamp.color = {10, 10, 10};
    level.lights.push_back(lamp);
    level.sky.radiance = {4000, 4000, 4000};
    for (const float y : {1.0f, 3.0f})
        for (float x = -3; x <= 3; x += 2)
            for (float z = -3; z <= 3; z += 2) level.hand_probes.push_back({x, y, z});
    for (float t = -24; t <= 24; t += 6)
        for (const float side : {-24.0f, 24.0f})
            for (const float y : {1.0f, 3.0f}) {
                level.hand_probes.push_back({t, y, side});
                level.hand_probes.push_back({side, y, t + 0.5f});
            }
    level.hand_probes.push_back({-5, 3.2f, 0.1f});
    level.hand_probes.push_back({5, 3.2f, -0.1f});
    level.lightmap.density = 2;
    level.quality.tier = Tier::glance;
    const Bake b = bake_level(level);
    const ProbeNet& net = b.baked.probes;
    int places = 0, mostly_outside = 0, partly_outside = 0;
    for (float x = -3.4f; x < 3.5f; x += 0.37f)
        for (const float z : {-3.1f, -1.3f, 0.2f, 2.6f})
            for (const float y : {3.1f, 3.3f, 3.9f}) {
                const ProbeWeights w = probe_weights(net, {x, y, z});
                float inside = 0;
                for (int k = 0; k < w.count; ++k)
                    if (const Vec3 p = net.position[w.probe[static_cast<std::size_t>(k)]];
                        std::abs(p.x) < 4 && std::abs(p.z) < 4)
                        inside += w.weight[static_cast<std::size_t>(k)];
                ++places;
                mostly_outside += inside < 0.5f;
                partly_outside += inside < 0.9f;
            }
    EXPECT_EQ(mostly_outside, 0) << "of " << places;
    EXPECT_LE(partly_outside, places / 100) << "of " << places;
}

/// A closed room of walls of 20 cm without any light, the sun outside, probes on both sides.
Bake dark_room_in_the_sun() {
    Level level;
    add_box(level, "ground", {-9, -0.5f, -9}, {9, 0, 9}, false, {0.3f, 0.3f, 0.3f});
    add_thick_room(level, {-3, 0, -2}, {3, 2.4f, 2}, 0.2f, {0.6f, 0.6f, 0.6f});
    level.lights.push_back(house().lights[0]);
    level.sky.radiance = {4000, 4000, 4000};
    level.volumes = {box_volume("all", {-7, 0.3f, -6}, {7, 4.5f, 6}, 1.3f)};
    level.lightmap.density = 2;
    level.quality.tier = Tier::glance;
    return bake_level(std::move(level));
}

TEST(Leaks, a_closed_room_in_the_sun_is_dark_up_to_its_roof_and_into_its_corners) {
    const Bake b = dark_room_in_the_sun();
    const BakedSet& set = b.baked.sets[0];
    std::vector<float> lux;
    for (float x = -2.96f; x < 3; x += 0.148f)
        for (float z = -1.96f; z < 2; z += 0.28f)
            for (const float y : {0.04f, 0.3f, 1.1f, 2.2f, 2.36f}) {
                const Vec3 at{x, y, z};
                const ProbeWeights w = probe_weights(b.baked.probes, at);
                lux.push_back(luminance(probe_irradiance(w, set.probes, set.lamps, at, {0, 1, 0})));
            }
    // Outside it is 90,000.
    EXPECT_LT(Shares::at(lux, 0.9), 0.1f);
    EXPECT_LT(Shares::at(lux, 0.99), 5);
    EXPECT_LT(Shares::at(lux, 1), 100);
}

TEST(Leaks, nothing_jumps_where_probes_change_that_answer) {
    const Bake b = dark_room_in_the_sun();
    Numbers numbers(3);
    const auto inside = [&] {
        return Vec3{-2.9f + 5.8f * numbers.next(), 0.1f + 2.2f * numbers.next(),
                    -1.9f + 3.8f * numbers.next()};
    };
    float most = 0;
    int steps = 0;
    for (int line = 0; line < 200; ++line) {
        const Vec3 from = inside(), way = normalize(inside() - from);
        std::map<std::uint32_t, float> before;
        std::uint32_t hint = none;
        for (int k = 0;; ++k) {
            const Vec3 at = from + way * (0.01f * static_cast<float>(k));
            if (std::abs(at.x) > 2.95f || at.y < 0.05f || at.y > 2.35f || std::abs(at.z) > 1.95f) break;
            const ProbeWeights w = probe_weights(b.baked.probes, at, hint);
            std::map<std::uint32_t, float> now;
            for (std::size_t i = 0; i < static_cast<std::size_t>(w.count); ++i)
                now[w.probe[i]] += w.weight[i];
            float change = 0;
            for (const auto& [p, v] : now) change += std::abs(v - (before.count(p) ? before[p] : 0));
            for (const auto& [p, v] : before)
                if (!now.count(p)) change += v;
            if (k > 0) most = std::max(most, change / 2);
            before = std::move(now);
            ++steps;
        }
    }
    EXPECT_GT(steps, 20000);
    EXPECT_LT(most, 0.04f) << "of all weight, in a centimetre";
}

}  // namespace
}  // namespace test::leak_tests
