// Where reflection probes are placed by rules.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "shapes.hpp"
#include "stores.hpp"
#include "support.hpp"

namespace test::reflection_places_tests {
namespace {

const Rgb grey{0.5f, 0.5f, 0.5f};

std::vector<ReflectionProbe> placed(const Level& level, unsigned threads = 0) {
    Job job(JobOptions{.threads = threads});
    return place_reflections(level, job);
}

std::string refused(const Level& level) {
    try {
        placed(level);
    } catch (const Error& e) {
        return e.text();
    }
    return "";
}

ReflectionRule rule_in(Vec3 low, Vec3 high, std::vector<Vec3> seeds) {
    ReflectionRule r;
    r.name = "auto";
    r.region = box_volume("auto", low, high, 2);
    r.region.seeds = std::move(seeds);
    return r;
}

/// Two rooms of 6 x 3 x 5 and 4 x 3 x 5 m with a door between them, all walls 0.2 m thick.
Level two_rooms() {
    Level level;
    add_box(level, "floor", {-6.2f, -0.2f, -2.7f}, {4.4f, 0, 2.7f}, false, grey);
    add_box(level, "roof", {-6.2f, 3, -2.7f}, {4.4f, 3.2f, 2.7f}, false, grey);
    add_box(level, "west", {-6.2f, 0, -2.7f}, {-6, 3, 2.7f}, false, grey);
    add_box(level, "east", {4.2f, 0, -2.7f}, {4.4f, 3, 2.7f}, false, grey);
    add_box(level, "north", {-6, 0, -2.7f}, {4.2f, 3, -2.5f}, false, grey);
    add_box(level, "south", {-6, 0, 2.5f}, {4.2f, 3, 2.7f}, false, grey);
    add_box(level, "between_1", {0, 0, -2.5f}, {0.2f, 3, -0.45f}, false, grey);
    add_box(level, "between_2", {0, 0, 0.45f}, {0.2f, 3, 2.5f}, false, grey);
    add_box(level, "lintel", {0, 2.1f, -0.45f}, {0.2f, 3, 0.45f}, false, grey);
    return level;
}

TEST(Places, each_room_gets_one_that_fits_its_walls) {
    Level level = two_rooms();
    level.reflection_rules = {rule_in({-7, -1, -4}, {6, 4, 4}, {{-3, 1.5f, 0}})};
    level.reflection_rules[0].rooms = true;
    const std::vector<ReflectionProbe> p = placed(level);
    ASSERT_EQ(p.size(), 2u);
    // The smaller one answers first.
    const Vec3 middle[2] = {{2.2f, 1.5f, 0}, {-3, 1.5f, 0}}, half[2] = {{2, 1.5f, 2.5f}, {3, 1.5f, 2.5f}};
    for (std::size_t i = 0; i < 2; ++i) {
        EXPECT_LT(length(p[i].middle - middle[i]), 0.05f) << i;
        EXPECT_LT(length(p[i].half - half[i]), 0.05f) << i;
        EXPECT_LT(length(p[i].capture - middle[i]), 1.2f) << i;
        EXPECT_EQ(p[i].origin, ReflectionOrigin::rooms);
        EXPECT_TRUE(p[i].parallax);
    }
    EXPECT_TRUE(p == placed(level, 1)) << "same for any threads";
}

TEST(Places, a_turned_room_gets_a_turned_box) {
    Level level = two_rooms();
    const float t = 0.5f;
    for (Surface& s : level.surfaces) {
        s.to_world.x = {std::cos(t), 0, std::sin(t)};
        s.to_world.z = {-std::sin(t), 0, std::cos(t)};
    }
    level.reflection_rules = {rule_in({-9, -1, -9}, {9, 4, 9}, {{-3 * std::cos(t), 1.5f, -3 * std::sin(t)}})};
    level.reflection_rules[0].rooms = true;
    const std::vector<ReflectionProbe> p = placed(level);
    ASSERT_EQ(p.size(), 2u);
    // Along one of the room's axes, whichever comes first.
    const float along = std::abs(dot(p[1].axes[0], Vec3{std::cos(t), 0, std::sin(t)}));
    EXPECT_TRUE(along > 0.999f || along < 0.05f) << along;
    EXPECT_NEAR(p[1].half.x * p[1].half.z, 7.5f, 0.4f);
}

TEST(Places, all_of_a_round_wall_and_of_a_vault_belongs_to_their_room) {
    // A round cellar with a shallow dome of 24 sides, and the sun above it.
    Level level;
    const int sides = 24, rings = 4;
    const float radius = 4, high = 2.5f, rise = 1.2f;
    const auto at = [&](int side, float r, float y) {
        const float a = 2 * pi * static_cast<float>(side) / sides;
        return Vec3{r * std::cos(a), y, r * std::sin(a)};
    };
    const auto dome = [&](int ring) {
        const float s = static_cast<float>(ring) / rings;
        return std::pair{radius * std::max(0.01f, 1 - s), high + rise * (1 - (1 - s) * (1 - s))};
    };
    for (int k = 0; k < sides; ++k) {
        const std::string n = std::to_string(k);
        add_quad(level, "wall" + n, at(k, radius, 0), at(k + 1, radius, 0), at(k + 1, radius, high),
                 at(k, radius, high), grey);
        for (int r = 0; r < rings; ++r) {
            const auto [wide, low] = dome(r);
            const auto [narrow, top] = dome(r + 1);
            add_quad(level, "dome" + n, at(k, wide, low), at(k + 1, wide, low), at(k + 1, narrow, top),
                     at(k, narrow, top), grey);
        }
    }
    add_quad(level, "floor", {-5, 0, 5}, {5, 0, 5}, {5, 0, -5}, {-5, 0, -5}, grey);
    level.reflection_rules = {rule_in({-5, -1, -5}, {5, 5, 5}, {{0, 1, 0}})};
    level.reflection_rules[0].rooms = true;
    const std::vector<ReflectionProbe> p = placed(level);
    ASSERT_EQ(p.size(), 1u);
    const auto whole = [&](Vec3 place, Vec3 normal) {
        const ReflectionWeights w = reflection_weights(p, place, normal);
        return w.count == 1 ? w.weight[0] : 0;
    };
    for (int k = 0; k < sides; ++k) {
        EXPECT_GT(whole(at(k, radius - 0.002f, 0), {0, 1, 0}), 0.98f) << "the wall's foot at side " << k;
        EXPECT_GT(whole(at(k, 0.3f, dome(rings).second - 0.01f), at(k, -1, 0)), 0.98f) << "the apex";
    }
}

TEST(Places, rows_stand_over_open_ground_at_their_height_and_not_under_roofs) {
    Level level = two_rooms();
    add_quad(level, "ground", {-30, -0.3f, 30}, {30, -0.3f, 30}, {30, -0.3f, -30}, {-30, -0.3f, -30}, grey);
    level.reflection_rules = {rule_in({-24, -1, -24}, {24, 6, 24}, {{10, 2, 0}})};
    level.reflection_rules[0].ground = true;
    level.reflection_rules[0].spacing = 12;
    level.reflection_rules[0].height = 1.8f;
    const std::vector<ReflectionProbe> p = placed(level);
    ASSERT_EQ(p.size(), 16u);
    for (const ReflectionProbe& r : p) {
        EXPECT_NEAR(r.capture.y, 1.5f, 1e-3f);
        EXPECT_FALSE(r.parallax);
        EXPECT_FALSE(r.capture.x > -6.2f && r.capture.x < 4.4f && std::abs(r.capture.z) < 2.7f)
            << "in the house";
    }
    // Every place over the ground is answered for.
    for (float x = -23; x < 24; x += 1.3f)
        for (float z = -23; z < 24; z += 1.3f)
            EXPECT_GT(reflection_weights(p, {x, 0, z}, {0, 1, 0}).count, 0) << x << " " << z;
}

TEST(Places, rooms_answer_before_what_stands_over_open_ground_however_large_they_are) {
    Level level = two_rooms();
    add_quad(level, "ground", {-12, -0.3f, 8}, {12, -0.3f, 8}, {12, -0.3f, -8}, {-12, -0.3f, -8}, grey);
    level.reflection_rules = {rule_in({-9, -1, -6}, {9, 4, 6}, {{-3, 1.5f, 0}, {7, 1.5f, 0}})};
    level.reflection_rules[0].rooms = level.reflection_rules[0].ground = true;
    level.reflection_rules[0].spacing = 3;
    level.reflection_rules[0].resolution = 32;
    const std::vector<ReflectionProbe> p = placed(level);
    ASSERT_GT(p.size(), 10u);
    for (std::size_t i = 0; i < p.size(); ++i)
        EXPECT_EQ(p[i].origin, i < 2 ? ReflectionOrigin::rooms : ReflectionOrigin::ground) << i;
}

TEST(Places, what_cannot_be_is_refused_early_and_says_what_to_do) {
    Level level = two_rooms();
    const auto with = [&](auto change) {
        Level l = level;
        change(l);
        return refused(l);
    };
    const auto one = [&](auto change) {
        return with([&](Level& l) {
            l.reflections = {probe_in({-6, 0, -2.5f}, {0, 3, 2.5f})};
            change(l.reflections[0]);
        });
    };
    EXPECT_EQ(one([](ReflectionProbe&) {}), "");
    EXPECT_NE(one([](ReflectionProbe& p) {
                  p.capture = {-3, -0.1f, 0};
                  p.room_half.y = 9;
              }).find("from inside of something"),
              std::string::npos);
    EXPECT_NE(one([](ReflectionProbe& p) {
                  p.capture = {5, 1, 0};
              }).find("outside of its room"),
              std::string::npos);
    EXPECT_NE(one([](ReflectionProbe& p) { p.resolution = 100; }).find("power of two"), std::string::npos);
    EXPECT_NE(one([](ReflectionProbe& p) {
                  p.near = 20;
                  p.sky_beyond = 10;
              }).find("near"),
              std::string::npos);
    EXPECT_NE(one([](ReflectionProbe& p) { p.half.y = 0; }).find("reaches nothing"), std::string::npos);
    EXPECT_NE(one([](ReflectionProbe& p) { p.middle.x = NAN; }).find("not finite"), std::string::npos);
    EXPECT_NE(with([](Level& l) {
                  l.reflections.assign(200, probe_in({-6, 0, -2.5f}, {0, 3, 2.5f}, 1024));
              }).find("million texels"),
              std::string::npos);
    const auto rule = [&](auto change) {
        return with([&](Level& l) {
            l.reflection_rules = {rule_in({-7, -1, -4}, {6, 4, 4}, {{-3, 1.5f, 0}})};
            change(l.reflection_rules[0]);
        });
    };
    EXPECT_NE(rule([](ReflectionRule&) {}).find("asks for nothing"), std::string::npos);
    EXPECT_NE(rule([](ReflectionRule& r) {
                  r.rooms = true;
                  r.region.seeds = {{-3, -0.1f, 0}};
              }).find("seed"),
              std::string::npos);
    EXPECT_NE(rule([](ReflectionRule& r) { r.ground = true; }).find("finds no place"), std::string::npos);
    EXPECT_NE(rule([](ReflectionRule& r) {
                  r.ground = true;
                  r.region.half = {9000, 5, 9000};
                  r.spacing = 1;
              }).find("too many"),
              std::string::npos);
    EXPECT_NE(rule([](ReflectionRule& r) {
                  r.water = r.everywhere = true;
                  r.on = "pond";
              }).find("no surface"),
              std::string::npos);
    EXPECT_NE(rule([](ReflectionRule& r) {
                  r.water = r.everywhere = true;
                  r.on = "floor";
              }).find("not flat"),
              std::string::npos);
}

}  // namespace
}  // namespace test::reflection_places_tests
