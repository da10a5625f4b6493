// Windows, doors and screens between probes: where they are, and their light in closed form.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "light/flat_glow.hpp"
#include "probe/openings.hpp"
#include "shapes.hpp"
#include "stasigraph/game.hpp"
#include "stasigraph/game_file.hpp"
#include "stasigraph/runtime.hpp"
#include "support.hpp"

namespace test::openings_tests {
namespace {

namespace rt = stasigraph::runtime;

constexpr Rgb black{0, 0, 0}, grey{0.5f, 0.5f, 0.5f};

/// A wall across x with holes in it, low and high z and y each, of boxes or of sheets that face both ways.
struct Hole {
    float low_z, high_z, low_y, high_y;
};
void add_wall(Level& level, float x, float thick, const std::vector<Hole>& holes, Rgb albedo) {
    const auto piece = [&](float low_z, float high_z, float low_y, float high_y) {
        if (!(high_z > low_z) || !(high_y > low_y)) return;
        if (thick > 0) {
            add_box(level, "wall", {x, low_y, low_z}, {x + thick, high_y, high_z}, false, albedo);
            return;
        }
        const Vec3 a{x, low_y, low_z}, b{x, low_y, high_z}, c{x, high_y, high_z}, d{x, high_y, low_z};
        add_quad(level, "sheet", a, b, c, d, albedo);
        add_quad(level, "sheet", d, c, b, a, albedo);
    };
    float from = -3;
    for (const Hole& h : holes) {
        piece(from, h.low_z, 0, 3);
        piece(h.low_z, h.high_z, 0, h.low_y);
        piece(h.low_z, h.high_z, h.high_y, 3);
        from = h.high_z;
    }
    piece(from, 3, 0, 3);
}

/// A house 6 m wide and 3 m high from x = -4 to 4 on its own floor slab.
Level house(float thick, const std::vector<Hole>& holes, Rgb albedo) {
    Level level;
    const float end = 4 + thick;
    add_box(level, "floor", {-4.4f, -0.3f, -3.4f}, {end, 0, 3.4f}, false, albedo);
    add_box(level, "roof", {-4.4f, 3, -3.4f}, {end, 3.3f, 3.4f}, false, albedo);
    add_box(level, "north", {-4.4f, 0, -3.4f}, {end, 3, -3}, false, albedo);
    add_box(level, "south", {-4.4f, 0, 3}, {end, 3, 3.4f}, false, albedo);
    add_box(level, "west", {-4.4f, 0, -3}, {-4, 3, 3}, false, albedo);
    add_wall(level, 4, thick, holes, albedo);
    level.quality.tier = Tier::glance;
    level.lightmap.density = 2;
    return level;
}

const Hole window{-1, 1, 1, 2}, door{-2.6f, -1.7f, 0, 2.1f};

std::vector<Opening> openings_of(const Level& level) {
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part != Part::moving; });
    Job job;
    return find_openings(level, caster, job);
}

TEST(Openings, are_found_once_each_in_walls_of_boxes_and_of_sheets) {
    for (const float thick : {0.4f, 0.12f, 0.0f}) {
        Level level = house(thick, {door, window}, grey);
        // Furniture has holes as well.
        for (const float x : {-2.0f, -1.5f})
            add_box(level, "leg", {x, 0, 0}, {x + 0.05f, 0.7f, 0.5f}, false, grey);
        add_box(level, "top", {-2, 0.7f, 0}, {-1.4f, 0.75f, 0.5f}, false, grey);
        complete_level(level);
        std::vector<Opening> found = openings_of(level);
        ASSERT_EQ(found.size(), 2u) << thick;
        std::sort(found.begin(), found.end(),
                  [](const Opening& a, const Opening& b) { return a.middle.z < b.middle.z; });
        for (std::size_t i = 0; i < 2; ++i) {
            const Hole& h = i == 0 ? door : window;
            const Opening& o = found[i];
            EXPECT_NEAR(o.middle.z, 0.5f * (h.low_z + h.high_z), 0.01f) << thick;
            EXPECT_NEAR(o.middle.y, 0.5f * (h.low_y + h.high_y), 0.01f) << thick;
            EXPECT_NEAR(o.width, h.high_z - h.low_z, 0.01f) << thick;
            EXPECT_NEAR(o.height, h.high_y - h.low_y, 0.01f) << thick;
            EXPECT_NEAR(std::abs(o.normal.x), 1, 1e-5f);
            EXPECT_GE(o.middle.x, 4 - 0.01f);
            EXPECT_LE(o.middle.x, 4 + thick + 0.01f);
        }
    }
}

TEST(Openings, are_none_between_posts_in_the_open_nor_where_a_wall_ends) {
    Level level;
    add_floor(level, 20, grey);
    for (int i = 0; i < 5; ++i) {
        const auto x = static_cast<float>(i);
        add_box(level, "post", {x, 0, 0}, {x + 0.1f, 1, 0.1f}, false, grey);
    }
    add_box(level, "rail", {0, 1, 0}, {4.1f, 1.1f, 0.1f}, false, grey);
    add_box(level, "long wall", {-8, 0, 5}, {-2, 3, 5.3f}, false, grey);
    add_box(level, "long wall", {2, 0, 5}, {8, 3, 5.3f}, false, grey);
    complete_level(level);
    EXPECT_TRUE(openings_of(level).empty());
    EXPECT_TRUE(openings_of(Level{}).empty());
}

/// Light of radiance 1 through a rectangle across x at a place before it, by sums; above a height alone.
float through(const Hole& h, float x, Vec3 at, Vec3 normal, float above = -1e30f) {
    constexpr int n = 200;
    double sum = 0;
    const float dz = (h.high_z - h.low_z) / n, dy = (h.high_y - h.low_y) / n;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const Vec3 to = Vec3{x, h.low_y + (static_cast<float>(j) + 0.5f) * dy,
                                 h.low_z + (static_cast<float>(i) + 0.5f) * dz} -
                            at;
            if (to.y + at.y < above) continue;
            const float square = dot(to, to), far = std::sqrt(square);
            sum += static_cast<double>(std::max(0.0f, dot(to, normal)) / far * std::abs(to.x) / far * dz *
                                       dy / square);
        }
    return static_cast<float>(sum);
}

Rgb told(const Baked& baked, Vec3 at, Vec3 normal) {
    return probe_irradiance(probe_weights(baked.probes, at), baked.sets[0].probes, baked.sets[0].lamps, at,
                            normal);
}
Rgb told_by_coefficients(const Baked& baked, Vec3 at, Vec3 normal) {
    return probe_irradiance(probe_weights(baked.probes, at), baked.sets[0].probes, normal);
}

/// How far off is what is told of a black room, over a hundredth of the most there, at places half a metre
/// and more behind a window, two metres between probes.
struct Off {
    float half = 0, most = 0, half_before = 0;
};
Off off_at_places(const Baked& baked, float above_ground) {
    Numbers numbers(5);
    std::vector<float> off, before;
    for (int i = 0; i < 300; ++i) {
        const Vec3 at{3.5f - 5 * numbers.next(), 0.4f + 2 * numbers.next(), 4 * numbers.next() - 2};
        for (const Vec3 normal : {Vec3{1, 0, 0}, {0, 1, 0}, {0.6f, 0, 0.8f}}) {
            const float exact = 1000 * through(window, 4, at, normal, above_ground < 0 ? -1e30f : at.y);
            const float least = std::max(exact, 30.0f);
            off.push_back(std::abs(told(baked, at, normal).g - exact) / least);
            before.push_back(std::abs(told_by_coefficients(baked, at, normal).g - exact) / least);
        }
    }
    std::sort(off.begin(), off.end());
    std::sort(before.begin(), before.end());
    return {off[off.size() / 2], off[off.size() * 95 / 100], before[before.size() / 2]};
}

Level window_room() {
    Level level = house(0, {window}, black);
    level.quality.tier = Tier::proof;  // of few links a window is met by chance
    level.sky.radiance = {1000, 1000, 1000};
    level.volumes.push_back(box_volume("room", {-3.5f, 0.3f, -2.5f}, {3.7f, 2.7f, 2.5f}, 2));
    return level;
}

SLOW_TEST(Openings, give_light_as_a_window_does_between_probes_two_metres_apart) {
    const Bake b = bake_level(window_room());
    const Off off = off_at_places(b.baked, -1);
    EXPECT_LT(off.half, 0.02f);
    EXPECT_LT(off.most, 0.08f);
    EXPECT_GT(off.half_before, 5 * off.half);
}

SLOW_TEST(Openings, show_the_sky_above_the_height_of_a_place_and_the_ground_below_it) {
    Level level = window_room();
    Surface& ground = add_floor(level, 4000, black);
    ground.lit_by = LitBy::nothing;
    ground.density = 0.01f;
    ground.to_world.origin = {0, -0.4f, 0};
    const Bake b = bake_level(level);
    const Off off = off_at_places(b.baked, 0);
    EXPECT_LT(off.half, 0.03f);
    EXPECT_LT(off.most, 0.15f);
    EXPECT_GT(off.half_before, 3 * off.half);
}

TEST(Openings, do_not_make_light_jump_for_who_walks_through_a_door) {
    Level level = house(0.3f, {window}, grey);
    add_wall(level, 0, 0.2f, {{-0.5f, 0.5f, 0, 2.1f}}, grey);
    level.sky.radiance = {1000, 1000, 1000};
    level.volumes.push_back(box_volume("room", {-3.6f, 0.3f, -2.5f}, {3.6f, 2.7f, 2.5f}, 1.2f));
    const Bake b = bake_level(level);
    for (const Vec3 normal : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}}) {
        float before = told(b.baked, {-2.5f, 1.2f, 0.1f}, normal).g;
        for (float x = -2.49f; x < 3; x += 0.01f) {
            const float now = told(b.baked, {x, 1.2f, 0.1f}, normal).g;
            EXPECT_NEAR(now, before, 0.04f * std::max(now, before) + 0.5f) << x;
            before = now;
        }
    }
}

TEST(FlatGlow, is_told_as_rectangles_of_their_mean_light) {
    Level level;
    add_floor(level, 10, black);
    add_quad(level, "screen", {-0.5f, 1, 0}, {0.5f, 1, 0}, {0.5f, 1.6f, -0.2f}, {-0.5f, 1.6f, -0.2f}, black,
             {100, 200, 50});
    add_box(level, "box", {3, 0.5f, 3}, {3.4f, 0.7f, 3.3f}, false, black, {10, 10, 10});
    add_surface(level, "shard", {{5, 1, 0}, {6, 1, 0}, {5, 2, 0}}, black, {10, 10, 10});
    complete_level(level);
    const TextureSet textures(level);
    const std::vector<Light> flat = flat_glow(level, textures);
    ASSERT_EQ(flat.size(), 7u);  // the screen and six sides; half a rectangle is none
    EXPECT_EQ(flat[0].name, "screen");
    EXPECT_NEAR(std::max(flat[0].width, flat[0].height), 1, 1e-4f);
    EXPECT_NEAR(std::min(flat[0].width, flat[0].height), std::sqrt(0.4f), 1e-4f);
    EXPECT_NEAR(flat[0].color.g, 200, 0.01f);
    EXPECT_GT(flat[0].direction.z, 0);
}

TEST(FlatGlow, lights_as_a_screen_does_between_probes_two_metres_apart) {
    Level level;
    add_floor(level, 0.5f, black);
    level.surfaces[0].to_world.origin = {0, -300, 0};
    add_quad(level, "screen", {0, -0.4f, 0.6f}, {0, -0.4f, -0.6f}, {0, 0.4f, -0.6f}, {0, 0.4f, 0.6f}, black,
             {1000, 1000, 1000});
    level.quality.tier = Tier::glance;
    level.volumes.push_back(box_volume("air", {0.3f, -2, -3}, {6.3f, 2, 3}, 2));
    const Bake b = bake_level(level);
    Numbers numbers(9);
    for (int i = 0; i < 200; ++i) {
        const Vec3 at{0.6f + 5 * numbers.next(), 3 * numbers.next() - 1.5f, 4 * numbers.next() - 2};
        const Vec3 n = normalize(at * -1.0f);
        const float exact = 1000 * through({-0.6f, 0.6f, -0.4f, 0.4f}, 0, at, n);
        EXPECT_NEAR(told(b.baked, at, n).g, exact, 0.02f * exact + 1);
    }
}

SLOW_TEST(Openings, come_through_a_packed_level_and_readers_take_them_as_the_baker_does) {
    const Bake b = bake_level(window_room());
    const Folder folder;
    const fs::path file = folder / "room.sgl";
    save_game(file, {b.level, b.atlas}, b.baked, {});
    rt::Game game;
    ASSERT_EQ(game.open(file.c_str()), rt::Status::ok) << game.message();
    std::uint32_t hint = 0;
    for (const Vec3 at : {Vec3{2, 1.2f, 0.3f}, {3.2f, 1.9f, -0.8f}, {-1, 1, 1}}) {
        const rt::Weights w = game.weights({at.x, at.y, at.z}, hint);
        for (const Vec3 n : {Vec3{1, 0, 0}, {0, 1, 0}}) {
            const float exact = told(b.baked, at, n).g;
            EXPECT_NEAR(game.irradiance(0, w, {n.x, n.y, n.z}).g, exact, 1e-3f * exact + 0.01f);
            // A shader takes openings as coefficients, which hold a small window up to a tenth of its light.
            const float most = told(b.baked, at, {1, 0, 0}).g;
            const rt::PlaceLight light = game.light(0, w);
            EXPECT_EQ(light.count, 0);
            ShRgb sh;
            for (std::size_t i = 0; i < 9; ++i)
                sh[i] = {light.coefficients[3 * i], light.coefficients[3 * i + 1],
                         light.coefficients[3 * i + 2]};
            EXPECT_NEAR(sh_irradiance(sh, n).g, exact, 0.12f * most);
        }
    }
}

}  // namespace
}  // namespace test::openings_tests
