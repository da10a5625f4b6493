// Places where probes are judged, and probes placed by what exact light is there.

#include "probe/body_places.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "shapes.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/place.hpp"
#include "support.hpp"

namespace test::body_places_tests {
namespace {

/// A room of six by four metres, three high, with a pane across its middle and a pillar.
Level room_with_pane() {
    Level level;
    add_box(level, "room", {-3, 0, -2}, {3, 3, 2}, true, {0.5f, 0.5f, 0.5f});
    add_quad(level, "pane", {0, 0, -2}, {0, 0, 2}, {0, 3, 2}, {0, 3, -2}, {0.9f, 0.9f, 0.9f});
    level.materials[level.surfaces[1].material].transmission = 1;
    level.materials[level.surfaces[1].material].double_sided = true;
    add_box(level, "pillar", {-1.8f, 0, -0.2f}, {-1.4f, 3, 0.2f}, false, {0.5f, 0.5f, 0.5f});
    level.volumes = {box_volume("left", {-2.9f, 0.1f, -1.9f}, {2.9f, 2.9f, 1.9f}, 1)};
    return level;
}

std::vector<Vec3> places_in(const Level& level, const std::vector<Vec3>& around, std::size_t count) {
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface&) { return true; });
    return body_places(level, caster, around, count, true);
}

TEST(BodyPlaces, are_free_near_a_floor_on_the_side_of_who_sees_them_and_in_a_volume) {
    Level level = room_with_pane();
    const std::vector<Vec3> around{{-2, 1, 1}, {-0.7f, 1, 1}, {-2.4f, 1, -1}, {-0.5f, 2, -1}};
    const std::vector<Vec3> places = places_in(level, around, 400);
    ASSERT_EQ(places.size(), 400u);
    for (const Vec3 p : places) {
        EXPECT_LT(p.x, -0.199f);  // not through the pane
        EXPECT_GT(p.x, -2.801f);
        EXPECT_LT(std::abs(p.z), 1.801f);
        EXPECT_GT(p.y, 0.199f);
        EXPECT_LT(p.y, 1.901f);
        EXPECT_FALSE(p.x > -1.8f && p.x < -1.4f && std::abs(p.z) < 0.2f);
    }
    EXPECT_EQ(places, places_in(level, around, 400));
    level.volumes = {box_volume("small", {-3, 0, 0.5f}, {-1, 3, 2}, 1)};
    for (const Vec3 p : places_in(level, around, 100)) EXPECT_GE(p.z, 0.5f);
    level.volumes[0].except = true;
    for (const Vec3 p : places_in(level, around, 100)) EXPECT_FALSE(p.z >= 0.5f && p.x <= -1 && p.x >= -3);
}

TEST(BodyPlaces, lie_evenly_however_crowded_probes_are) {
    const Level level = room_with_pane();
    std::vector<Vec3> around{{1, 1, -1}, {1, 1, 1}};
    for (int i = 0; i < 40; ++i) around.push_back({1 + 0.001f * static_cast<float>(i), 1, 1});
    const std::vector<Vec3> places = places_in(level, around, 1000);
    ASSERT_EQ(places.size(), 1000u);
    const auto left = std::count_if(places.begin(), places.end(), [](Vec3 p) { return p.z < 0; });
    EXPECT_NEAR(static_cast<double>(left), 500, 60);
}

TEST(BodyPlaces, are_fewer_where_nothing_is_free) {
    Level level = room_with_pane();
    add_box(level, "slot", {-2.9f, 0, -1.9f}, {-2.6f, 3, 1.9f}, true, {0.5f, 0.5f, 0.5f});
    EXPECT_TRUE(places_in(level, {}, 10).empty());
    EXPECT_TRUE(places_in(level, {{-2.75f, 1, 0}}, 3).empty());
}

SLOW_TEST(Thinning, holds_its_tolerance_against_exact_light_by_rays) {
    Level level = room_with_pane();
    add_quad(level, "panel", {1, 2.99f, -1}, {2, 2.99f, -1}, {2, 2.99f, 1}, {1, 2.99f, 1}, {0.5f, 0.5f, 0.5f},
             {300, 280, 250});
    level.quality.tier = Tier::glance;
    level.lightmap.density = 6;
    level.volumes[0].spacing = 0.5f;
    level.probes.tolerance = 0.1f;
    complete_level(level);
    Job job;
    const PlacedProbes placed = place_probes(level, job);
    EXPECT_LE(placed.figures.error_95, 0.1f);
    EXPECT_LT(placed.places.size() * 3, placed.places.size() + placed.figures.thinned);
    level.placed = placed.places;
    Atlas atlas;
    const Baked baked = bake(level, atlas, job);
    const std::vector<RoomProbes> rooms = judge_probes(level, atlas, baked, 200, job);
    ASSERT_FALSE(rooms.empty());
    for (const RoomProbes& r : rooms) {
        EXPECT_LT(r.half, 0.06f) << r.room;
        EXPECT_LT(r.at_95, 0.15f) << r.room;  // of each facing by itself, in other noise
    }
}

}  // namespace
}  // namespace test::body_places_tests
