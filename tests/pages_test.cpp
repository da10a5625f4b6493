// Packing: how pages are filled, what gives way, and what keeps its place.

#include <gtest/gtest.h>

#include <algorithm>

#include "page_check.hpp"
#include "shapes.hpp"
#include "support.hpp"

namespace test::pages_tests {
namespace {

Atlas unwrap_level(Level& level, std::string* notes = nullptr, const Atlas* previous = nullptr) {
    complete_level(level);
    Job job(JobOptions{.threads = 0, .on_progress = {}, .on_note = [&](std::string_view n) {
                           if (notes) *notes += std::string(n) + "\n";
                       }});
    return unwrap(level, 1, job, previous);
}

/// Rooms of boxes and a few round things, about a page and a half of 256.
Level village() {
    Level level;
    for (int i = 0; i < 24; ++i) {
        const auto f = static_cast<float>(i);
        const float x = 9 * f;
        add_box(
            level, "house_" + std::to_string(i), {x, 0, 0},
            {x + 2 + std::fmod(1.7f * f, 2.5f), 1 + std::fmod(0.9f * f, 2.0f), 2 + std::fmod(1.1f * f, 2.0f)},
            false, {0.5f, 0.5f, 0.5f});
    }
    add_mesh(level, noisy_blob(12, 1, 0.01f));
    add_mesh(level, torus_knot(60, 8, 0.5f));
    level.lightmap = {.density = 10, .page = 256, .margin = 2};
    return level;
}

SLOW_TEST(Pages, of_the_demo_level_are_clean_at_every_tier_and_three_quarters_full) {
    Level level = load_level(demo_folder() / "observatory.toml");
    // A little denser than the sheet says: as it is, one page holds all with room to spare.
    level.lightmap.density = 16.5f;
    complete_level(level);
    Job job;
    for (const Tier tier : {Tier::glance, Tier::proof}) {
        const Atlas atlas = unwrap(level, tier_options(tier).density_scale, job);
        expect_clean_pages(level, atlas);
        if (tier == Tier::proof) {
            EXPECT_GE(measure_atlas(level, atlas).coverage, 0.75);
        }
    }
}

SLOW_TEST(Pages, far_too_small_for_a_level_are_many_but_not_a_hang) {
    Level level = load_level(demo_folder() / "observatory.toml");
    level.lightmap.page = 64;
    std::string notes;
    const Atlas atlas = unwrap_level(level, &notes);
    expect_clean_pages(level, atlas);
    EXPECT_GT(atlas.pages.size(), 24u);
    EXPECT_NE(notes.find("hall_floor is too large for one page of 64 texels"), std::string::npos) << notes;
}

SLOW_TEST(Pages, of_a_noisy_lump_are_three_quarters_full_when_density_may_give_way) {
    Level level;
    add_mesh(level, noisy_blob(60, 8, 0.003f));
    level.lightmap = {.density = 60, .page = 1024, .pages = 1};
    const Atlas atlas = unwrap_level(level);
    expect_clean_pages(level, atlas);
    ASSERT_EQ(atlas.pages, std::vector<int>{1024});
    EXPECT_GE(measure_atlas(level, atlas).coverage, 0.75);
}

SLOW_TEST(Pages, a_limit_on_their_number_makes_the_density_give_way_evenly_and_says_so) {
    Level level = village();
    const Atlas free = unwrap_level(level);
    ASSERT_GE(free.pages.size(), 2u);
    level.lightmap.pages = 1;
    std::string notes;
    const Atlas one = unwrap_level(level, &notes);
    expect_clean_pages(level, one);
    EXPECT_EQ(one.pages.size(), 1u);
    EXPECT_LT(one.applied_density_scale, 1);
    EXPECT_NE(notes.find("to fit on 1 page every surface gets"), std::string::npos) << notes;
    float least = 1e9f, most = 0;
    for (const SurfaceUv& uv : one.surfaces) {
        least = std::min(least, uv.density);
        most = std::max(most, uv.density);
    }
    EXPECT_NEAR(most, 10 * one.applied_density_scale, 0.2);
    EXPECT_GT(least, 0.97f * most);
    EXPECT_GE(measure_atlas(level, one).coverage, 0.6);

    level.lightmap.pages = 64;
    const Atlas many = unwrap_level(level);
    EXPECT_EQ(many.applied_density_scale, 1) << "the density never rises over what was asked";
    EXPECT_EQ(many.pages.size(), free.pages.size());
}

SLOW_TEST(Pages, charts_share_no_block_of_a_compressed_texture) {
    for (const int block : {4, 8}) {
        Level level = village();
        level.lightmap.block = block;
        const Atlas atlas = unwrap_level(level);
        expect_clean_pages(level, atlas);  // looks at blocks too
        EXPECT_EQ(atlas.block, block);
    }
}

/// Names of surfaces whose charts and place are the same in both.
std::vector<std::string> unmoved(const Atlas& before, const Atlas& after) {
    std::vector<std::string> names;
    for (const SurfaceUv& b : before.surfaces)
        for (const SurfaceUv& a : after.surfaces)
            if (a.name == b.name && a.page == b.page && a.x == b.x && a.y == b.y && a.page != none &&
                after.layouts[a.layout].uv == before.layouts[b.layout].uv)
                names.push_back(a.name);
    return names;
}

SLOW_TEST(Pages, what_did_not_change_keeps_its_place_when_others_do) {
    Level level = village();
    const Atlas before = unwrap_level(level);
    level.meshes[3].edit([](Mesh& house) {  // one house grows
        for (Vec3& p : house.positions) p.y *= 1.4f;
    });
    level.surfaces.erase(level.surfaces.begin() + 7);  // one is torn down
    add_box(level, "new_house", {0, 0, 20}, {3, 2, 23}, false, {0.5f, 0.5f, 0.5f});
    const Atlas after = unwrap_level(level, nullptr, &before);
    expect_clean_pages(level, after);
    EXPECT_EQ(unmoved(before, after).size(), before.surfaces.size() - 2)
        << "all but the changed and the removed";
    EXPECT_NE(after.surfaces.back().page, none);
    EXPECT_NEAR(after.surfaces.back().density, 10, 0.2);

    const Atlas fresh = unwrap_level(level);
    expect_clean_pages(level, fresh);
    EXPECT_LT(unmoved(before, fresh).size(), before.surfaces.size() / 2) << "without memory all would move";
    EXPECT_TRUE(unwrap_level(level, nullptr, &after) == after) << "nothing changed: nothing moves";
}

SLOW_TEST(Pages, moving_a_thing_changes_no_chart_and_a_new_setting_changes_all) {
    Level level = village();
    const Atlas before = unwrap_level(level);
    level.surfaces[2].to_world.origin = {5, 5, 5};
    EXPECT_TRUE(unwrap_level(level, nullptr, &before) == before);
    level.lightmap.margin = 5;
    const Atlas wide = unwrap_level(level, nullptr, &before);
    expect_clean_pages(level, wide);
    EXPECT_EQ(wide.margin, 5);
}

SLOW_TEST(Pages, a_limit_that_edits_outgrow_is_packed_anew) {
    Level level = village();
    level.lightmap.pages = 1;
    const Atlas before = unwrap_level(level);
    for (int i = 0; i < 12; ++i)
        add_box(level, "extra_" + std::to_string(i), {0, 0, 20}, {3, 2, 23}, false, {0.5f, 0.5f, 0.5f});
    std::string notes;
    const Atlas after = unwrap_level(level, &notes, &before);
    expect_clean_pages(level, after);
    EXPECT_EQ(after.pages.size(), 1u);
    EXPECT_LT(after.applied_density_scale, before.applied_density_scale);
    EXPECT_NE(notes.find("packed anew"), std::string::npos) << notes;
}

SLOW_TEST(Pages, an_earlier_atlas_that_lies_is_not_believed) {
    Level level = village();
    const Atlas good = unwrap_level(level);
    Atlas lying = good;
    lying.surfaces[1].x = lying.surfaces[0].x;  // two houses in one place
    lying.surfaces[1].y = lying.surfaces[0].y;
    lying.surfaces[1].page = lying.surfaces[0].page;
    expect_clean_pages(level, unwrap_level(level, nullptr, &lying));
    lying = good;
    for (Layout& l : lying.layouts) l.source.back() = 1u << 30;
    expect_clean_pages(level, unwrap_level(level, nullptr, &lying));
    lying = good;
    for (Layout& l : lying.layouts) l.chart.pop_back();
    expect_clean_pages(level, unwrap_level(level, nullptr, &lying));
}

Level two_charts(float gap) {
    // Two quads side by side in the UVs, `gap` texels of 32 apart at 16 texels a metre.
    Level level;
    const std::vector<Vec3> p = {{0, 0, 0}, {1, 0, 0}, {1, 2, 0}, {0, 0, 0}, {1, 2, 0}, {0, 2, 0},
                                 {5, 0, 0}, {6, 0, 0}, {6, 2, 0}, {5, 0, 0}, {6, 2, 0}, {5, 2, 0}};
    add_surface(level, "pair", p, {1, 1, 1});
    const float g = gap / 36;
    std::vector<Vec2> uvs;
    const auto quad = [&](float x, float w) {
        for (const Vec2 q : {Vec2{x, 0}, {x + w, 0}, {x + w, 1}, {x, 0}, {x + w, 1}, {x, 1}})
            uvs.push_back(q);
    };
    quad(0, 0.5f - g / 2);
    quad(0.5f + g / 2, 0.5f - g / 2);
    level.meshes[0].edit([&](Mesh& m) { m.uv1 = uvs; });
    return level;
}

TEST(GivenUv, with_too_small_a_margin_is_told_by_its_triangles_and_replaced) {
    Level level = two_charts(1.2f);
    std::string notes;
    const Atlas atlas = unwrap_level(level, &notes);
    EXPECT_FALSE(atlas.layouts[0].given);
    EXPECT_NE(notes.find("of different charts are"), std::string::npos) << notes;
    EXPECT_NE(notes.find("where the margin is 4"), std::string::npos) << notes;
    expect_clean_pages(level, atlas);

    Level wide = two_charts(6);
    const Atlas kept = unwrap_level(wide);
    EXPECT_TRUE(kept.layouts[0].given);
    EXPECT_EQ(kept.layouts[0].charts.size(), 2u) << "its two pieces are two charts";
    expect_clean_pages(wide, kept);
}

TEST(GivenUv, is_kept_or_made_anew_as_the_surface_says) {
    Level level = two_charts(1.2f);
    level.surfaces[0].unwrap = UnwrapMode::keep;
    std::string notes;
    EXPECT_TRUE(unwrap_level(level, &notes).layouts[0].given);
    EXPECT_NE(notes.find("keeps its TEXCOORD_1 as asked, though"), std::string::npos) << notes;
    level = two_charts(6);
    level.surfaces[0].unwrap = UnwrapMode::make;
    EXPECT_FALSE(unwrap_level(level).layouts[0].given);
    level = two_charts(6);
    level.meshes[0].edit([](Mesh& m) { m.uv1.clear(); });
    level.surfaces[0].unwrap = UnwrapMode::keep;
    notes.clear();
    EXPECT_FALSE(unwrap_level(level, &notes).layouts[0].given);
    EXPECT_NE(notes.find("brings no TEXCOORD_1"), std::string::npos) << notes;
}

TEST(Unseen, charts_get_the_least_density_and_others_all_of_theirs) {
    // A box that stands on a floor: nobody sees its underside, nor the floor's.
    Level level;
    add_box(level, "crate", {0, 0, 0}, {2, 2, 2}, false, {1, 1, 1});
    add_box(level, "slab", {-6, -0.5f, -6}, {6, 0, 6}, false, {1, 1, 1});
    level.volumes.push_back(box_volume("play", {-5, 0.3f, -5}, {5, 3, 5}, 2));
    level.lightmap.shrink_unseen = true;
    const Atlas atlas = unwrap_level(level);
    expect_clean_pages(level, atlas);
    const AtlasFigures f = measure_atlas(level, atlas);
    EXPECT_GE(f.unseen, 2u);
    for (std::uint32_t s = 0; s < 2; ++s) {
        const Layout& layout = atlas.layouts[atlas.surfaces[s].layout];
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            const Vec3 n = level.meshes[s]->normals[level.meshes[s]->indices[3 * t]];
            const float share = layout.charts[layout.chart[t]].share;
            if (n.y > 0.5f) {
                EXPECT_EQ(share, 1) << "a top is seen";
            } else if (n.y < -0.5f) {
                EXPECT_LT(share, 0.2f) << "an underside is not";
            }
        }
    }
    Job job;
    const Survey shrunk = survey(level, job);
    level.lightmap.shrink_unseen = false;
    const Survey whole = survey(level, job);
    EXPECT_EQ(shrunk.unseen_charts, whole.unseen_charts);
    EXPECT_NEAR(static_cast<double>(whole.texels - shrunk.texels), static_cast<double>(whole.unseen_texels),
                0.05 * static_cast<double>(whole.unseen_texels));
    EXPECT_NEAR(static_cast<double>(shrunk.unseen_texels), static_cast<double>(whole.unseen_texels),
                0.05 * static_cast<double>(whole.unseen_texels));
}

TEST(Unseen, without_a_volume_cameras_look_and_without_either_nothing_is_shrunk) {
    Level level;
    add_box(level, "crate", {0, 0, 0}, {2, 2, 2}, false, {1, 1, 1});
    level.lightmap.shrink_unseen = true;
    std::string notes;
    EXPECT_EQ(measure_atlas(level, unwrap_level(level, &notes)).unseen, 0u);
    EXPECT_NE(notes.find("needs a volume or a camera"), std::string::npos) << notes;
    level.cameras.push_back({.name = "front", .eye = {1, 1, 9}, .toward = {1, 1, 0}});
    EXPECT_EQ(measure_atlas(level, unwrap_level(level)).unseen, 5u) << "it sees one side of six";
}

TEST(AtlasFile, gives_back_what_was_saved) {
    Level level = village();
    const Atlas atlas = unwrap_level(level);
    const Folder folder;
    save_atlas(folder / "charts.bin", atlas);
    const Atlas again = load_atlas(folder / "charts.bin");
    ASSERT_EQ(again.layouts.size(), atlas.layouts.size());
    for (Layout const& l : again.layouts) EXPECT_EQ(l.mesh, 0u) << "a file knows no meshes";
    const Atlas kept = unwrap_level(level, nullptr, &again);
    EXPECT_TRUE(kept == atlas);
}

TEST(AtlasFile, that_is_damaged_anywhere_is_refused_or_read_safely) {
    Level level;
    add_box(level, "crate", {0, 0, 0}, {1, 1, 1}, false, {1, 1, 1});
    const Atlas atlas = unwrap_level(level);
    const Folder folder;
    save_atlas(folder / "charts.bin", atlas);
    const std::string whole = read_text(folder / "charts.bin");
    for (std::size_t length = 0; length < whole.size(); length += 37) {
        write_bytes(folder / "cut.bin", whole.substr(0, length));
        EXPECT_THROW(load_atlas(folder / "cut.bin"), Error) << length;
    }
    Numbers numbers(5);
    for (int i = 0; i < 400; ++i) {
        std::string bad = whole;
        bad[static_cast<std::size_t>(numbers.next() * static_cast<float>(bad.size())) % bad.size()] =
            static_cast<char>(static_cast<unsigned char>(numbers.next() * 255.9f));
        write_bytes(folder / "bad.bin", bad);
        try {
            const Atlas read = load_atlas(folder / "bad.bin");
            expect_clean_pages(level, unwrap_level(level, nullptr, &read));
        } catch (const Error& e) {
            EXPECT_NE(e.text().find("bad.bin"), std::string::npos) << e.text();
        }
    }
}

}  // namespace
}  // namespace test::pages_tests
