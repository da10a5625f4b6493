// The transport solver against the reference path tracer, and the baker's promises about retuning.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support.hpp"

namespace test::transport_tests {
namespace {

/// Every n-th valid texel by area, so that each stands for the same share of the level.
std::vector<TexelLight> spread_texels(const std::vector<TexelLight>& all, std::size_t count) {
    double whole = 0;
    for (const TexelLight& t : all) whole += t.valid && t.exported ? static_cast<double>(t.area) : 0;
    std::vector<TexelLight> some;
    double at = 0, next = whole / static_cast<double>(count) / 2;
    for (const TexelLight& t : all) {
        if (!t.valid || !t.exported) continue;
        at += static_cast<double>(t.area);
        if (at < next) continue;
        some.push_back(t);
        next += whole / static_cast<double>(count);
    }
    return some;
}

struct Difference {
    double bias = 0,
           mean = 0;  ///< Of the luminances' sum, and of their distances; relative to the reference's sum.
};

Difference compare(const Level& level, const std::vector<TexelLight>& texels, std::uint32_t set, int paths,
                   Job& job) {
    std::vector<ReferencePoint> points;
    for (const TexelLight& t : texels) points.push_back({t.position, t.normal, t.face_normal});
    const auto reference = reference_light(level, set, points, {.paths = paths}, job);
    double sum = 0, signed_sum = 0, distance = 0;
    for (std::size_t i = 0; i < texels.size(); ++i) {
        const double r = luminance(reference[i].direct + reference[i].bounced),
                     t = luminance(texels[i].total);
        sum += r;
        signed_sum += t - r;
        distance += std::abs(t - r);
    }
    return {signed_sum / sum, distance / sum};
}

SLOW_TEST(Transport, agrees_with_the_reference_on_the_demo_level) {
    Level level = load_level(demo_folder() / "observatory.toml");
    level.quality.tier = Tier::proof;
    level.lightmap.density *= 0.5f;  // a quarter of the time
    Job job;
    Baker baker(level, job);
    baker.light(level, job);
    // Moods of the whole level: a layer is one group alone, most of it in one room, and starlight is the sky
    // of the others.
    for (const char* name : {"noon", "dusk", "observing"}) {
        const std::uint32_t set = set_index(level, name);
        const auto texels = spread_texels(baker.texels(set), 1000);
        const Difference d = compare(level, texels, set, 500, job);
        printf("%-10s bias %+.2f %%, mean difference %.2f %%\n", level.sets[set].name.c_str(), d.bias * 100,
               d.mean * 100);
        EXPECT_LT(std::abs(d.bias), 0.02) << level.sets[set].name;
        EXPECT_LT(d.mean, 0.03) << level.sets[set].name;
    }
}

/// Texels spread by what they hold of a set's light: each stands for the same share of it.
std::vector<TexelLight> spread_by_light(const std::vector<TexelLight>& all, std::size_t count) {
    const auto held = [](const TexelLight& t) {
        return t.valid && t.exported ? static_cast<double>(t.area * luminance(t.total)) : 0;
    };
    double whole = 0;
    for (const TexelLight& t : all) whole += held(t);
    std::vector<TexelLight> some;
    double at = 0;
    for (const TexelLight& t : all) {
        at += held(t);
        // A coarse texel may stand for several.
        while (at >= whole * (static_cast<double>(some.size()) + 0.5) / static_cast<double>(count) &&
               held(t) > 0 && some.size() < count)
            some.push_back(t);
    }
    return some;
}

SLOW_TEST(Transport, agrees_with_the_reference_for_each_group_of_the_demo_level_alone) {
    Level level = load_level(demo_folder() / "observatory.toml");
    level.quality.tier = Tier::proof;
    level.lightmap.density *= 0.5f;
    level.volumes.clear();
    level.sets.clear();
    level.series.clear();
    for (std::size_t g = 0; g < level.groups.size(); ++g) {
        level.sets.push_back(
            {.name = level.groups[g], .gains = std::vector<float>(level.groups.size(), 0.0f)});
        level.sets.back().gains[g] = 1;
    }
    Job job;
    Baker baker(level, job);
    baker.light(level, job);
    for (std::uint32_t set = 0; set < level.sets.size(); ++set) {
        const auto texels = spread_by_light(baker.texels(set), 200);
        if (texels.empty()) continue;  // of live lights alone
        std::vector<ReferencePoint> points;
        for (const TexelLight& t : texels) points.push_back({t.position, t.normal, t.face_normal});
        const auto reference = reference_light(level, set, points, {.paths = 2000}, job);
        const auto n = static_cast<double>(texels.size());
        double ratio = 0, squares = 0, apart = 0;
        for (std::size_t i = 0; i < texels.size(); ++i) {
            const double r =
                luminance(reference[i].direct + reference[i].bounced) / luminance(texels[i].total);
            ratio += r / n;
            squares += r * r / n;
            apart += std::abs(r - 1) / n;
        }
        const double unsure = std::sqrt(std::max(0.0, squares - ratio * ratio) / n);
        printf("%-16s bias %+.2f %% (+- %.2f), mean difference %.2f %%\n", level.sets[set].name.c_str(),
               100 * (1 / ratio - 1), 100 * unsure, 100 * apart / ratio);
        EXPECT_LT(std::abs(1 / ratio - 1), 0.01 + 2 * unsure) << level.sets[set].name;
        // The flood lights the ground, whose texels are two metres wide here and on its edge.
        EXPECT_LT(apart / ratio, level.sets[set].name == "flood" ? 0.25 : 0.08) << level.sets[set].name;
    }
}

/// A room lit through a window, with a lamp and a glowing strip: every kind of source this version has.
Level mixed_room() {
    Level level;
    add_thick_room(level, {-2, 0, -2}, {2, 2.5f, 2}, 0.2f, {0.6f, 0.5f, 0.4f});
    // Take the east wall out and put one with a window in its place.
    level.surfaces.erase(level.surfaces.begin() + 1);
    const Rgb wall{0.6f, 0.5f, 0.4f};
    add_box(level, "sill", {2, -0.2f, -2.2f}, {2.2f, 1, 2.2f}, false, wall);
    add_box(level, "lintel", {2, 2, -2.2f}, {2.2f, 2.7f, 2.2f}, false, wall);
    add_box(level, "strip", {-1.9f, 2.3f, -0.5f}, {-1.8f, 2.4f, 0.5f}, false, {0.5f, 0.5f, 0.5f},
            {3000, 2500, 2000});
    Light sun, lamp;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {50000, 48000, 45000};
    sun.direction = normalize({-1, -0.8f, 0.2f});
    sun.angular_diameter = 0.01f;
    lamp.name = "lamp";
    lamp.kind = LightKind::point;
    lamp.color = {60, 60, 200};
    lamp.position = {-1, 1.5f, 1};
    lamp.radius = 0.05f;
    level.lights = {sun, lamp};
    level.sky.radiance = {2000, 2500, 3500};
    level.lightmap = {.density = 8, .page = 512, .margin = 2};
    complete_level(level);
    return level;
}

SLOW_TEST(Transport, agrees_with_the_reference_in_a_room_for_each_source_alone_and_each_number_of_bounces) {
    Level level = mixed_room();
    level.quality.tier = Tier::final;
    level.lightmap.density =
        20;  // the strip hangs 10 cm off the wall: wider texels would not resolve its light
    level.sets.clear();
    for (std::size_t g = 0; g < level.groups.size(); ++g) {
        level.sets.push_back({level.groups[g], std::vector<float>(level.groups.size(), 0.0f)});
        level.sets.back().gains[g] = 1;
    }
    Job job;
    Baker baker(level, job);
    baker.light(level, job);
    for (std::uint32_t set = 0; set < level.sets.size(); ++set) {
        // Without any weighing of its two techniques the reference needs ten times the paths for a small
        // close emitter.
        const int paths = level.sets[set].name == "glow" ? 30000 : 3000;
        const Difference d = compare(level, spread_texels(baker.texels(set), 400), set, paths, job);
        EXPECT_LT(std::abs(d.bias), 0.01) << level.sets[set].name;
        EXPECT_LT(d.mean, 0.04) << level.sets[set].name;
    }
    for (const int bounces : {0, 1, 2}) {
        level.quality.bounces = bounces;
        baker.light(level, job);
        const auto texels = spread_texels(baker.texels(0), 300);
        std::vector<ReferencePoint> points;
        for (const TexelLight& t : texels) points.push_back({t.position, t.normal, t.face_normal});
        const auto reference = reference_light(level, 0, points, {.paths = 2000, .bounces = bounces}, job);
        double sum = 0, difference = 0;
        for (std::size_t i = 0; i < texels.size(); ++i) {
            sum += luminance(reference[i].direct + reference[i].bounced);
            difference += luminance(texels[i].total) - luminance(reference[i].direct + reference[i].bounced);
        }
        EXPECT_LT(std::abs(difference / sum), 0.015) << bounces << " bounces";
    }
}

bool same(const Baked& a, const Baked& b) {
    for (std::size_t s = 0; s < a.sets.size(); ++s) {
        for (std::size_t p = 0; p < a.sets[s].pages.size(); ++p)
            if (a.sets[s].pages[p].texels != b.sets[s].pages[p].texels) return false;
        if (a.sets[s].probes != b.sets[s].probes) return false;
    }
    return a.sets.size() == b.sets.size();
}

TEST(Baker, lights_again_as_if_for_the_first_time) {
    Level level = mixed_room();
    level.volumes.push_back(box_volume("room", {-1.9f, 0.1f, -1.9f}, {1.9f, 2.4f, 1.9f}, 1));
    level.quality.tier = Tier::proof;
    Level moved = level;
    moved.lights[0].direction = normalize({-1, -0.5f, -0.3f});
    moved.lights[1].color = {500, 20, 20};
    moved.sky.radiance = {10, 20, 30};
    Job job;
    Baker baker(level, job);
    const Baked first = baker.light(level, job), second = baker.light(moved, job),
                again = baker.light(level, job);
    EXPECT_TRUE(same(first, again)) << "the result depends on what was lit before";
    EXPECT_FALSE(same(first, second));
    Atlas atlas;
    EXPECT_TRUE(same(second, bake(moved, atlas, job))) << "a retune differs from a bake from nothing";
}

SLOW_TEST(Baker, gives_the_same_numbers_for_any_number_of_threads) {
    Level level = mixed_room();
    level.volumes.push_back(box_volume("room", {-1.9f, 0.1f, -1.9f}, {1.9f, 2.4f, 1.9f}, 1));
    const Bake one = bake_level(level, 1), two = bake_level(level, 2), five = bake_level(level, 5);
    EXPECT_TRUE(same(one.baked, two.baked));
    EXPECT_TRUE(same(one.baked, five.baked));
}

TEST(Baker, sets_mix_layers_by_gain) {
    Level level = mixed_room();
    const auto sun = group_index(level, "sun"), sky = group_index(level, "sky");
    std::vector<float> only_sun(level.groups.size(), 0), only_sky = only_sun, both = only_sun;
    only_sun[sun] = 1;
    only_sky[sky] = 1;
    both[sun] = 0.25f;
    both[sky] = 3;
    level.sets = {{"sun", only_sun}, {"sky", only_sky}, {"both", both}};
    const Bake b = bake_level(level);
    const auto &p = b.baked.sets[0].pages, &q = b.baked.sets[1].pages, &r = b.baked.sets[2].pages;
    for (std::size_t i = 0; i < p[0].texels.size(); ++i) {
        const float expected = 0.25f * p[0].texels[i].g + 3 * q[0].texels[i].g;
        ASSERT_NEAR(r[0].texels[i].g, expected, 1e-3f + expected * 1e-5f);
    }
}

TEST(Baker, refuses_to_light_another_geometry) {
    Level level = mixed_room();
    Job job;
    Baker baker(level, job);
    add_floor(level, 1);
    EXPECT_THROW(baker.light(level, job), Error);
}

TEST(Job, stops_a_bake_when_it_is_cancelled) {
    Level level = mixed_room();
    Job* running = nullptr;
    Job job(JobOptions{.threads = 2,
                       .on_progress =
                           [&](const Progress& p) {
                               if (p.stage == "links") running->cancel();
                           },
                       .on_note = {}});
    running = &job;
    level.lightmap.density = 64;
    EXPECT_THROW(Baker(level, job), Cancelled);
}

}  // namespace
}  // namespace test::transport_tests
