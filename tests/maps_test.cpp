// Further maps: occlusion, and light times base colour as ordinary textures.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "shapes.hpp"
#include "support.hpp"

namespace test::maps_tests {
namespace {

/// Mean over the valid texels of the pages, and the least of them.
std::pair<double, double> openness(const Bake& b) {
    double sum = 0, count = 0, least = 1;
    for (std::size_t p = 0; p < b.baked.occlusion.size(); ++p)
        for (std::size_t i = 0; i < b.baked.occlusion[p].texels.size(); ++i) {
            if (b.baked.sets[0].pages[p].state[i] != 1) continue;
            const auto v = static_cast<double>(b.baked.occlusion[p].texels[i]);
            sum += v;
            count += 1;
            least = std::min(least, v);
        }
    return {count > 0 ? sum / count : -1, least};
}

Level sphere_from_inside(float radius) {
    Level level;
    Mesh ball = sphere(48, radius);
    for (Vec3& n : ball.normals) n = -n;
    for (std::size_t t = 0; t + 2 < ball.indices.size(); t += 3)
        std::swap(ball.indices[t + 1], ball.indices[t + 2]);
    add_mesh(level, std::move(ball)).name = "ball";
    level.lightmap = {.density = 12, .page = 256, .margin = 2};
    return level;
}

TEST(Occlusion, inside_a_ball_is_what_the_chords_say_in_a_level_without_light) {
    // A chord at an angle t to the normal is 2 R cos t long; the cosine-weighted mean of its square over the
    // reach's is 2 R^2 / reach^2.
    for (const float reach : {2.0f, 4.0f}) {
        Level level = sphere_from_inside(1);
        level.occlusion.reach = reach;
        const auto [mean, least] = openness(bake_level(level));
        const double truth = 2.0 / static_cast<double>(reach * reach);
        EXPECT_NEAR(mean, truth, 0.01 * truth) << reach;
        EXPECT_GT(least, 0.9 * truth) << reach;
    }
    Level level = sphere_from_inside(1);
    EXPECT_TRUE(bake_level(level).baked.occlusion.empty()) << "none unless asked for";
}

TEST(Occlusion, of_a_floor_at_the_foot_of_a_wall_is_half_the_sky_and_far_off_nothing) {
    Level level;
    add_floor(level, 8);
    add_quad(level, "wall", {0, 0, 4}, {0, 0, -4}, {0, 4, -4}, {0, 4, 4}, {0.5f, 0.5f, 0.5f});
    level.materials.back().double_sided = true;
    level.occlusion.reach = 1;
    level.lightmap = {.density = 8, .page = 128, .margin = 2};
    const Bake b = bake_level(level);
    // Of what lies at distance x the share (x / cos a)^2 is open, a being the angle to the shortest way.
    double near = 1, far = 0;
    for (std::size_t p = 0; p < b.baked.occlusion.size(); ++p)
        for (std::size_t i = 0; i < b.baked.occlusion[p].texels.size(); ++i)
            if (b.baked.sets[0].pages[p].state[i] == 1) {
                near = std::min(near, static_cast<double>(b.baked.occlusion[p].texels[i]));
                far = std::max(far, static_cast<double>(b.baked.occlusion[p].texels[i]));
            }
    // Half of the directions meet the wall. With u their sine across it, of density 4 / pi sqrt(1 - u^2), of
    // what lies at x / u the share min(1, x / u)^2 is open; integrated for the row beside the wall.
    const double x = 0.5 / 8, half = 4 / 3.14159265 *
                                     (x + x * x * (std::sqrt(1 - x * x) / x + std::asin(x) - 3.14159265 / 2));
    EXPECT_NEAR(near, 0.5 + half / 2, 0.015);
    EXPECT_NEAR(far, 1, 0.001);
}

TEST(Occlusion, is_the_same_for_any_number_of_threads_and_changes_with_its_reach_alone) {
    Level level;
    add_thick_room(level, {-1, 0, -1}, {1, 2, 1}, 0.2f, {0.6f, 0.5f, 0.4f});
    level.lightmap = {.density = 8, .page = 256, .margin = 2};
    level.quality.tier = Tier::glance;
    level.occlusion.reach = 0.5f;
    EXPECT_EQ(bake_level(level, 1).baked.occlusion[0].texels, bake_level(level, 2).baked.occlusion[0].texels);
    complete_level(level);
    Job job;
    Baker baker(level, job);
    const Baked first = baker.light(level, job);
    level.occlusion.reach = 1;
    const Baked longer = baker.light(level, job);
    EXPECT_EQ(longer.occlusion[0].texels, bake_level(level).baked.occlusion[0].texels);
    EXPECT_NE(longer.occlusion[0].texels, first.occlusion[0].texels);
    level.occlusion.reach = 0;
    EXPECT_TRUE(baker.light(level, job).occlusion.empty());
    level.occlusion.reach = 5000;
    EXPECT_THROW(baker.light(level, job), Error);
}

// ---- prelit
// --------------------------------------------------------------------------------------------------------

/// A level in files: a striped floor under one sun, and a sheet with these lines.
struct StripedFloor {
    Folder folder;
    fs::path sheet;
    explicit StripedFloor(const std::string& lines) : sheet(folder / "floor.toml") {
        Json gltf = good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2});
        gltf["materials"] = Json::array(
            {{{"name", "grey"}, {"pbrMetallicRoughness", {{"baseColorFactor", {0.5, 0.25, 0.125, 1}}}}}});
        gltf["meshes"][0]["primitives"][0]["material"] = 0;
        write_bytes(folder / "floor.gltf", gltf.dump());
        write_bytes(sheet,
                    "[level]\nscene = \"floor.gltf\"\n[lightmap]\npage = 128\ndensity = 8\n"
                    "[[light]]\nname = \"sun\"\nkind = \"sun\"\nlux = 2000\nelevation = 90\nazimuth = 0\n" +
                        lines);
    }
    Ran bake() const { return tool("bake " + sheet.string() + " --tier proof --quiet"); }
    nlohmann::json manifest() const {
        return nlohmann::json::parse(read_text(folder / "baked/floor/manifest.json"));
    }
};

float srgb_to_linear(float c) {
    return c <= 0.04045f ? c / 12.92f : std::pow((c + 0.055f) / 1.055f, 2.4f);
}

TEST(Prelit, is_light_times_base_colour_at_the_exposure_asked_for) {
    // 2000 lux on 0.25 of reflectance is 159 nit: at EV 10.315, metered luminance 159, that is middle grey.
    const float nit = 2000 * 0.25f / pi;
    for (const char* by : {"page", "surface"}) {
        const StripedFloor level("[prelit]\nby = \"" + std::string(by) +
                                 "\"\ndetail = 3\nexposure = " + std::to_string(std::log2(8 * nit)) + "\n");
        const Ran ran = level.bake();
        ASSERT_EQ(ran.status, 0) << ran.err;
        const auto entry = level.manifest()["sets"][0]["prelit"];
        ASSERT_EQ(entry["images"].size(), 1u);
        const std::string name = entry["images"][0];
        EXPECT_EQ(name, by == std::string("page") ? "base/prelit-0.png" : "base/prelit/floor.png");
        const Pixels image = read_image(level.folder / ("baked/floor/" + name));
        if (by == std::string("page")) {
            EXPECT_EQ(image.width, level.manifest()["pages"][0].get<int>() * 3);
        } else {
            EXPECT_LT(image.width, 3 * 40);
            EXPECT_EQ(image.width % 12, 0) << "whole blocks of four texels";
        }
        const int x = image.width / 2, y = image.height / 2;
        // The curve holds the dark end's slope; at middle grey it lies a tenth under it.
        const float green = srgb_to_linear(image.at(x, y, 1)), red = srgb_to_linear(image.at(x, y, 0));
        EXPECT_NEAR(green, 0.18f * (1 + 0.18f / 36) / (1 + 0.18f * 0.8f), 0.004f);
        EXPECT_GT(red, 1.6f * green);
        // What lies between charts is no black that mip levels would mix in.
        for (const int corner : {0, image.width - 1}) EXPECT_GT(image.at(corner, corner, 1), 0.2f);
    }
}

TEST(Prelit, glb_is_valid_names_its_images_and_is_refused_as_a_level) {
    const StripedFloor level("[prelit]\nby = \"surface\"\n");
    ASSERT_EQ(level.bake().status, 0);
    const std::string glb = read_text(level.folder / "baked/floor/base/prelit.glb");
    EXPECT_NE(glb.find("prelit/floor.png"), std::string::npos);
    const Ran checked = run(
        std::string(STASIGRAPH_NODE) +
        " -e \"const v = require(process.argv[1] + '/node_modules/gltf-validator'), fs = "
        "require('fs'), p = require('path'); v.validateBytes(new "
        "Uint8Array(fs.readFileSync(process.argv[2])), {externalResourceFunction: u => "
        "Promise.resolve(new Uint8Array(fs.readFileSync(p.join(p.dirname(process.argv[2]), "
        "u))))}).then(r => console.log(r.issues.numErrors))\" " +
        std::string(STASIGRAPH_VALIDATOR) + " " + (level.folder / "baked/floor/base/prelit.glb").string());
    EXPECT_EQ(checked.out, "0\n") << checked.err;
    const Ran again = tool("bake " + (level.folder / "baked/floor/base/prelit.glb").string());
    EXPECT_EQ(again.status, 1);
    EXPECT_NE(again.err.find("the light of a bake is in its colours"), std::string::npos) << again.err;
}

TEST(Prelit, files_go_when_they_are_no_longer_asked_for_and_stay_beside_a_bake_of_another_set) {
    const StripedFloor level(
        "[prelit]\nby = \"surface\"\n[[set]]\nname = \"day\"\n[[set]]\nname = \"half\"\ngain = { sun = 0.5 "
        "}\n");
    ASSERT_EQ(level.bake().status, 0);
    EXPECT_TRUE(fs::exists(level.folder / "baked/floor/half/prelit/floor.png"));
    ASSERT_EQ(tool("bake " + level.sheet.string() + " --tier proof --set day --quiet").status, 0);
    EXPECT_TRUE(fs::exists(level.folder / "baked/floor/half/prelit/floor.png"));
    EXPECT_TRUE(fs::exists(level.folder / "baked/floor/half/prelit.glb"));
    std::string sheet = read_text(level.sheet);
    sheet.replace(sheet.find("[prelit]\nby = \"surface\"\n"), 24, "");
    write_bytes(level.sheet, sheet);
    ASSERT_EQ(level.bake().status, 0);
    EXPECT_FALSE(fs::exists(level.folder / "baked/floor/half/prelit"));
    EXPECT_FALSE(fs::exists(level.folder / "baked/floor/day/prelit.glb"));
    EXPECT_TRUE(fs::exists(level.folder / "baked/floor/day/preview.glb"));
}

TEST(FurtherMaps, refuse_settings_out_of_range_by_name) {
    for (const auto& [lines, part] : {std::pair{"[occlusion]\nreach = 0\n", "occlusion.reach"},
                                      {"[occlusion]\nreech = 1\n", "reach"},
                                      {"[prelit]\nby = \"mesh\"\n", "surface"},
                                      {"[prelit]\ndetail = 2.5\n", "whole number"},
                                      {"[prelit]\nexposure = \"bright\"\n", "auto"},
                                      {"[[prelit]]\nby = \"page\"\n", "[prelit]"}}) {
        const Ran ran = StripedFloor(lines).bake();
        EXPECT_EQ(ran.status, 1) << lines;
        EXPECT_NE(ran.err.find(part), std::string::npos) << ran.err;
    }
}

TEST(FurtherMaps, occlusion_goes_to_a_grey_file_and_is_shown) {
    const StripedFloor level("[occlusion]\n");
    ASSERT_EQ(level.bake().status, 0);
    EXPECT_EQ(level.manifest()["occlusion"]["reach"], 1.5);
    const Pixels page = read_image(level.folder / "baked/floor/occlusion-0.png");
    EXPECT_EQ(page.channels, 1);
    EXPECT_EQ(page.at(page.width / 2, page.height / 2, 0), 1) << "nothing stands on this floor";
    const std::string view = "view " + level.sheet.string() +
                             " --eye 0,3,3 --toward 0,0,0 --size 64x64 "
                             "--show occlusion --quiet --file " +
                             (level.folder / "o.png").string();
    ASSERT_EQ(tool(view).status, 0);
    EXPECT_GT(read_image(level.folder / "o.png").at(32, 32, 0), 0.99f);
    const StripedFloor plain("");
    ASSERT_EQ(plain.bake().status, 0);
    const Ran none_there =
        tool("view " + plain.sheet.string() + " --eye 0,3,3 --toward 0,0,0 --show occlusion --file " +
             (plain.folder / "o.png").string());
    EXPECT_EQ(none_there.status, 1);
    EXPECT_NE(none_there.err.find("[occlusion]"), std::string::npos) << none_there.err;
}

}  // namespace
}  // namespace test::maps_tests
