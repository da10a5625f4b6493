#include <gtest/gtest.h>

#include <cstring>

#include "shapes.hpp"
#include "stasigraph/runtime.h"
#include "stasigraph/runtime.hpp"
#include "support.hpp"

namespace test::probes_tests {
namespace {

const std::vector<Vec3> directions = {{1, 0, 0},
                                      {-1, 0, 0},
                                      {0, 1, 0},
                                      {0, -1, 0},
                                      {0, 0, 1},
                                      {0, 0, -1},
                                      normalize({1, 1, 1}),
                                      normalize({-1, 2, -0.5f})};

Level open_level() {
    Level level;
    add_floor(level, 0.5f, {0, 0, 0});
    level.surfaces[0].to_world.origin = {0, -300, 0};
    level.volumes.push_back(box_volume("air", {-2, 0, -2}, {2, 4, 2}, 2));
    level.quality.tier = Tier::proof;
    return level;
}

TEST(Probes, constant_sky_gives_pi_times_its_radiance_at_every_normal) {
    Level level = open_level();
    level.sky.radiance = {1000, 100, 10};
    const Bake b = bake_level(level);
    ASSERT_EQ(b.baked.probes.size(), 8u);
    for (const ShRgb& sh : b.baked.sets[0].probes)
        for (Vec3 n : directions) {
            EXPECT_NEAR(sh_irradiance(sh, n).r, pi * 1000, 0.01f * pi * 1000);
            EXPECT_NEAR(sh_irradiance(sh, n).b, pi * 10, 0.01f * pi * 10);
        }
}

TEST(Probes, a_distant_light_matches_its_nine_coefficient_projection) {
    Level level = open_level();
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {1000, 1000, 1000};
    sun.direction = normalize({0.3f, -1, 0.5f});
    level.lights.push_back(sun);
    const Bake b = bake_level(level);
    for (Vec3 n : directions) {
        // The clamped cosine to order 2: 1/4 + c/2 + 5/32 (3 c^2 - 1), c the cosine to the light.
        const float c = dot(n, -sun.direction),
                    expected = std::max(0.0f, 1000 * (0.25f + 0.5f * c + 5.0f / 32 * (3 * c * c - 1)));
        EXPECT_NEAR(sh_irradiance(b.baked.sets[0].probes[0], n).g, expected, 1) << c;
    }
}

TEST(Probes, coefficients_stand_in_the_documented_order) {
    const Vec3 d = normalize({0.2f, 0.5f, -0.8f});
    const auto y = sh_basis(d);
    const float expected[9] = {0.282095f,
                               0.488603f * d.y,
                               0.488603f * d.z,
                               0.488603f * d.x,
                               1.092548f * d.x * d.y,
                               1.092548f * d.y * d.z,
                               0.315392f * (3 * d.z * d.z - 1),
                               1.092548f * d.x * d.z,
                               0.546274f * (d.x * d.x - d.y * d.y)};
    for (int i = 0; i < 9; ++i) EXPECT_NEAR(y[i], expected[i], 1e-5f);
}

TEST(Probes, a_glowing_room_lights_a_probe_as_it_lights_its_walls) {
    Level level;
    add_box(level, "room", {-2, -2, -2}, {2, 2, 2}, true, {0.5f, 0.5f, 0.5f}, {100, 100, 100});
    level.volumes.push_back(box_volume("inside", {-1, -1, -1}, {1, 1, 1}, 1));
    level.lightmap.density = 6;
    const Bake b = bake_level(level);
    for (const ShRgb& sh : b.baked.sets[0].probes)
        for (Vec3 n : directions) EXPECT_NEAR(sh_irradiance(sh, n).g, pi * 100 / 0.5f, 0.02f * pi * 200);
}

TEST(Probes, in_the_middle_of_a_half_lit_room_know_a_hemisphere_of_light) {
    Level level;
    const float r = 2;
    // Walls are cut at the height of the probe: all above it shines, all below is black.
    for (const bool up : {true, false}) {
        const float y0 = up ? 0 : -r, y1 = up ? r : 0;
        const Rgb glow = up ? Rgb{50, 100, 200} : Rgb{};
        const std::string side = up ? " up" : " down";
        add_quad(level, "n" + side, {-r, y0, -r}, {r, y0, -r}, {r, y1, -r}, {-r, y1, -r}, {}, glow);
        add_quad(level, "s" + side, {r, y0, r}, {-r, y0, r}, {-r, y1, r}, {r, y1, r}, {}, glow);
        add_quad(level, "w" + side, {-r, y0, r}, {-r, y0, -r}, {-r, y1, -r}, {-r, y1, r}, {}, glow);
        add_quad(level, "e" + side, {r, y0, -r}, {r, y0, r}, {r, y1, r}, {r, y1, -r}, {}, glow);
    }
    add_quad(level, "ceiling", {-r, r, -r}, {r, r, -r}, {r, r, r}, {-r, r, r}, {}, {50, 100, 200});
    add_quad(level, "floor", {-r, -r, r}, {r, -r, r}, {r, -r, -r}, {-r, -r, -r}, {});
    level.hand_probes = {{0, 0, 0}};
    level.lightmap.density = 4;
    const Bake b = bake_level(level);
    for (const Vec3 n : directions)
        // Orders 0 and 1 of a hemisphere; its second order is nothing.
        EXPECT_NEAR(sh_irradiance(b.baked.sets[0].probes[0], n).g, 100 * pi / 2 * (1 + n.y), 0.01f * 100 * pi)
            << n.x << " " << n.y << " " << n.z;
}

TEST(Probes, know_a_ball_of_light_as_the_disc_it_is) {
    Level level;
    Surface& ball = add_mesh(level, sphere(64, 1));
    const Vec3 toward = normalize({0.4f, 0.7f, -0.3f});
    const float far = 4;
    ball.to_world.origin = toward * far;
    level.materials[ball.material].base_color = {};
    level.materials[ball.material].emission = {1000, 1000, 1000};
    level.hand_probes = {{0, 0, 0}};
    level.lightmap.density = 2;
    const Bake b = bake_level(level);
    // A disc of even radiance with the half angle asin(1 / far): zonal integrals of the basis, convolved.
    const float s = 1 / far, c = std::sqrt(1 - s * s);
    const float zonal[3] = {2 * pi * (1 - c) * 0.28209479f, pi * s * s * 0.48860251f,
                            2 * pi * 0.31539157f * (c - c * c * c)};
    for (const Vec3 n : directions) {
        const float t = dot(n, toward);
        const float e = 1000 * (pi * zonal[0] * 0.28209479f + 2 * pi / 3 * zonal[1] * 0.48860251f * t +
                                pi / 4 * zonal[2] * 0.31539157f * (3 * t * t - 1));
        EXPECT_NEAR(sh_irradiance(b.baked.sets[0].probes[0], n).g, std::max(0.0f, e),
                    0.01f * 1000 * pi * s * s)
            << t;
    }
}

TEST(Probes, ring_below_zero_only_where_nothing_is_hidden_by_it) {
    // A sun in the dark keeps its exact projection (above); beside a white wall its dark side must not go
    // black.
    Level level;
    add_quad(level, "wall", {-6, -6, -2}, {6, -6, -2}, {6, 6, -2}, {-6, 6, -2}, {0.8f, 0.8f, 0.8f});
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {1000, 1000, 1000};
    sun.direction = {0, 0, -1};
    level.lights.push_back(sun);
    level.hand_probes = {{0, 0, 0}};
    level.lightmap.density = 4;
    const ShRgb sh = bake_level(level).baked.sets[0].probes[0];
    for (int i = 0; i < 500; ++i) {
        const float y = 1 - (static_cast<float>(i) + 0.5f) / 250, r = std::sqrt(1 - y * y),
                    t = 2.4f * static_cast<float>(i);
        const std::array<float, 9> basis = sh_basis({r * std::cos(t), y, r * std::sin(t)});
        float e = 0;
        for (int k = 0; k < 9; ++k) e += sh[k].g * basis[k];
        EXPECT_GT(e, -5) << "half a percent of the sun is left to sampling the sphere";
    }
    EXPECT_GT(sh_irradiance(sh, {0, 0, 1}).g, 850) << "the lit side loses a tenth at most";
}

TEST(Probes, know_their_clearance_and_whether_they_are_invalid) {
    Level level;
    add_floor(level, 20, {0.5f, 0.5f, 0.5f});
    add_box(level, "block", {1, -0.5f, -5}, {5, 5, 5}, false, {0.5f, 0.5f, 0.5f});
    level.sky.radiance = {1000, 1000, 1000};
    level.volumes.push_back(box_volume("v", {-3, 0, -1}, {3, 2, 1}, 2));  // x = -2, 0, and 2 in the block
    level.hand_probes = {{2.5f, 1, 0}};
    level.lightmap.density = 4;
    const Bake b = bake_level(level);
    const ProbeNet& net = b.baked.probes;
    ASSERT_EQ(net.size(), 3u) << "the rule's own in the block is dropped, the one placed by hand stays";
    EXPECT_EQ(net.rule[0], ProbeRule::hand);
    EXPECT_LT(net.front_share[0], 0.5f) << "inside the block, with the floor running through it";
    EXPECT_GT(net.front_share[1], 0.95f);
    EXPECT_NEAR(net.clearance[1], 1, 1e-3f);
    EXPECT_EQ(b.baked.figures.invalid_probes, 1u);
    // Between a good probe and the invalid one the good one answers, and the next one a little.
    const ProbeWeights w = probe_weights(net, {0.9f, 1, 0});
    ASSERT_EQ(w.count, 2);
    EXPECT_EQ(w.probe[0], 2u);
    EXPECT_GT(w.weight[0], 0.97f);
    EXPECT_EQ(w.probe[1], 1u);
    // Outside of the net its nearest place answers, and says how far away it is.
    const ProbeWeights out = probe_weights(net, {-12, 1, 0});
    ASSERT_GT(out.count, 0);
    EXPECT_EQ(out.probe[0], 1u);
    EXPECT_NEAR(out.beyond, 10, 1e-3f);
}

TEST(Probes, too_many_are_refused_with_the_volume_named) {
    Level level = open_level();
    level.volumes[0] = box_volume("air", {-2, 0, -2}, {400, 400, 400}, 0.05f);
    try {
        bake_level(level);
        FAIL() << "not refused";
    } catch (const Error& e) {
        EXPECT_NE(e.text().find("air"), std::string::npos) << e.text();
    }
}

SLOW_TEST(Runtime, reads_what_the_tool_wrote) {
    const fs::path file = demo_glance() / "probes.bin";
    runtime::Probes probes;
    ASSERT_EQ(probes.load(file.c_str()), runtime::Status::ok) << probes.message();
    const auto header = nlohmann::json::parse(read_text(demo_glance() / "probes.json"));
    EXPECT_EQ(probes.count(), header["count"].get<std::uint32_t>());
    ASSERT_EQ(probes.set_count(), 5u);
    EXPECT_STREQ(probes.set_name(0), "noon");
    EXPECT_EQ(probes.find_set("observing"), 2u);
    EXPECT_EQ(probes.find_set("no such set"), 5u);

    // The JSON header describes the same bytes.
    const std::string bytes = read_text(file);
    float first[27];
    std::memcpy(first, bytes.data() + header["sets"][1]["offset"].get<std::size_t>() + 108 * 5, sizeof first);
    for (int i = 0; i < 27; ++i) EXPECT_EQ(first[i], probes.coefficients(1, 5)[i]);

    // And the light meter agrees where one probe answers alone: at the probe.
    std::uint32_t probe = 0;
    while (probes.front_share(probe) < 0.99f || probes.clearance(probe) < 0.8f) ++probe;
    const auto p = probes.position(probe);
    const Ran r =
        tool("meter " + (demo_folder() / "observatory.toml").string() +
             " --from probes --json --quiet --out " + demo_glance().string() + " --facing 0,1,0 --at " +
             std::to_string(p.x) + "," + std::to_string(p.y) + "," + std::to_string(p.z));
    ASSERT_EQ(r.status, 0) << r.err;
    const auto e = probes.irradiance(0, probe, {0, 1, 0});
    const float metered = r.json()["readings"][0]["irradiance_lux"][1].get<float>();
    EXPECT_NEAR(metered, e.g, 0.002f * e.g);
}

SLOW_TEST(Runtime, answers_between_probes_as_the_library_does) {
    const Level level = load_level(demo_folder() / "observatory.toml");
    const SavedBake saved = load_bake(demo_glance(), level, "dusk");
    runtime::Probes probes;
    ASSERT_EQ(probes.load((demo_glance() / "probes.bin").c_str()), runtime::Status::ok);
    sgraph_probes* c = nullptr;
    ASSERT_EQ(sgraph_probes_load((demo_glance() / "probes.bin").c_str(), &c, nullptr, 0), SGRAPH_OK);
    std::uint32_t hint = 12345678, c_hint = 7;
    for (int i = 0; i < 400; ++i) {
        // A walk in and out of the volume.
        const float t = 0.1f * static_cast<float>(i);
        const Vec3 p{-22 + 1.3f * t, 1 + 2.5f * std::sin(t), 9 * std::cos(0.7f * t)},
            n = normalize({1, 0.5f, t});
        const ProbeWeights w = probe_weights(saved.probes, p);
        const runtime::Weights r = probes.weights({p.x, p.y, p.z}, hint);
        EXPECT_NEAR(r.beyond, w.beyond, 1e-3f);
        const Rgb a = probe_irradiance(w, saved.sets[0].probes, saved.sets[0].lamps, p, n);
        const runtime::Color b = probes.irradiance(probes.find_set("dusk"), r, {n.x, n.y, n.z});
        EXPECT_NEAR(a.g, b.g, 2e-3f * a.g + 1e-4f) << i;
        const float at[3] = {p.x, p.y, p.z};
        std::uint32_t numbers[8];
        float weights[8];
        EXPECT_EQ(sgraph_probes_weights(c, at, &c_hint, numbers, weights), r.count);
    }
    sgraph_probes_free(c);
}

SLOW_TEST(Runtime, refuses_a_net_that_does_not_hang_together) {
    const auto header = nlohmann::json::parse(read_text(demo_glance() / "probes.json"));
    const std::string whole = read_text(demo_glance() / "probes.bin");
    runtime::Probes probes;
    for (const char* part : {"vertices", "beside"}) {
        std::string bad = whole;
        const auto at = header["tetrahedra"][part]["offset"].get<std::size_t>() + 16 * 9;
        bad[at + 1] = static_cast<char>(bad[at + 1] ^ 0x7f);
        bad[at + 2] = static_cast<char>(bad[at + 2] ^ 0x3f);
        EXPECT_EQ(probes.load(bad.data(), bad.size()), runtime::Status::damaged) << part;
        // So far off that not even an address may be formed from it.
        bad[at + 3] = static_cast<char>(0xf0);
        EXPECT_EQ(probes.load(bad.data(), bad.size()), runtime::Status::damaged) << part;
    }
}

SLOW_TEST(Runtime, the_c_interface_answers_the_same) {
    const fs::path file = demo_glance() / "probes.bin";
    runtime::Probes cpp;
    ASSERT_EQ(cpp.load(file.c_str()), runtime::Status::ok);
    sgraph_probes* c = nullptr;
    ASSERT_EQ(sgraph_probes_load(file.c_str(), &c, nullptr, 0), SGRAPH_OK);
    EXPECT_EQ(sgraph_probes_count(c), cpp.count());
    EXPECT_EQ(sgraph_probes_find_set(c, "dusk"), 1u);
    const float up[3] = {0, 1, 0};
    float rgb[3], at[3];
    sgraph_probes_irradiance(c, 1, 7, up, rgb);
    sgraph_probes_position(c, 7, at);
    EXPECT_EQ(rgb[1], cpp.irradiance(1, 7, {0, 1, 0}).g);
    EXPECT_EQ(at[2], cpp.position(7).z);
    sgraph_probes_free(c);
}

SLOW_TEST(Runtime, damaged_files_are_refused_at_every_length) {
    const std::string whole = read_text(demo_glance() / "probes.bin");
    runtime::Probes probes;
    for (std::size_t n = 0; n < whole.size(); n = n < 64 ? n + 1 : n * 3 / 2 + 7) {
        EXPECT_EQ(probes.load(whole.data(), n), runtime::Status::damaged) << n;
        EXPECT_EQ(probes.count(), 0u);
    }
    for (std::size_t at = 0; at < 32; ++at)
        for (const char change : {'\x7f', '\xff', '\x01'}) {
            std::string bad = whole;
            bad[at] = static_cast<char>(bad[at] ^ change);
            if (at < 28) {
                EXPECT_NE(probes.load(bad.data(), bad.size()), runtime::Status::ok) << at;
            }
        }
    EXPECT_EQ(probes.load((whole + "x").data(), whole.size() + 1), runtime::Status::damaged);
}

SLOW_TEST(Tool, meters_by_probes_walks_along_them_and_draws_them) {
    const Folder folder;
    const std::string level = (demo_folder() / "observatory.toml").string(),
                      out = " --out " + demo_glance().string();
    const Ran meter = tool("meter " + level + out + " --from probes --json --quiet --at 2,1.2,0 --set dusk");
    ASSERT_EQ(meter.status, 0) << meter.err;
    float sum = 0;
    const nlohmann::json answers = meter.json()["readings"][0]["probes"];
    for (const auto& p : answers) sum += p["weight"].get<float>();
    EXPECT_NEAR(sum, 1, 1e-4f);
    const Ran outside = tool("meter " + level + out + " --from probes --json --quiet --at 2,50,0");
    EXPECT_GT(outside.json()["readings"][0]["beyond_m"].get<float>(), 30);

    // From a probe on: right there both agree, but for the noise of a glance.
    runtime::Probes probes;
    ASSERT_EQ(probes.load((demo_glance() / "probes.bin").c_str()), runtime::Status::ok);
    std::uint32_t probe = 0;
    while (!(probes.clearance(probe) > 0.5f && probes.position(probe).x > 8 &&
             probes.position(probe).x < 15 && probes.position(probe).y > 0.2f &&
             std::abs(probes.position(probe).z) < 1))
        ASSERT_LT(++probe, probes.count());
    const auto p = probes.position(probe);
    const auto at = [&](float x) {
        return std::to_string(x) + "," + std::to_string(p.y) + "," + std::to_string(p.z);
    };
    const std::string plot = (folder / "walk.png").string();
    const Ran walk = tool("meter " + level + out + " --json --quiet --set dusk --step 0.25 --file " + plot +
                          " --walk '" + at(p.x) + " " + at(p.x + 1) + "'");
    ASSERT_EQ(walk.status, 0) << walk.err;
    const auto told = walk.json();
    ASSERT_EQ(told["steps"].size(), 5u);
    EXPECT_LT(told["steps"][0]["error"].get<float>(), 0.06f);
    EXPECT_NEAR(told["length_m"].get<float>(), 1, 1e-3f);
    const Pixels picture = read_image(plot);
    EXPECT_EQ(picture.width, 1280);
    EXPECT_EQ(tool("meter " + level + out + " --quiet --walk 1,1,1").status, 2);

    for (const char* net : {"", " --tetrahedra"}) {
        const std::string file = (folder / (std::string("probes") + (*net ? "-net" : "") + ".png")).string();
        const Ran view = tool("view " + level + out +
                              " --quiet --camera corridor --set dusk --size 320x200 --show probes" + net +
                              " --file " + file);
        ASSERT_EQ(view.status, 0) << view.err;
    }
    const Pixels plain = read_image(folder / "probes.png"), netted = read_image(folder / "probes-net.png");
    EXPECT_NE(plain.values, netted.values);
}

}  // namespace
}  // namespace test::probes_tests
