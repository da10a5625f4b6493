// Results kept and compared: figures by closed forms, the tool as a regression gate.

#include <gtest/gtest.h>

#include <cmath>

#include "stasigraph/compare.hpp"
#include "stasigraph/kept.hpp"
#include "support.hpp"

namespace test::compare_tests {

namespace {

/// A floor of 4 by 4 m under an even sky that gives it a lux figure on paper.
Level under_sky(float nit, float density = 8) {
    Level level;
    level.name = "open";
    add_quad(level, "floor", {-2, 0, 2}, {2, 0, 2}, {2, 0, -2}, {-2, 0, -2}, {0.5f, 0.5f, 0.5f});
    level.sky.radiance = {nit, nit, nit};
    level.lightmap.density = density;
    complete_level(level);
    return level;
}

LightDifference difference(const Bake& a, const Bake& b) {
    Job job;
    return compare_light({a.level, a.atlas, a.baked.sets[0]}, {b.level, b.atlas, b.baked.sets[0]}, job);
}

/// A sheet of one quad under a sky, in a folder of its own.
fs::path write_level(const Folder& folder, float nit, const std::string& more = "") {
    write_bytes(folder / "scene.gltf", good_gltf().dump());
    write_bytes(folder / "scene.toml",
                "[level]\nscene = \"scene.gltf\"\n[quality]\ntier = \"glance\"\n[sky]\nradiance = [" +
                    std::to_string(nit) + ", " + std::to_string(nit) + ", " + std::to_string(nit) +
                    "]\n[[camera]]\nname = \"eye\"\neye = [0.0, 3.0, 3.0]\ntoward = [0.0, 0.0, 0.0]\n" +
                    more);
    return folder / "scene.toml";
}

}  // namespace

TEST(Compare, a_sky_of_twice_the_light_is_one_stop_brighter_everywhere) {
    const LightDifference d = difference(bake_level(under_sky(500)), bake_level(under_sky(1000)));
    EXPECT_NEAR(d.mean, 1, 1e-3);
    EXPECT_NEAR(d.p95, 1, 1e-3);
    EXPECT_NEAR(d.largest, 1, 1e-3);
    EXPECT_NEAR(d.mean_after, 1000 * 3.14159265, 5);
    EXPECT_NEAR(d.brighter, 1, 1e-6);
    EXPECT_EQ(d.darker, 0);
    EXPECT_EQ(d.surface, "floor");
    EXPECT_EQ(d.unmatched, 0u);
    const LightDifference back = difference(bake_level(under_sky(1000)), bake_level(under_sky(500)));
    EXPECT_NEAR(back.mean, -1, 1e-3);
    EXPECT_NEAR(back.p95, 1, 1e-3) << "without sign";
}

TEST(Compare, pages_of_another_density_are_compared_place_by_place) {
    const LightDifference d = difference(bake_level(under_sky(500, 4)), bake_level(under_sky(500, 16)));
    EXPECT_GT(d.texels, 3000u);
    EXPECT_LT(d.p95, 0.01);
}

TEST(Compare, finds_the_largest_difference_where_it_is_and_counts_what_has_no_partner) {
    Level lit = under_sky(500);
    lit.lights.push_back(
        {.name = "lamp", .kind = LightKind::point, .color = {4000, 4000, 4000}, .position = {1, 0.5f, -1}});
    add_quad(lit, "new", {-2, 0, 6}, {2, 0, 6}, {2, 0, 3}, {-2, 0, 3}, {0.5f, 0.5f, 0.5f});
    complete_level(lit);
    const LightDifference d = difference(bake_level(under_sky(500)), bake_level(lit));
    EXPECT_LT(length(d.at - Vec3{1, 0, -1}), 0.15f) << d.at.x << " " << d.at.z;
    // 4000 cd half a metre up are 16,000 lux, on 500 pi of sky.
    EXPECT_NEAR(d.largest, std::log2(1 + 16000 / (500 * 3.14159)), 0.1);
    EXPECT_GT(d.unmatched, 100u);
    EXPECT_EQ(d.darker, 0);
}

TEST(Compare, with_the_reference_a_sound_bake_agrees) {
    const Bake b = bake_level(under_sky(500));
    Job job;
    const ReferenceDifference d =
        compare_with_reference({b.level, b.atlas, b.baked.sets[0]}, {.points = 256, .paths = 64}, job);
    EXPECT_EQ(d.light.texels, 256u);
    EXPECT_LT(std::abs(d.light.mean), 0.02);
    EXPECT_LT(d.noise, 0.05);
}

TEST(Compare, difference_pictures_say_which_way) {
    const Picture dark{2, 1, {{1, 1, 1}, {4, 4, 4}}}, bright{2, 1, {{4, 4, 4}, {1, 1, 1}}};
    const Picture d = difference_picture(dark, bright, 2, 1e-3f);
    EXPECT_EQ(d.pixels[0], difference_color(2, 2));
    EXPECT_EQ(d.pixels[1], difference_color(-2, 2));
    EXPECT_GT(d.pixels[0].r, d.pixels[0].b);
    EXPECT_GT(d.pixels[1].b, d.pixels[1].r);
    EXPECT_EQ(load_outcome("nowhere.glb", nullptr).empty(), false);
    EXPECT_THROW(difference_picture(dark, Picture{1, 1, {{1, 1, 1}}}, 2, 1e-3f), Error);
}

SLOW_TEST(Compare, keeps_a_result_with_its_level_and_is_a_gate) {
    const Folder folder;
    const fs::path sheet = write_level(folder, 500);
    const Ran first = tool("bake '" + sheet.string() + "' --json --quiet --keep before");
    ASSERT_EQ(first.status, 0) << first.err;
    EXPECT_EQ(fs::path(first.json()["kept"].get<std::string>()).filename(), "before");
    const std::string kept_page = read_text(folder / "baked/scene/kept" / "before" / "base" / "page-0.exr");
    write_level(folder, 1000);
    ASSERT_EQ(tool("bake '" + sheet.string() + "' --quiet").status, 0);
    EXPECT_EQ(read_text(folder / "baked/scene/kept" / "before" / "base" / "page-0.exr"), kept_page);
    const std::string command =
        "compare '" + sheet.string() + "' --json --quiet --file '" + (folder / "c.png").string() + "'";
    const Ran over = tool(command + " --limit 0.5");
    EXPECT_EQ(over.status, 3) << over.err;
    EXPECT_NEAR(over.json()["difference"]["p95_stops"].get<double>(), 1, 0.01);
    EXPECT_EQ(over.json()["limit"]["kept"], false);
    EXPECT_EQ(tool(command + " --limit 1.1").status, 0);
    EXPECT_EQ(tool(command + " --limit 0.5 --of mean").status, 3);
    EXPECT_EQ(tool(command + " --before now --limit 0").status, 0) << "a bake beside itself";
    EXPECT_EQ(read_image(folder / "c.png").width, 1280);
    // The level of that time is what the kept one is drawn with, and loads by itself.
    const KeptBake kept = kept_bake(folder / "baked/scene", "before");
    EXPECT_EQ(kept.tier, "glance");
    EXPECT_EQ(load_level(kept.level).sky.radiance.r, 500);
    EXPECT_FALSE(load_bake(kept.folder, load_level(kept.level), "").stale);
}

TEST(Compare, pages_and_two_sets_are_drawn) {
    const Folder folder;
    const fs::path sheet =
        write_level(folder, 800, "[[set]]\nname = \"day\"\n[[set]]\nname = \"dim\"\ngain = { sky = 0.25 }\n");
    ASSERT_EQ(tool("bake '" + sheet.string() + "' --quiet").status, 0);
    const std::string command =
        "compare '" + sheet.string() + "' --json --quiet --file '" + (folder / "c.png").string() + "' ";
    const Ran sets = tool(command + "--sets day,dim --how difference --size 320x200");
    ASSERT_EQ(sets.status, 0) << sets.err;
    EXPECT_NEAR(sets.json()["difference"]["mean_stops"].get<double>(), -2, 0.01);
    const Pixels p = read_image(folder / "c.png");
    ASSERT_EQ(p.width, 320);
    EXPECT_GT(p.at(160, 100, 2), p.at(160, 100, 0)) << "darker is cool";
    EXPECT_EQ(tool(command + "--sets day,dim --page 0").status, 0);
    EXPECT_EQ(tool(command + "--sets day,dim --how split --size 320x200").status, 0);
    EXPECT_EQ(tool(command + "--reference --set day --paths 4").status, 0);
}

TEST(Compare, says_what_is_wrong_with_what_was_asked) {
    const Folder folder;
    const fs::path sheet = write_level(folder, 500);
    const std::string level = " '" + sheet.string() + "' --quiet ";
    Ran r = tool("compare" + level);
    EXPECT_EQ(r.status, 1);
    ASSERT_EQ(tool("bake" + level).status, 0);
    r = tool("compare" + level);
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("--keep"), std::string::npos) << r.err;
    ASSERT_EQ(tool("bake" + level + "--keep one").status, 0) << "kept though nothing is stale";
    r = tool("bake" + level + "--keep one");
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("already"), std::string::npos) << r.err;
    for (const char* bad : {"now", "../out", ".hidden", "a/b"})
        EXPECT_EQ(tool("bake" + level + "--keep " + bad).status, 1) << bad;
    r = tool("compare" + level + "--before two");
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("There are: one"), std::string::npos) << r.err;
    EXPECT_EQ(tool("compare" + level + "--sets one").status, 2);
    EXPECT_EQ(tool("compare" + level + "--page 7").status, 1);
    EXPECT_EQ(tool("compare" + level + "--limit -1").status, 2);
}

}  // namespace test::compare_tests
