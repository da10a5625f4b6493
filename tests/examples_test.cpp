// The examples, run as programs on the demo data.

#include <gtest/gtest.h>

#include <cstring>

#include "support.hpp"

namespace test {
namespace {

std::string example(const std::string& name) {
    return STASIGRAPH_BUILD "/examples/example_" + name;
}

TEST(Examples, bake_in_code_shows_the_red_wall_on_the_floor) {
    const Ran r = run(example("bake_in_code"));
    ASSERT_EQ(r.status, 0) << r.err;
    float red[3], white[3];
    ASSERT_EQ(std::sscanf(r.out.c_str() + r.out.find("red wall:") + 9, "%f %f %f", red, red + 1, red + 2), 3)
        << r.out;
    ASSERT_EQ(
        std::sscanf(r.out.c_str() + r.out.find("white wall:") + 11, "%f %f %f", white, white + 1, white + 2),
        3)
        << r.out;
    EXPECT_GT(red[0] / red[1], white[0] / white[1] * 1.1f) << "no colour from the wall";
    EXPECT_GT(white[1], red[1]);
}

TEST(Examples, live_tuning_lights_what_changed_and_no_more) {
    const Folder folder;
    const Ran r = run(example("live_tuning") + " " + (demo_folder() / "observatory.toml").string() + " " +
                      (folder / "cache").string() + " crate_1");
    ASSERT_EQ(r.status, 0) << r.err;
    const auto line = [&](const char* what, int& pages, int& groups, float& light) {
        const std::size_t at = r.out.find(what);
        float ms = 0;
        int all = 0;
        return at != std::string::npos &&
               std::sscanf(r.out.c_str() + at + std::strlen(what),
                           "%f ms, %d pages changed, %d of %d groups lit, mean light %f", &ms, &pages,
                           &groups, &all, &light) == 5;
    };
    int pages, groups;
    float before, dimmed, gained, lower;
    ASSERT_TRUE(line("nothing", pages, groups, before)) << r.out;
    EXPECT_EQ(pages, 0);
    ASSERT_TRUE(line("the sun half and warmer", pages, groups, dimmed)) << r.out;
    EXPECT_GT(pages, 0);
    EXPECT_EQ(groups, 0) << "a group dimmed as a whole is a matter of mixing";
    EXPECT_LT(dimmed, before * 0.95f);
    ASSERT_TRUE(line("the sky twice in one set", pages, groups, gained)) << r.out;
    EXPECT_EQ(groups, 0);
    EXPECT_GT(gained, dimmed);
    ASSERT_TRUE(line("the sun lower", pages, groups, lower)) << r.out;
    EXPECT_EQ(groups, 1);
    EXPECT_NE(lower, gained);
    float moved = 0, percent = 0;
    ASSERT_TRUE(line("a thing moved", pages, groups, moved)) << r.out;
    EXPECT_GT(pages, 0);
    const std::size_t end = r.out.find(" % of the links traced again");
    ASSERT_NE(end, std::string::npos);
    ASSERT_EQ(std::sscanf(r.out.c_str() + r.out.rfind('\n', end) + 1, "%f", &percent), 1);
    EXPECT_GT(percent, 0);
    EXPECT_LT(percent, 20) << "what a crate does not touch is kept";
}

TEST(Examples, read_probes_finds_the_sets_brightness) {
    const Ran r = run(example("read_probes") + " " + (demo_glance() / "probes.bin").string());
    ASSERT_EQ(r.status, 0) << r.err;
    for (const char* set : {"noon", "dusk", "observing"})
        EXPECT_NE(r.out.find(set), std::string::npos) << r.out;
    EXPECT_EQ(run(example("read_probes") + " " + (demo_glance() / "manifest.json").string()).status, 1);
}

}  // namespace
}  // namespace test
