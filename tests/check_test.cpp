// How check() answers: the same for any number of threads, with what is accepted, with pictures.

#include "stasigraph/finding_view.hpp"
#include "yard.hpp"

namespace test::check_tests {

SLOW_TEST(Check, finds_the_same_with_any_number_of_threads) {
    for (const Level& level : {hut(0.04f), shed(0.16f, 0.012f)}) {
        const std::string one = listed(checked(level, 1));
        EXPECT_FALSE(one.empty());
        for (const unsigned threads : {2u, 5u}) EXPECT_EQ(listed(checked(level, threads)), one);
    }
}

TEST(Check, keeps_what_is_accepted_and_says_what_is_accepted_in_vain) {
    Level level = hut(0.04f);
    level.accepted = {{.finding = "thin-*", .match = "slab", .reason = "a stage set"},
                      {.finding = "gap", .match = "*", .reason = "none here"}};
    const Checked c = checked(level);
    std::size_t accepted = 0;
    for (const Finding& f : of(c, "thin-wall")) {
        const bool meant = std::find(f.names.begin(), f.names.end(), "slab") != f.names.end();
        EXPECT_EQ(f.accepted, meant ? "a stage set" : "") << f.what;
        accepted += meant ? 1 : 0;
    }
    EXPECT_GT(accepted, 0u);
    EXPECT_EQ(c.accepted, accepted);
    ASSERT_EQ(of(c, "sheet-no-match").size(), 1u);
    EXPECT_EQ(of(c, "sheet-no-match")[0].severity, Severity::hint);
    for (std::size_t i = 1; i < c.findings.size(); ++i)
        EXPECT_TRUE(c.findings[i - 1].accepted.empty() || !c.findings[i].accepted.empty())
            << "accepted ones come last";
}

TEST(Check, tells_what_happens_many_times_once_with_the_worst_and_all_names) {
    Level level = yard();
    const auto add_lamps = [&](int from, int count) {
        for (int i = from; i < from + count; ++i) {
            level.lights.push_back(lamp({-4 + 0.5f * static_cast<float>(i), 2, 3}, i == 5 ? 9e6f : 1e6f));
            level.lights.back().name = "lamp-" + std::to_string(i);
        }
    };
    add_lamps(0, 7);
    Level few = level;
    complete_level(few);
    EXPECT_EQ(of(checked(few), "odd-unit").size(), 7u) << "seven are told one by one";
    add_lamps(7, 5);
    complete_level(level);
    const auto many = of(checked(level), "odd-unit");
    ASSERT_EQ(many.size(), 1u);
    EXPECT_EQ(many[0].names.size(), 12u);
    EXPECT_EQ(many[0].names[0], "lamp-5") << "the worst is named first";
    EXPECT_EQ(many[0].what.find("12 times; the worst: "), 0u) << many[0].what;
    EXPECT_GT(many[0].measure, 8e6);
}

TEST(Check, pictures_ring_the_place_from_where_it_can_be_seen) {
    Level level = hut(0.04f);
    level.lights.push_back(lamp({0, 3, 0}, 100, 0.2f));
    complete_level(level);
    Job job;
    const Checked c = check(level, job);
    ASSERT_GE(c.findings.size(), 2u);
    const int width = 320, height = 200;
    const std::vector<Picture> pictures = finding_pictures(level, c.findings, width, height, job);
    const std::vector<Camera> cameras = finding_cameras(level, c.findings, job);
    ASSERT_EQ(pictures.size(), c.findings.size());
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        if (!c.findings[i].at) {
            EXPECT_TRUE(pictures[i].pixels.empty());
            continue;
        }
        EXPECT_GT(length(cameras[i].eye - *c.findings[i].at), 0.2f);
        const Rgb color = severity_color(c.findings[i].severity);
        double x = 0, y = 0, count = 0;
        for (int py = 0; py < height; ++py)
            for (int px = 0; px < width; ++px) {
                const Rgb p = pictures[i].pixels[static_cast<std::size_t>(py * width + px)];
                if (std::abs(p.r - color.r) + std::abs(p.g - color.g) + std::abs(p.b - color.b) > 0.02f)
                    continue;
                x += px;
                y += py;
                ++count;
            }
        ASSERT_GT(count, 60) << c.findings[i].id;
        EXPECT_NEAR(x / count, width / 2.0, 2) << c.findings[i].id;
        EXPECT_NEAR(y / count, height / 2.0, 2) << c.findings[i].id;
    }
}

}  // namespace test::check_tests
