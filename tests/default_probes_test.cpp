// What a level gets whose sheet says nothing of probes, and how they are left out.

#include <gtest/gtest.h>

#include <algorithm>

#include "support.hpp"

namespace test::default_probes_tests {
namespace {

const Rgb grey{0.5f, 0.5f, 0.5f};

/// Two rooms without any opening between them, on one ground; nothing looks into either.
Level two_closed_rooms() {
    Level level;
    add_quad(level, "ground", {-12, -0.2f, 8}, {12, -0.2f, 8}, {12, -0.2f, -8}, {-12, -0.2f, -8}, grey);
    add_thick_room(level, {-6, 0, -2}, {-1, 3, 2}, 0.2f, grey);
    add_thick_room(level, {1, 0, -2}, {6, 3, 2}, 0.2f, grey);
    Light lamp{.name = "lamp"};
    lamp.kind = LightKind::point;
    lamp.color = {100, 100, 100};
    for (const float x : {-3.5f, 3.5f}) {
        lamp.position = {x, 2.5f, 0};
        lamp.name += "_";
        level.lights.push_back(lamp);
    }
    complete_level(level);
    return level;
}

std::array<int, 3> in_rooms(const PlacedProbes& placed) {
    std::array<int, 3> n{};
    for (const ProbePlace& p : placed.places) {
        const Vec3 at = p.position;
        const bool inside = std::abs(at.z) < 2 && at.y > 0 && at.y < 3;
        const bool left = inside && at.x > -6 && at.x < -1, right = inside && at.x > 1 && at.x < 6;
        ++n[left ? 0 : right ? 1 : 2];
    }
    return n;
}

TEST(DefaultProbes, fill_every_room_one_can_stand_in_without_a_camera_and_nothing_solid) {
    Level level = two_closed_rooms();
    add_default_volume(level);
    ASSERT_EQ(level.volumes.size(), 1u);
    Job job;
    const PlacedProbes placed = place_probes(level, job);
    const std::array<int, 3> n = in_rooms(placed);
    // A lamp in each is worked out; what it bounces takes few.
    EXPECT_GE(n[0], 2);
    EXPECT_GE(n[1], 2);
    EXPECT_GE(n[2], 4) << "the ground outside is one to stand on, too";
    EXPECT_GT(placed.figures.checked, 50u);
    EXPECT_LE(placed.figures.error_95, 0.05f);
    for (const ProbePlace& p : placed.places) {
        const float x = std::abs(p.position.x), z = std::abs(p.position.z);
        const bool walls = x > 0.8f && x < 6.2f && z < 2.2f && p.position.y > -0.2f && p.position.y < 3.2f;
        EXPECT_TRUE(!walls || (x > 1 && x < 6 && z < 2)) << "inside of a wall";
        EXPECT_GT(p.position.y, -0.2f) << "under the ground";
    }
}

TEST(DefaultProbes, come_to_levels_without_any_of_their_own_alone) {
    Level level = two_closed_rooms();
    level.hand_probes.push_back({0, 1, 5});
    add_default_volume(level);
    EXPECT_TRUE(level.volumes.empty());
    level.hand_probes.clear();
    level.probes.by_default = false;
    add_default_volume(level);
    EXPECT_TRUE(level.volumes.empty());
    level.probes.by_default = true;
    level.probes.tolerance = 0.2f;
    level.probes.budget = 30;
    add_default_volume(level);
    ASSERT_EQ(level.volumes.size(), 1u);
    EXPECT_EQ(level.probes.tolerance, 0.2f) << "what the artist says stays";
    EXPECT_EQ(level.probes.budget, 30);
    Level empty;
    add_default_volume(empty);
    EXPECT_TRUE(empty.volumes.empty());
}

TEST(DefaultProbes, of_a_wide_plain_are_spaced_so_that_they_can_be_placed) {
    Level level;
    add_floor(level, 160, grey);
    complete_level(level);
    add_default_volume(level);
    ASSERT_EQ(level.volumes.size(), 1u);
    EXPECT_GT(level.volumes[0].spacing, 2);
    Job job;
    const PlacedProbes placed = place_probes(level, job);
    EXPECT_GT(placed.places.size(), 3u);
    EXPECT_LE(placed.places.size(), 4000u);
}

TEST(DefaultProbes, of_a_bare_file_are_those_of_the_sheet_that_start_writes) {
    const Folder folder;
    Json j = good_gltf({-6, 0, 6, 6, 0, 6, 6, 0, -6, -6, 0, -6});
    write_bytes(folder / "yard.gltf", j.dump());
    const std::string scene = (folder / "yard.gltf").string(), sheet = (folder / "yard.toml").string();
    const nlohmann::json bare = tool("place " + scene + " --json").json();
    EXPECT_GT(bare["kept"].get<int>(), 0);
    ASSERT_EQ(tool("start " + scene).status, 0);
    const std::string text = read_text(folder / "yard.toml");
    EXPECT_NE(text.find("\n[[volume]]"), std::string::npos) << text;
    EXPECT_NE(text.find("seeds   = \"floors\""), std::string::npos);
    const nlohmann::json written = tool("place " + sheet + " --json").json();
    EXPECT_EQ(written["kept"], bare["kept"]);
    // And none where the sheet wants none.
    write_bytes(folder / "none.toml", "[level]\nscene = \"yard.gltf\"\n[probes]\ndefault = \"off\"\n");
    Level none_wanted;
    ASSERT_EQ(load_outcome(folder / "none.toml", &none_wanted), "");
    EXPECT_FALSE(has_probes(none_wanted));
    write_bytes(folder / "none.toml", "[level]\nscene = \"yard.gltf\"\n[probes]\ndefault = \"maybe\"\n");
    EXPECT_NE(load_outcome(folder / "none.toml", nullptr).find("neither"), std::string::npos);
    write_bytes(folder / "none.toml",
                "[level]\nscene = \"yard.gltf\"\n[[volume]]\nlow = [-1,0,-1]\nhigh = [1,3,1]\n"
                "fill = [\"explore\"]\nseeds = \"roofs\"\n");
    EXPECT_NE(load_outcome(folder / "none.toml", nullptr).find("floors"), std::string::npos);
}

TEST(DefaultProbes, light_what_moves_and_are_left_out_of_a_picture_on_demand) {
    // Half of the ground is bright, half is black: probes tell the sides of a post apart, even light does
    // not.
    Level level;
    add_quad(level, "bright", {-8, 0, 8}, {0, 0, 8}, {0, 0, -8}, {-8, 0, -8}, {0.9f, 0.9f, 0.9f});
    add_quad(level, "black", {0, 0, 8}, {8, 0, 8}, {8, 0, -8}, {0, 0, -8}, {0, 0, 0});
    add_box(level, "post", {-0.3f, 0.2f, -0.3f}, {0.3f, 1.8f, 0.3f}, false, grey).part = Part::moving;
    level.sky.radiance = {1000, 1000, 1000};
    level.lightmap.density = 2;
    level.quality.tier = Tier::glance;
    complete_level(level);
    add_default_volume(level);
    Job job;
    level.placed = place_probes(level, job).places;
    const Bake b = bake_level(level);
    ASSERT_GT(b.baked.probes.size(), 0u);
    const Camera camera{.name = "c", .eye = {0, 1, 4}, .toward = {0, 1, 0}, .vertical_fov = 0.6f};
    const ViewLight light{&b.baked.sets[0], &b.baked.probes, nullptr, nullptr, nullptr};
    const auto post = [&](bool by_probes, Vec3 eye) {
        ViewOptions options{.width = 64, .height = 48};
        options.probe_light = by_probes;
        Camera from = camera;
        from.eye = eye;
        const Picture p = view({b.level, b.atlas}, light, from, options, job);
        return luminance(p.pixels[24 * 64 + 32]);
    };
    const float bright = post(true, {-4, 1, 0}), black = post(true, {4, 1, 0});
    EXPECT_GT(bright, 1.3f * black);
    EXPECT_GT(black, 0);
    EXPECT_NEAR(post(false, {-4, 1, 0.01f}) / post(false, {-4, 1, -0.01f}), 1, 0.05);
    // As grey as it is, in even light: the same from its front and its top corner's side.
    ViewOptions options{.width = 64, .height = 48};
    options.probe_light = false;
    const Picture p = view({b.level, b.atlas}, light, camera, options, job);
    const float front = luminance(p.pixels[24 * 64 + 32]);
    EXPECT_GT(front, 0);
    const float ev = auto_exposure(p);
    EXPECT_NEAR(std::log2(front * 1.44f / (0.5f * std::exp2(ev))), 0, 0.7)
        << "as bright as its colour under the picture's exposure";
}

}  // namespace
}  // namespace test::default_probes_tests
