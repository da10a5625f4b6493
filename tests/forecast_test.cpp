// Remaining time: what forecasts said in bakes of the demo level, replayed.

#include <gtest/gtest.h>

#include <atomic>

#include <fstream>
#include <set>
#include <sstream>

#include "base/forecast.hpp"
#include "shapes.hpp"
#include "stasigraph/job.hpp"
#include "stasigraph/stasigraph.hpp"
#include "support.hpp"

namespace test::forecast_tests {
namespace {

using namespace stasigraph;

/// Recorded by `stasigraph_bench progress`.
std::vector<ForecastEvent> recorded(const std::string& name) {
    std::ifstream file(STASIGRAPH_SOURCE "/tests/data/" + name);
    std::vector<ForecastEvent> events;
    for (std::string line; std::getline(file, line);) {
        std::istringstream in(line);
        std::string part[4];
        for (std::string& p : part) std::getline(in, p, '\t');
        events.push_back({static_cast<ForecastEvent::Kind>(std::stoi(part[0])), part[1], std::stod(part[2]),
                          std::stod(part[3])});
    }
    return events;
}

TEST(Forecast, is_within_a_fifth_from_a_tenth_of_the_way_on) {
    for (const char* name : {"forecast-proof.tsv", "forecast-glance.tsv"}) {
        constexpr double share = 0.2;
        const std::vector<ForecastEvent> events = recorded(name);
        ASSERT_GT(events.size(), 80u) << name;
        const double whole = events.back().seconds;
        Forecast forecast;
        int asked = 0;
        for (const ForecastEvent& e : events) {
            forecast.tell(e);
            if (e.kind != ForecastEvent::Kind::running || e.seconds < 0.1 * whole || e.seconds > 0.97 * whole)
                continue;
            ASSERT_GE(forecast.left(e.seconds), 0) << "nothing is said after " << e.seconds << " s";
            const double said = e.seconds + forecast.left(e.seconds);
            EXPECT_NEAR(said, whole, share * whole)
                << name << ", " << e.stage << " after " << e.seconds << " s";
            ++asked;
        }
        EXPECT_GT(asked, 30) << name;
    }
}

TEST(Forecast, finds_out_that_a_machine_is_slower_than_thought) {
    Forecast f;
    f.plan("first", 10);
    f.plan("second", 30);
    EXPECT_LT(f.left(0), 0) << "nothing to tell from";
    f.running("first", 0.5);
    EXPECT_DOUBLE_EQ(f.left(20), 140);
    f.finished("first", 40);
    EXPECT_DOUBLE_EQ(f.left(40), 120);
    f.plan("second", 10);
    EXPECT_DOUBLE_EQ(f.left(40), 40) << "there is less to do than thought";
}

TEST(Forecast, stages_without_a_cost_say_nothing_of_the_others) {
    Forecast f;
    f.plan("odd", 0);
    f.plan("plain", 10);
    f.finished("odd", 100);
    f.running("plain", 0.5);
    EXPECT_DOUBLE_EQ(f.left(105), 5);
}

TEST(Forecast, counts_the_placing_of_probes_and_never_goes_back) {
    Level level;
    add_thick_room(level, {-4, 0, -4}, {4, 3, 4}, 0.2f, {0.5f, 0.5f, 0.5f});
    Light lamp;
    lamp.name = "lamp";
    lamp.kind = LightKind::point;
    lamp.color = {60, 60, 60};
    lamp.position = {1, 2, 1};
    level.lights = {lamp};
    level.quality.tier = Tier::glance;
    level.volumes.push_back(box_volume("room", {-3.9f, 0.1f, -3.9f}, {3.9f, 2.9f, 3.9f}, 0.3f));
    std::vector<Progress> seen;
    std::vector<std::string> stages;
    Job job({.on_progress = [&](const Progress& p) {
        seen.push_back(p);
        stages.emplace_back(p.stage);
    }});
    Atlas atlas;
    bake(level, atlas, job);
    bool placing = false;
    double before = 0;
    for (std::size_t i = 0; i < seen.size(); ++i) {
        placing |= stages[i] == "place probes" && seen[i].done > 0;
        EXPECT_GE(seen[i].done, before) << stages[i];
        before = seen[i].done;
    }
    EXPECT_TRUE(placing) << "placing is a part of the whole";
    EXPECT_TRUE(std::any_of(job.times().begin(), job.times().end(), [](const Job::StageTime& t) {
        return t.name == "place probes" && t.seconds > 0;
    }));
}

TEST(Forecast, takes_no_stage_of_the_placing_for_one_of_the_bake) {
    Level level;
    add_thick_room(level, {-4, 0, -4}, {4, 3, 4}, 0.2f, {0.5f, 0.5f, 0.5f});
    Light lamp;
    lamp.name = "lamp";
    lamp.color = {60, 60, 60};
    lamp.position = {1, 2, 1};
    lamp.kind = LightKind::point;
    level.lights = {lamp};
    level.quality.tier = Tier::proof;
    level.lightmap.density = 3;
    level.volumes.push_back(box_volume("room", {-3.9f, 0.1f, -3.9f}, {3.9f, 2.9f, 3.9f}, 1));
    level.volumes[0].rules[static_cast<int>(ProbeRule::light)] = true;
    std::vector<std::pair<std::string, double>> seen;
    Job job({.on_progress = [&](const Progress& p) { seen.emplace_back(p.stage, p.done); }});
    Atlas atlas;
    bake(level, atlas, job);
    // The placing lights the level once at glance, with links, noise and bounces of its own.
    const auto links =
        std::find_if(seen.begin(), seen.end(), [](const auto& s) { return s.first == "links"; });
    ASSERT_NE(links, seen.end());
    EXPECT_LT(links->second, 0.75) << "links are half of the work, and were not done before";
    const auto of = [&](const char* name) {
        return std::count_if(job.times().begin(), job.times().end(),
                             [&](const Job::StageTime& t) { return t.name == name; });
    };
    EXPECT_EQ(of("place probes"), 1);
    EXPECT_EQ(of("links"), 1);
    EXPECT_EQ(of("thin"), 0) << "a step of placing";
}

TEST(Job, a_limit_cancels_and_can_be_lifted) {
    Job job;
    job.limit(1e-6);
    EXPECT_THROW(job.parallel(1 << 20, 1, [](std::size_t, std::size_t) {}), Cancelled);
    EXPECT_TRUE(job.out_of_time());
    job.limit(0);
    EXPECT_FALSE(job.out_of_time());
    std::atomic<int> done{0};
    job.parallel(10, 1, [&](std::size_t, std::size_t) { ++done; });
    EXPECT_EQ(done, 10);
    job.limit(3600);
    EXPECT_FALSE(job.cancelled());
}

TEST(Stages, have_each_a_name_of_its_own) {
    std::set<std::string_view> names;
    for (int s = 0; s < stages; ++s) names.insert(stage_name(static_cast<Stage>(s)));
    EXPECT_EQ(names.size(), static_cast<std::size_t>(stages));
    EXPECT_FALSE(names.contains(""));
    EXPECT_EQ(stage_name(Stage::game), "game");
}

}  // namespace
}  // namespace test::forecast_tests
