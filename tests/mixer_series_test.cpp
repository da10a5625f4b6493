// Series of sets that follow the clock of a game.

#include <gtest/gtest.h>

#include <cmath>

#include "two_rooms.hpp"

namespace test::mixer_series_tests {
namespace {

/// Open ground under an even sky: E is pi times its radiance.
struct Day {
    Bake bake;
    Folder folder;
    rt::Game game;
    explicit Day(const std::vector<std::pair<float, float>>& hours) {
        Level level;
        level.quality.tier = Tier::glance;
        level.lightmap.page = 64;
        level.lightmap.density = 4;
        add_floor(level, 8);
        level.sky.radiance = {1, 1, 1};
        level.volumes = {box_volume("air", {-1, 0.5f, -1}, {1, 1.5f, 1}, 1)};
        complete_level(level);
        level.sets.clear();
        for (const auto& [hour, nit] : hours) {
            SeriesStep step;
            step.series = "day";
            step.hour = hour;
            step.sky = level.sky;
            step.sky.radiance = Rgb{1, 1, 1} * nit;
            level.sets.push_back({"day-" + std::to_string(level.series.size()),
                                  {1},
                                  {},
                                  {},
                                  static_cast<std::uint32_t>(level.series.size())});
            level.series.push_back(step);
        }
        bake = bake_level(level);
        save_game(folder / "game.sgl", {bake.level, bake.atlas}, bake.baked);
        game.open((folder / "game.sgl").c_str());
    }
};

TEST(MixerSeries, is_a_ring_that_follows_the_clock) {
    const Day d({{6, 100}, {12, 900}, {20, 200}});
    ASSERT_EQ(d.game.series_count(), 1u);
    ASSERT_EQ(d.game.series_length(d.game.find_series("day")), 3u);
    EXPECT_EQ(d.game.series_step(0, 1).hour, 12);
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(d.game), rt::Status::ok);
    const auto light = [&] { return mixer.surface_light(0, 0.5f, 0.5f).g / pi; };
    mixer.set_clock(12, 1);
    ASSERT_TRUE(mixer.follow(0, rt::everywhere, 0));
    mixer.advance(0);
    EXPECT_NEAR(light(), 900, 4);
    for (const auto& [seconds, want] :
         {std::pair{4.0, 550.0f}, {4.0, 200.0f}, {5.0, 150.0f}, {5.0, 100.0f}, {3.0, 500.0f}}) {
        mixer.advance(seconds);  // past midnight, on from the last step to the first
        EXPECT_NEAR(light(), want, 0.006f * want + 0.5f) << "at " << mixer.clock();
    }
    std::uint32_t hint = 0;
    EXPECT_NEAR(mixer.sample({0, 1, 0}, {0, 1, 0}, hint).g / pi, 500, 15) << "two per cent off in the probes";
    // Set to another hour it is there at once; told to follow in ten seconds, it gets there without a jump.
    mixer.set_clock(-4 - 48, 0.2);
    mixer.advance(0);
    EXPECT_NEAR(light(), 200, 2);
    mixer.set_clock(9, 0.1);
    mixer.request(1, rt::everywhere, 0);
    mixer.advance(0);
    ASSERT_TRUE(mixer.follow(0, rt::everywhere, 10));
    float before = light(), most = 0;
    for (int i = 0; i < 100; ++i) {
        mixer.advance(0.1);
        most = std::max(most, std::abs(light() - before));
        before = light();
    }
    EXPECT_NEAR(before, 100 + 800 * 4.0f / 6, 8) << "ten o'clock";
    EXPECT_LT(most, 60);
    mixer.request(2, rt::everywhere, 1);
    mixer.advance(0.5);
    mixer.advance(9);
    EXPECT_NEAR(light(), 200, 2) << "a set that is asked for ends it";
}

TEST(MixerSeries, steps_of_one_hour_and_series_of_one_step_are_rings_too) {
    const Day d({{0, 300}});
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(d.game), rt::Status::ok);
    mixer.set_clock(17);
    ASSERT_TRUE(mixer.follow(0, rt::nothing, 1));
    for (int i = 0; i < 5; ++i) mixer.advance(0.4);
    EXPECT_NEAR(mixer.surface_light(0, 0.5f, 0.5f).g / pi, 300, 2);
}

}  // namespace
}  // namespace test::mixer_series_tests
