// The examples, run as programs on the demo data.

#include <gtest/gtest.h>

#include <cstring>

#include "support.hpp"

namespace test::examples_tests {
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

SLOW_TEST(Examples, live_tuning_lights_what_changed_and_no_more) {
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
    // Texels in the ground are judged anew by rays of their own, so theirs are traced each time.
    EXPECT_LT(percent, 25) << "what a crate does not touch is kept";
}

SLOW_TEST(Examples, read_probes_finds_the_sets_brightness) {
    const Ran r = run(example("read_probes") + " " + (demo_glance() / "probes.bin").string());
    ASSERT_EQ(r.status, 0) << r.err;
    for (const char* set : {"noon", "dusk", "observing"})
        EXPECT_NE(r.out.find(set), std::string::npos) << r.out;
    EXPECT_EQ(run(example("read_probes") + " " + (demo_glance() / "manifest.json").string()).status, 1);
}

/// The demo level's bake, packed.
const std::string& demo_game() {
    static const Folder folder;
    static const std::string file = [] {
        const std::string to = (folder / "game.sgl").string();
        const Ran r = tool("pack " + (demo_folder() / "observatory.toml").string() + " --out " +
                           demo_glance().string() + " --file " + to + " --quiet");
        EXPECT_EQ(r.status, 0) << r.err;
        return to;
    }();
    return file;
}

SLOW_TEST(Examples, switch_sets_fades_one_zone_and_leaves_the_others) {
    const Ran r = run(example("switch_sets") + " " + demo_game() + " vault dusk blackout");
    ASSERT_EQ(r.status, 0) << r.out << r.err;
    const auto row = [&](const char* name) {
        std::vector<float> v(5);
        const std::size_t at = r.out.find(name);
        EXPECT_NE(at, std::string::npos) << r.out;
        EXPECT_EQ(std::sscanf(r.out.c_str() + at + 12, "%f %f %f %f %f", &v[0], &v[1], &v[2], &v[3], &v[4]),
                  5)
            << r.out;
        return v;
    };
    const std::vector<float> first = row("at first"), half = row("half way"), back = row("and back"),
                             all = row("all, at once");
    constexpr std::size_t vault = 3;
    for (std::size_t z = 0; z < 5; ++z) {
        EXPECT_NEAR(half[z] / first[z], z == vault ? 0.5f : 1.0f, 0.01f) << z;
        EXPECT_NEAR(back[z] / first[z], 1, 1e-3f);
        EXPECT_LT(all[z], 0.2f * first[z]);
    }
    EXPECT_NE(r.out.find("of dusk and blackout, weight 0.500"), std::string::npos) << r.out;
    EXPECT_EQ(run(example("switch_sets") + " " + demo_game() + " cellar dusk blackout").status, 1);
}

SLOW_TEST(Examples, switch_sets_c_writes_pages_within_its_budget) {
    const Ran r = run(example("switch_sets_c") + " " + demo_game() + " hall noon observing");
    ASSERT_EQ(r.status, 0) << r.out << r.err;
    const std::size_t at = r.out.find("settled after ");
    ASSERT_NE(at, std::string::npos) << r.out;
    unsigned frames = 0, tiles = 0;
    float megabytes = 0;
    ASSERT_EQ(std::sscanf(r.out.c_str() + at, "settled after %u frames: %u tiles, %f MB", &frames, &tiles,
                          &megabytes),
              3);
    EXPECT_GE(frames, 30u);
    EXPECT_LT(frames, 120u);
    EXPECT_GT(tiles, 10u);
    EXPECT_LE(megabytes, static_cast<float>(frames) * 0.2622f);
}

SLOW_TEST(Examples, flicker_ends_dark_and_comes_back_red) {
    const Ran r = run(example("flicker") + " " + demo_game() + " \"vault lamps\" dusk");
    ASSERT_EQ(r.status, 0) << r.out << r.err;
    const auto row = [&](const char* time) {
        Rgb c;
        const std::size_t at = r.out.find(time);
        EXPECT_NE(at, std::string::npos) << r.out;
        EXPECT_EQ(std::sscanf(r.out.c_str() + at + 6, "%f %f %f", &c.r, &c.g, &c.b), 3);
        return c;
    };
    const Rgb lit = row(" 0.6 s"), dark = row(" 1.6 s"), red = row(" 2.3 s");
    EXPECT_LT(dark.g, 0.02f * lit.g);
    EXPECT_GT(red.r, 20 * dark.r);
    EXPECT_GT(red.r / red.g, 5 * lit.r / lit.g);
}

SLOW_TEST(Examples, day_cycle_goes_around_past_midnight) {
    const Folder folder;
    const std::string sheet = (folder / "hours.toml").string();
    fs::copy(demo_folder() / "observatory.glb", folder / "observatory.glb");
    std::string text = read_text(demo_folder() / "hours.toml");
    text.replace(text.find("from = 0"), 8, "from = 2");
    text.insert(text.find("[[set]]"), "step = 6\n");
    write_bytes(sheet, text);
    ASSERT_EQ(tool("bake " + sheet + " --quiet").status, 0);
    ASSERT_EQ(tool("pack " + sheet + " --quiet").status, 0);
    const Ran r =
        run(example("day_cycle") + " " + (folder / "baked/hours/game.sgl").string() + " june -15 1.5 3");
    ASSERT_EQ(r.status, 0) << r.out << r.err;
    const auto green = [&](const char* hour) {
        float red = 0, g = 0;
        const std::size_t at = r.out.find(hour);
        EXPECT_NE(at, std::string::npos) << r.out;
        std::sscanf(r.out.c_str() + at + 7, "%f %f", &red, &g);
        return g;
    };
    // A twelfth of the sun of eight o'clock is in it.
    EXPECT_GT(green("14.50 h"), 10 * green("02.50 h"));
    EXPECT_GT(green("14.50 h"), green("08.50 h"));
    EXPECT_NE(r.out.find("june-2000 67 %"), std::string::npos) << r.out;
    EXPECT_NE(r.out.find("june-0200"), std::string::npos);
    EXPECT_NE(r.out.find("us a frame"), std::string::npos);
}

}  // namespace
}  // namespace test::examples_tests
