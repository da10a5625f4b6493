// Every chart of meshes that are hard to unwrap.

#include <gtest/gtest.h>

#include <set>

#include "page_check.hpp"
#include "shapes.hpp"
#include "support.hpp"

namespace test::charts_tests {
namespace {

struct Unwrapped {
    Level level;
    Atlas atlas;
    AtlasFigures figures;
    std::string notes;
    const Layout& layout(std::uint32_t s = 0) const { return atlas.layouts[atlas.surfaces[s].layout]; }
};

Unwrapped unwrap_all(Level level, unsigned threads = 0, const Atlas* previous = nullptr) {
    Unwrapped u{.level = std::move(level)};
    complete_level(u.level);
    Job job(JobOptions{.threads = threads, .on_progress = {}, .on_note = [&](std::string_view n) {
                           u.notes += std::string(n) + "\n";
                       }});
    u.atlas = unwrap(u.level, 1, job, previous);
    u.figures = measure_atlas(u.level, u.atlas);
    return u;
}

Unwrapped unwrap_mesh(Mesh mesh, LightmapOptions settings = {}) {
    Level level;
    level.lightmap = settings;
    add_mesh(level, std::move(mesh));
    return unwrap_all(std::move(level));
}

void expect_sound(const Unwrapped& u) {
    expect_clean_pages(u.level, u.atlas);
    EXPECT_LE(u.figures.worst_stretch, 1.5 * 1.1) << "stretch, snapping included";
}

TEST(Charts, of_a_torus_knot_are_few_and_sound) {
    const Unwrapped u = unwrap_mesh(torus_knot(300, 16, 1));
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 40u);
    EXPECT_LT(u.figures.mean_stretch, 1.06);
}

TEST(Charts, of_a_sphere_are_a_handful) {
    const Unwrapped u = unwrap_mesh(sphere(40, 2));
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 12u) << "a sphere is cut open, not shattered";
}

TEST(Charts, an_open_tube_is_one_chart_without_stretch) {
    const Unwrapped u = unwrap_mesh(open_tube(24, 20, 1, 6));
    expect_sound(u);
    ASSERT_EQ(u.layout().charts.size(), 1u);
    EXPECT_LT(u.layout().charts[0].worst_stretch, 1.03f);
    // 24 sides of 2 sin(7.5 degrees) metres, 16 texels each: 100.25 by 96.
    const int w = std::max(u.layout().width, u.layout().height),
              h = std::min(u.layout().width, u.layout().height);
    EXPECT_NEAR(w, 100, 2);
    EXPECT_NEAR(h, 96, 2);
    EXPECT_NEAR(u.figures.seam_length, 6, 0.01) << "one cut along its length";
}

TEST(Charts, of_a_branching_tube_are_sound) {
    const Unwrapped u = unwrap_mesh(branching_tube(64));
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 40u);
}

TEST(Charts, of_a_terrain_are_one) {
    const Unwrapped u = unwrap_mesh(terrain(100, 20));
    expect_sound(u);
    EXPECT_EQ(u.layout().charts.size(), 1u);
}

SLOW_TEST(Charts, of_a_noisy_blob_of_200000_triangles_are_sound) {
    const Unwrapped u = unwrap_mesh(noisy_blob(130, 8, 0.0015f));
    ASSERT_GT(u.level.meshes[0]->triangle_count(), 200000u);
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 100u);
}

SLOW_TEST(Charts, of_a_non_manifold_heap_are_sound) {
    for (std::uint32_t seed = 1; seed <= 3; ++seed) {
        const Unwrapped u = unwrap_mesh(non_manifold_heap(40, 600, seed), {.density = 8, .page = 2048});
        expect_clean_pages(u.level, u.atlas);
    }
}

TEST(Charts, of_an_unwelded_box_with_a_flap_follow_its_creases) {
    const Unwrapped u = unwrap_mesh(unwelded_box());
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 8u);
    EXPECT_GE(u.layout().charts.size(), 6u) << "walls of 16 texels and more stay apart at their creases";
}

TEST(Charts, of_a_moebius_strip_break_its_winding_once) {
    const Unwrapped u = unwrap_mesh(moebius_strip(120, 8, 2));
    expect_sound(u);
    EXPECT_LE(u.layout().charts.size(), 8u);
}

TEST(Charts, end_at_folds_however_small_a_thing_is) {
    Level level;
    add_box(level, "brick", {0, 0, 0}, {0.4f, 0.2f, 0.3f}, false, {1, 1, 1});
    add_box(level, "hall", {0, 0, 0}, {4, 3, 5}, false, {1, 1, 1});
    const Unwrapped u = unwrap_all(std::move(level));
    expect_sound(u);
    EXPECT_EQ(u.layout(0).charts.size(), 6u) << "the light of a brick's underside must not show at its foot";
    EXPECT_EQ(u.layout(1).charts.size(), 6u) << "light must not bleed over the edges of a hall";
}

TEST(Charts, rectangles_stay_rectangles_on_whole_texels) {
    Level level;
    // Turned by 30 degrees in its own mesh, 5.03 by 2.97 metres: 80.5 by 47.5 texels.
    const float c = std::cos(0.5236f), s = std::sin(0.5236f);
    const Vec3 right{c, s, 0}, up{-s, c, 0};
    const Vec3 p[4] = {{}, right * 5.03f, right * 5.03f + up * 2.97f, up * 2.97f};
    add_quad(level, "wall", p[0], p[1], p[2], p[3], {1, 1, 1});
    const Unwrapped u = unwrap_all(std::move(level));
    expect_sound(u);
    for (const Vec2 q : u.layout().uv) {
        EXPECT_EQ(q.x, std::round(q.x));
        EXPECT_EQ(q.y, std::round(q.y));
    }
    EXPECT_NEAR(u.layout().width * u.layout().height, 80.5 * 47.5, 81);
}

TEST(Charts, an_uneven_scale_is_unwrapped_as_it_stands_in_the_world) {
    Level level;
    add_box(level, "plank", {0, 0, 0}, {1, 1, 1}, false, {1, 1, 1});
    level.surfaces[0].to_world.x = {8, 0, 0};
    level.surfaces[0].to_world.z = {0, 0, -3};  // mirrored
    const Unwrapped u = unwrap_all(std::move(level));
    expect_sound(u);
    EXPECT_LT(u.figures.mean_stretch, 1.03);
}

SLOW_TEST(Charts, are_the_same_for_any_number_of_threads) {
    const auto level = [] {
        Level l;
        add_mesh(l, noisy_blob(30, 2, 0.004f));
        add_mesh(l, torus_knot(100, 10, 1));
        add_mesh(l, boxes(40, 7));
        l.lightmap.page = 512;
        return l;
    };
    const Unwrapped one = unwrap_all(level(), 1), two = unwrap_all(level(), 2), five = unwrap_all(level(), 5);
    EXPECT_TRUE(one.atlas == two.atlas);
    EXPECT_TRUE(one.atlas == five.atlas);
}

SLOW_TEST(Charts, of_random_meshes_are_sound) {
    Numbers numbers(2024);
    for (int round = 0; round < 12; ++round) {
        Level level;
        // A blob, boxes and a heap of random size, noise and place; sheets of random settings.
        add_mesh(level, noisy_blob(4 + static_cast<int>(numbers.next() * 20), 0.3f + 2 * numbers.next(),
                                   0.06f * numbers.next()));
        add_mesh(level, boxes(1 + static_cast<int>(numbers.next() * 30), static_cast<std::uint32_t>(round)));
        add_mesh(level, non_manifold_heap(8 + static_cast<int>(numbers.next() * 20), 60,
                                          static_cast<std::uint32_t>(round)));
        for (Surface& s : level.surfaces) {
            s.to_world.x = s.to_world.x * (0.2f + 2 * numbers.next());
            s.density = 0.2f + numbers.next();
        }
        level.lightmap = {.density = 4 + 20 * numbers.next(),
                          .page = 1024,
                          .margin = 1 + static_cast<int>(numbers.next() * 6),
                          .stretch_limit = 1.2f + numbers.next(),
                          .block = round % 3 == 0 ? 4 : 1};
        SCOPED_TRACE(round);
        const Unwrapped u = unwrap_all(std::move(level));
        expect_clean_pages(u.level, u.atlas);
        EXPECT_LE(u.figures.worst_stretch, static_cast<double>(u.level.lightmap.stretch_limit) * 1.1);
    }
}

TEST(Charts, max_stretch_is_what_decides_between_seams_and_stretch) {
    const Unwrapped even = unwrap_mesh(sphere(40, 2), {.stretch_limit = 1.1f}),
                    loose = unwrap_mesh(sphere(40, 2), {.stretch_limit = 2.5f});
    EXPECT_LE(even.figures.worst_stretch, 1.1 * 1.01);
    EXPECT_GT(even.figures.seam_length, 1.3 * loose.figures.seam_length);
    expect_clean_pages(even.level, even.atlas);
    expect_clean_pages(loose.level, loose.atlas);
}

SLOW_TEST(Charts, a_surface_of_absurd_size_or_none_gets_a_note_and_spares_its_neighbours) {
    Level level;
    add_floor(level, 4);
    add_quad(level, "plain", {0, -1, 0}, {9e5f, -1, 0}, {9e5f, -1, -9e5f}, {0, -1, -9e5f}, {1, 1, 1});
    add_quad(level, "wire", {0, 9, 0}, {5e5f, 9, 0}, {5e5f, 9.001f, 0}, {0, 9.001f, 0}, {1, 1, 1});
    add_surface(level, "needle", {{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {1, 1, 1});
    set_normals(level.meshes.back(), {0, 1, 0});
    Mesh empty;
    empty.name = "nothing";
    add_mesh(level, empty);
    add_floor(level, 4).name = "neighbour";
    const Unwrapped u = unwrap_all(std::move(level));
    expect_clean_pages(u.level, u.atlas);
    for (const char* name : {"plain", "wire", "needle", "nothing"})
        EXPECT_NE(u.notes.find(name), std::string::npos) << u.notes;
    EXPECT_NEAR(u.atlas.surfaces[0].density, 16, 0.3f);
    EXPECT_NEAR(u.atlas.surfaces[5].density, 16, 0.3f);
    EXPECT_NE(u.atlas.surfaces[1].page, none);
    EXPECT_EQ(u.atlas.surfaces[3].page, none);
    EXPECT_EQ(u.atlas.surfaces[4].page, none);
}

}  // namespace
}  // namespace test::charts_tests
