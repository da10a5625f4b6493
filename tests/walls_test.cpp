// Texels that walls go through: moved to where they are open, filled where nothing can look, and named where
// they are too large; and noise judged by the exposure a set is looked at with.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support.hpp"

namespace test::walls_tests {
namespace {

constexpr Vec3 up{0, 1, 0};
const Rgb grey{0.6f, 0.6f, 0.6f};

Light lamp_at(Vec3 place) {
    return {.name = "lamp", .color = {500, 500, 500}, .position = place, .radius = 0.05f};
}

/// A floor of 6 m in one piece under a lid, with a wall across it at x = 0; a lamp on its west side.
Level parted_floor(float wall) {
    Level level;
    add_floor(level, 6, grey);
    add_quad(level, "lid", {-3, 2, -3}, {3, 2, -3}, {3, 2, 3}, {-3, 2, 3}, grey);
    level.surfaces.back().lit_by = LitBy::nothing;
    if (wall > 0) {
        add_box(level, "wall", {0, -0.1f, -3}, {wall, 2.1f, 3}, false, grey);
    } else {
        add_quad(level, "wall", {0.04f, 0, -3}, {0.04f, 0, 3}, {0.04f, 2, 3}, {0.04f, 2, -3}, grey);
        level.materials.back().double_sided = true;
    }
    level.surfaces.back().lit_by = LitBy::nothing;
    level.lights.push_back(lamp_at({-1.5f, 1.2f, 0}));
    level.lightmap = {.density = 8, .page = 512, .margin = 2};
    level.quality.tier = Tier::glance;
    return level;
}

std::vector<Leak> leaks_of(const Bake& b) {
    Job job;
    const ViewLight light{&b.baked.sets[0], &b.baked.probes, &b.baked.visibility, &b.baked.occlusion,
                          &b.baked.reflections};
    return find_leaks(b.level, b.atlas, {light}, 2000, job)[0];
}

TEST(Leaks, beside_a_sheet_on_a_floor_in_one_piece_are_found_on_its_dark_side) {
    const Bake b = bake_level(parted_floor(0));
    const std::vector<Leak> leaks = leaks_of(b);
    ASSERT_GT(leaks.size(), 10u);
    for (const Leak& l : leaks) {
        EXPECT_EQ(l.surface, 0u);
        EXPECT_NEAR(l.at.x, 0.04f, 1 / b.atlas.surfaces[0].density) << "within a texel";
        EXPECT_TRUE(l.lux > l.most || l.lux < l.least);
    }
    EXPECT_GT(leaks[0].at.x, 0.04f);
    EXPECT_GT(leaks[0].lux, 4 * leaks[0].most);
}

TEST(Leaks, are_none_once_the_floor_is_in_parts) {
    for (const float wall : {0.0f, 0.05f, 0.1f}) {
        Level level = parted_floor(wall);
        complete_level(level);
        Job job;
        const PartFigures parts = part_surfaces(level, job);
        EXPECT_EQ(parts.cut, 1u);
        EXPECT_TRUE(leaks_of(bake_level(std::move(level))).empty()) << wall;
    }
}

TEST(Leaks, are_an_empty_list_in_the_tools_answer_where_no_wall_stands) {
    const Folder folder;
    write_bytes(folder / "floor.gltf", good_gltf().dump());
    write_bytes(folder / "l.toml",
                "[level]\nscene = \"floor.gltf\"\n[lightmap]\ndensity = 4\npage = 64\n"
                "[quality]\ntier = \"glance\"\n[sky]\nradiance = [500, 600, 700]\n");
    const Ran open = tool("bake " + (folder / "l.toml").string() + " --quiet --json");
    ASSERT_EQ(open.status, 0) << open.err;
    EXPECT_TRUE(open.json()["leaks"].empty());
    EXPECT_EQ(open.json()["hidden_texels"], 0);
    EXPECT_EQ(open.json()["moved_texels"], 0);
}

TEST(Places, of_texels_whose_middle_is_in_a_wall_move_out_of_it) {
    Level level;
    add_floor(level, 4);
    // Texels of an eighth of a metre, their middles at odd sixteenths: the wall's face lies just past a row
    // of them.
    add_box(level, "wall", {0.05f, -0.5f, -4}, {3, 8, 4}, false, {0, 0, 0});
    level.surfaces.back().lit_by = LitBy::nothing;
    level.sky.radiance = {1000, 1000, 1000};
    level.lightmap = {.density = 8, .page = 128, .margin = 2};
    complete_level(level);
    Job job;
    Baker baker(level, job);
    const Baked baked = baker.light(level, job);
    EXPECT_GT(baked.figures.moved, 20u);
    std::size_t beside = 0;
    for (const TexelLight& t : baker.texels(0)) {
        if (!t.exported || t.normal.y < 0.9f || std::abs(t.position.z) > 1 || std::abs(t.position.x) > 1.5f)
            continue;
        EXPECT_EQ(t.valid, t.position.x < 0.05f) << t.position.x;
        if (!t.valid || t.position.x < -0.04f) continue;
        // A tall black wall hides 1 - cos(angle to its top) of half the sky; it is twice as long as high.
        const float away = 0.05f - t.position.x, seen = 1 - 0.5f * (1 - away / std::hypot(away, 8.0f));
        EXPECT_NEAR(t.total.g, 3141.59f * seen, 3141.59f * 0.05f);
        ++beside;
    }
    EXPECT_GT(beside, 10u);
}

/// A lit wall whose foot ends at the floor, or goes on into a closed hollow under it.
Bake footed(float foot) {
    Level level;
    add_quad(level, "wall", {-2, foot, 0}, {2, foot, 0}, {2, 2, 0}, {-2, 2, 0}, grey);
    add_quad(level, "floor", {-2.5f, 0, 3}, {2.5f, 0, 3}, {2.5f, 0, -0.5f}, {-2.5f, 0, -0.5f}, grey);
    level.materials.back().double_sided = true;
    add_box(level, "hollow", {-2.5f, -0.3f, -0.5f}, {2.5f, 0.001f, 0.3f}, true, {0.02f, 0.02f, 0.02f});
    level.surfaces.back().lit_by = LitBy::nothing;
    // Its lid would lie in the floor: only the floor's own sheet closes it.
    level.meshes.back().edit([](Mesh& box) {
        std::vector<std::uint32_t> open;
        for (std::size_t k = 0; k < box.indices.size(); k += 3)
            if (!(box.positions[box.indices[k]].y > 0 && box.positions[box.indices[k + 1]].y > 0 &&
                  box.positions[box.indices[k + 2]].y > 0))
                open.insert(open.end(), &box.indices[k], &box.indices[k] + 3);
        box.indices = open;
    });
    level.lights.push_back(lamp_at({0, 1, 2}));
    level.lightmap = {.density = 16, .page = 256, .margin = 2};
    level.quality.links = 128;
    return bake_level(level);
}

TEST(Hidden, what_of_a_wall_goes_on_under_the_floor_leaves_no_dark_line_above_it) {
    const Bake plain = footed(0), deep = footed(-0.25f);
    EXPECT_EQ(plain.baked.figures.hidden, 0u);
    EXPECT_GT(deep.baked.figures.hidden, 100u);
    for (int k = -8; k <= 8; ++k)
        for (const float y : {0.01f, 0.03f, 0.06f}) {
            const Vec3 at{0.2f * static_cast<float>(k), y, 0};
            const float expected = plain.at(at, {0, 0, 1}).g;
            EXPECT_NEAR(deep.at(at, {0, 0, 1}).g, expected, 0.08f * expected) << at.x << ", " << at.y;
        }
}

/// Boxes under a sun and a sky, in parts.
Bake outdoors(const std::vector<std::pair<Vec3, Vec3>>& boxes, Vec3 sun, float density = 16) {
    Level level;
    int number = 0;
    for (const auto& [low, high] : boxes)
        add_box(level, "box " + std::to_string(number++), low, high, false, grey);
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = {60000, 60000, 60000},
                            .direction = normalize(sun),
                            .angular_diameter = 0.0093f});
    level.sky.radiance = {2000, 2000, 2000};
    level.lightmap = {.density = density, .page = 1024, .margin = 4};
    level.quality.tier = Tier::proof;
    complete_level(level);
    Job job;
    part_surfaces(level, job);
    return bake_level(std::move(level));
}

TEST(Edges, of_a_step_of_millimetres_are_as_bright_as_what_is_around) {
    const Bake b = outdoors(
        {{{-1.03f, -0.4f, -1.02f}, {1.05f, 0, 1.01f}}, {{-0.51f, -0.3f, -0.52f}, {0.48f, 0.005f, 0.53f}}},
        {0.28f, -0.94f, -0.19f});
    const float open = b.at({0.8f, 0, 0}, up).g;
    for (int k = -4; k <= 4; ++k) {
        const float along = 0.1f * static_cast<float>(k);
        for (const Vec3 place : {Vec3{0.484f, 0, along}, Vec3{-0.514f, 0, along}, Vec3{along, 0, -0.524f},
                                 Vec3{along, 0, 0.534f}})
            EXPECT_NEAR(b.at(place, up).g, open, 0.1f * open) << place.x << ", " << place.z;
    }
}

TEST(Edges, a_strip_narrower_than_a_texel_beside_a_wall_has_light_of_its_own) {
    const Bake b =
        outdoors({{{-1, -0.4f, -1}, {1, 0, 1}}, {{-1.1f, -0.1f, -1.1f}, {1.1f, 1, 0.979f}}}, {0, -1, 0.001f});
    // Half of the sky, and the sun but for its shadow of nothing.
    for (int k = -8; k <= 8; ++k) EXPECT_GT(b.at({0.1f * static_cast<float>(k), 0, 0.99f}, up).g, 50000) << k;
}

TEST(Edges, where_two_walls_in_one_plane_go_on_past_a_lid_its_light_stays_above) {
    // The east face of a wall, and beside it in one plane the end of another, with a sealed room before them
    // up to a lid: in the lid both are covered, and what pages hold there comes from above on the one and
    // from below on the other.
    const Bake b = outdoors({{{0, -0.2f, -0.55f}, {3.25f, 0, 0.25f}},
                             {{0, 0, -0.3f}, {0.25f, 5, 0}},
                             {{-2, 0, 0}, {0.25f, 5, 0.25f}},
                             {{-2, 0, -0.55f}, {0.25f, 5, -0.3f}},
                             {{0.25f, 0, 0}, {3, 2.6f, 0.25f}},
                             {{0.25f, 0, -0.55f}, {3, 2.6f, -0.3f}},
                             {{3, 0, -0.55f}, {3.25f, 2.6f, 0.25f}},
                             {{0.25f, 2.6f, -0.55f}, {3.25f, 2.8f, 0.25f}}},
                            {-0.5f, -0.7f, 0.1f}, 12);
    for (const float z : {-0.295f, -0.28f, -0.25f, -0.15f, -0.05f, -0.02f, -0.005f})
        for (const float y : {2.3f, 2.4f, 2.5f, 2.55f, 2.59f, 2.597f})
            EXPECT_LT(b.at({0.25f, y, z}, {1, 0, 0}).g, 0.5f) << y << ", " << z;
}

TEST(Hidden, a_slit_that_can_be_looked_into_is_dark_by_itself) {
    // Two shelves on a wall, fifteen centimetres apart and seventy deep.
    const Bake b = outdoors({{{-0.2f, 0, -1}, {0, 2.4f, 1}},
                             {{-0.1f, 0.8f, -0.8f}, {0.7f, 1, 0.8f}},
                             {{-0.1f, 1.15f, -0.8f}, {0.7f, 1.3f, 0.8f}}},
                            {-0.4f, -0.9f, -0.1f});
    const float open = b.at({0, 2, 0}, {1, 0, 0}).g;
    for (int k = -5; k <= 5; ++k)
        EXPECT_LT(b.at({0, 1.075f, 0.1f * static_cast<float>(k)}, {1, 0, 0}).g, 0.15f * open) << k;
}

SLOW_TEST(Exposure, tells_below_how_much_light_noise_is_not_worth_rays) {
    // A dim room beside a bright yard: who exposes for the room sees its grain. Its walls have no outer
    // sides, which the yard would light.
    Level level;
    add_box(level, "room", {-2, 0, -2}, {2, 2.5f, 2}, true, grey);
    add_floor(level, 20, grey);
    move_mesh(level.meshes.back(), {14, 0, 0});
    level.surfaces.back().density = 0.3f;
    level.lights.push_back(
        {.name = "lamp", .color = {3, 3, 3}, .position = {-1.2f, 1.9f, -0.8f}, .radius = 0.03f});
    level.lights.push_back(
        {.name = "sun", .kind = LightKind::sun, .color = {20000, 20000, 20000}, .direction = {0, -1, 0}});
    level.lightmap = {.density = 6, .page = 256, .margin = 2};
    complete_level(level);
    const auto links_for = [&](std::optional<float> exposure) {
        level.sets[0].exposure = exposure;
        // Beyond the first ones, which all rows have; those that are guided too.
        const BakeFigures f = bake_level(level).baked.figures;
        return f.mean_links - static_cast<float>(tier_options(level.quality).first_links) +
               static_cast<float>(f.guided_links) / static_cast<float>(f.texels + f.patches);
    };
    const float room = links_for(-1.0f), yard = links_for(13.0f);
    EXPECT_GT(room, 1.5f * yard) << "and those that are guided bring more each";
    // What they are for: the room's light is nearer to what it converges to.
    const auto grain = [&](std::optional<float> exposure) {
        Job job;
        level.quality.denoise = Denoise::off;
        const auto texels = [&](int links) {
            level.quality.links = links;
            level.sets[0].exposure = exposure;
            Baker baker(level, job);
            baker.light(level, job);
            return baker.texels(0);
        };
        const auto truth = texels(2048), ours = texels(0);
        double off = 0, whole = 0;
        for (std::size_t i = 0; i < ours.size(); ++i) {
            const Vec3 p = ours[i].position;
            if (!ours[i].valid || !truth[i].valid || std::abs(p.x) > 2.01f || std::abs(p.z) > 2.01f ||
                p.y < -0.01f || p.y > 2.51f)
                continue;
            const float light = luminance(truth[i].total - truth[i].sampled);
            off += static_cast<double>(std::abs(luminance(ours[i].total - ours[i].sampled) - light));
            whole += static_cast<double>(light);
        }
        return off / whole;
    };
    EXPECT_LT(grain(-1.0f), 0.8 * grain(13.0f));
    level.quality = {};
    const float metered = links_for({});
    EXPECT_GE(metered, yard);
    EXPECT_LE(metered, room);
}

TEST(Exposure, of_a_set_is_read_checked_and_what_pictures_are_exposed_by) {
    const Folder folder;
    write_bytes(folder / "floor.gltf", good_gltf().dump());
    const auto write = [&](const std::string& exposure) {
        write_bytes(folder / "l.toml",
                    "[level]\nscene = \"floor.gltf\"\n[lightmap]\ndensity = 4\npage = 64\n[quality]\n"
                    "tier = \"glance\"\n[sky]\nradiance = [500, 600, 700]\n[[set]]\nname = \"day\"\n" +
                        exposure + "[[set]]\nname = \"auto\"\nexposure = \"auto\"\n");
    };
    write("exposure = 40\n");
    EXPECT_NE(load_outcome(folder / "l.toml", nullptr).find("set.exposure"), std::string::npos);
    write("exposure = \"bright\"\n");
    EXPECT_NE(load_outcome(folder / "l.toml", nullptr).find("Use a number (EV at ISO 100), or \"auto\"."),
              std::string::npos);
    write("exposure = 11.5\n");
    const std::string sheet = (folder / "l.toml").string(),
                      view = "view " + sheet + " --eye 0,2,3 --toward 0,0,0 --size 64x40 --json --file " +
                             (folder / "p.png").string();
    ASSERT_EQ(tool("bake " + sheet + " --quiet").status, 0);
    EXPECT_EQ(tool(view + " --set day").json()["exposure_ev"], 11.5);
    EXPECT_EQ(tool(view + " --set day --exposure 9").json()["exposure_ev"], 9);
    EXPECT_NE(tool(view + " --set auto").json()["exposure_ev"], 11.5);
}

}  // namespace
}  // namespace test::walls_tests
