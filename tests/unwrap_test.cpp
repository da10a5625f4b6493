#include <gtest/gtest.h>

#include <map>

#include "page_check.hpp"
#include "support.hpp"

namespace test::unwrap_tests {
namespace {

Atlas unwrap_level(Level& level, std::string* notes = nullptr) {
    complete_level(level);
    Job job(JobOptions{.threads = 0, .on_progress = {}, .on_note = [&](std::string_view n) {
                           if (notes) *notes += std::string(n) + "\n";
                       }});
    return unwrap(level, 1, job);
}

SLOW_TEST(Unwrap, demo_level_has_clean_pages_and_every_triangle_in_one_chart) {
    Level level = load_level(demo_folder() / "observatory.toml");
    const Atlas atlas = unwrap_level(level);
    expect_clean_pages(level, atlas);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        if (atlas.surfaces[s].page == none) continue;
        const Layout& layout = atlas.layouts[atlas.surfaces[s].layout];
        const Mesh& mesh = level.meshes[level.surfaces[s].mesh];
        ASSERT_EQ(layout.indices.size(), mesh.indices.size());
        for (std::size_t i = 0; i < mesh.indices.size(); ++i)
            ASSERT_EQ(layout.source[layout.indices[i]], mesh.indices[i]);
        // What has an area and is not covered has a chart: expect_clean_pages() looks at that.
        for (std::size_t t = 0; t < layout.chart.size(); ++t)
            if (mesh.is_covered(t)) {
                EXPECT_EQ(layout.chart[t], none) << level.surfaces[s].name;
            }
        if (level.surfaces[s].density == 1) {
            EXPECT_NEAR(atlas.surfaces[s].density, 16, 0.5f) << level.surfaces[s].name;
        }
    }
}

TEST(Unwrap, instances_share_their_charts_and_get_a_rectangle_each) {
    Level level;
    add_box(level, "crate", {0, 0, 0}, {1, 1, 1}, false, {1, 1, 1});
    for (int i = 1; i < 5; ++i) {
        level.surfaces.push_back(level.surfaces[0]);
        level.surfaces.back().name = "crate_" + std::to_string(i);
        level.surfaces.back().to_world.origin = {3.0f * static_cast<float>(i), 0, 0};
    }
    level.surfaces[4].to_world.x = {2, 0, 0};
    level.surfaces[4].to_world.y = {0, 2, 0};
    level.surfaces[4].to_world.z = {0, 0, 2};
    const Atlas atlas = unwrap_level(level);
    expect_clean_pages(level, atlas);
    for (int i = 1; i < 4; ++i) {
        EXPECT_EQ(atlas.surfaces[i].layout, atlas.surfaces[0].layout);
        EXPECT_TRUE(atlas.surfaces[i].x != atlas.surfaces[0].x ||
                    atlas.surfaces[i].y != atlas.surfaces[0].y ||
                    atlas.surfaces[i].page != atlas.surfaces[0].page);
    }
    EXPECT_NE(atlas.surfaces[4].layout, atlas.surfaces[0].layout) << "twice the size wants twice the texels";
    EXPECT_NEAR(atlas.surfaces[4].density, 16, 0.5f);
}

/// A band that winds over itself when seen from above, with no triangle turned over.
std::vector<Vec3> helix(int turns) {
    std::vector<Vec3> corners;
    const auto at = [](int i, float r) {
        return Vec3{r * std::cos(0.3f * static_cast<float>(i)), 0.02f * static_cast<float>(i),
                    -r * std::sin(0.3f * static_cast<float>(i))};
    };
    for (int i = 0; i < 21 * turns; ++i) {
        const Vec3 a = at(i, 1), b = at(i, 2), c = at(i + 1, 2), d = at(i + 1, 1);
        corners.insert(corners.end(), {a, b, c, a, c, d});
    }
    return corners;
}

TEST(Unwrap, a_helical_ramp_is_cut_where_it_would_lie_over_itself) {
    Level level;
    add_surface(level, "ramp", helix(3), {1, 1, 1});
    const Atlas atlas = unwrap_level(level);
    expect_clean_pages(level, atlas);
    EXPECT_GE(atlas.layouts[atlas.surfaces[0].layout].charts.size(), 3u);
}

SLOW_TEST(Unwrap, random_heaps_of_triangles_never_overlap) {
    std::uint32_t state = 12345;
    const auto number = [&] {
        state = state * 1664525u + 1013904223u;
        return static_cast<float>(state >> 8) / 16777216.0f;
    };
    for (int round = 0; round < 30; ++round) {
        Level level;
        std::vector<Vec3> points, corners;
        for (int i = 0; i < 12; ++i) points.push_back({number() * 2, number() * 2, number() * 2});
        for (int t = 0; t < 60; ++t)  // shared corners, edges with many faces, degenerate ones too
            for (int k = 0; k < 3; ++k)
                corners.push_back(points[static_cast<std::size_t>(number() * 12) % 12]);
        add_surface(level, "heap", corners, {1, 1, 1});
        set_normals(level.meshes[0], {0, 1, 0});
        const Atlas atlas = unwrap_level(level);
        expect_clean_pages(level, atlas);
    }
}

Level quad_with_uvs(const std::vector<Vec2>& uv) {
    Level level;
    add_quad(level, "wall", {0, 0, 0}, {2, 0, 0}, {2, 2, 0}, {0, 2, 0}, {1, 1, 1});
    level.meshes[0].edit([&](Mesh& m) { m.uv1 = uv; });
    return level;
}

TEST(Unwrap, valid_uvs_that_come_with_the_level_are_used_as_they_are) {
    const std::vector<Vec2> uv = {{0.1f, 0.1f}, {0.9f, 0.1f}, {0.9f, 0.9f},
                                  {0.1f, 0.1f}, {0.9f, 0.9f}, {0.1f, 0.9f}};
    Level level = quad_with_uvs(uv);
    const Atlas atlas = unwrap_level(level);
    const Layout& layout = atlas.layouts[0];
    EXPECT_TRUE(layout.given);
    const float step = 0.51f / 1024 / static_cast<float>(layout.width);  // the grid UVs lie on
    for (std::size_t i = 0; i < uv.size(); ++i) {
        EXPECT_NEAR(layout.uv[i].x / static_cast<float>(layout.width), uv[i].x, step);
        EXPECT_NEAR(layout.uv[i].y / static_cast<float>(layout.height), uv[i].y, step);
    }
    EXPECT_NEAR(atlas.surfaces[0].density, 16, 0.5f);
}

TEST(Unwrap, unusable_uvs_are_replaced_and_the_reason_is_said) {
    const std::map<std::string, std::vector<Vec2>> bad = {
        {"outside the unit square", {{0, 0}, {1.5f, 0}, {1, 1}, {0, 0}, {1, 1}, {0, 1}}},
        {"overlap", {{0, 0}, {1, 0}, {1, 1}, {0, 0}, {1, 0.2f}, {1, 1}}},
        {"no area", {{0, 0}, {1, 0}, {1, 1}, {0.5f, 0.5f}, {0.5f, 0.5f}, {0.5f, 0.5f}}},
    };
    for (const auto& [reason, uv] : bad) {
        Level level = quad_with_uvs(uv);
        std::string notes;
        const Atlas atlas = unwrap_level(level, &notes);
        EXPECT_FALSE(atlas.layouts[0].given) << reason;
        EXPECT_NE(notes.find(reason), std::string::npos) << notes;
        expect_clean_pages(level, atlas);
    }
}

TEST(Unwrap, a_surface_larger_than_a_page_loses_density_and_that_is_said) {
    Level level;
    add_floor(level, 100);
    level.lightmap.page = 256;
    std::string notes;
    const Atlas atlas = unwrap_level(level, &notes);
    expect_clean_pages(level, atlas);
    EXPECT_NE(notes.find("too large for one page"), std::string::npos) << notes;
    EXPECT_LT(atlas.surfaces[0].density, 2.5f);
    EXPECT_GT(atlas.surfaces[0].density, 2.2f) << "as much of the page as fits";
}

TEST(Unwrap, pages_are_opened_as_the_density_needs_them) {
    Level level;
    for (int i = 0; i < 9; ++i) {
        const float x = 12.0f * static_cast<float>(i);
        add_quad(level, "tile_" + std::to_string(i), {x, 0, 10}, {x + 10, 0, 10}, {x + 10, 0, 0}, {x, 0, 0},
                 {1, 1, 1});
    }
    level.lightmap = {.density = 16, .page = 256, .margin = 4};
    const Atlas atlas = unwrap_level(level);
    EXPECT_EQ(atlas.pages.size(), 9u);
    expect_clean_pages(level, atlas);
}

TEST(Unwrap, a_surface_without_area_is_left_out_and_its_neighbours_are_not) {
    Level level;
    add_floor(level, 2);
    add_surface(level, "sliver", {{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {1, 1, 1});
    set_normals(level.meshes[1], {0, 1, 0});
    std::string notes;
    const Atlas atlas = unwrap_level(level, &notes);
    EXPECT_EQ(atlas.surfaces[1].page, none);
    EXPECT_NE(atlas.surfaces[0].page, none);
    EXPECT_NE(notes.find("sliver"), std::string::npos);
}

}  // namespace
}  // namespace test::unwrap_tests
