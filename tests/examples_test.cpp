// The examples, run as programs on the demo data.

#include <gtest/gtest.h>

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

TEST(Examples, move_the_sun_relights_without_a_new_bake) {
    const Ran r = run(example("move_the_sun") + " " + (demo_folder() / "observatory.toml").string());
    ASSERT_EQ(r.status, 0) << r.err;
    float low = 0, high = 0, seconds;
    ASSERT_EQ(std::sscanf(r.out.c_str() + r.out.find("20 degrees"), "20 degrees: %f s, mean light %f",
                          &seconds, &low),
              2)
        << r.out;
    ASSERT_EQ(std::sscanf(r.out.c_str() + r.out.find("50 degrees"), "50 degrees: %f s, mean light %f",
                          &seconds, &high),
              2)
        << r.out;
    EXPECT_GT(high, low * 1.2f) << r.out;
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
