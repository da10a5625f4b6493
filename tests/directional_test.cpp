// Directional lightmaps and normal maps: light on normals other than the surface's own.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support.hpp"

namespace test::directional_tests {
namespace {

constexpr Vec3 up{0, 1, 0};
constexpr float degree = pi / 180;

/// A floor in the open, one chart, UVs in metres: U toward +x, the image's up toward -z.
Level open_floor() {
    Level level;
    add_floor(level, 4);
    level.meshes[0].edit([](Mesh& mesh) {
        for (const Vec3 p : mesh.positions) mesh.uv0.push_back({p.x, p.z});
    });
    level.lightmap = {.density = 4, .page = 64, .margin = 2};
    return level;
}

Light sun(Vec3 from, float lux) {
    return {.name = "sun", .kind = LightKind::sun, .color = {lux, lux, lux}, .direction = -normalize(from)};
}

/// Straight up turned by so many degrees toward a direction in the plane.
Vec3 tilted(float degrees, Vec3 toward) {
    return up * std::cos(degrees * degree) + toward * std::sin(degrees * degree);
}

/// Light on a normal, worst and best of all texels of the first page.
std::pair<float, float> range_on(const Bake& b, Vec3 own, Vec3 normal) {
    const PageImage& flat = b.baked.sets[0].pages[0];
    const DirectionalPage& page = b.baked.sets[0].directional.at(0);
    float low = 1e30f, high = -1;
    for (std::size_t i = 0; i < flat.texels.size(); ++i) {
        if (flat.state[i] != 1) continue;
        const float e = directional_irradiance(flat.texels[i], page.texels[i], own, normal).g;
        low = std::min(low, e);
        high = std::max(high, e);
    }
    return {low, high};
}

TEST(Directional, normals_turned_toward_a_sun_get_what_the_cosine_says) {
    for (const float height : {90.0f, 60.0f, 45.0f, 30.0f}) {
        Level level = open_floor();
        const Vec3 to_sun = tilted(90 - height, {1, 0, 0});
        level.lights.push_back(sun(to_sun, 1000));
        level.lightmap.shape = LightmapShape::directional;
        const Bake b = bake_level(level);
        // All these normals face the sun, where light is a linear function of them but for a low sun's fit.
        const float allowed = height >= 45 ? 12.0f : 50.0f;
        for (const float tilt : {-25.0f, -10.0f, 0.0f, 10.0f, 25.0f}) {
            for (const Vec3 way : {Vec3{1, 0, 0}, Vec3{0, 0, 1}}) {
                const Vec3 n = tilted(tilt, way);
                const auto [low, high] = range_on(b, up, n);
                EXPECT_NEAR(low, 1000 * dot(n, to_sun), allowed) << height << " high, tilt " << tilt;
                EXPECT_NEAR(high, low, 1);
            }
        }
    }
}

TEST(Directional, an_even_sky_gives_the_share_of_it_that_a_tilted_normal_sees) {
    Level level = open_floor();
    level.sky.radiance = {100, 100, 100};
    level.quality.links = 1024;
    level.lightmap.shape = LightmapShape::directional;
    const Bake b = bake_level(level);
    for (const float tilt : {0.0f, 20.0f, 40.0f})
        for (const Vec3 way : {Vec3{1, 0, 0}, Vec3{0, 0, -1}}) {
            const auto [low, high] = range_on(b, up, tilted(tilt, way));
            const float truth = 100 * pi * (1 + std::cos(tilt * degree)) / 2;
            // Each texel by 1024 rays, of which the lowest tell most.
            EXPECT_NEAR((low + high) / 2, truth, 0.005f * truth) << tilt;
            EXPECT_LT(high - low, 0.06f * truth) << tilt;
        }
}

TEST(Directional, a_red_wall_reddens_what_turns_toward_it) {
    Level level = open_floor();
    level.materials[0].base_color = {0.5f, 0.5f, 0.5f};
    add_quad(level, "wall", {1.99f, 0, 2}, {1.99f, 0, -2}, {1.99f, 3, -2}, {1.99f, 3, 2}, {0.9f, 0, 0})
        .lit_by = LitBy::nothing;
    level.materials.back().double_sided = true;
    level.lights.push_back(sun({-1, 1, 0}, 1000));
    level.lightmap.shape = LightmapShape::directional;
    const Bake b = bake_level(level);
    const PageImage& flat = b.baked.sets[0].pages[0];
    const DirectionalPage& page = b.baked.sets[0].directional.at(0);
    int redder = 0, valid = 0;
    for (std::size_t i = 0; i < flat.texels.size(); ++i) {
        if (flat.state[i] != 1) continue;
        const Rgb to = directional_irradiance(flat.texels[i], page.texels[i], up, tilted(30, {1, 0, 0}));
        const Rgb from = directional_irradiance(flat.texels[i], page.texels[i], up, tilted(30, {-1, 0, 0}));
        redder += to.r / to.g > 1.02f * from.r / from.g ? 1 : 0;
        ++valid;
    }
    EXPECT_GT(valid, 200);
    EXPECT_GT(redder, valid * 9 / 10);
}

TEST(Directional, flat_pages_are_those_of_the_flat_shape_and_threads_change_nothing) {
    Level level;
    add_thick_room(level, {-2, 0, -2}, {2, 2.5f, 2}, 0.2f, {0.6f, 0.5f, 0.4f});
    add_box(level, "crate", {-0.5f, 0, -0.5f}, {0.4f, 0.8f, 0.3f}, false, {0.5f, 0.5f, 0.5f});
    level.lights.push_back(
        {.name = "lamp", .color = {200, 180, 150}, .position = {1, 2, 1}, .radius = 0.05f});
    level.lightmap = {.density = 6, .page = 256, .margin = 2};
    level.quality.tier = Tier::glance;
    const Bake flat = bake_level(level);
    level.lightmap.shape = LightmapShape::directional;
    const Bake one = bake_level(level, 1), two = bake_level(level, 2);
    EXPECT_TRUE(flat.baked.sets[0].directional.empty());
    ASSERT_EQ(one.baked.sets[0].directional.size(), one.atlas.pages.size());
    for (std::size_t p = 0; p < one.atlas.pages.size(); ++p) {
        EXPECT_EQ(one.baked.sets[0].pages[p].texels, flat.baked.sets[0].pages[p].texels);
        EXPECT_EQ(one.baked.sets[0].directional[p].texels, two.baked.sets[0].directional[p].texels);
    }
}

// ---- normal maps
// --------------------------------------------------------------------------------------------------------

/// An image of one normal all over: x to the right, y up the image.
Image even_map(Vec3 n) {
    const auto code = [](float v) { return static_cast<std::uint8_t>(v * 127.5f + 128); };
    Image image{.name = "bumps", .width = 4, .height = 4, .rgba = {}};
    for (int i = 0; i < 16; ++i) image.rgba.insert(image.rgba.end(), {code(n.x), code(n.y), code(n.z), 255});
    return image;
}

float light_on_mapped(Level level, Vec3 map, float scale = 1) {
    level.images.push_back(even_map(normalize(map)));
    level.materials[0].normal_texture = {.image = 0};
    level.materials[0].normal_scale = scale;
    level.lights.push_back(sun({1, 1, 0}, 1000));
    return bake_level(level).at({0.3f, 0, 0.2f}, up).g;
}

TEST(NormalMap, turns_flat_light_the_way_its_pixels_lean) {
    const float plain = light_on_mapped(open_floor(), {0, 0, 1}), half = std::sqrt(0.5f);
    EXPECT_NEAR(plain, 1000 * half, 8);
    const auto on = [&](Vec3 n) { return 1000 * dot(normalize(n), Vec3{half, half, 0}); };
    EXPECT_NEAR(light_on_mapped(open_floor(), {0.3f, 0, 1}), on({0.3f, 1, 0}), 15);
    EXPECT_NEAR(light_on_mapped(open_floor(), {-0.3f, 0, 1}), on({-0.3f, 1, 0}), 15);
    EXPECT_NEAR(light_on_mapped(open_floor(), {-0.3f, 0, 1}, -2), on({0.6f, 1, 0}), 25) << "its scale counts";
    // Across the light nothing but the loss of height counts.
    EXPECT_NEAR(light_on_mapped(open_floor(), {0, 0.4f, 1}), on({0, 1, -0.4f}), 15);
}

TEST(NormalMap, follows_uvs_that_are_turned_or_mirrored_and_tangents_where_there_are_some) {
    Level turned = open_floor();  // the image's up toward +x
    turned.meshes[0].edit([](Mesh& m) {
        for (Vec2& uv : m.uv0) uv = {uv.y, -uv.x};
    });
    const float toward = light_on_mapped(open_floor(), {0.4f, 0, 1}),
                away = light_on_mapped(open_floor(), {-0.4f, 0, 1});
    EXPECT_GT(toward, away + 300);
    EXPECT_NEAR(light_on_mapped(turned, {0, 0.4f, 1}), toward, 5);
    Level mirrored = open_floor();
    mirrored.meshes[0].edit([](Mesh& m) {
        for (Vec2& uv : m.uv0) uv.x = -uv.x;
    });
    EXPECT_NEAR(light_on_mapped(mirrored, {0.4f, 0, 1}), away, 5);
    const float up_plain = light_on_mapped(open_floor(), {0.2f, 0.4f, 1});
    EXPECT_NEAR(light_on_mapped(mirrored, {-0.2f, 0.4f, 1}), up_plain, 5) << "up stays up";
    Level own = open_floor();
    const auto set_tangents = [&](float side) {
        own.meshes[0].edit([&](Mesh& m) {
            m.tangents.assign(m.positions.size(), {.along = {0, 0, -1}, .side = side});
        });
    };
    set_tangents(1);
    // Right is -z, so up is cross((0,1,0), (0,0,-1)) = -x.
    EXPECT_NEAR(light_on_mapped(own, {0, 0.4f, 1}), away, 5);
    set_tangents(-1);
    EXPECT_NEAR(light_on_mapped(own, {0, 0.4f, 1}), toward, 5);
    Level flipped = open_floor();  // a mirrored node turns the picture over with the mesh
    flipped.surfaces[0].to_world.x = {-1, 0, 0};
    EXPECT_NEAR(light_on_mapped(flipped, {0.4f, 0, 1}), away, 5);
}

TEST(NormalMap, leaves_directional_pages_alone_and_a_mean_over_a_texel_bakes_in) {
    Level level = open_floor();
    // Stripes that lean left and right: the mean is straight up, only lower.
    Image stripes = even_map({0.5f, 0, 0.87f});
    for (std::size_t i = 0; i < stripes.rgba.size(); i += 8) stripes.rgba[i] = 255 - stripes.rgba[i];
    level.images.push_back(stripes);
    level.materials[0].normal_texture = {.image = 0, .scale = {16, 16}};
    level.lights.push_back(sun({1, 1, 0}, 1000));
    const float half = std::sqrt(0.5f);
    EXPECT_NEAR(bake_level(level).at({0.3f, 0, 0.2f}, up).g, 1000 * half, 12);
    level.lightmap.shape = LightmapShape::directional;
    const Bake mapped = bake_level(level);
    level.materials[0].normal_texture = {};
    EXPECT_EQ(mapped.baked.sets[0].pages[0].texels, bake_level(level).baked.sets[0].pages[0].texels);
}

TEST(NormalMap, is_read_from_gltf_with_its_scale_and_tangents) {
    Level level;
    ASSERT_EQ(load_outcome(demo_folder() / "observatory.glb", &level), "");
    const auto stone = std::find_if(level.materials.begin(), level.materials.end(),
                                    [](const Material& m) { return m.name == "stone"; });
    ASSERT_NE(stone, level.materials.end());
    ASSERT_NE(stone->normal_texture.image, none);
    EXPECT_EQ(level.images[stone->normal_texture.image]->name, "stone_normals");
    EXPECT_EQ(stone->normal_scale, 1);
}

SLOW_TEST(DirectionalFiles, hold_nine_named_channels_that_the_view_draws_bumps_by) {
    const Folder folder;
    for (const char* file : {"observatory.glb", "bollard.ies", "washer.ies"})
        fs::copy(demo_folder() / file, folder / file);
    std::string sheet = read_text(demo_folder() / "observatory.toml");
    sheet.replace(sheet.find("margin  = 4"), 11, "margin = 4\nshape = \"directional\"\n");
    write_bytes(folder / "level.toml", sheet);
    const std::string level = (folder / "level.toml").string();
    const Ran baked = tool("bake " + level + " --tier glance --set noon --quiet");
    ASSERT_EQ(baked.status, 0) << baked.err;
    const auto manifest = nlohmann::json::parse(read_text(folder / "baked/level/manifest.json"));
    EXPECT_EQ(manifest["settings"]["shape"], "directional");
    const auto& entry = manifest["sets"][0]["directional"];
    ASSERT_EQ(entry.size(), manifest["pages"].size());
    const Pixels page = read_image(folder / ("baked/level/" + entry[0]["file"].get<std::string>()));
    EXPECT_EQ(page.channels, 9);
    EXPECT_EQ(page.width, manifest["pages"][0].get<int>());
    EXPECT_EQ(page.exponent, entry[0]["exponent"].get<int>());

    // The same bake without its directional pages: the terrace loses its joints.
    const std::string view = "view " + level +
                             " --eye=-19.3,1.9,-1.2 --toward=-13,0.6,1.4 --set noon "
                             "--size 160x100 --exposure 14 --quiet --file ";
    ASSERT_EQ(tool(view + (folder / "bumps.png").string()).status, 0);
    std::string text = read_text(folder / "baked/level/manifest.json");
    text.replace(text.find("\"directional\": ["), 13, "\"unused\"");
    write_bytes(folder / "baked/level/manifest.json", text);
    ASSERT_EQ(tool(view + (folder / "plain.png").string()).status, 0);
    const Pixels bumps = read_image(folder / "bumps.png"), plain = read_image(folder / "plain.png");
    double change = 0;
    for (int x = 0; x < 160; ++x)
        for (int y = 70; y < 100; ++y)
            change += std::abs(static_cast<double>(bumps.at(x, y, 1) - plain.at(x, y, 1)));
    EXPECT_GT(change / (160 * 30), 0.01);

    fs::resize_file(folder / ("baked/level/" + entry[0]["file"].get<std::string>()), 500);
    text.replace(text.find("\"unused\""), 8, "\"directional\"");
    write_bytes(folder / "baked/level/manifest.json", text);
    const Ran damaged = tool(view + (folder / "no.png").string());
    EXPECT_EQ(damaged.status, 1);
    EXPECT_NE(damaged.err.find("directional-0.exr"), std::string::npos) << damaged.err;
}

}  // namespace
}  // namespace test::directional_tests
