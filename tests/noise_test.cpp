// What noise a bake leaves, where it says so, and what keeps it low where charts are small, edges are sharp
// and panes of glass stand in the way.

#include <gtest/gtest.h>

#include <cmath>

#include "bake/guide_denoise.hpp"
#include "level_builder.hpp"
#include "room.hpp"

namespace test::noise_tests {
namespace {

/// A lid from low to high with a hole in it.
void lid(LevelBuilder& b, Vec3 low, Vec3 high, Vec3 hole_low, Vec3 hole_high) {
    b.box("lid west", low, {hole_low.x, high.y, high.z}, plaster);
    b.box("lid east", {hole_high.x, low.y, low.z}, high, plaster);
    b.box("lid north", {hole_low.x, low.y, low.z}, {hole_high.x, high.y, hole_low.z}, plaster);
    b.box("lid south", {hole_low.x, low.y, hole_high.z}, {hole_high.x, high.y, high.z}, plaster);
}

/// Two closed rooms side by side: one with a lamp, one with a hole of 0.3 m to the sky in its lid.
Level lamp_and_hole() {
    LevelBuilder b;
    b.box("slab", {-0.2f, -0.2f, -0.2f}, {6.4f, 0, 3.2f}, plaster);
    b.walls("lit", {0, 0, 0}, {3, 2.5f, 3}, 0.2f);
    b.walls("dim", {3.2f, 0, 0}, {6.2f, 2.5f, 3}, 0.2f);
    lid(b, {-0.2f, 2.5f, -0.2f}, {6.4f, 2.7f, 3.2f}, {4.5f, 0, 1}, {4.8f, 0, 1.3f});
    b.level.lights.push_back(
        {.name = "lamp", .color = {90, 85, 80}, .position = {1.5f, 2, 1.5f}, .radius = 0.05f});
    b.level.sky.radiance = {2000, 2200, 2600};
    const auto zone = [&](const char* name, Vec3 low, Vec3 high) {
        Zone& z = b.level.zones.emplace_back();
        z.name = name;
        z.boxes.push_back({.name = name, .middle = (low + high) * 0.5f, .half = (high - low) * 0.5f});
    };
    zone("lit", {0, -0.1f, 0}, {3, 2.6f, 3});
    zone("dim", {3.2f, -0.1f, 0}, {6.2f, 2.6f, 3});
    b.level.lightmap = {.density = 8, .page = 512, .margin = 2};
    complete_level(b.level);
    return b.level;
}

struct TexelsOf {
    std::vector<TexelLight> texels;
    BakeFigures figures;
};
TexelsOf texels_of(const Level& level, bool rough = false) {
    Job job;
    Level own = level;
    if (rough) own.quality.denoise = Denoise::off;
    Baker baker(own, job);
    const Baked baked = baker.light(baker.level(), job);
    return {baker.texels(0), baked.figures};
}
Level converged(Level level) {
    level.quality.links = 1024;
    level.quality.noise = 0.005f;
    return level;
}

/// Root of the mean square error of some texels, relative to their light or to 2 lux.
template <class Wanted>
double error_of(const std::vector<TexelLight>& texels, const std::vector<TexelLight>& truth, Wanted wanted) {
    double sum = 0, count = 0;
    for (std::size_t i = 0; i < texels.size(); ++i) {
        if (!texels[i].valid || !texels[i].exported || !wanted(texels[i])) continue;
        const double light = luminance(truth[i].total),
                     off = (luminance(texels[i].total) - light) / std::max(light, 2.0);
        sum += off * off;
        count += 1;
    }
    EXPECT_GT(count, 100);
    return std::sqrt(sum / count);
}

SLOW_TEST(RoomNoise, is_that_of_the_room_that_needs_rays_most_and_about_what_a_converged_bake_tells) {
    Level level = lamp_and_hole();
    const std::vector<TexelLight> truth = texels_of(converged(level), true).texels;
    for (const Tier tier : {Tier::glance, Tier::proof}) {
        level.quality.tier = tier;
        level.lightmap.density = tier == Tier::glance ? 32.0f : 8.0f;  // a quarter of it is baked at glance
        const TexelsOf ours = texels_of(level);
        ASSERT_EQ(ours.texels.size(), truth.size());
        ASSERT_EQ(ours.figures.rooms.size(), 1u);
        const RoomNoise& told = ours.figures.rooms[0];
        EXPECT_EQ(told.room, "dim");
        EXPECT_EQ(told.set, level.sets[0].name);
        // Faces to the room, away from where boxes touch.
        const double is = error_of(ours.texels, truth, [](const TexelLight& t) {
            const Vec3 p = t.position + t.face_normal * 0.05f;
            return p.x > 3.2f && p.x < 6.2f && p.y > 0 && p.y < 2.5f && p.z > 0 && p.z < 3;
        });
        EXPECT_GT(told.noise, 0.6 * is) << static_cast<int>(tier);
        EXPECT_LT(told.noise, 1.8 * is) << static_cast<int>(tier);
    }
}

TEST(RoomNoise, is_not_told_where_bounces_are_limited_and_counts_nothing_that_an_exposure_hides) {
    Level level = lamp_and_hole();
    level.quality.tier = Tier::glance;
    level.sets[0].exposure = 18.0f;
    const BakeFigures hidden = texels_of(level).figures;
    ASSERT_EQ(hidden.rooms.size(), 1u);
    EXPECT_LT(hidden.rooms[0].noise, 0.02f) << "a room of some ten lux beside full sun";
    level.quality.bounces = 2;
    EXPECT_TRUE(texels_of(level).figures.rooms.empty());
}

TEST(RoomNoise, is_said_by_the_tool_with_what_would_lower_it) {
    const Folder folder;
    write_room(folder.path());
    write_bytes(folder / "room.toml", sheet_text);
    const std::string bake = "bake '" + (folder / "room.toml").string() + "' --quiet --rebake";
    const nlohmann::json told = tool(bake + " --json").json();
    ASSERT_EQ(told["noise_by_set"].size(), 2u);
    EXPECT_EQ(told["noise_by_set"][0]["set"], "day");
    EXPECT_FALSE(told["noise_by_set"][0]["worst_room"].get<std::string>().empty());
    EXPECT_GE(told["noise_by_set"][0]["noise"].get<double>(), 0);
    const std::string kept = tool(bake + " --noise 1").out;
    EXPECT_NE(kept.find("noise that is left in the worst room: "), std::string::npos) << kept;
    const std::string missed = tool(bake + " --noise 0.001").out;
    EXPECT_NE(missed.find("more noise is left than the 0.1 % allowed: "), std::string::npos) << missed;
    EXPECT_NE(missed.find("--tier proof or links = 4096 in [quality] bring it down"), std::string::npos)
        << missed;
    // What other programs read as the bake's noise is what is left in the worst room of all sets.
    double worst = 0;
    for (const auto& set : told["noise_by_set"]) worst = std::max(worst, set["noise"].get<double>());
    EXPECT_DOUBLE_EQ(told["noise"].get<double>(), worst);
}

/// A floor of 3.2 x 1.2 m in one piece, or in strips that are charts of their own, under a lid with a slit.
Level under_a_slit(int strips) {
    LevelBuilder b;
    for (int k = 0; k < strips; ++k) {
        const float x0 = 3.2f * static_cast<float>(k) / static_cast<float>(strips),
                    x1 = 3.2f * static_cast<float>(k + 1) / static_cast<float>(strips),
                    y = 1e-3f * static_cast<float>(k);
        b.quad("strip " + std::to_string(k), {x0, y, 1.2f}, {x1, y, 1.2f}, {x1, y, 0}, {x0, y, 0}, plaster);
    }
    b.box("base", {-0.2f, -0.4f, -0.2f}, {3.4f, -0.1f, 1.4f}, plaster);
    b.walls("shaft", {0, -0.1f, 0}, {3.2f, 4, 1.2f}, 0.2f);
    lid(b, {-0.2f, 4, -0.2f}, {3.4f, 4.1f, 1.4f}, {1.5f, 0, 0.5f}, {1.7f, 0, 0.7f});
    for (Surface& surface : b.level.surfaces)
        if (!surface.name.starts_with("strip")) surface.density = 0.25f;
    b.level.sky.radiance = {9000, 9000, 9000};
    b.level.lightmap = {.density = 10, .page = 512, .margin = 2};
    b.level.quality.tier = Tier::proof;
    complete_level(b.level);
    return b.level;
}

SLOW_TEST(Guides, are_learnt_from_all_that_lies_beside_whatever_chart_it_is_of) {
    double error[2];
    for (const int strips : {1, 16}) {
        const Level level = under_a_slit(strips);
        error[strips == 1 ? 0 : 1] = error_of(
            texels_of(level, true).texels, texels_of(converged(level), true).texels,
            [](const TexelLight& t) { return t.face_normal.y > 0.9f && std::abs(t.position.y) < 0.05f; });
    }
    EXPECT_LT(error[1], 1.1 * error[0]);
}

/// A shaft that the sky reaches through a hole of 0.6 m in its lid, 9 m up, and a gap of 0.2 m at 2 m: each
/// texel of the floor sees it another way, and those away from a strip not at all.
Level under_a_gap() {
    LevelBuilder b;
    b.box("base", {-0.2f, -0.2f, -0.2f}, {3.2f, 0, 3.2f}, plaster);
    b.walls("shaft", {0, 0, 0}, {3, 9, 3}, 0.2f);
    b.box("north landing", {0, 2, 0}, {3, 2.1f, 1.4f}, plaster);
    b.box("south landing", {0, 2, 1.6f}, {3, 2.1f, 3}, plaster);
    lid(b, {-0.2f, 9, -0.2f}, {3.2f, 9.1f, 3.2f}, {1.2f, 0, 1.2f}, {1.8f, 0, 1.8f});
    b.level.sky.radiance = {9000, 9000, 9000};
    b.level.lightmap = {.density = 8, .page = 512, .margin = 2};
    b.level.quality.tier = Tier::proof;
    complete_level(b.level);
    return b.level;
}

SLOW_TEST(Guides, know_where_a_gap_is_from_wherever_it_is_looked_at) {
    const Level level = under_a_gap();
    const std::vector<TexelLight> ours = texels_of(level, true).texels,
                                  truth = texels_of(converged(level), true).texels;
    double lit = 0, off = 0;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        const double light = luminance(truth[i].total);
        if (!ours[i].valid || ours[i].face_normal.y < 0.9f || ours[i].position.y > 0.1f || light < 5)
            continue;
        lit += 1;
        off += std::abs(luminance(ours[i].total) - light) > 0.3 * light ? 1 : 0;
    }
    EXPECT_GT(lit, 30);
    EXPECT_LT(off, 0.1 * lit);
}

TEST(Denoise, is_told_of_less_noise_where_light_goes_evenly_along_a_line) {
    // Below half a wall is dark and sure, above it bright and noisy; rays tell of much noise in both.
    Level level;
    add_floor(level, 4, {0.6f, 0.6f, 0.6f});
    level.lightmap = {.density = 8, .page = 512, .margin = 2};
    complete_level(level);
    Job job;
    const Atlas atlas = unwrap(level, 1, job);
    const TexelSet texels = place_texels(level, atlas, job);
    const TexelFlags wanted(texels.size(), true);
    LightField light(texels.size(), 1);
    DenoiseGuide guide{.variance = std::vector<float>(texels.size()), .groups = 1};
    const auto is_dark = [&](std::size_t i) { return texels.position[i].z > 0; };
    const auto beside_edge = [&](std::size_t i) { return std::abs(texels.position[i].z) < 0.12f; };
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        const float chance = 2 * (static_cast<float>(mix_bits(i) % 4096) / 4096 - 0.5f) * std::sqrt(3.0f),
                    grey = is_dark(i) ? 60 + 4 * chance : 340 + 50 * chance;
        light.add(i, 0, {grey, 0, 0});
        guide.variance[i] = is_dark(i) ? 25.0f * 25 : 50.0f * 50;
    }
    temper_by_lines(texels, wanted, light, guide, job);
    double dark = 0, bright = 0, count[2] = {};
    for (std::size_t i = 0; i < texels.size(); ++i) {
        if (!beside_edge(i)) {
            EXPECT_FLOAT_EQ(guide.variance[i], is_dark(i) ? 25.0f * 25 : 50.0f * 50) << "away from the edge";
            continue;
        }
        (is_dark(i) ? dark : bright) += static_cast<double>(guide.variance[i]);
        count[is_dark(i) ? 0 : 1] += 1;
    }
    EXPECT_LT(dark / count[0], 0.2 * 25 * 25);
    EXPECT_GT(bright / count[1], 0.6 * 50 * 50);
}

TEST(Leaks, are_none_on_a_pane_of_glass_that_the_reveal_of_its_window_shades_at_the_edge) {
    LevelBuilder b;
    b.floor(4);
    b.box("below", {-3, 0, -0.05f}, {3, 0.9f, 0.05f}, plaster);
    b.box("above", {-3, 2.1f, -0.05f}, {3, 2.6f, 0.05f}, plaster);
    b.box("west", {-3, 0.9f, -0.05f}, {-0.8f, 2.1f, 0.05f}, plaster);
    b.box("east", {0.8f, 0.9f, -0.05f}, {3, 2.1f, 0.05f}, plaster);
    b.quad("pane", {-0.8f, 0.9f, 0}, {0.8f, 0.9f, 0}, {0.8f, 2.1f, 0}, {-0.8f, 2.1f, 0}, {0.9f, 0.9f, 0.9f},
           true);
    b.level.materials.back().transmission = 0.92f;
    b.level.lights.push_back({.name = "sun",
                              .kind = LightKind::sun,
                              .color = {60000, 60000, 60000},
                              .direction = normalize(Vec3{-0.5f, -0.6f, -0.7f}),
                              .angular_diameter = 0.009f});
    b.level.sky.radiance = {2000, 2000, 2000};
    b.level.lightmap = {.density = 12, .page = 512, .margin = 2};
    b.level.quality.tier = Tier::proof;
    const Bake bake = bake_level(b.level);
    Job job;
    const ViewLight light{&bake.baked.sets[0], &bake.baked.probes, &bake.baked.visibility,
                          &bake.baked.occlusion, &bake.baked.reflections};
    const auto leaks = find_leaks(bake.level, bake.atlas, {light}, 2000, job);
    for (const Leak& l : leaks[0])
        ADD_FAILURE() << bake.level.surfaces[l.surface].name << " at " << l.at.x << " " << l.at.y << ": "
                      << l.lux << " lux for " << l.least << " to " << l.most;
}

}  // namespace
}  // namespace test::noise_tests
