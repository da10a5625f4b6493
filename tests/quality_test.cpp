// Clean lightmaps: noise, leaks, seams, margins, shadow edges, and levels that were baked before.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "shapes.hpp"
#include "support.hpp"

namespace test::quality_tests {
namespace {

constexpr Vec3 up{0, 1, 0};

Level furnished_room() {
    Level level;
    add_thick_room(level, {-2, 0, -1.5f}, {2, 2.4f, 1.5f}, 0.2f, {0.7f, 0.6f, 0.5f});
    add_box(level, "table", {-0.6f, 0.7f, -0.4f}, {0.6f, 0.75f, 0.4f}, false, {0.5f, 0.3f, 0.2f});
    add_box(level, "crate", {0.9f, 0, 0.5f}, {1.5f, 0.6f, 1.1f}, false, {0.4f, 0.4f, 0.6f});
    level.lights.push_back(
        {.name = "lamp", .color = {100, 90, 70}, .position = {-1.2f, 1.9f, -0.8f}, .radius = 0.03f});
    level.lightmap = {.density = 10, .page = 512, .margin = 2};
    return level;
}

std::vector<TexelLight> texels_of(Level level, int links, Denoise denoise) {
    level.quality.links = links;
    level.quality.denoise = denoise;
    complete_level(level);
    Job job;
    Baker baker(level, job);
    baker.light(baker.level(), job);
    return baker.texels(0);
}

double error_of(const std::vector<TexelLight>& ours, const std::vector<TexelLight>& truth) {
    double square = 0, count = 0;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        if (!ours[i].exported || !ours[i].valid || !truth[i].valid) continue;
        const auto e = static_cast<double>(luminance(truth[i].total));
        if (!(e > 1)) continue;
        square += std::pow(static_cast<double>(luminance(ours[i].total)) / e - 1, 2);
        count += 1;
    }
    EXPECT_GT(count, 5000);
    return std::sqrt(square / count);
}

SLOW_TEST(Denoise, brings_few_links_three_times_nearer_the_truth_and_does_many_no_harm) {
    const Level room = furnished_room();
    const auto truth = texels_of(room, 4096, Denoise::off);
    double before = 0, after = 0;
    for (const int links : {32, 512}) {
        before = error_of(texels_of(room, links, Denoise::off), truth);
        after = error_of(texels_of(room, links, Denoise::automatic), truth);
        EXPECT_LT(after, links == 32 ? before / 3 : before) << links << " links";
    }
    double mean = 0, smoothed = 0;
    const auto ours = texels_of(room, 32, Denoise::automatic);
    for (std::size_t i = 0; i < ours.size(); ++i)
        if (ours[i].exported && ours[i].valid && truth[i].valid) {
            mean += static_cast<double>(luminance(truth[i].total) * ours[i].area);
            smoothed += static_cast<double>(luminance(ours[i].total) * ours[i].area);
        }
    EXPECT_NEAR(smoothed, mean, 0.01 * mean) << "and takes no light away";
}

/// Of the edge that one sees of a roof's shadow, in texels: how far it is from where the shadow ends, and how
/// far it strays from a straight line. Along it, the places at which light as a game filters it, through a
/// shoulder, is half way between dark and lit.
struct Strayed {
    float off = 0, saw = 0;
};
Strayed strays(float degrees, Edges edges) {
    constexpr float density = 8, side = 6;
    Level level;
    add_floor(level, side);
    const float turn = degrees * pi / 180;
    const Vec3 along{std::cos(turn), 0, std::sin(turn)}, across{-std::sin(turn), 0, std::cos(turn)};
    const auto at = [&](float a, float c) { return along * a + across * c + Vec3{0, 1, 0}; };
    add_quad(level, "roof", at(-9, 9), at(9, 9), at(9, 0), at(-9, 0), {0, 0, 0});
    level.surfaces.back().density = 0.05f;
    level.materials.back().double_sided = true;
    level.lights = {
        {.name = "sun", .kind = LightKind::sun, .color = {40000, 40000, 40000}, .direction = {0, -1, 0}},
        // Under the roof from its open side, so that the shadow has a fortieth of the light.
        {.name = "fill", .kind = LightKind::sun, .color = {1, 1, 1}, .direction = {0, -1, 0}}};
    const float low = 0.07f;
    level.lights[1].direction = normalize(across - Vec3{0, low, 0});
    level.lights[1].color = Rgb{1, 1, 1} * (1000 * std::sqrt(1 + low * low) / low);
    level.lightmap = {.density = density, .page = 64, .margin = 2};
    level.quality.bounces = 0;
    level.quality.edges = edges;
    const Bake b = bake_level(std::move(level));
    const auto shown = [&](Vec3 p) { return 1 - std::exp(-luminance(b.at(p, {0, 1, 0})) / 80000); };
    const Vec3 up{0, -1, 0};
    const float lit = shown(at(0, -1) + up), dark = shown(at(0, 1) + up), half = (lit + dark) / 2;
    EXPECT_GT(lit, 10 * dark);
    Strayed out;
    std::vector<float> places;
    for (float a = -2; a <= 2; a += 0.037f) {
        float low_side = -3 / density, high_side = 3 / density;
        for (int k = 0; k < 12; ++k) {
            const float c = (low_side + high_side) / 2;
            (shown(at(a, c) + up) > half ? low_side : high_side) = c;
        }
        places.push_back(low_side * density);
        out.off = std::max(out.off, std::abs(places.back()));
    }
    const float mean =
        std::accumulate(places.begin(), places.end(), 0.0f) / static_cast<float>(places.size());
    for (const float p : places) out.saw = std::max(out.saw, std::abs(p - mean));
    return out;
}

TEST(ShadowEdges, run_straight_at_any_angle) {
    for (const float degrees : {3.0f, 17.0f, 30.0f, 45.0f, 62.0f}) {
        const Strayed sharp = strays(degrees, Edges::sharp), straight = strays(degrees, Edges::straight);
        EXPECT_LE(straight.off, 0.25f) << degrees;
        EXPECT_LE(straight.saw, 0.1f) << degrees;
        EXPECT_LE(straight.saw, sharp.saw) << degrees;
    }
}

TEST(Denoise, never_carries_light_through_a_sheet_that_stands_on_an_unbroken_floor) {
    Level level;
    add_floor(level, 6, {0.6f, 0.6f, 0.6f});
    add_quad(level, "lid", {-3, 2, -3}, {3, 2, -3}, {3, 2, 3}, {-3, 2, 3}, {0.6f, 0.6f, 0.6f});
    const float x[] = {-3, 0, 3};  // between two texels of the floor
    for (int i = 0; i < 3; ++i) {
        add_quad(level, "sheet_x" + std::to_string(i), {x[i], 0, -3}, {x[i], 0, 3}, {x[i], 2, 3},
                 {x[i], 2, -3}, {0.6f, 0.6f, 0.6f});
        level.materials.back().double_sided = true;
    }
    for (const float z : {-3.0f, 3.0f}) {
        add_quad(level, z < 0 ? "sheet_n" : "sheet_s", {-3, 0, z}, {3, 0, z}, {3, 2, z}, {-3, 2, z},
                 {0.6f, 0.6f, 0.6f});
        level.materials.back().double_sided = true;
    }
    level.lights.push_back(
        {.name = "lamp", .color = {500, 500, 500}, .position = {-1.5f, 1.2f, 0}, .radius = 0.1f});
    level.lightmap = {.density = 16, .page = 512, .margin = 2};
    level.quality.tier = Tier::glance;
    int lit = 0, dark = 0;
    for (const TexelLight& t : texels_of(level, 32, Denoise::automatic)) {
        if (!t.exported || !t.valid || t.normal.y < 0.9f || t.position.y > 0.1f) continue;
        const float e = luminance(t.total);
        if (t.position.x > 0) {
            EXPECT_EQ(e, 0) << t.position.x << ", " << t.position.z;
            ++dark;
        } else if (t.position.x < -0.05f && t.position.x > -2.9f) {
            EXPECT_GT(e, 1);
            ++lit;
        }
    }
    EXPECT_GT(lit, 200);
    EXPECT_GT(dark, 200);
}

class Sealed : public testing::TestWithParam<float> {};

SLOW_TEST_P(Sealed, room_of_single_sheets_keeps_a_hundred_thousand_lux_outside) {
    Level level;
    const Rgb grey{0.7f, 0.7f, 0.7f};
    // Sheets meet edge to edge: nothing overlaps, every joint is a mere touch.
    add_quad(level, "floor", {-1.7f, 0, 1.3f}, {1.7f, 0, 1.3f}, {1.7f, 0, -1.3f}, {-1.7f, 0, -1.3f}, grey);
    add_quad(level, "lid", {-1.7f, 2, -1.3f}, {1.7f, 2, -1.3f}, {1.7f, 2, 1.3f}, {-1.7f, 2, 1.3f}, grey);
    add_quad(level, "north", {-1.7f, 0, -1.3f}, {1.7f, 0, -1.3f}, {1.7f, 2, -1.3f}, {-1.7f, 2, -1.3f}, grey);
    add_quad(level, "south", {1.7f, 0, 1.3f}, {-1.7f, 0, 1.3f}, {-1.7f, 2, 1.3f}, {1.7f, 2, 1.3f}, grey);
    add_quad(level, "west", {-1.7f, 0, 1.3f}, {-1.7f, 0, -1.3f}, {-1.7f, 2, -1.3f}, {-1.7f, 2, 1.3f}, grey);
    add_quad(level, "east", {1.7f, 0, -1.3f}, {1.7f, 0, 1.3f}, {1.7f, 2, 1.3f}, {1.7f, 2, -1.3f}, grey);
    for (Material& m : level.materials) m.double_sided = true;
    Surface& ground =
        add_quad(level, "ground", {-6, -0.02f, 6}, {6, -0.02f, 6}, {6, -0.02f, -6}, {-6, -0.02f, -6}, grey);
    ground.density = 0.25f;
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = {100000, 100000, 100000},
                            .direction = normalize({0.5f, -1, 0.4f}),
                            .angular_diameter = 0.0093f});
    level.sky.radiance = {5000, 5000, 5000};
    level.lightmap = {.density = GetParam(), .page = 512, .margin = 2};
    level.quality.links = 64;
    const Bake b = bake_level(level);
    for (int k = -10; k <= 10; ++k) {
        const float x = 0.165f * static_cast<float>(k), z = 0.125f * static_cast<float>(k);
        for (const Vec3 at : {Vec3{x, 0, 1.25f}, Vec3{x, 0, -1.25f}, Vec3{1.65f, 0, z}, Vec3{-1.65f, 0, z}})
            EXPECT_LE(max_channel(b.at(at, up)), 0.5f) << at.x << ", " << at.z;
        EXPECT_LE(max_channel(b.at({1.7f, 0.05f, z}, {-1, 0, 0})), 0.5f);
        EXPECT_LE(max_channel(b.at({x, 1.95f, 1.3f}, {0, 0, -1})), 0.5f);
    }
    EXPECT_GT(b.at({4, -0.02f, 4}, up).g, 80000);
}
INSTANTIATE_TEST_SUITE_P(Densities, Sealed, testing::Values(4.0f, 8.0f, 16.0f, 32.0f));

/// Along the middle of a flat side of twelve: the next ones lie edge-on to the light.
constexpr float sun_turn = pi / 12;

/// A round pier, smooth shaded, under a level sun, on nothing.
Bake pier(int sides) {
    Level level;
    Mesh tube = open_tube(sides, 1, 0.5f, 2);
    Vec3 low{1e9f, 1e9f, 1e9f}, high{-1e9f, -1e9f, -1e9f};
    for (const Vec3 p : tube.positions) {
        low = min(low, p);
        high = max(high, p);
    }
    const Vec3 size = high - low;
    // Its axis is the longest side.
    const bool along_x = size.x > size.y && size.x > size.z, along_z = size.z > size.x && size.z > size.y;
    for (Vec3& p : tube.positions) {
        p = p - (low + high) * 0.5f;
        if (along_x) p = {p.y, p.x, -p.z};
        if (along_z) p = {p.x, p.z, -p.y};
    }
    tube.normals.clear();
    for (const Vec3 p : tube.positions) tube.normals.push_back(normalize(Vec3{p.x, 0, p.z}));
    add_mesh(level, std::move(tube));
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = {1000, 1000, 1000},
                            .direction = {-std::cos(sun_turn), 0, -std::sin(sun_turn)},
                            .angular_diameter = 0.0093f});
    level.lightmap = {.density = 32, .page = 512, .margin = 2};
    level.quality.bounces = 0;
    return bake_level(level);
}

TEST(Terminator, of_a_pier_of_twelve_sides_is_that_of_its_twin_of_many) {
    const Bake coarse = pier(12), fine = pier(512);
    double worst = 0;
    for (int degrees = -120; degrees <= 120; degrees += 3) {
        const float a = static_cast<float>(degrees) * pi / 180;
        const Vec3 out{std::cos(a), 0, std::sin(a)};
        // Onto the flat side under that angle.
        const float step = 2 * pi / 12, within = a - step * (std::floor(a / step) + 0.5f);
        const float face = 0.5f * std::cos(step / 2) / std::cos(within);
        const Rgb round = fine.at(out * 0.5f, out), flat = coarse.at(out * face, out);
        worst = std::max(worst, static_cast<double>(std::abs(flat.g - round.g)));
        EXPECT_NEAR(round.g, 1000 * std::max(0.0f, std::cos(a - sun_turn)), 40) << degrees;
    }
    EXPECT_LT(worst, 60) << "of a sun of 1000 lux";
}

TEST(Seams, on_a_round_pier_are_closed_and_left_alone_where_asked) {
    Level level;
    Mesh mesh = sphere(24, 0.8f);
    smooth_normals(mesh);
    add_mesh(level, std::move(mesh));
    add_floor(level, 8, {0.6f, 0.3f, 0.2f});
    move_mesh(level.meshes.back(), {0, -1.2f, 0});
    level.sky.radiance = {1000, 1000, 1200};
    level.lights.push_back(
        {.name = "lamp", .color = {900, 800, 600}, .position = {2, 1.5f, 1}, .radius = 0.1f});
    level.lightmap = {.density = 16, .page = 512, .margin = 4};
    level.quality.links = 8;
    level.quality.denoise = Denoise::off;
    const Bake fitted = bake_level(level);
    level.quality.seams = Seams::off;
    const Bake raw = bake_level(level);
    EXPECT_GT(raw.baked.figures.seam_before, 0.01);
    EXPECT_EQ(raw.baked.figures.seam, raw.baked.figures.seam_before);
    EXPECT_NEAR(fitted.baked.figures.seam_before, raw.baked.figures.seam_before, 1e-6);
    EXPECT_LT(fitted.baked.figures.seam, 0.01);
    // What is moved is moved a little: both bakes tell the same light.
    double apart = 0, whole = 0;
    for (std::size_t p = 0; p < raw.baked.sets[0].pages.size(); ++p) {
        const PageImage &a = raw.baked.sets[0].pages[p], &b = fitted.baked.sets[0].pages[p];
        for (std::size_t i = 0; i < a.texels.size(); ++i)
            if (a.state[i] == 1) {
                apart += static_cast<double>(std::abs(a.texels[i].g - b.texels[i].g));
                whole += static_cast<double>(a.texels[i].g);
            }
    }
    EXPECT_LT(apart, 0.02 * whole);
}

TEST(Margins, keep_charts_apart_over_as_many_halvings_as_asked_for_and_pages_are_full) {
    constexpr int halvings = 3;
    Level level;
    level.lightmap = {.density = 16, .page = 256, .margin = margin_for_mips(halvings)};
    EXPECT_EQ(level.lightmap.margin, 16);
    add_quad(level, "lit", {-1, 0, 1}, {1, 0, 1}, {1, 0, -1}, {-1, 0, -1}, {});
    add_quad(level, "dim", {9, 0, 1}, {11, 0, 1}, {11, 0, -1}, {9, 0, -1}, {});
    add_quad(level, "dusky", {19, 0, 1}, {20.3f, 0, 1}, {20.3f, 0, -1}, {19, 0, -1}, {});
    // A sun each would be one sun: rectangles close over each, as wide as the world to a texel.
    const float strength[] = {1000, 100, 10};
    for (int i = 0; i < 3; ++i) {
        Light l{.name = "panel", .kind = LightKind::rectangle};
        l.color = {strength[i], strength[i], strength[i]};
        l.position = {10 * static_cast<float>(i), 0.02f, 0};
        l.width = l.height = 8;
        level.lights.push_back(l);
    }
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    int looked = 0;
    for (const PageImage& page : b.baked.sets[0].pages) {
        EXPECT_EQ(std::count_if(page.texels.begin(), page.texels.end(), [](Rgb e) { return !(e.g > 0); }), 0)
            << "nothing is left black";
        int side = page.side;
        std::vector<float> mip;
        for (const Rgb& e : page.texels) mip.push_back(e.g);
        for (int h = 0; h < halvings; ++h, side /= 2) {
            std::vector<float> half;
            for (int y = 0; y < side; y += 2)
                for (int x = 0; x < side; x += 2)
                    half.push_back((mip[y * side + x] + mip[y * side + x + 1] + mip[(y + 1) * side + x] +
                                    mip[(y + 1) * side + x + 1]) /
                                   4);
            mip = std::move(half);
        }
        for (int y = 0; y < page.side; ++y)
            for (int x = 0; x < page.side; ++x) {
                if (page.state[static_cast<std::size_t>(y) * page.side + x] != 1) continue;
                const float full = page.texels[static_cast<std::size_t>(y) * page.side + x].g;
                const float u = (static_cast<float>(x) + 0.5f) / (1 << halvings) - 0.5f,
                            v = (static_cast<float>(y) + 0.5f) / (1 << halvings) - 0.5f;
                const int x0 = static_cast<int>(std::floor(u)), y0 = static_cast<int>(std::floor(v));
                float got = 0;
                for (int k = 0; k < 4; ++k) {
                    const int px = std::clamp(x0 + k % 2, 0, side - 1),
                              py = std::clamp(y0 + k / 2, 0, side - 1);
                    const float wx = k % 2 ? u - std::floor(u) : 1 - (u - std::floor(u)),
                                wy = k / 2 ? v - std::floor(v) : 1 - (v - std::floor(v));
                    got += mip[py * side + px] * wx * wy;
                }
                // Every chart is of one light to a few per cent, another chart's is ten times off.
                EXPECT_NEAR(got, full, 0.1f * full);
                ++looked;
            }
    }
    EXPECT_GT(looked, 2000);
}

TEST(Footprint, a_slanting_shadow_edge_is_as_long_as_it_is_and_has_no_steps) {
    Level level;
    add_floor(level, 4);
    // A lid whose edge runs askew over the texels; the sun stands straight above.
    add_quad(level, "lid", {-3, 1, -3}, {3, 1, -3}, {3, 1, -0.4f}, {-3, 1, 0.5f}, {});
    level.materials.back().double_sided = true;
    level.surfaces.back().density = 0.05f;
    level.materials.back().double_sided = true;
    level.lights.push_back({.name = "sun", .kind = LightKind::sun, .color = {1000, 1000, 1000}});
    level.lightmap = {.density = 8, .page = 256, .margin = 2};
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    const auto covered = [](float x) { return 0.5f - 0.9f * (x + 3) / 6 + 2; };  // of 4 metres from the north
    double lit = 0, all = 0;
    int between = 0;
    for (const PageImage& page : b.baked.sets[0].pages)
        for (std::size_t i = 0; i < page.texels.size(); ++i)
            if (page.state[i] == 1) {
                lit += static_cast<double>(page.texels[i].g);
                all += 1000;
                between += page.texels[i].g > 100 && page.texels[i].g < 900 ? 1 : 0;
            }
    const double expected = 1 - static_cast<double>(covered(0)) / 4;
    EXPECT_NEAR(lit / all, expected, 0.004) << "a hundredth of the edge's own texels";
    EXPECT_GE(between, 24) << "of 32 columns";
}

TEST(OwnInput, a_level_that_was_baked_bakes_again_as_if_it_never_was) {
    const Folder folder;
    fs::create_directories(folder / "again");
    Json gltf = good_gltf();
    gltf["nodes"][0]["extras"] = {{"lightmap", Json::array({{{"primitive", 7}}})}, {"keep", 1}};
    write_bytes(folder / "floor.gltf", gltf.dump());
    write_bytes(folder / "floor.toml",
                "[level]\nscene = \"floor.gltf\"\n[lightmap]\ndensity = 4\npage = 64\nmips_safe = 2\n"
                "[quality]\ntier = \"glance\"\nlinks = 16\ndenoise = \"off\"\nseams = \"off\"\n"
                "[sky]\nradiance = [500, 600, 700]\n");
    ASSERT_EQ(tool("bake " + (folder / "floor.toml").string() + " --quiet").status, 0);
    const fs::path baked = folder / "baked/floor";
    const Json manifest = Json::parse(read_text(baked / "manifest.json"));
    EXPECT_EQ(manifest["settings"]["margin"], 8) << "for two halvings";
    EXPECT_EQ(manifest["settings"]["links"], Json({16, 16}));
    EXPECT_EQ(manifest["settings"]["denoise"], "off");

    fs::copy_file(baked / "floor.glb", folder / "again/floor.glb");
    std::string sheet = read_text(folder / "floor.toml");
    sheet.replace(sheet.find("floor.gltf"), 10, "floor.glb");
    write_bytes(folder / "again/floor.toml", sheet);
    const Ran second = tool("bake " + (folder / "again/floor.toml").string() + " --quiet");
    ASSERT_EQ(second.status, 0) << second.err;
    const fs::path again = folder / "again/baked/floor";
    EXPECT_EQ(read_image(baked / "base/page-0.exr").values, read_image(again / "base/page-0.exr").values);
    Level level;
    EXPECT_EQ(load_outcome(again / "floor.glb", &level), "");
    const std::string text = read_text(again / "floor.glb");
    EXPECT_EQ(text.find("\"primitive\":7"), std::string::npos) << "where an earlier bake put it is forgotten";
    EXPECT_EQ(text.find("\"lightmap\""), text.rfind("\"lightmap\"")) << "and said once";
    EXPECT_NE(text.find("\"keep\":1"), std::string::npos);

    const Ran preview = tool("bake " + (baked / "base/preview.glb").string());
    EXPECT_EQ(preview.status, 1);
    EXPECT_NE(preview.err.find("the light of a bake is in its colours"), std::string::npos) << preview.err;
}

TEST(OwnInput, is_told_by_our_own_mark_alone_and_extras_of_others_may_be_anything) {
    for (const Json& extras :
         {Json("made by hand"), Json({1, 2}), Json({{"colours", {"red", "blue"}}}), Json()}) {
        const Folder folder;
        Json gltf = good_gltf();
        gltf["asset"]["extras"] = extras;
        write_bytes(folder / "l.gltf", gltf.dump());
        EXPECT_EQ(load_outcome(folder / "l.gltf", nullptr), "") << extras;
    }
}

SLOW_TEST(OwnInput, what_a_rig_put_up_before_is_not_put_up_twice) {
    const Folder folder;
    for (const char* name : {"bollard.ies", "washer.ies", "observatory.toml"})
        fs::copy_file(demo_folder() / name, folder / name);
    fs::copy_file(demo_glance() / "observatory.glb", folder / "observatory.glb");
    const Level first = load_level(demo_folder() / "observatory.toml"),
                second = load_level(folder / "observatory.toml");
    EXPECT_EQ(second.lights.size(), first.lights.size());
    const auto copies = [](const Level& level) {
        return std::count_if(level.surfaces.begin(), level.surfaces.end(),
                             [](const Surface& s) { return s.copy_of != none; });
    };
    EXPECT_GT(copies(first), 10);
    EXPECT_EQ(copies(second), copies(first));
}

TEST(Sheet, tells_what_is_wrong_with_the_new_keys) {
    for (const auto& [line, said] : {std::pair{"links = 4", "links"},
                                     {"links = 32.5", "is not a whole number"},
                                     {"denoise = \"on\"", "Use \"auto\" or \"off\"."},
                                     {"edges = \"soft\"", "Use \"straight\" or \"sharp\"."},
                                     {"seams = \"fit\"", "Use \"auto\" or \"off\"."}}) {
        const Folder folder;
        write_bytes(folder / "floor.gltf", good_gltf().dump());
        write_bytes(folder / "l.toml",
                    "[level]\nscene = \"floor.gltf\"\n[quality]\n" + std::string(line) + "\n");
        EXPECT_NE(load_outcome(folder / "l.toml", nullptr).find(said), std::string::npos) << line;
    }
}

}  // namespace
}  // namespace test::quality_tests
