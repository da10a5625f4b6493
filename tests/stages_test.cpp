// The stages before any light, each by itself: what one makes is what a bake has, and what a store gives
// back.

#include <gtest/gtest.h>

#include "bake/judge_texels.hpp"
#include "bake/keys.hpp"
#include "bake/unlit_level.hpp"
#include "level_builder.hpp"
#include "shapes.hpp"
#include "stores.hpp"
#include "trace/scene_tree.hpp"

namespace test::stages_tests {
namespace {

/// A floor that a thick wall stands on, and a board with a picture: invalid texels, open ones and glass.
Level walled_floor() {
    LevelBuilder b;
    b.floor(2);
    std::vector<Vec3> wall, crate;
    LevelBuilder::add_box(wall, {-0.4f, 0, -1.5f}, {0.4f, 1.5f, 1.5f});
    LevelBuilder::add_box(crate, {0.8f, 0, 0.2f}, {1.3f, 0.5f, 0.7f});
    b.triangles("wall", wall, plaster);
    b.triangles("crate", crate, wood);
    b.level.surfaces.back().part = Part::moving;
    Light lamp{.name = "lamp", .kind = LightKind::point, .color = {50, 50, 50}};
    lamp.position = {1.4f, 1.2f, -0.6f};
    b.level.lights.push_back(lamp);
    b.level.lightmap = {.density = 10, .page = 256, .margin = 2};
    b.level.quality.tier = Tier::proof;
    b.level.placed = std::vector<ProbePlace>{};
    for (const Vec3 p : {Vec3{1, 1, 1}, Vec3{1, 1, -1}, Vec3{-1, 1, 1}, Vec3{-1, 1.5f, -1}, Vec3{1, 2, 0}})
        b.level.placed->push_back({.position = p});
    complete_level(b.level);
    return b.level;
}

TEST(UnlitStages, one_after_the_other_are_what_a_bake_has) {
    const Level level = walled_floor();
    Job job;
    const std::unique_ptr<UnlitLevel> whole = make_unlit_level(level, nullptr, {}, job);

    const auto tree = tree_of(level, stands_in_bake, 1);
    const Atlas atlas = unwrap(level, tier_options(level.quality).density_scale, job);
    TexelSet texels = place_texels(level, atlas, job);
    EXPECT_EQ(texels.size(), whole->texels.size());
    const TracedLevel traced{level, tree->rays(), texels};
    ReadyRows ready = ready_rows(traced, job);
    EXPECT_EQ(ready.rows.size(), texels.size());
    EXPECT_LT(ready.uncovered.count(), texels.size()) << "the wall stands on the floor";
    const BakeStore none_kept;
    FirstLinks first = record_first_links(traced, ready, {none_kept, whole->key}, {}, job);
    EXPECT_EQ(first.traced, first.adopted.links.count());
    EXPECT_FALSE(first.from.has_value());
    const JudgedTexels judged =
        judge_texels({level, tree->rays(), atlas, texels}, std::move(ready), first, job);
    EXPECT_TRUE(judged.states == whole->judged.states);
    EXPECT_TRUE(judged.hidden == whole->judged.hidden);
    EXPECT_EQ(judged.moved, whole->judged.moved);
    EXPECT_TRUE(texels.position == whole->texels.position);
    const auto invalid = std::count(judged.states.begin(), judged.states.end(), TexelState::invalid);
    EXPECT_GT(invalid, 100) << "of the floor under the wall";
    for (std::size_t row = 0; row < texels.size(); row += 7) {
        const std::uint32_t *a = first.adopted.links.row(row), *b = whole->links.row(row);
        ASSERT_TRUE(std::equal(a, a + first.adopted.links.length(row), b)) << row;
    }
    const TexelFlags shown = lightmapped_texels(texels, atlas, judged);
    EXPECT_EQ(shown.count(), texels.size() - static_cast<std::size_t>(invalid) - judged.hidden.count());

    RecordedProbes probes;
    join_probes(level, *level.placed, whole->key, probes);
    EXPECT_EQ(probes.key, whole->probes.key);
    std::vector<float> distances;
    const auto links = static_cast<std::uint32_t>(whole->tier.probe_links);
    trace_probes({traced, judged.states, {}, links}, probes, distances, job);
    EXPECT_EQ(distances.size(), probes.net.size() * links);
    EXPECT_TRUE(probes.net.front_share == whole->probes.net.front_share);
    EXPECT_TRUE(probes.net.clearance == whole->probes.net.clearance);
}

TEST(UnlitStages, come_back_from_a_store_as_they_were) {
    const Level level = walled_floor();
    Job job;
    MemoryStore memory;
    const std::unique_ptr<UnlitLevel> made = make_unlit_level(level, nullptr, memory.store(), job);
    EXPECT_GT(made->links_traced, 0u);

    JudgedTexels judged;
    std::vector<Vec3> positions;
    ASSERT_TRUE(judged.load(memory.store(), made->key, made->texels.size(), positions));
    EXPECT_TRUE(judged.states == made->judged.states);
    EXPECT_TRUE(judged.hidden == made->judged.hidden);
    EXPECT_TRUE(judged.rows.seeds == made->judged.rows.seeds);
    EXPECT_TRUE(positions == made->texels.position);
    EXPECT_FALSE(judged.load(memory.store(), made->key, made->texels.size() + 1, positions));
    EXPECT_FALSE(judged.load(memory.store(), "another", made->texels.size(), positions));

    RecordedProbes probes;
    join_probes(level, *level.placed, made->key, probes);
    ASSERT_TRUE(probes.load(memory.store()));
    EXPECT_TRUE(probes.net.front_share == made->probes.net.front_share);

    const std::unique_ptr<UnlitLevel> again = make_unlit_level(level, nullptr, memory.store(), job);
    EXPECT_EQ(again->links_traced, 0u);
    EXPECT_TRUE(again->judged.states == made->judged.states);
    EXPECT_EQ(again->links.count(), made->links.count());
    EXPECT_TRUE(again->pages.seams.hold == made->pages.seams.hold);
}

TEST(UnlitStages, an_edit_takes_over_what_still_holds) {
    const Level level = walled_floor();
    Job job;
    MemoryStore memory;
    const std::unique_ptr<UnlitLevel> before = make_unlit_level(level, nullptr, memory.store(), job);
    Level moved = level;
    moved.surfaces[1].to_world.origin = {0.1f, 0, 0};
    const std::unique_ptr<UnlitLevel> edited = make_unlit_level(moved, &before->atlas, memory.store(), job);
    const std::unique_ptr<UnlitLevel> fresh = make_unlit_level(moved, &before->atlas, {}, job);
    ASSERT_TRUE(edited->edit.has_value());
    EXPECT_LT(edited->links_traced, fresh->links_traced);
    EXPECT_GT(edited->other.count(), 0u);
    EXPECT_LT(edited->other.count(), edited->texels.size());
    EXPECT_TRUE(edited->judged.states == fresh->judged.states);
    for (std::size_t row = 0; row < fresh->links.rows(); ++row)
        ASSERT_TRUE(std::equal(fresh->links.row(row), fresh->links.row(row) + fresh->links.length(row),
                               edited->links.row(row)))
            << row;
}

TEST(Trees, are_built_once_for_all_copies_of_a_scene) {
    const Level level = walled_floor();
    const auto tree = tree_of(level, stands_in_bake, 1);
    Level lit = level;
    lit.lights[0].color = {1, 2, 3};
    lit.materials[0].base_color = {0.1f, 0.2f, 0.3f};
    EXPECT_EQ(tree_of(lit, stands_in_bake, 1), tree);
    EXPECT_EQ(tree_of(level, stands_still, 1), tree) << "the same surfaces";
    Level moving = level;
    moving.surfaces[2].to_world.origin = {0, 1, 0};
    EXPECT_EQ(tree_of(moving, stands_in_bake, 1), tree) << "what moves is in no tree";
    EXPECT_NE(tree_of(
                  moving, [](const Surface&) { return true; }, 1),
              tree);

    Level moved = level;
    moved.surfaces[1].to_world.origin = {0.1f, 0, 0};
    const auto other = tree_of(moved, stands_in_bake, 1);
    EXPECT_NE(other, tree);
    const Ray ray{{2, 0.5f, 0}, {-1, 0, 0}};
    EXPECT_NEAR(tree->rays().closest(ray).distance, 1.6f, 1e-5f);
    EXPECT_NEAR(other->rays().closest(ray).distance, 1.5f, 1e-5f);
    Level thin = level;
    thin.materials[1].transmission = 0.5f;
    EXPECT_NE(tree_of(thin, stands_in_bake, 1), tree);
    EXPECT_EQ(tree_of(level, stands_in_bake, 1), tree) << "still there";
}

TEST(Trees, live_on_their_own_and_no_longer_than_their_scene) {
    std::weak_ptr<const SceneTree> kept;
    std::shared_ptr<const SceneTree> held;
    {
        const Level level = walled_floor();
        held = tree_of(level, stands_in_bake, 1);
        kept = tree_of(
            level, [](const Surface& s) { return s.name == "ground"; }, 1);
        EXPECT_FALSE(kept.expired());
    }
    EXPECT_TRUE(kept.expired());
    EXPECT_NEAR(held->rays().closest({{2, 0.5f, 0}, {-1, 0, 0}}).distance, 1.6f, 1e-5f);
}

}  // namespace
}  // namespace test::stages_tests
