// Pictures that answer questions: what they mark, against what is known of small levels.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "stasigraph/gallery.hpp"
#include "stasigraph/marks.hpp"
#include "support.hpp"

namespace test::show_tests {

namespace {

constexpr Rgb grey{0.5f, 0.5f, 0.5f};

/// A slab in the sun with a box on it whose walls part light; `thickness` of its walls, metres.
Level box_in_the_sun(float thickness) {
    Level level;
    add_box(level, "slab", {-3, -0.3f, -3}, {3, 0, 3}, false, grey);
    const float t = thickness;
    add_box(level, "south", {-1, 0, 1 - t}, {1, 2, 1}, false, grey);
    add_box(level, "roof", {-1.1f, 2, -1}, {1.1f, 2.2f, 1}, false, grey);
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = {50000, 50000, 50000},
                            .direction = normalize(Vec3{0, -0.8f, -0.6f})});
    level.sky.radiance = {500, 500, 500};
    level.quality.tier = Tier::proof;
    complete_level(level);
    return level;
}

/// A quad seen from above under an even sky, as files; `more` of the sheet.
struct OnDisk {
    Folder folder;
    fs::path sheet;
    void write(float nit, const std::string& more,
               std::vector<float> positions = {-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2}) {
        sheet = folder / "scene.toml";
        write_bytes(folder / "scene.gltf", good_gltf(std::move(positions)).dump());
        const std::string v = std::to_string(nit);
        write_bytes(sheet,
                    "[level]\nscene = \"scene.gltf\"\n[quality]\ntier = \"glance\"\n[sky]\nradiance = [" + v +
                        ", " + v + ", " + v +
                        "]\n[[camera]]\nname = \"eye\"\neye = [0.0, 3.0, 0.01]\ntoward = [0.0, 0.0, 0.0]\n" +
                        more);
    }
    Ran view(const std::string& options) const {
        return tool("view '" + sheet.string() + "' --json --quiet --size 480x300 --file '" +
                    (folder / "v.png").string() + "' " + options);
    }
    Ran bake(const std::string& options = "") const {
        return tool("bake '" + sheet.string() + "' --quiet " + options);
    }
    Pixels pixels() const { return read_image(folder / "v.png"); }
};

bool says(const Ran& r, const std::string& text) {
    return r.out.find(text) != std::string::npos;
}

}  // namespace

TEST(Pictures, miss_nothing_that_touches_a_pane_from_behind) {
    Level level;
    add_floor(level, 16, {0, 0, 0});
    add_quad(level, "pane", {-4, 0, -1}, {4, 0, -1}, {4, 4, -1}, {-4, 4, -1}, {0.9f, 0.9f, 0.9f});
    level.materials.back().transmission = 1;
    level.sky.radiance = {1000, 1000, 1000};
    level.quality.tier = Tier::glance;
    const Bake b = bake_level(std::move(level));
    Job job;
    const Picture p = view({b.level, b.atlas}, {&b.baked.sets[0], &b.baked.probes},
                           {"eye", {0.3f, 1, 1}, {0.2f, 0, -1.05f}, 0.3f},
                           {.width = 640, .height = 400, .samples = 1}, job);
    // Nothing but the floor, and the pane and the floor behind it: what is below the floor is bright.
    const auto bright =
        std::count_if(p.pixels.begin(), p.pixels.end(), [](Rgb c) { return luminance(c) > 500; });
    EXPECT_EQ(bright, 0);
}

TEST(Show, overlaps_are_marked_where_charts_share_texels) {
    Level level;
    Surface& s = add_surface(level, "panel",
                             {{0, 0, 0},
                              {1, 0, 0},
                              {1, 1, 0},
                              {0, 0, 0},
                              {1, 1, 0},
                              {0, 1, 0},
                              {2, 0, 0},
                              {3, 0, 0},
                              {3, 1, 0},
                              {2, 0, 0},
                              {3, 1, 0},
                              {2, 1, 0}},
                             grey);
    s.unwrap = UnwrapMode::keep;
    const auto uvs = [&](float u) {
        std::vector<Vec2> corners;
        for (const float at : {0.0f, u})
            for (const Vec2 p :
                 {Vec2{at, 0}, {at + 0.5f, 0}, {at + 0.5f, 1}, {at, 0}, {at + 0.5f, 1}, {at, 1}})
                corners.push_back(p);
        level.meshes[0].edit([&](Mesh& m) { m.uv1 = corners; });
    };
    complete_level(level);
    Job job;
    const auto count = [&](float u, std::size_t what) {
        uvs(u);
        const NamedMarks m = mark_overlaps(level, unwrap(level, 1, job));
        return m.count[what];
    };
    // A quarter of the square is in both charts; then they touch; made anew nothing does.
    const std::size_t texels = count(0.25f, 1) + count(0.25f, 2) + count(0.25f, 3);
    EXPECT_NEAR(static_cast<double>(count(0.25f, 3)), static_cast<double>(texels) / 3,
                static_cast<double>(texels) * 0.06);
    EXPECT_EQ(count(0.5f, 3), 0u);
    EXPECT_GT(count(0.5f, 2), 20u);
    level.surfaces[0].unwrap = UnwrapMode::make;
    EXPECT_EQ(count(0.25f, 2) + count(0.25f, 3), 0u);
}

SLOW_TEST(Show, leaks_are_marked_beside_thin_walls_alone) {
    const auto leaks = [](float thickness) {
        const Bake b = bake_level(box_in_the_sun(thickness));
        Job job;
        const ViewLight light{&b.baked.sets[0], &b.baked.probes, &b.baked.visibility, &b.baked.occlusion,
                              &b.baked.reflections};
        return mark_leaks(b.level, b.atlas, find_leaks(b.level, b.atlas, {light}, 2000, job)[0], job);
    };
    const NamedMarks thin = leaks(0.05f), thick = leaks(0.4f);
    EXPECT_GT(thin.count[2] + thin.count[3], 16u);
    EXPECT_EQ(thick.count[2], 0u);
    EXPECT_GT(thick.count[1], 1000u);
}

TEST(Show, dots_are_those_that_are_off_from_the_truth) {
    const Bake b = bake_level(box_in_the_sun(0.4f));
    const std::vector<PageImage>& truth = b.baked.sets[0].pages;
    std::vector<PageImage> pages = truth;
    Job job;
    EXPECT_EQ(mark_dots(b.level, b.atlas, pages, truth, job).count[1] +
                  mark_dots(b.level, b.atlas, pages, truth, job).count[5],
              b.baked.figures.texels - b.baked.figures.invalid - b.baked.figures.hidden);
    // Of lit texels, as many of each: 15, 30 and 60 % off, and 8 %, which nobody sees.
    std::size_t done[4] = {};
    for (std::size_t i = 0; i < pages[0].texels.size(); ++i) {
        if (pages[0].state[i] != 1 || luminance(truth[0].texels[i]) < 20000) continue;
        const std::size_t kind = i % 40;
        constexpr float off[] = {1.08f, 0.85f, 1.3f, 0.4f};
        if (kind >= 4) continue;
        pages[0].texels[i] = truth[0].texels[i] * off[kind];
        ++done[kind];
    }
    const NamedMarks m = mark_dots(b.level, b.atlas, pages, truth, job);
    ASSERT_GT(done[3], 50u);
    EXPECT_EQ(m.count[2], done[1]);
    EXPECT_EQ(m.count[3], done[2]);
    EXPECT_EQ(m.count[4], done[3]);
    pages[0].side /= 2;
    EXPECT_THROW(mark_dots(b.level, b.atlas, pages, truth, job), Error);
}

TEST(Show, filled_tells_invalid_texels_from_lit_ones) {
    const Bake b = bake_level(box_in_the_sun(0.4f));
    const NamedMarks m = mark_filled(b.level, b.atlas, b.baked.sets[0].pages);
    EXPECT_EQ(m.count[2], b.baked.figures.invalid + b.baked.figures.hidden);
    EXPECT_EQ(m.count[1] + m.count[2], b.baked.figures.texels);
    EXPECT_GT(m.count[2], 50u) << "what the wall stands on";
}

TEST(Show, shares_of_light_are_those_of_the_groups) {
    Level level = box_in_the_sun(0.4f);
    level.sets.clear();
    for (std::size_t g = 0; g < level.groups.size(); ++g) {
        level.sets.push_back(
            {.name = level.groups[g], .gains = std::vector<float>(level.groups.size(), 0.0f)});
        level.sets.back().gains[g] = 1;
    }
    const Bake b = bake_level(level);
    Job job;
    const std::vector<double> share = light_shares(b.level, b.atlas, b.baked.sets, job);
    ASSERT_EQ(share.size(), 2u);
    EXPECT_NEAR(share[0] + share[1], 1, 1e-6);
    // 40,000 lux of sun on the slab, a third of it on the walls' tops and fronts, against 1571 of sky.
    const std::size_t sun = level.groups[0] == "sun" ? 0 : 1;
    EXPECT_GT(share[sun], 0.85);
    EXPECT_LT(share[sun], 0.99);
}

TEST(Show, clipping_marks_what_the_exposure_burns_and_drowns) {
    // Middle grey, then white in all channels, in one, and black at EV 10: grey is 128 nit.
    const Picture p{4, 1, {{128, 128, 128}, {128 * 30, 128 * 30, 128 * 30}, {128 * 30, 128, 128}, {1, 1, 1}}};
    const Picture shown = clipping_picture(p, 10);
    const std::vector<Rgb> colors = clipping_colors();
    EXPECT_EQ(shown.pixels[0].r, shown.pixels[0].b);
    EXPECT_EQ(shown.pixels[1], colors[0]);
    EXPECT_EQ(shown.pixels[2], colors[1]);
    EXPECT_EQ(shown.pixels[3], colors[2]);
    const ClippedShares s = clipped_shares(p, 10);
    EXPECT_DOUBLE_EQ(s.all, 0.25);
    EXPECT_DOUBLE_EQ(s.some, 0.25);
    EXPECT_DOUBLE_EQ(s.black, 0.25);
    // What tone_map() shows as white is what is marked as white.
    const std::vector<std::uint8_t> rgb = tone_map(p, 10.0f);
    EXPECT_LT(rgb[0], 200);
    EXPECT_EQ(rgb[3], 255);
    EXPECT_EQ(rgb[6], 255);
    EXPECT_LT(rgb[7], 255);
}

TEST(Show, false_colour_is_that_of_the_light_there) {
    OnDisk d;
    d.write(100, "");
    ASSERT_EQ(d.bake().status, 0);
    const Ran r = d.view("--show lux --lux 1,10000");
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_TRUE(says(r, "10000 lux") && says(r, "100 lux") && says(r, "1 lux")) << r.out;
    // 100 pi lux on the open floor, in the middle of the picture.
    const Rgb want = lux_color(314.159f, 1, 10000);
    const Pixels p = d.pixels();
    const auto code = [](float v) {
        return v <= 0.0031308f ? 12.92f * v : 1.055f * std::pow(v, 1 / 2.4f) - 0.055f;
    };
    EXPECT_NEAR(p.at(240, 150, 0), code(want.r), 0.02);
    EXPECT_NEAR(p.at(240, 150, 1), code(want.g), 0.02);
    EXPECT_NEAR(p.at(240, 150, 2), code(want.b), 0.02);
    EXPECT_TRUE(says(d.view("--show lux"), "500 lux")) << "by itself the scale holds what is there";
    EXPECT_EQ(d.view("--show lux --lux 5,1").status, 2);
}

TEST(Show, stale_things_are_marked_and_say_why) {
    OnDisk d;
    d.write(100, "");
    ASSERT_EQ(d.bake().status, 0);
    Ran r = d.view("--show stale");
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_TRUE(says(r, "as the level would give it now: 1")) << r.out;
    d.write(200, "");
    r = d.view("--show stale");
    EXPECT_TRUE(says(r, "out of date: 1") && says(r, "because")) << r.out;
    EXPECT_EQ(d.view("--show filled").status, 1) << "needs a bake that is up to date";
    d.write(100, "[[surface]]\nmatch = \"floor\"\ndensity = 2.0\n");
    r = d.view("--show stale");
    EXPECT_TRUE(says(r, "changed itself since it was baked: 1")) << r.out;
}

SLOW_TEST(Show, every_question_has_an_answer_with_a_legend) {
    OnDisk d;
    d.write(100,
            "[occlusion]\nreach = 1.0\n[[volume]]\nname = \"v\"\nlow = [-1.5, 0.3, -1.5]\nhigh = [1.5, 2.0, "
            "1.5]\nspacing = 1.0\n"
            "[[zone]]\nname = \"all\"\nlow = [-3.0, -1.0, -3.0]\nhigh = [3.0, 3.0, 3.0]\n"
            "[[reflection]]\nname = \"mirror\"\nlow = [-2.0, 0.0, -2.0]\nhigh = [2.0, 2.0, 2.0]\n");
    ASSERT_EQ(d.bake("--keep converged").status, 0);
    EXPECT_EQ(d.view("--show dots").status, 1) << "held against what?";
    for (const Question& q : questions()) {
        const Ran r = d.view(std::string("--against converged --show ") + q.name);
        ASSERT_EQ(r.status, 0) << q.name << r.err;
        const std::string name = q.name;
        const bool plain = name == "game" || name == "light" || name == "albedo";
        EXPECT_EQ(r.json().contains("legend"), !plain) << name;
        if (plain) continue;
        const Pixels with = d.pixels();
        ASSERT_EQ(d.view("--against converged --legend off --show " + name).status, 0);
        const Pixels without = d.pixels();
        std::size_t differ = 0;
        for (std::size_t i = 0; i < with.values.size(); ++i)
            differ += with.values[i] != without.values[i] ? 1 : 0;
        EXPECT_GT(differ, 1000u) << name << " has no legend in the picture";
    }
    const Ran r = d.view("--show everything");
    EXPECT_EQ(r.status, 2);
    EXPECT_NE(r.err.find("clipping"), std::string::npos) << r.err;
}

}  // namespace test::show_tests
