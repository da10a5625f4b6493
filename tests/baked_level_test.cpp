// A baked level metered, packed and played by a program that links the library.

#include "stasigraph/baked_level.hpp"

#include <gtest/gtest.h>

#include "room.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/game.hpp"

namespace test::baked_level_tests {
namespace {

/// A small room, baked once for all tests of this file that only read it.
const Room& baked_room() {
    static const Room room;
    static const bool baked = room.bake().status == 0;
    EXPECT_TRUE(baked);
    return room;
}
BakedLevel load(const Room& room, const std::string& set) {
    return load_baked_level(load_level(room.sheet), room.baked, set);
}

template <class F>
std::string error_of(F f) {
    try {
        f();
    } catch (const Error& e) {
        return e.text();
    }
    return "";
}

TEST(BakedLevel, has_one_set_or_all_at_the_tier_that_was_baked) {
    const Room& room = baked_room();
    Level level = load_level(room.sheet);
    level.quality.tier = Tier::final;
    const BakedLevel all = load_baked_level(level, room.baked, ""), one = load(room, "night");
    EXPECT_EQ(all.level.quality.tier, Tier::glance);
    ASSERT_EQ(all.bake.sets.size(), 2u);
    EXPECT_FALSE(all.bake.stale);
    ASSERT_EQ(one.bake.sets.size(), 1u);
    EXPECT_EQ(one.bake.sets[0].name, "night");
    EXPECT_EQ(one.bake.sets[0].probes, all.bake.sets[1].probes);
    EXPECT_NE(error_of([&] { load(room, "noon"); }), "");
    EXPECT_NE(error_of([&] { load_baked_level(level, room.folder / "elsewhere", ""); }), "");
}

TEST(BakedLevel, is_metered_as_the_tool_does) {
    const Room& room = baked_room();
    const fs::path file = room.folder / "points.json";
    write_bytes(file,
                R"([{"at": [0.2, 0, 0.9], "facing": [0, 1, 0]}, {"at": [-0.5, 0, 0.4]}, {"at": [0, 5, 0]}])");
    const std::vector<MeterPoint> points = read_meter_points(file);
    ASSERT_EQ(points.size(), 3u);
    EXPECT_TRUE(points[0].facing);
    EXPECT_FALSE(points[1].facing);
    Job job;
    for (const bool from_probes : {false, true}) {
        const auto readings =
            meter_bake(load(room, "day"), {.points = points, .from_probes = from_probes}, job);
        const auto told = tool("meter " + room.sheet.string() + " --json --quiet --set day --points " +
                               file.string() + (from_probes ? " --from probes" : ""))
                              .json();
        ASSERT_EQ(readings.size(), 3u);
        EXPECT_EQ(told["set"], "day");
        for (std::size_t i = 0; i < 3; ++i) {
            const auto& lux = told["readings"][i]["irradiance_lux"];
            ASSERT_EQ(readings[i].irradiance.has_value(), lux.is_array()) << i;
            if (readings[i].irradiance) {
                EXPECT_NEAR(lux[1].get<float>(), readings[i].irradiance->g,
                            1e-4f * readings[i].irradiance->g);
            }
        }
    }
}

TEST(BakedLevel, says_which_point_of_a_file_is_none) {
    const Folder folder;
    const fs::path file = folder / "points.json";
    const auto refused = [&](const std::string& text) {
        write_bytes(file, text);
        return error_of([&] { read_meter_points(file); });
    };
    EXPECT_NE(refused("[{\"at\": [0, 0, 0]}, {\"at\": [0, 0]}]").find("point 1"), std::string::npos);
    EXPECT_NE(refused("[{\"at\": [0, 0, 0], \"facing\": [0, 0, 0]}]").find("no direction"),
              std::string::npos);
    EXPECT_NE(refused("[{\"at\": [0, 0, 1e999]}]"), "");
    EXPECT_NE(refused("{\"at\": [0, 0, 0]}").find("array of points"), std::string::npos);
    EXPECT_NE(refused("[{\"at\": ").find("valid JSON"), std::string::npos);
    EXPECT_NE(error_of([&] { read_meter_points(folder / "none.json"); }).find("no such file"),
              std::string::npos);
}

TEST(BakedLevel, is_walked_through_with_what_it_comes_to) {
    const BakedLevel b = load(baked_room(), "day");
    Job job;
    const MeteredWalk walk = walk_bake(b, {{-0.8f, 0.8f, 0.6f}, {0.8f, 0.8f, 0.6f}}, {.step = 0.2f}, job);
    EXPECT_EQ(walk.set, "day");
    EXPECT_NEAR(walk.length, 1.6f, 1e-4f);
    ASSERT_EQ(walk.steps.size(), 9u);
    std::size_t jumps = 0, over = 0;
    float worst = 0;
    for (const WalkStep& s : walk.steps) {
        worst = std::max(worst, s.error);
        jumps += s.jump ? 1 : 0;
        over += s.error > walk.error_95 ? 1 : 0;
    }
    EXPECT_EQ(walk.error_worst, worst);
    EXPECT_LE(over, 1u);
    EXPECT_EQ(walk.jumps.size(), jumps);
    // The open floor under a sky and a sun: probes are near the truth.
    EXPECT_LT(walk.error_worst, 0.15f);
}

TEST(BakedLevel, names_lights_that_the_game_adds) {
    Level level = load_level(baked_room().sheet);
    EXPECT_EQ(live_lights(level, "night"), "");
    for (Light& light : level.lights) light.role = BakeRole::bounce;
    // A set without any of it does not name it.
    EXPECT_EQ(live_lights(level, "day"), "sun");
    EXPECT_EQ(live_lights(level, "night"), "lamp");
    for (int i = 0; i < 8; ++i) level.lights.push_back(level.lights[0]);
    EXPECT_NE(live_lights(level, "night").find(" and 3 more"), std::string::npos);
}

TEST(BakedLevel, is_packed_and_reads_back) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const BakedLevel b = load(room, "");
    const fs::path inside = room.baked / "game.sgl", outside = room.folder / "own.sgl";
    Job job;
    pack_bake(b, room.baked, inside, {}, job);
    pack_bake(b, room.baked, outside, {.pixels = GamePixels::rgb9e5}, job);
    runtime::Game game;
    ASSERT_EQ(game.open(inside.c_str()), runtime::Status::ok);
    EXPECT_EQ(game.set_count(), 2u);
    EXPECT_EQ(game.surface_count(), b.level.surfaces.size());
    EXPECT_LT(fs::file_size(outside), fs::file_size(inside));
    // Somebody bakes there: what lies in the folder waits for nobody, what is elsewhere is in nobody's way.
    const FolderLock lock(room.baked);
    EXPECT_NE(error_of([&] { pack_bake(b, room.baked, inside, {}, job); }), "");
    EXPECT_EQ(error_of([&] { pack_bake(b, room.baked, outside, {}, job); }), "");
    EXPECT_NE(error_of([&] { pack_bake(b, room.baked, room.sheet / "a.sgl", {}, job); }), "");
}

TEST(BakedLevel, is_played_into_a_folder) {
    const Room room;
    // The crate walks; it was a part of the room before.
    write_bytes(room.sheet, read_text(room.sheet) + "[[surface]]\nmatch = \"crate\"\npart = \"moving\"\n");
    ASSERT_EQ(room.bake().status, 0);
    write_bytes(room.folder / "walk.toml",
                "[play]\nlevel = \"room.toml\"\nfigure = \"crate\"\nset = \"day\"\nsize = [64, 40]\nfps = 2\n"
                "[[play.step]]\nat = 0\nplace = [-1.0, 0.0, 0.5]\n"
                "[[play.step]]\nat = 1.5\nplace = [1.0, 0.0, 0.5]\n"
                "[[play.change]]\nat = 0.5\nset = \"night\"\nseconds = 1\n");
    Job job;
    const fs::path to = room.folder / "deep" / "frames";
    const PlayedFolder played = play_to_folder(
        {.script = load_play(room.folder / "walk.toml"), .name = "walk", .folder = room.baked, .to = to},
        load(room, ""), job);
    ASSERT_EQ(played.frames.size(), 4u);
    EXPECT_EQ(played.result.frames, 4);
    for (std::size_t i = 0; i < 4; ++i) {
        EXPECT_NEAR(played.frames[i].at, 0.5 * static_cast<double>(i), 1e-6);
        const Pixels frame = read_image(to / played.frames[i].file);
        EXPECT_EQ(frame.width, 64);
        EXPECT_EQ(frame.height, 40);
    }
    EXPECT_EQ(played.frames[0].shows, "day");
    EXPECT_EQ(played.frames[3].shows, "night");
    EXPECT_EQ(read_image(to / "sheet.png").width, 1280);
    EXPECT_EQ(read_image(to / "light.png").height, 800);
    // It got darker on the way.
    EXPECT_LT(luminance(played.result.moments.back().light), luminance(played.result.moments[0].light));
    EXPECT_TRUE(fs::exists(room.baked / "game.sgl"));
}

}  // namespace
}  // namespace test::baked_level_tests
