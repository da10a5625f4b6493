// Guided links: where they go, what they count, and what they are for.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "probe_twins.hpp"
#include "support.hpp"
#include "transport/guided_links.hpp"

namespace test::guided_tests {
namespace {

constexpr Rgb grey{0.6f, 0.6f, 0.6f};

/// Rows over a floor, each with a seed of its own.
RowSource floor_rows(std::size_t count) {
    RowSource rows;
    for (std::uint32_t i = 0; i < count; ++i) {
        rows.receivers.push_back(surface_receiver({0, 0, 0}, {0, 1, 0}, {0, 1, 0}));
        rows.seeds.push_back(mix_bits(i));
    }
    return rows;
}

/// A guide with rays in two cells, in one of them nearly all in one part.
GuideSet two_cells() {
    DirectionGuide::Parts even, pointed;
    even.fill(10);
    pointed.fill(2);
    pointed[6] = 90;
    const GuidedCell cells[] = {{9, 5, even}, {77, 3, pointed}};
    GuideSet set;
    set.add(cells);
    return set;
}

/// Guided links of all rows by one guide, as a light of which `bright` of the square is 1 and the rest 0 is
/// met by them: texel 0 is bright, texel 1 dark.
struct Gathered {
    RowSource rows;
    Links links;
    GuidedLinks guided;
};
template <class Bright>
Gathered gathered(std::size_t count, std::uint32_t length, const GuideSet& set, Bright bright) {
    Gathered g;
    g.rows = floor_rows(count);
    g.guided.source = floor_rows(count);
    g.guided.source.guides = set;
    g.guided.source.guide.assign(count, 0);
    for (std::uint32_t& seed : g.guided.source.seeds) seed = combine_bits(seed, 1);
    const auto words = [&](const RowSource& source, std::uint32_t rays, std::vector<std::uint16_t>* parts) {
        std::vector<std::vector<std::uint32_t>> all(count);
        for (std::size_t row = 0; row < count; ++row)
            for (std::uint32_t from = 0; from < rays; from += direction_batch) {
                alignas(32) float x[direction_batch], y[direction_batch];
                const std::uint32_t some = std::min(direction_batch, rays - from);
                fill_unit_points({source, row}, numbers_from(from), some, x, y);
                for (std::uint32_t k = 0; k < some; ++k) {
                    all[row].push_back(bright(x[k], y[k]) ? 0 : 1);
                    if (parts) parts->push_back(part_at(x[k], y[k]));
                }
            }
        return all;
    };
    g.links = Links(words(g.rows, length, nullptr));
    const std::uint32_t rays = set.rays(0);
    g.guided.links = Links(words(g.guided.source, rays, &g.guided.part));
    for (std::uint32_t i = 0; i <= count; ++i) {
        g.guided.first.push_back(std::uint64_t{i} * rays);
        if (i < count) g.guided.row.push_back(i);
    }
    g.guided.number = g.guided.row;
    return g;
}

struct MeanAndError {
    double mean = 0, error = 0;
};
template <class Value>
MeanAndError over_rows(std::size_t count, Value value) {
    double sum = 0, squares = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double v = value(i);
        sum += v;
        squares += v * v;
    }
    const double n = static_cast<double>(count), mean = sum / n;
    return {mean, std::sqrt(std::max(0.0, squares / n - mean * mean))};
}

TEST(Guides, cells_have_as_many_of_the_evenly_spread_rays_each) {
    const RowSource rows = floor_rows(50);
    const Links none_traced;
    RowParts parts({rows, none_traced});
    for (std::size_t row = 0; row < rows.size(); ++row)
        for (const std::uint32_t length : {128u, 256u, 512u}) {
            std::array<std::uint32_t, DirectionGuide::cells> count{};
            for (const std::uint16_t p : parts.of(row, length)) ++count[p / DirectionGuide::parts];
            for (const std::uint32_t c : count) ASSERT_EQ(c, length / 128) << row;
        }
}

TEST(Guides, rays_go_to_their_cells_and_parts_as_often_as_the_guide_says) {
    const GuideSet set = two_cells();
    GuideReader guide(set, 0);
    std::size_t in_part = 0, in_cell = 0;
    for (std::uint32_t seed = 0; seed < 2000; ++seed)
        for (std::uint32_t k = 0; k < 8; ++k) {
            float x = 0, y = 0;
            guide.point(k, mix_bits(seed), x, y);
            const std::uint16_t part = part_at(x, y);
            ASSERT_EQ(part / DirectionGuide::parts, k < 5 ? 9u : 77u);
            in_cell += k >= 5 ? 1 : 0;
            in_part += k >= 5 && part % DirectionGuide::parts == 6 ? 1 : 0;
            float again_x = 0, again_y = 0;
            GuideReader(set, 0).point(k, mix_bits(seed), again_x, again_y);
            ASSERT_TRUE(again_x == x && again_y == y) << "in any order";
        }
    EXPECT_NEAR(static_cast<double>(in_part) / static_cast<double>(in_cell), 90.0 / 120, 0.02);
}

/// Of a row what its links see of what is bright: the evenly spread ones by themselves, and with guided ones.
double plain_mean(const Gathered& g, std::size_t row) {
    return static_cast<double>(std::count(g.links.row(row), g.links.row(row) + 128, 0u)) / 128;
}
double guided_mean(const Gathered& g, RowParts& parts, std::size_t row) {
    double sum = plain_mean(g, row);
    for_guided(g.guided, row, parts, 128, [&](const WeighedLink& l, auto&&) {
        sum += l.word == 0 ? static_cast<double>(l.weight - l.plain) : 0;
    });
    return sum;
}

TEST(Guides, weights_keep_the_mean_and_take_the_noise) {
    // A small bright thing in one of the cells, one in a cell without rays, and half of the square.
    const GuideSet set = two_cells();
    const auto at = [](std::uint32_t cell, float u, float v) {
        return Vec2{(static_cast<float>(cell % DirectionGuide::columns) + u) / DirectionGuide::columns,
                    (static_cast<float>(cell / DirectionGuide::columns) + v) / DirectionGuide::lines};
    };
    const auto inside = [&](std::uint32_t cell, float x, float y) {
        const Vec2 low = at(cell, 0.5f, 0.25f), high = at(cell, 0.75f, 0.5f);
        return x >= low.x && x < high.x && y >= low.y && y < high.y;
    };
    struct Case {
        const char* name;
        std::function<bool(float, float)> bright;
        double truth, most_noise;
    };
    constexpr double cell = 1.0 / 128;
    for (const Case& c :
         {Case{"in the pointed cell", [&](float x, float y) { return inside(77, x, y); }, cell / 16, 0.45},
          Case{"in the even cell", [&](float x, float y) { return inside(9, x, y); }, cell / 16, 0.55},
          Case{"elsewhere", [&](float x, float y) { return inside(40, x, y); }, cell / 16, 1.01},
          Case{"half of all", [](float x, float) { return x < 0.5f; }, 0.5, 1e9}}) {
        constexpr std::size_t rows = 20000;
        const Gathered g = gathered(rows, 128, set, c.bright);
        RowParts parts({g.rows, g.links});
        const MeanAndError guided =
            over_rows(rows, [&](std::size_t row) { return guided_mean(g, parts, row); });
        const MeanAndError plain = over_rows(rows, [&](std::size_t row) { return plain_mean(g, row); });
        EXPECT_NEAR(guided.mean, c.truth, 4 * guided.error / std::sqrt(rows) + 1e-5) << c.name;
        EXPECT_LE(guided.error, c.most_noise * plain.error + 0.01) << c.name;
        if (c.most_noise < 1) {
            EXPECT_LT(guided.error, c.most_noise * plain.error) << c.name;
        }
    }
}

TEST(Guides, bounces_take_them_in) {
    const Gathered g = gathered(64, 128, two_cells(), [](float x, float y) { return x < 0.3f && y < 0.7f; });
    LightField sources(64, 1);
    sources.add(0, 0, {8, 4, 2});  // row 0 is also what bright words name
    Job job;
    const RowLengths lengths{.first = 128};
    const std::vector<Rgb> albedo(64, {0.5f, 0.5f, 0.5f});
    const GuidedLinks own[] = {g.guided};
    const AllGuided all{own, {g.rows, g.links}};
    const SolveResult plain = solve_bounces({g.links, lengths, albedo}, sources, 1, job),
                      guided = solve_bounces({g.links, lengths, albedo, &all}, sources, 1, job);
    RowParts parts({g.rows, g.links});
    for (std::uint32_t row = 1; row < 64; ++row) {
        const double sum = guided_mean(g, parts, row), evenly = plain_mean(g, row);
        EXPECT_NEAR(guided.light.get(row, 0).r, 4 * sum, 0.004);
        EXPECT_NEAR(plain.light.get(row, 0).r, 4 * evenly, 0.004);
    }
}

/// A bedroom with a window of 0.6 m and a door ajar to a sunlit room.
Level bedroom() {
    Level level = sunny_level(80000, 4000, 5);
    add_box(level, "slab", {-6, -0.3f, -6}, {6, 0, 6}, false, grey);
    add_box(level, "lid", {-6, 2.5f, -6}, {0, 2.8f, 6}, false, grey);
    add_box(level, "west", {-6, 0, -6}, {-5.8f, 2.5f, 6}, false, grey);
    add_box(level, "south", {-5.8f, 0, 5.8f}, {0, 2.5f, 6}, false, grey);
    add_box(level, "north", {-5.8f, 0, -6}, {0, 2.5f, -5.8f}, false, grey);
    // The east wall: a window of 0.6 m.
    add_box(level, "east a", {-0.2f, 0, -5.8f}, {0, 2.5f, 2}, false, grey);
    add_box(level, "east b", {-0.2f, 0, 2.6f}, {0, 2.5f, 5.8f}, false, grey);
    add_box(level, "sill", {-0.2f, 0, 2}, {0, 1.2f, 2.6f}, false, grey);
    add_box(level, "lintel", {-0.2f, 1.8f, 2}, {0, 2.5f, 2.6f}, false, grey);
    level.quality.tier = Tier::proof;
    complete_level(level);
    return level;
}

SLOW_TEST(Guides, light_of_a_small_window_has_no_bias_and_few_dots) {
    Level level = bedroom();
    Job job;
    part_surfaces(level, job);
    const auto texels = [&](int links, Denoise denoise) {
        Level l = level;
        l.quality.links = links;
        l.quality.denoise = denoise;
        Baker baker(l, job);
        baker.light(l, job);
        return baker.texels(0);
    };
    const auto ours = texels(0, Denoise::automatic), truth = texels(4096, Denoise::off);
    ASSERT_EQ(ours.size(), truth.size());
    std::size_t indoors = 0, over_20 = 0, over_50 = 0;
    double sum = 0, expected = 0;
    for (std::size_t i = 0; i < ours.size(); ++i) {
        const Vec3 p = truth[i].position;
        if (!ours[i].valid || !truth[i].valid || !ours[i].exported || p.x < -5.8f || p.x > -0.2f || p.y < 0 ||
            p.y > 2.5f || std::abs(p.z) > 5.8f || ours[i].position != truth[i].position)
            continue;
        const float light = luminance(truth[i].total), off = std::abs(luminance(ours[i].total) - light);
        ++indoors;
        over_20 += off > 0.2f * light ? 1 : 0;
        over_50 += off > 0.5f * light ? 1 : 0;
        sum += static_cast<double>(truth[i].area * luminance(ours[i].total));
        expected += static_cast<double>(truth[i].area * light);
    }
    ASSERT_GT(indoors, 4000u);
    EXPECT_LE(static_cast<double>(over_20), 0.04 * static_cast<double>(indoors));
    EXPECT_LE(static_cast<double>(over_50), 0.0015 * static_cast<double>(indoors));
    EXPECT_NEAR(sum / expected, 1, 0.01);
}

SLOW_TEST(Guides, light_of_a_small_window_reaches_probes_without_noise) {
    Level level = bedroom();
    std::vector<Vec3> places;
    for (float x = -5; x < -0.5f; x += 1)
        for (float z = -5; z <= 5; z += 1)
            for (const float y : {0.5f, 1.5f}) places.push_back({x, y, z});
    level.placed = places_of_twins(places);
    const Bake b = bake_level(level);
    std::vector<float> noise;
    for (const ProbeNoise& n : noise_of_twins(b.baked.sets[0].probes)) noise.push_back(n.noise);
    ASSERT_EQ(noise.size(), places.size());
    std::sort(noise.begin(), noise.end());
    const auto within = std::upper_bound(noise.begin(), noise.end(), 0.02f) - noise.begin();
    EXPECT_LT(noise[noise.size() / 2], 0.01f);
    EXPECT_GT(within, 88 * std::ssize(noise) / 100);
    EXPECT_LT(noise[95 * noise.size() / 100], 0.04f);
    // And as much light as rays into the result find, which have their own noise: 4096 to a place.
    WalkOptions walk;
    walk.step = 1;
    Job job;
    const auto steps = walk_probes({b.level, b.atlas},
                                   ViewLight{&b.baked.sets[0], &b.baked.probes, nullptr, nullptr, nullptr},
                                   {{-4, 1.5f, -5}, {-4, 1.5f, 5}, {-2, 1.5f, 5}, {-2, 1.5f, -5}}, walk, job);
    double ours = 0, exact = 0;
    for (const WalkStep& s : steps) {
        ours += static_cast<double>(luminance(s.probes));
        exact += static_cast<double>(luminance(s.exact));
    }
    EXPECT_NEAR(ours / exact, 1, 0.05);
}

}  // namespace
}  // namespace test::guided_tests
