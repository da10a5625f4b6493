// Bakes that are stopped in the middle of a stage, and go on.

#include <gtest/gtest.h>

#include "bake/sources.hpp"
#include "bake/unlit_level.hpp"
#include "shapes.hpp"
#include "stores.hpp"
#include "support.hpp"

namespace test::resume_tests {
namespace {

using namespace stasigraph;

/// A floor, a wall and lamps, each lamp a group of its own.
Level lamps_over_floor(int lamps) {
    Level level;
    add_floor(level, 4, {0.6f, 0.5f, 0.4f});
    add_quad(level, "wall", {-2, 0, -1}, {2, 0, -1}, {2, 2, -1}, {-2, 2, -1}, {0.8f, 0.3f, 0.2f});
    // It throws soft shadows.
    add_quad(level, "board", {-1.6f, 0.5f, 0}, {-1.0f, 0.5f, 0}, {-1.0f, 0.5f, 0.6f}, {-1.6f, 0.5f, 0.6f},
             {0.5f, 0.5f, 0.5f});
    level.materials.back().double_sided = true;
    for (int i = 0; i < lamps; ++i) {
        Light lamp{.name = "lamp " + std::to_string(i), .kind = LightKind::point, .color = {100, 90, 50}};
        lamp.position = {0.5f * static_cast<float>(i) - 1.5f, 1 + 0.1f * static_cast<float>(i), 0.3f};
        lamp.radius = 0.3f;
        lamp.group = group_index(level, lamp.name);
        level.lights.push_back(lamp);
    }
    level.lightmap = {.density = 12, .page = 256, .margin = 2};
    level.quality.tier = Tier::proof;
    complete_level(level);
    return level;
}

/// A memory that stops the job when so many blobs of a kind were saved, and counts those that were asked for.
struct StoppingStore {
    MemoryStore memory;
    std::string kind;
    Job* job = nullptr;
    int saved = 0, stop_at = 1, found = 0;

    BakeStore store() {
        BakeStore plain = memory.store();
        return {.load =
                    [this, plain](const std::string& name, Blob& blob) {
                        const bool there = plain.load(name, blob);
                        found += there && name.starts_with(kind) ? 1 : 0;
                        return there;
                    },
                .save =
                    [this, plain](const std::string& name, const std::vector<BlobPart>& parts) {
                        plain.save(name, parts);
                        if (name.starts_with(kind) && ++saved == stop_at && job) job->cancel();
                    },
                .drop = plain.drop};
    }
};

TEST(Resume, sampling_goes_on_wherever_it_was_stopped) {
    const Level level = lamps_over_floor(1);
    Job job;
    MemoryStore none_kept;
    const std::unique_ptr<UnlitLevel> made = make_unlit_level(level, nullptr, none_kept.store(), job);
    const UnlitLevel& ground = *made;
    const SkyLight sky(level.sky);
    const DirectLight light({level, ground.textures, ground.caster(), sky}, 0, BakeRole::whole);
    const RowSkyWeights weights;
    const DirectPass pass{.light = light,
                          .rows = ground.judged.rows,
                          .footprints = ground.judged.footprints,
                          .effort = light_effort(ground.tier, 0),
                          .weights = weights,
                          .seed = 7};
    const std::vector<float> nothing_besides;
    const LitTexels texels{ground.texels, ground.judged.states, nothing_besides};
    const DirectTexels whole = light_texels(pass, texels, job);
    int longest = 0;
    for (const std::uint8_t n : whole.longer) longest = std::max<int>(longest, n);
    ASSERT_GT(longest, 0) << "no penumbra that the third round is for";
    // After one slice of the first round, in the second, in the third, and after its last slice but one.
    int stopped = 0;
    for (const int at : {1, 9, 17, 20, 30, 35, 40, 45}) {
        StoppingStore store{.memory = {}, .kind = "part", .stop_at = at};
        const BakeStore kept = store.store();
        const KeptParts keep{kept, "part", std::chrono::milliseconds(0)};
        Job first;
        store.job = &first;
        DirectTexels done;
        try {
            done = light_texels(pass, texels, first, nullptr, &keep);
        } catch (const Cancelled&) {
            ++stopped;
            store.job = nullptr;
            const int before = store.saved;
            done = light_texels(pass, texels, job, nullptr, &keep);
            EXPECT_EQ(store.found, 1);
            EXPECT_LE(store.saved, 48 + 3);
            EXPECT_GE(store.saved, before);
        }
        EXPECT_TRUE(done.light == whole.light) << at;
        EXPECT_TRUE(done.pilot == whole.pilot && done.refinement == whole.refinement &&
                    done.longer == whole.longer)
            << at;
        EXPECT_EQ(done.least, whole.least);
    }
    EXPECT_GE(stopped, 6);
    // A part of another number of texels is not taken for this one's.
    StoppingStore other{.memory = {}, .kind = "part"};
    const BakeStore kept = other.store();
    kept.save("part", {});
    const KeptParts keep{kept, "part", std::chrono::milliseconds(1000000)};
    EXPECT_TRUE(light_texels(pass, texels, job, nullptr, &keep).light == whole.light);
}

TEST(Resume, the_solve_goes_on_after_any_bounce) {
    Numbers n(9);
    constexpr std::size_t rows = 3000, groups = 4;
    std::vector<std::vector<std::uint32_t>> words(rows);
    for (auto& row : words)
        for (int k = 0; k < 64; ++k) row.push_back(static_cast<std::uint32_t>(n.next() * rows));
    const Links links(words);
    const RowLengths lengths{.first = 64, .groups = groups, .log2_scale = {}};
    const std::vector<Rgb> albedo(rows, {0.7f, 0.6f, 0.5f});
    LightField sources(rows, groups);
    for (std::size_t i = 0; i < rows; ++i)
        for (std::size_t g = 0; g + 1 < groups; ++g) sources.add(i, g, {n.next(), n.next(), 0});
    // A group that settles long before the others, so that it is left out on the way.
    sources.add(0, groups - 1, {1e-6f, 0, 0});
    Job job;
    const Transport transport{links, lengths, albedo};
    const SolveResult whole = solve_bounces(transport, sources, {}, job);
    ASSERT_GT(whole.bounces[0], 8);
    for (int at = 1; at < whole.bounces[0]; at += 2) {
        StoppingStore store{.memory = {}, .kind = "part", .stop_at = at};
        const BakeStore kept = store.store();
        const SolveKept keep{kept, "part", std::chrono::milliseconds(0)};
        Job first;
        store.job = &first;
        EXPECT_THROW(solve_bounces(transport, sources, {}, first, &keep), Cancelled);
        store.job = nullptr;
        const SolveResult again = solve_bounces(transport, sources, {}, job, &keep);
        EXPECT_EQ(store.found, 1);
        EXPECT_TRUE(again.light.values == whole.light.values) << at;
        EXPECT_EQ(again.bounces, whole.bounces);
    }
}

TEST(Resume, smoothing_goes_on_after_the_groups_that_are_done) {
    const Level level = lamps_over_floor(7);
    Job job;
    Baker plain(level, job);
    const Baked whole = plain.light(level, job);
    StoppingStore store{.memory = {}, .kind = "smoothed-"};
    const auto made = [&](Job& by) {
        Baker baker(level, by, nullptr, store.store());
        return baker.light(level, by);
    };
    Job first;
    store.job = &first;
    EXPECT_THROW(made(first), Cancelled);
    ASSERT_EQ(store.saved, 1) << "five groups at a time";
    store.job = nullptr;
    const Baked again = made(job);
    EXPECT_EQ(store.found, 1);
    for (std::size_t p = 0; p < whole.sets[0].pages.size(); ++p)
        EXPECT_TRUE(whole.sets[0].pages[p].texels == again.sets[0].pages[p].texels);
    for (const auto& [name, blob] : store.memory.blobs)
        for (const char* kind : {"smoothed-", "sampling-", "asked-", "solved-", "judging-"})
            EXPECT_FALSE(name.starts_with(kind)) << name << " is kept elsewhere by now";
}

}  // namespace
}  // namespace test::resume_tests
