// What lets light through, what a lamp's role leaves to the game, and rigs; through the public interface.

#include <gtest/gtest.h>

#include <algorithm>

#include "support.hpp"

namespace test::glass_tests {
namespace {

constexpr Vec3 up{0, 1, 0};

Level sunlit_floor() {
    Level level;
    add_floor(level, 4);
    level.lightmap = {.density = 12, .page = 256, .margin = 2};
    level.quality.bounces = 0;
    Light sun{.name = "sun", .kind = LightKind::sun, .color = {50000, 50000, 50000}, .direction = {0, -1, 0}};
    level.lights.push_back(sun);
    return level;
}

Material& last_material(Level& level) {
    return level.materials.back();
}

/// A level sheet over the floor, 1 m up.
Surface& add_sheet(Level& level, float half = 1) {
    Surface& s = add_quad(level, "sheet", {-half, 1, half}, {half, 1, half}, {half, 1, -half},
                          {-half, 1, -half}, {0.5f, 0.5f, 0.5f});
    s.lit_by = LitBy::nothing;
    return s;
}

TEST(Glass, colours_the_suns_light_by_its_base_colour) {
    Level level = sunlit_floor();
    add_sheet(level);
    last_material(level).transmission = 0.8f;
    last_material(level).base_color = {0.9f, 0.3f, 0.05f};
    const Bake b = bake_level(level);
    const Rgb under = b.at({0.2f, 0, 0.3f}, up), beside = b.at({1.7f, 0, 0}, up);
    EXPECT_NEAR(beside.g, 50000, 1);
    EXPECT_NEAR(under.r, 50000 * 0.8f * 0.9f, 2);
    EXPECT_NEAR(under.g, 50000 * 0.8f * 0.3f, 2);
    EXPECT_NEAR(under.b, 50000 * 0.8f * 0.05f, 2);
}

TEST(Glass, a_sheet_tints_from_both_sides_and_a_closed_pane_once) {
    for (const bool closed : {false, true}) {
        Level level = sunlit_floor();
        if (closed)
            add_box(level, "pane", {-1, 1, -1}, {1, 1.02f, 1}, false, {}).lit_by = LitBy::nothing;
        else  // faces down: the sun meets its back
            add_quad(level, "pane", {-1, 1, -1}, {1, 1, -1}, {1, 1, 1}, {-1, 1, 1}, {}).lit_by =
                LitBy::nothing;
        last_material(level).transmission = 1;
        last_material(level).base_color = {0.6f, 0.6f, 0.6f};
        EXPECT_NEAR(bake_level(level).at({0.1f, 0, 0.2f}, up).g, 50000 * 0.6f, 2) << closed;
        last_material(level).double_sided = true;
        EXPECT_NEAR(bake_level(level).at({0.1f, 0, 0.2f}, up).g, 50000 * (closed ? 0.36f : 0.6f), 2)
            << closed;
    }
}

TEST(Glass, blend_passes_what_alpha_leaves_and_two_sheets_multiply) {
    Level level = sunlit_floor();
    add_sheet(level);
    last_material(level).alpha_mode = AlphaMode::blend;
    last_material(level).alpha = 0.3f;
    EXPECT_NEAR(bake_level(level).at({0, 0, 0}, up).g, 35000, 2);
    add_quad(level, "second", {-1, 1.5f, 1}, {1, 1.5f, 1}, {1, 1.5f, -1}, {-1, 1.5f, -1}, {}).lit_by =
        LitBy::nothing;
    last_material(level).alpha_mode = AlphaMode::blend;
    last_material(level).alpha = 0.5f;
    EXPECT_NEAR(bake_level(level).at({0, 0, 0}, up).g, 17500, 2);
    last_material(level).alpha_mode = AlphaMode::opaque;
    EXPECT_EQ(bake_level(level).at({0, 0, 0}, up).g, 0) << "alpha without BLEND is paint";
}

TEST(Glass, gathered_light_comes_through_it_too) {
    // A sky seen through one sheet that covers all of it, by gather rays alone.
    Level level;
    add_floor(level, 2);
    add_sheet(level, 300);
    last_material(level).transmission = 0.7f;
    last_material(level).base_color = {0.8f, 0.4f, 0.1f};
    level.sky.radiance = {1000, 1000, 1000};
    level.lightmap = {.density = 6, .page = 128, .margin = 2};
    level.quality.tier = Tier::final;
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    double r = 0, g = 0, bl = 0;
    int n = 0;
    for (float x = -0.8f; x < 0.9f; x += 0.2f)
        for (float z = -0.8f; z < 0.9f; z += 0.2f, ++n) {
            const Rgb e = b.at({x, 0, z}, up);
            r += static_cast<double>(e.r);
            g += static_cast<double>(e.g);
            bl += static_cast<double>(e.b);
        }
    EXPECT_NEAR(r / n, 3141.6 * 0.7 * 0.8, 3141.6 * 0.7 * 0.8 * 0.01);
    EXPECT_NEAR(g / n, 3141.6 * 0.7 * 0.4, 3141.6 * 0.7 * 0.4 * 0.01);
    EXPECT_NEAR(bl / n, 3141.6 * 0.7 * 0.1, 3141.6 * 0.7 * 0.1 * 0.01);
}

TEST(Glass, a_cut_out_casts_the_shape_of_its_texture) {
    Level level = sunlit_floor();
    Surface& card = add_sheet(level);
    Image holes{.name = "holes", .width = 16, .height = 16, .rgba = {}};
    for (int y = 0; y < 16; ++y)
        for (int x = 0; x < 16; ++x) {
            const std::uint8_t alpha = (x < 8) != (y < 8) ? 255 : 0;
            holes.rgba.insert(holes.rgba.end(), {255, 255, 255, alpha});
        }
    level.images.push_back(holes);
    last_material(level).alpha_mode = AlphaMode::mask;
    last_material(level).base_texture.image = 0;
    set_uvs(level.meshes[card.mesh], {{0, 1}, {1, 1}, {1, 0}, {0, 1}, {1, 0}, {0, 0}});
    const Bake b = bake_level(level);
    for (const float x : {-0.5f, 0.5f})
        for (const float z : {-0.5f, 0.5f})
            EXPECT_NEAR(b.at({x, 0, z}, up).g, (x < 0) != (z < 0) ? 0 : 50000, 1) << x << ", " << z;
}

// ---- energy

/// Irradiance everywhere in a closed room of one reflectance and one glow is pi glow / (1 - reflectance).
void expect_furnace(const Bake& b, float rho, float glow, double tolerance) {
    double sum = 0, square = 0;
    int n = 0;
    const double expected = static_cast<double>(pi * glow / (1 - rho));
    for (const PageImage& page : b.baked.sets[0].pages)
        for (std::size_t i = 0; i < page.texels.size(); ++i)
            if (page.state[i] == 1) {
                sum += static_cast<double>(page.texels[i].g);
                ++n;
                const double off = static_cast<double>(page.texels[i].g) / expected - 1;
                square += off * off;
                EXPECT_NEAR(off, 0, 0.12);
            }
    ASSERT_GT(n, 500);
    EXPECT_NEAR(sum / n, expected, tolerance * expected);
    EXPECT_LT(std::sqrt(square / n), 0.04);  // what `proof` aims for
}

TEST(Furnace, holds_with_textures_sheets_glass_and_squeezed_and_mirrored_instances) {
    const float rho = 0.5f, glow = 100;
    Level level;
    Surface& room = add_box(level, "room", {-1, -1, -1}, {1, 1, 1}, true, {1, 1, 1}, {glow, glow, glow});
    // A checker of 0.2 and 0.8 averages to one half over every texel: sixteen squares a texel.
    Image checker{.name = "checker", .width = 64, .height = 64, .rgba = {}};
    const auto code = [](double v) {
        return static_cast<std::uint8_t>(255 * (1.055 * std::pow(v, 1 / 2.4) - 0.055) + 0.5);
    };
    for (int i = 0; i < 64 * 64; ++i)
        for (int c = 0; c < 4; ++c)
            checker.rgba.push_back(c == 3 ? 255 : code((i % 64 + i / 64) % 2 ? 0.2 : 0.8));
    level.images.push_back(checker);
    level.materials[room.material].base_texture = {.image = 0, .scale = {16, 16}};
    level.meshes[room.mesh].edit([](Mesh& mesh) {
        for (const Vec3 p : mesh.positions) mesh.uv0.push_back({p.x + p.z * 0.5f, p.y + p.z * 0.5f});
    });
    // Things in it that glow and reflect as its walls do change nothing.
    add_box(level, "stone", {-0.3f, -0.3f, -0.3f}, {0.3f, 0.3f, 0.3f}, false, {rho, rho, rho},
            {glow, glow, glow});
    Surface twin = level.surfaces.back();
    level.surfaces.back().to_world = {{0.8f, 0, 0}, {0, 1.4f, 0}, {0, 0, 0.5f}, {0.55f, -0.5f, 0.4f}};
    twin.name = "mirrored";
    twin.to_world = {{-0.6f, 0.3f, 0}, {0.1f, 0.7f, 0.2f}, {0, 0, 0.9f}, {-0.5f, 0.5f, -0.4f}};
    level.surfaces.push_back(twin);
    add_quad(level, "leaf", {-0.9f, -0.2f, 0.9f}, {0.2f, -0.1f, 0.9f}, {0.2f, 0.8f, 0.6f},
             {-0.9f, 0.7f, 0.6f}, {rho, rho, rho}, {glow, glow, glow});
    level.materials.back().double_sided = true;
    add_quad(level, "gauze", {0.3f, -0.9f, -0.8f}, {0.9f, -0.9f, -0.2f}, {0.9f, 0.9f, -0.2f},
             {0.3f, 0.9f, -0.8f}, {rho, rho, rho}, {glow, glow, glow});
    level.materials.back().double_sided = true;
    level.materials.back().alpha_mode = AlphaMode::blend;
    level.materials.back().alpha = 0.4f;
    level.lightmap = {.density = 8, .page = 512, .margin = 2};
    expect_furnace(bake_level(level), rho, glow, 0.006);
}

// ---- all of it against the reference

SLOW_TEST(Reference, agrees_on_a_room_with_every_kind_of_light_and_glass) {
    Level level;
    add_thick_room(level, {-2, 0, -1.5f}, {2, 2.4f, 1.5f}, 0.2f, {0.7f, 0.65f, 0.6f});
    // The east wall gives way to a window: a wall of glass, and a screen of gauze in the room.
    std::erase_if(level.surfaces, [](const Surface& s) { return s.name == "wall_east"; });
    add_box(level, "window", {2, -0.2f, -1.7f}, {2.05f, 2.6f, 1.7f}, false, {0.9f, 0.5f, 0.3f});
    level.materials.back().transmission = 0.9f;
    add_quad(level, "gauze", {0.8f, 0, -1.2f}, {0.8f, 0, 0.6f}, {0.8f, 2, 0.6f}, {0.8f, 2, -1.2f},
             {0.6f, 0.7f, 0.6f});
    level.materials.back().alpha_mode = AlphaMode::blend;
    level.materials.back().alpha = 0.5f;
    level.materials.back().double_sided = true;
    level.sky.kind = SkyKind::image;
    level.sky.radiance = {1, 1, 1};
    level.sky.width = 64;
    level.sky.height = 32;
    std::vector<Rgb> pixels;
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x)
            pixels.push_back(x >= 46 && x < 50 && y >= 8 && y < 12 ? Rgb{40000, 36000, 30000}
                                                                   : Rgb{150, 200, 300});
    level.sky.pixels = pixels;
    const auto add = [&](LightKind kind, const char* name, Vec3 at, float strength) -> Light& {
        level.lights.push_back(
            {.name = name, .kind = kind, .color = {strength, strength, strength}, .position = at});
        return level.lights.back();
    };
    Light& disc = add(LightKind::disc, "disc", {-1.5f, 2.3f, 1}, 300);
    disc.radius = 0.2f;
    Light& panel = add(LightKind::rectangle, "panel", {-1, 2.35f, -1}, 200);
    panel.width = 0.5f;
    panel.height = 0.3f;
    Light& tube = add(LightKind::tube, "tube", {-1.9f, 1.2f, 0}, 2000);
    tube.across = {0, 0, 1};
    tube.direction = {1, 0, 0};
    tube.width = 1;
    tube.radius = 0.015f;
    Light& spot = add(LightKind::spot, "bounced", {0, 2.3f, 1.3f}, 200);
    spot.direction = normalize({0.1f, -1, -0.4f});
    spot.radius = 0.03f;
    spot.role = BakeRole::bounce;
    Profile p{.name = "p", .plane = {0}};
    for (int a = 0; a <= 6; ++a) {
        p.angle.push_back(static_cast<float>(a) * pi / 12);
        p.candela.push_back(static_cast<float>(60 - 9 * a));
    }
    complete_profile(p);
    level.profiles.push_back(p);
    Light& washer = add(LightKind::point, "washer", {1.4f, 2.2f, -1.2f}, p.peak);
    washer.profile = 0;
    washer.radius = 0.05f;
    level.lightmap = {.density = 16, .page = 512, .margin = 2};
    complete_level(level);
    Job job;
    Baker baker(level, job);
    baker.light(level, job);
    std::vector<TexelLight> texels = baker.texels(0);
    std::erase_if(texels, [](const TexelLight& t) {
        return !t.valid || !t.exported || std::abs(t.position.x) > 1.99f || t.position.y < -0.01f ||
               t.position.y > 2.41f || std::abs(t.position.z) > 1.51f;
    });
    std::vector<TexelLight> some;
    for (std::size_t i = 0; i < texels.size(); i += texels.size() / 500) some.push_back(texels[i]);
    std::vector<ReferencePoint> points;
    for (const TexelLight& t : some) points.push_back({t.position, t.normal, t.face_normal});
    const auto reference = reference_light(level, 0, points, {.paths = 1500}, job);
    Rgb sum, difference;
    double mean = 0, whole = 0;
    for (std::size_t i = 0; i < some.size(); ++i) {
        const Rgb r = reference[i].direct + reference[i].bounced;
        sum += r;
        difference += some[i].total - r;
        mean += std::abs(static_cast<double>(luminance(some[i].total - r)));
        whole += static_cast<double>(luminance(r));
    }
    printf("bias %+.2f %+.2f %+.2f %%, mean difference %.2f %%\n", 100.0 * difference.r / sum.r,
           100.0 * difference.g / sum.g, 100.0 * difference.b / sum.b, 100 * mean / whole);
    EXPECT_LT(std::abs(difference.r / sum.r), 0.015f);
    EXPECT_LT(std::abs(difference.g / sum.g), 0.015f);
    EXPECT_LT(std::abs(difference.b / sum.b), 0.015f);
    EXPECT_LT(mean / whole, 0.05);
}

// ---- roles

Level lamp_room(BakeRole role) {
    Level level;
    add_box(level, "room", {-2, 0, -2}, {2, 2.5f, 2}, true, {0.6f, 0.6f, 0.6f});
    add_box(level, "crate", {-0.4f, 0, -0.4f}, {0.4f, 0.5f, 0.4f}, false, {0.5f, 0.5f, 0.5f});
    level.lights.push_back({.name = "lamp", .color = {200, 150, 100}, .position = {0, 2, 0}, .role = role});
    level.lightmap = {.density = 10, .page = 256, .margin = 2};
    return level;
}

SLOW_TEST(Roles, bounce_bakes_everything_but_the_direct_light_and_live_nothing) {
    const Bake whole = bake_level(lamp_room(BakeRole::whole)),
               bounce = bake_level(lamp_room(BakeRole::bounce)),
               live = bake_level(lamp_room(BakeRole::realtime));
    for (const float x : {-1.5f, -0.9f, 1.2f}) {
        const Vec3 at{x, 0, 0.3f};
        const Vec3 d = Vec3{0, 2, 0} - at;
        const float direct = 200 * 2 / (dot(d, d) * length(d)) * (std::abs(x) < 0.5f ? 0.0f : 1.0f);
        EXPECT_NEAR(whole.at(at, up).r - bounce.at(at, up).r, direct, 0.02f * direct) << x;
        EXPECT_GT(bounce.at(at, up).r, 5);
        EXPECT_EQ(live.at(at, up).r, 0);
    }
    EXPECT_TRUE(whole.baked.visibility.empty());
    EXPECT_TRUE(live.baked.visibility.empty());
}

TEST(Roles, the_visibility_map_is_the_share_of_the_lamp_that_arrives) {
    Level level = lamp_room(BakeRole::bounce);
    level.lights[0].position = {1.2f, 2, 0};
    const Bake b = bake_level(level);
    ASSERT_EQ(b.baked.visibility.size(), b.atlas.pages.size());
    const VisibilityPage& page = b.baked.visibility[0];
    ASSERT_EQ(page.lights, std::vector<std::string>{"lamp"});
    ASSERT_EQ(page.texels.size(), static_cast<std::size_t>(page.side) * page.side);
    const auto value = [&](Vec3 at) {
        Job job;
        const MeterReading r = meter_lightmap({b.level, b.atlas}, b.baked.sets[0], {{at, up}}, 0.05f, job)[0];
        return static_cast<int>(page.texels[static_cast<std::size_t>(r.y) * page.side + r.x][0]);
    };
    EXPECT_EQ(value({1.5f, 0, 0}), 255);
    EXPECT_EQ(value({0.8f, 0, 1.2f}), 255);
    EXPECT_EQ(value({-0.55f, 0, 0}), 0) << "behind the crate";
    // A large ball has a penumbra between.
    level.lights[0].radius = 0.4f;
    const Bake soft = bake_level(level);
    int between = 0;
    for (const auto& t : soft.baked.visibility[0].texels) between += t[0] > 20 && t[0] < 235 ? 1 : 0;
    EXPECT_GT(between, 30);
}

TEST(Roles, more_than_four_on_one_page_are_named) {
    Level level = lamp_room(BakeRole::bounce);
    for (int i = 1; i < 5; ++i) {
        level.lights.push_back(level.lights[0]);
        level.lights.back().name = "lamp " + std::to_string(i);
    }
    try {
        bake_level(level);
        FAIL();
    } catch (const Error& e) {
        EXPECT_NE(e.text().find("more than four"), std::string::npos) << e.text();
        EXPECT_NE(e.text().find("page 0"), std::string::npos) << e.text();
        EXPECT_NE(e.text().find("(lamp, lamp 1, lamp 2, lamp 3, lamp 4)"), std::string::npos) << e.text();
    }
    // One that a range keeps off the page counts no more.
    level.lights[4].position = {0, 300, 0};
    level.lights[4].range = 5;
    EXPECT_EQ(bake_level(level).baked.visibility[0].lights.size(), 4u);
}

SLOW_TEST(Roles, files_hold_the_map_and_a_view_draws_what_the_game_will_add) {
    const Folder folder;
    fs::copy_file(demo_folder() / "observatory.glb", folder / "observatory.glb");
    write_bytes(folder / "l.toml",
                "[level]\nscene = \"observatory.glb\"\n[quality]\ntier = \"glance\"\nbounces = "
                "1\n[lightmap]\ndensity = 4\n"
                "[sky]\nradiance = [1, 1, 1]\n[[light]]\nmatch = \"*\"\nbake = \"realtime\"\ngain = 0\n"
                "[[light]]\nname = \"flood\"\nkind = \"spot\"\nat = [-8, 6, 3]\ntoward = [-13, 0, "
                "-2]\ncandela = 20000\n"
                "inner = 30\nouter = 45\nbake = \"bounce\"\n[[surface]]\nmatch = \"*\"\ngain = 0\n");
    ASSERT_EQ(tool("bake " + (folder / "l.toml").string() + " --quiet").status, 0);
    const auto manifest = nlohmann::json::parse(read_text(folder / "baked/l" / "manifest.json"));
    ASSERT_GE(manifest["visibility"].size(), 1u);
    EXPECT_EQ(manifest["visibility"][0]["lights"][0], "flood");
    const Pixels map = read_image(folder / "baked/l" / manifest["visibility"][0]["file"].get<std::string>());
    EXPECT_EQ(map.width, manifest["pages"][manifest["visibility"][0]["page"].get<std::size_t>()]);
    const auto look = [&](const std::string& name) {
        EXPECT_EQ(tool("view " + (folder / "l.toml").string() +
                       " --eye -14,9,2 --toward -13,0,0 --size 64x40 --linear --show light --file " +
                       (folder / name).string() + " --quiet")
                      .status,
                  0);
        return read_image(folder / name);
    };
    const Pixels lit = look("a.exr");
    const float middle = lit.at(32, 20, 1);
    EXPECT_GT(middle, 30) << "the flood's own light, though the lightmap holds none of it";
    const Ran metered =
        tool("meter " + (folder / "l.toml").string() + " --at -13.5,-0.35,0.5 --reach 0.4 --json");
    ASSERT_EQ(metered.status, 0) << metered.err;
    EXPECT_NE(metered.err.find("direct light of flood; it is not in these readings"), std::string::npos)
        << metered.err;
    EXPECT_LT(metered.json()["readings"][0]["irradiance_lux"][1].get<double>(), static_cast<double>(middle));
}

// ---- rigs

SLOW_TEST(Rigs, put_their_lamps_and_their_model_at_every_place_and_change_together) {
    const Level level = load_level(demo_folder() / "observatory.toml");
    int lamps = 0, posts = 0;
    for (const SceneNode& place : level.nodes) {
        if (!place.name.starts_with("bollard_")) continue;
        const auto lamp = std::find_if(level.lights.begin(), level.lights.end(),
                                       [&](const Light& l) { return l.name == place.name + "/lamp"; });
        ASSERT_NE(lamp, level.lights.end()) << place.name;
        EXPECT_LT(length(lamp->position - transform_point(place.to_world, {0, 0.84f, 0})), 1e-4f);
        EXPECT_LT(length(lamp->direction - Vec3{0, -1, 0}), 1e-4f);
        EXPECT_NEAR(luminance(lamp->color) * lumens_per_unit(*lamp, level.profiles), 420, 1);
        ++lamps;
        for (const Surface& s : level.surfaces) {
            if (s.node != place.name) continue;
            ++posts;
            EXPECT_LT(length(s.to_world.origin - place.to_world.origin), 1e-4f) << s.name;
            EXPECT_LT(length(s.to_world.x - place.to_world.x), 1e-4f) << "turned as its place is";
        }
    }
    EXPECT_EQ(lamps, 8);
    EXPECT_EQ(posts, 16) << "two primitives each";
    // What the rig copied is in the game's level as well.
    const Level out = load_level(demo_glance() / "observatory.glb");
    int copies = 0;
    for (const Surface& s : out.surfaces) copies += s.node.starts_with("bollard_") ? 1 : 0;
    EXPECT_EQ(copies, 16);
}

SLOW_TEST(Rigs, one_that_matches_nothing_is_said) {
    const Folder folder;
    fs::copy_file(demo_folder() / "observatory.glb", folder / "observatory.glb");
    write_bytes(folder / "l.toml",
                "[level]\nscene = \"observatory.glb\"\n[lightmap]\ndensity = 1\n[[rig]]\nname = \"r\"\nmatch "
                "= \"lantern_*\"\n"
                "[[rig.light]]\nname = \"a\"\nkind = \"point\"\n");
    const Ran r = tool("survey " + (folder / "l.toml").string());
    EXPECT_EQ(r.status, 0);
    EXPECT_NE(r.err.find("l.toml:7: rig.match: \"lantern_*\" matches nothing"), std::string::npos) << r.err;
}

}  // namespace
}  // namespace test::glass_tests
