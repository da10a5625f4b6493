// Surfaces of every sort in the furnace, behind cut-outs, under the sun: closed forms through the bake.

#include <gtest/gtest.h>

#include "support.hpp"

namespace test::materials_tests {
namespace {

constexpr Vec3 up{0, 1, 0};

/// An image of two colours side by side, `cells` pairs across; sRGB bytes.
Image stripes(int cells, std::array<std::uint8_t, 4> a, std::array<std::uint8_t, 4> b) {
    Image image{"stripes", 2 * cells, 4, {}};
    for (int y = 0; y < image.height; ++y)
        for (int x = 0; x < image.width; ++x) {
            const auto& c = x % 2 == 0 ? a : b;
            image.rgba.insert(image.rgba.end(), c.begin(), c.end());
        }
    return image;
}

/// A closed box that glows, its faces in the unit square of TEXCOORD_0.
Level furnace(Rgb albedo, float glow) {
    Level level;
    add_box(level, "furnace", {-1, -1, -1}, {1, 1, 1}, true, albedo, {glow, glow, glow});
    const Vec2 corner[6] = {{0, 0}, {1, 1}, {1, 0}, {0, 0}, {0, 1}, {1, 1}};
    level.meshes[0].edit([&](Mesh& m) {
        for (std::size_t i = 0; i < m.positions.size(); ++i) m.uv0.push_back(corner[i % 6]);
    });
    level.lightmap = {.density = 8, .page = 512, .margin = 2};
    return level;
}

Rgb mean_light(const Bake& b) {
    Rgb sum;
    float count = 0;
    for (const PageImage& page : b.baked.sets[0].pages)
        for (std::size_t i = 0; i < page.texels.size(); ++i)
            if (page.state[i] == 1) {
                sum += page.texels[i];
                count += 1;
            }
    EXPECT_GT(count, 100);
    return sum * (1 / count);
}

TEST(Materials, a_fine_texture_bounces_with_its_mean_in_linear_light) {
    Level level = furnace({1, 1, 1}, 100);
    // sRGB 188 is 0.5029 linear and 0 is 0: the mean is 0.2514, where the mean of the bytes would give
    // 0.1119.
    level.images.push_back(stripes(64, {188, 188, 188, 255}, {0, 0, 0, 255}));
    level.materials[0].base_texture.image = 0;
    const float expected = pi * 100 / (1 - 0.2514f);
    EXPECT_NEAR(mean_light(bake_level(level)).g, expected, expected * 0.01f);
}

TEST(Materials, texture_transforms_choose_the_part_that_is_seen) {
    Level level = furnace({1, 1, 1}, 100);
    level.images.push_back(stripes(1, {188, 188, 188, 255}, {0, 0, 0, 255}));
    // A strip at the middle of the left, bright pixel, where no neighbour is mixed in.
    level.materials[0].base_texture = {.image = 0, .offset = {0.25f, 0}, .scale = {0.001f, 1}};
    const float bright = pi * 100 / (1 - 0.5029f);
    EXPECT_NEAR(mean_light(bake_level(level)).g, bright, bright * 0.01f);
    level.materials[0].base_texture.offset = {0.75f, 0};
    EXPECT_NEAR(mean_light(bake_level(level)).g, pi * 100, pi * 100 * 0.01f);
}

TEST(Materials, furnaces_under_mirrored_and_uneven_scale_are_furnaces) {
    for (const Affine& m :
         {Affine{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {5, 0, 0}}, Affine{{2, 0, 0}, {0, 0.5f, 0}, {0, 0, 1}, {}},
          Affine{{0, 0, -1.5f}, {0, 1, 0}, {0.7f, 0, 0}, {0, 3, 0}}}) {
        Level level = furnace({0.5f, 0.5f, 0.5f}, 100);
        level.surfaces[0].to_world = m;
        const Bake b = bake_level(level);
        EXPECT_EQ(b.baked.figures.invalid, 0u) << "faces turned inside out";
        EXPECT_NEAR(mean_light(b).g, pi * 200, pi * 200 * 0.01f);
    }
}

TEST(Materials, albedo_is_held_at_what_a_real_surface_can_have) {
    const Level level = furnace({1, 1, 1}, 100);
    const Bake b = bake_level(level);
    EXPECT_NEAR(mean_light(b).g, pi * 100 / 0.05f, pi * 2000 * 0.02f) << "as for 0.95";
}

TEST(Materials, cut_outs_let_the_sun_through_their_holes) {
    Level level;
    add_floor(level, 6);
    add_quad(level, "fence", {-1, 1, 1}, {1, 1, 1}, {1, 1, -1}, {-1, 1, -1}, {0, 0, 0});
    set_uvs(level.meshes[1], {{0, 1}, {1, 1}, {1, 0}, {0, 1}, {1, 0}, {0, 0}});
    level.images.push_back(stripes(1, {255, 255, 255, 255}, {255, 255, 255, 0}));  // left solid, right open
    level.materials[1].base_texture = {.image = 0, .repeat_x = false, .repeat_y = false};
    level.materials[1].alpha_mode = AlphaMode::mask;
    level.materials[1].double_sided = true;
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {1000, 1000, 1000};
    sun.direction = {0, -1, 0};
    level.lights.push_back(sun);
    const Bake b = bake_level(level);
    EXPECT_EQ(b.at({-0.5f, 0, 0}, up).g, 0);
    EXPECT_NEAR(b.at({0.5f, 0, 0}, up).g, 1000, 2);
    EXPECT_NEAR(b.at({2, 0, 0}, up).g, 1000, 2);
    level.materials[1].alpha_mode = AlphaMode::opaque;
    EXPECT_EQ(bake_level(level).at({0.5f, 0, 0}, up).g, 0) << "without the mask it is a card";
}

TEST(Materials, a_textured_emitter_lights_by_its_bright_part) {
    const auto panel = [](bool textured) {
        Level level;
        add_floor(level, 2);
        level.quality.tier = Tier::final;
        level.quality.bounces = 0;
        level.lightmap.density = 6;
        add_quad(level, "panel", {-1, 1, -1}, {1, 1, -1}, {1, 1, 1}, {-1, 1, 1}, {0, 0, 0}, {500, 500, 500});
        set_uvs(level.meshes[1], {{0, 0}, {1, 0}, {1, 1}, {0, 0}, {1, 1}, {0, 1}});
        level.images.push_back(stripes(1, {255, 255, 255, 255}, {0, 0, 0, 255}));
        if (textured)
            level.materials[1].emission_texture = {.image = 0, .repeat_x = false, .repeat_y = false};
        return bake_level(level);
    };
    const Bake whole = panel(false), half = panel(true);
    const float middle = whole.at({0, 0, 0}, up).g;
    EXPECT_NEAR(half.at({0, 0, 0}, up).g, middle / 2, middle * 0.02f) << "under the middle, half the panel";
    EXPECT_GT(half.at({-0.9f, 0, 0}, up).g, 3 * half.at({0.9f, 0, 0}, up).g);
}

Level lamp_over_floor() {
    Level level;
    add_floor(level, 4, {0.5f, 0.5f, 0.5f});
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {0, 2, 0};
    lamp.color = {100, 100, 100};
    level.lights.push_back(lamp);
    level.lightmap.density = 8;
    return level;
}

TEST(Roles, live_lights_bake_nothing) {
    Level level = lamp_over_floor();
    EXPECT_NEAR(bake_level(level).at({0, 0, 0}, up).g, 25, 0.2f);
    level.lights[0].role = BakeRole::realtime;
    EXPECT_EQ(bake_level(level).at({0, 0, 0}, up).g, 0);
}

TEST(Roles, moving_things_neither_block_nor_receive) {
    Level level = lamp_over_floor();
    add_box(level, "crate", {-0.5f, 0.5f, -0.5f}, {0.5f, 1, 0.5f}, false, {0.5f, 0.5f, 0.5f});
    EXPECT_LT(bake_level(level).at({0, 0, 0}, up).g, 1);
    level.surfaces[1].part = Part::moving;
    const Bake b = bake_level(level);
    EXPECT_NEAR(b.at({0, 0, 0}, up).g, 25, 0.2f);
    EXPECT_EQ(b.atlas.surfaces[1].page, none);
}

TEST(Roles, stand_ins_light_and_block_without_a_place_on_a_page) {
    Level level = lamp_over_floor();
    level.lights.clear();
    add_quad(level, "glow", {-1, 1.5f, -1}, {1, 1.5f, -1}, {1, 1.5f, 1}, {-1, 1.5f, 1}, {0, 0, 0},
             {100, 100, 100})
        .part = Part::bake_only;
    const Bake b = bake_level(level);
    EXPECT_GT(b.at({0, 0, 0}, up).g, 50);
    EXPECT_EQ(b.atlas.surfaces[1].page, none);
}

TEST(Roles, what_probes_light_still_bounces) {
    // A wall without a lightmap beside the floor: the floor gets the same light as beside one that has it.
    const auto beside = [](LitBy lit_by) {
        Level level = lamp_over_floor();
        add_quad(level, "wall", {-1, 0, 2}, {-1, 0, -2}, {-1, 2, -2}, {-1, 2, 2}, {0.8f, 0.2f, 0.2f}).lit_by =
            lit_by;
        level.quality.tier = Tier::final;
        return bake_level(level);
    };
    const Bake mapped = beside(LitBy::lightmap), probed = beside(LitBy::probes);
    EXPECT_EQ(probed.atlas.surfaces[1].page, none);
    const float a = mapped.at({-0.7f, 0, 0}, up).r, b = probed.at({-0.7f, 0, 0}, up).r;
    EXPECT_NEAR(a, b, a * 0.01f);
    EXPECT_GT(a, mapped.at({-0.7f, 0, 0}, up).g * 1.02f) << "and it is red";
}

TEST(Meter, takes_surfaces_within_sixty_degrees_and_within_reach) {
    const Bake b = bake_level(lamp_over_floor());
    Job job;
    const auto read = [&](Vec3 at, Vec3 facing, float reach) {
        return meter_lightmap({b.level, b.atlas}, b.baked.sets[0], {{at, facing}}, reach, job)[0];
    };
    const auto tilted = [](float degrees) {
        return Vec3{std::sin(degrees * pi / 180), std::cos(degrees * pi / 180), 0};
    };
    EXPECT_TRUE(read({0, 0, 0}, tilted(59), 0.05f).irradiance);
    EXPECT_FALSE(read({0, 0, 0}, tilted(61), 0.05f).irradiance);
    EXPECT_TRUE(read({0, 0.049f, 0}, up, 0.05f).irradiance);
    EXPECT_FALSE(read({0, 0.051f, 0}, up, 0.05f).irradiance);
    EXPECT_TRUE(read({0, 0.5f, 0}, up * 17, 0.6f).irradiance) << "facing need not be a unit vector";
    EXPECT_FALSE(read({2.2f, 0, 0}, up, 0.05f).irradiance) << "beside the floor";
}

TEST(Survey, prices_what_the_bake_makes) {
    Level level = lamp_over_floor();
    level.volumes.push_back(box_volume("v", {-1, 0, -1}, {1, 2, 1}, 1));
    complete_level(level);
    Job job;
    const Survey s = survey(level, job);
    const Bake b = bake_level(level);
    EXPECT_EQ(s.texels, b.baked.figures.texels);
    EXPECT_EQ(s.patches, b.baked.figures.patches);
    EXPECT_EQ(s.probes, b.baked.figures.probes);
    EXPECT_EQ(s.pages, b.atlas.pages);
    EXPECT_NEAR(s.area, 16, 0.01);
    EXPECT_EQ(s.surfaces[0].name, "floor");
}

TEST(Progress, only_ever_moves_forward_and_names_its_stages) {
    Level level = lamp_over_floor();
    level.lightmap.density = 60;
    complete_level(level);
    double last = 0;
    std::string stages;
    Job job(JobOptions{.threads = 2,
                       .on_progress =
                           [&](const Progress& p) {
                               EXPECT_GE(p.done, last - 1e-9) << p.stage;
                               EXPECT_LE(p.done, 1 + 1e-9) << p.stage;
                               last = p.done;
                               stages += std::string(p.stage) + " ";
                           },
                       .on_note = {}});
    Atlas atlas;
    bake(level, atlas, job);
    EXPECT_GT(last, 0.95);
    for (const char* stage : {"links", "direct light", "bounces"})
        EXPECT_NE(stages.find(stage), std::string::npos) << stages;
    EXPECT_GE(job.times().size(), 6u);
}

}  // namespace
}  // namespace test::materials_tests
