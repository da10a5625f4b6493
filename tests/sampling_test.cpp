// What the estimators rest on: the sequences, the directions, the choice of points on emitters. These are the
// parts whose defects hide in noise, so they are tested by themselves.

#include <gtest/gtest.h>

#include <set>

#include "as_built.hpp"
#include "base/random.hpp"
#include "base/text.hpp"
#include "light/direct.hpp"
#include "support.hpp"
#include "transport/links.hpp"
#include "transport/solve.hpp"

namespace test::sampling_tests {
namespace {

TEST(Sobol, every_prefix_of_a_power_of_two_fills_its_elementary_intervals_once) {
    for (const std::uint32_t seed : {1u, 77u, 0xdeadbeefu})
        for (const std::uint32_t bits : {4u, 6u, 8u})
            for (std::uint32_t columns_bits = 0; columns_bits <= bits; ++columns_bits) {
                const std::uint32_t columns = 1u << columns_bits, rows = 1u << (bits - columns_bits);
                std::set<std::uint32_t> cells;
                for (std::uint32_t i = 0; i < (1u << bits); ++i) {
                    const Vec2 p = sobol_point(seed, i);
                    ASSERT_TRUE(p.x >= 0 && p.x < 1 && p.y >= 0 && p.y < 1);
                    cells.insert(static_cast<std::uint32_t>(p.x * static_cast<float>(columns)) * rows +
                                 static_cast<std::uint32_t>(p.y * static_cast<float>(rows)));
                }
                EXPECT_EQ(cells.size(), 1u << bits) << columns << " by " << rows;
            }
}

TEST(Sobol, the_table_and_the_function_are_one_sequence_and_seeds_differ) {
    for (const std::uint32_t i : {0u, 1u, 5u, 1023u}) EXPECT_EQ(sobol_table[i], sobol_reversed(i));
    int same = 0;
    for (std::uint32_t seed = 0; seed < 1000; ++seed)
        same += sobol_point(seed, 3) == sobol_point(seed + 1, 3) ? 1 : 0;
    EXPECT_LE(same, 1);
}

TEST(Directions, have_the_densities_they_are_said_to_have) {
    Vec3 cosine, sphere, cone;
    const int n = 4096;
    const float gap = 0.2f;
    for (std::uint32_t i = 0; i < n; ++i) {
        const Vec2 u = sobol_point(5, i);
        for (const Vec3 w : {cosine_direction(u), sphere_direction(u), cone_direction(u, gap)})
            ASSERT_NEAR(length(w), 1, 1e-5f);
        cosine = cosine + cosine_direction(u);
        sphere = sphere + sphere_direction(u);
        cone = cone + cone_direction(u, gap);
        ASSERT_GE(cone_direction(u, gap).z, 1 - gap - 1e-6f);
    }
    // Means: 2/3 up for density cos / pi, 0 for the sphere, half way to the rim for a cone.
    EXPECT_NEAR(cosine.z / n, 2.0f / 3, 1e-3f);
    EXPECT_NEAR(cosine.x / n, 0, 2e-3f);
    EXPECT_NEAR(sphere.z / n, 0, 1e-3f);
    EXPECT_NEAR(sphere.y / n, 0, 2e-3f);
    EXPECT_NEAR(cone.z / n, 1 - gap / 2, 1e-3f);
}

TEST(Directions, sine_and_cosine_are_good_to_a_few_units_of_the_last_place) {
    for (int i = 0; i <= 4000; ++i) {
        const float u = static_cast<float>(i) / 4000;
        float s, c;
        sincos_turn(u, s, c);
        EXPECT_NEAR(s, std::sin(2 * 3.14159265358979 * static_cast<double>(u)), 4e-7);
        EXPECT_NEAR(c, std::cos(2 * 3.14159265358979 * static_cast<double>(u)), 4e-7);
    }
}

TEST(Glob, matches_as_in_a_shell) {
    for (const auto& [pattern, text, expected] : {std::tuple{"*", "", true},
                                                  {"lamp_*", "lamp_3", true},
                                                  {"lamp_?", "lamp_12", false},
                                                  {"*_a_*b", "x_a_yb_ab", true},
                                                  {"a", "A", false},
                                                  {"*x", "xxxy", false},
                                                  {"", "a", false}})
        EXPECT_EQ(glob_match(pattern, text), expected) << pattern << " ~ " << text;
    EXPECT_TRUE(glob_match("*a*a*a*a*a*a*a*a*b", std::string(2000, 'a') + "b")) << "and ends";
}

/// A level whose only light are two small panels of different brightness over a floor.
Level two_panels() {
    Level level;
    add_floor(level, 4);
    add_quad(level, "near", {-0.5f, 1, -0.5f}, {0.5f, 1, -0.5f}, {0.5f, 1, 0.5f}, {-0.5f, 1, 0.5f}, {},
             {100, 100, 100});
    add_quad(level, "far", {1, 3, -0.5f}, {2, 3, -0.5f}, {2, 3, 0.5f}, {1, 3, 0.5f}, {}, {900, 900, 900});
    complete_level(level);
    return level;
}

/// A hundred lamps scattered over a hall, some out of reach of the middle.
std::vector<SourceBounds> scattered(int count) {
    std::vector<SourceBounds> sources;
    RandomStream random(7, 3);
    for (int i = 0; i < count; ++i) {
        const Vec3 p{random.next() * 40 - 20, random.next() * 6 - 1, random.next() * 40 - 20};
        sources.push_back({.low = p, .high = p, .emit = pi, .power = 10 + 90 * random.next()});
        if (i % 4 == 0) sources.back().range = 3;
        if (i % 5 == 0) {
            sources.back().cone = 0;
            sources.back().emit = 0.6f;
            sources.back().axis = sphere_direction(random.next2());
        }
    }
    return sources;
}

TEST(LightTree, every_source_that_can_light_a_receiver_lies_in_one_part_and_is_chosen_in_proportion) {
    const std::vector<SourceBounds> sources = scattered(100);
    const LightTree tree(sources);
    const Receiver r = surface_receiver({1, 0, 2}, {0, 1, 0}, {0, 1, 0});
    LightTree::Cut cut;
    tree.cut(r, {.samples = 16, .cut = 12, .error = 0}, cut);
    ASSERT_GT(cut.parts.size(), 6u);
    ASSERT_LE(cut.parts.size(), 12u);
    std::vector<double> likelihood(sources.size(), 0.0);
    const int n = 4096;
    for (const LightTree::Part& part : cut.parts)
        for (int i = 0; i < n; ++i) {
            float chance = 0;
            const std::uint32_t s = tree.choose(part.node, r, (static_cast<float>(i) + 0.5f) / n, chance);
            if (s == none) continue;
            likelihood[s] += 1.0 / n;
            ASSERT_GT(chance, 0);
        }
    std::size_t reached = 0;
    for (std::size_t i = 0; i < sources.size(); ++i) {
        const SourceBounds& s = sources[i];
        const Vec3 to = s.low - r.position, w = normalize(to);
        const bool can = w.y > 0 && !(s.range > 0 && length(to) >= s.range) &&
                         !(s.emit < pi && dot(s.axis, -w) < std::cos(s.emit));
        if (can) {
            ++reached;
            EXPECT_GT(likelihood[i], 0) << "source " << i << " is never looked at";
        } else {
            EXPECT_EQ(likelihood[i], 0) << "source " << i << " cannot light the receiver and costs rays";
        }
    }
    EXPECT_GT(reached, 20u);
}

TEST(LightTree, choices_add_up_to_the_whole_whatever_the_cut) {
    const std::vector<SourceBounds> sources = scattered(300);
    const LightTree tree(sources);
    const Receiver r{.position = {0, 1, 0}, .normal = {}, .face_normal = {}, .in_air = true};
    const auto light = [&](std::uint32_t s) {
        const Vec3 to = sources[s].low - r.position;
        const float d = length(to);
        if (sources[s].range > 0 && d >= sources[s].range) return 0.0f;
        if (sources[s].emit < pi && dot(sources[s].axis, -normalize(to)) < std::cos(sources[s].emit))
            return 0.0f;
        return sources[s].power / (d * d);
    };
    double truth = 0;
    for (std::uint32_t s = 0; s < sources.size(); ++s) truth += static_cast<double>(light(s));
    for (const int size : {1, 4, 16, 64, 400}) {
        LightTree::Cut cut;
        tree.cut(r, {.samples = 1, .cut = size, .error = 0}, cut);
        double sum = 0;
        const int n = size == 1 ? 65536 : 8192;
        for (const LightTree::Part& part : cut.parts)
            for (int i = 0; i < n; ++i) {
                float chance = 1;
                const std::uint32_t s = tree.choose(part.node, r, (static_cast<float>(i) + 0.5f) / n, chance);
                if (s != none) sum += static_cast<double>(light(s) / chance) / n;
            }
        EXPECT_NEAR(sum, truth, 0.01 * truth) << "cut of " << size;
    }
}

TEST(Sources, samples_of_a_triangle_by_solid_angle_and_by_area_agree) {
    EmissiveTriangle t{.a = {-0.4f, 1, -0.3f},
                       .ab = {0.9f, 0.1f, 0.1f},
                       .ac = {0.2f, 0.3f, 0.8f},
                       .normal = {},
                       .two_sided = true,
                       .u = {1, 0},
                       .v = {0, 1}};
    t.normal = normalize(cross(t.ab, t.ac));
    t.area = 0.5f * length(cross(t.ab, t.ac));
    const auto mean = [&](float radius, Vec3 at) {
        t.radius = radius;  // decides which way is taken
        const Receiver r = surface_receiver(at, {0, 1, 0}, {0, 1, 0});
        double sum = 0;
        const int n = 1 << 16;
        for (std::uint32_t i = 0; i < n; ++i) {
            const SourceSample s = TriangleView(t, r).draw(sobol_point(5, i));
            if (!(s.distance > 0)) continue;
            const Vec3 hit = t.a + t.ab * s.barycentric.x + t.ac * s.barycentric.y;
            EXPECT_LT(length(hit - (r.position + s.direction * s.distance)), 2e-3f);
            sum += static_cast<double>(s.light.g * r.weight(s.direction)) / n;
        }
        return sum;
    };
    for (const Vec3 at : {Vec3{0, 0, 0}, Vec3{0.3f, 0.7f, 0.1f}, Vec3{1.5f, 0.2f, -1}}) {
        const double by_angle = mean(1, at), by_area = mean(1e-6f, at);
        EXPECT_NEAR(by_angle, by_area, 0.01 * by_area) << at.x;
    }
}

TEST(SkyLight, samples_have_the_density_that_is_reported_and_share_with_the_rays) {
    Sky sky{.kind = SkyKind::image, .radiance = {1, 1, 1}, .width = 64, .height = 32};
    sky.turn = 0.7f;
    std::vector<Rgb> pixels;
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x) {
            const float v = x > 40 && x < 46 && y > 8 && y < 13 ? 5000.0f : 100.0f + static_cast<float>(x);
            pixels.push_back({v, v, v});
        }
    sky.pixels = pixels;
    const SkyLight light(sky);
    ASSERT_TRUE(light.sampled());
    // Direct samples and evenly spread rays, weighed, give the whole sky together.
    const SkyWeights weights{16, 64};
    const float even = 1 / (4 * pi);
    double sum = 0, truth = 0;
    int astray = 0;
    const int n = 1 << 16;
    for (std::uint32_t i = 0; i < n; ++i) {
        const SkyLight::Sample s = light.sample(sobol_point(3, i));
        // A sample on the very border of a cell may be read back from its neighbour.
        astray += s.density == light.density(s.direction) && s.radiance == light.radiance(s.direction) &&
                          s.radiance == sky_radiance(sky, s.direction)
                      ? 0
                      : 1;
        ASSERT_NEAR(length(s.direction), 1, 1e-5f);
        sum += static_cast<double>(s.radiance.g * weights.direct_weight(s.density, even) / s.density) / n;
        const Vec3 w = sphere_direction(sobol_point(4, i));
        sum += static_cast<double>(light.radiance(w).g * weights.gathered_weight(light.density(w), even) /
                                   even) /
               n;
    }
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x)
            truth += (std::cos(y * 3.14159265 / 32) - std::cos((y + 1) * 3.14159265 / 32)) * 2 * 3.14159265 /
                     64 * static_cast<double>(pixels[static_cast<std::size_t>(y) * 64 + x].g);
    EXPECT_NEAR(sum, truth, 0.01 * truth);
    EXPECT_LT(astray, n / 5000);
    EXPECT_FALSE(SkyLight(Sky{.radiance = {5, 5, 5}}).sampled()) << "an even sky is left to the rays";
}

TEST(SkyLight, the_two_ways_to_find_it_share_every_direction_fully) {
    const SkyWeights weights{16, 64};
    for (const float light : {0.0f, 0.01f, 1.0f, 500.0f})
        for (const float gather : {0.001f, 0.3f})
            EXPECT_NEAR(weights.direct_weight(light, gather) + weights.gathered_weight(light, gather), 1,
                        1e-6f);
    EXPECT_EQ(weights.gathered_weight(0, 0.3f), 1) << "what direct sampling cannot reach is left to the rays";
}

TEST(Links, a_longer_row_begins_with_the_shorter_one) {
    Level level = two_panels();
    level.materials.back().transmission = 0.5f;
    level.materials.back().emission = {};
    level.materials.back().base_color = {0.9f, 0.4f, 0.1f};
    Job job;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface&) { return true; });
    const Atlas atlas = unwrap(level, 1, job);
    const TexelSet texels = place_texels(level, atlas, job);
    const RowSource rows = texel_rows(level, texels, 1);
    Links steps, once;
    const TracedLevel traced{level, caster, texels};
    std::vector<std::uint32_t> lengths(rows.size(), 64);
    extend_links(traced, {rows, lengths}, steps, job);
    const Links shorter = steps;
    for (std::size_t i = 0; i < lengths.size(); i += 3) lengths[i] = 256;
    extend_links(traced, {rows, lengths}, steps, job);
    extend_links(traced, {rows, lengths}, once, job);
    std::size_t tints = 0;
    for (std::size_t row = 0; row < rows.size(); ++row) {
        ASSERT_EQ(steps.length(row), lengths[row]);
        ASSERT_EQ(once.length(row), lengths[row]);
        ASSERT_EQ(steps.back(row), once.back(row));
        ASSERT_EQ(steps.far(row), once.far(row));
        ASSERT_TRUE(std::equal(steps.row(row), steps.row(row) + lengths[row], once.row(row)));
        ASSERT_TRUE(std::equal(shorter.row(row), shorter.row(row) + 64, once.row(row)));
        const auto a = steps.tints_of(row), b = once.tints_of(row);
        ASSERT_EQ(a.size(), b.size());
        for (std::size_t i = 0; i < a.size(); ++i) {
            ASSERT_EQ(a[i].link, b[i].link);
            ASSERT_EQ(a[i].tint, b[i].tint);
        }
        tints += a.size();
    }
    EXPECT_GT(tints, 100u);
}

TEST(Links, words_name_the_texel_that_a_ray_of_that_direction_meets) {
    const Level level = two_panels();
    Job job;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface&) { return true; });
    const Atlas atlas = unwrap(level, 1, job);
    const TexelSet texels = place_texels(level, atlas, job);
    const RowSource rows = texel_rows(level, texels, 1);
    Links links;
    const std::vector<std::uint32_t> lengths(rows.size(), 64);
    extend_links({level, caster, texels}, {rows, lengths}, links, job);
    int met = 0;
    for (std::size_t row = 0; row < rows.size(); row += 17)
        for (std::uint32_t k = 0; k < 64; ++k) {
            const std::uint32_t word = links.row(row)[k];
            const Hit hit = caster.closest({rows.receivers[row].position, row_direction(rows, row, k)});
            if (hit.surface == none) {
                EXPECT_EQ(word, sky_word);
            } else if (hit.back) {
                EXPECT_EQ(word, absorbed_word);
            } else {
                ASSERT_LT(word, texels.size());
                // Within a texel's diagonal, 1/16 m times the root of 2 and a little.
                EXPECT_LT(length(texels.position[word] - caster.place(hit).position), 0.1f);
                ++met;
            }
        }
    EXPECT_GT(met, 1000);
}

TEST(Hits, depend_on_the_ray_alone_and_not_on_the_rest_of_the_level) {
    // Two faces in one place, and a level that has more far away, so that the kernel's tree is another.
    Level level = two_panels();
    Surface twin = level.surfaces.front();
    twin.name = "twin";
    level.surfaces.push_back(twin);
    Level larger = level;
    for (int i = 0; i < 9; ++i) {
        Surface far = level.surfaces[static_cast<std::size_t>(i) % level.surfaces.size()];
        far.name = "far " + std::to_string(i);
        far.to_world.origin = far.to_world.origin + Vec3{300.0f + 7 * static_cast<float>(i), 40, 9};
        larger.surfaces.push_back(far);
    }
    const TextureSet textures(level), more(larger);
    const RayCaster caster(level, textures, [](const Surface&) { return true; }),
        other(larger, more, [](const Surface&) { return true; });
    constexpr std::uint32_t count = 64;
    std::array<Vec3, count> directions;
    std::array<std::uint8_t, count> order, backwards;
    std::array<std::uint32_t, count> numbers;
    std::array<Hit, count> a, b;
    std::array<Rgb, count> tints;
    for (std::uint32_t k = 0; k < count; ++k) {
        order[k] = static_cast<std::uint8_t>(k);
        backwards[k] = static_cast<std::uint8_t>((k * 29 + 11) % count);
        numbers[k] = k;
    }
    int met = 0, first = 0;
    for (std::uint32_t row = 0; row < 2000; ++row) {
        const Vec2 at = sobol_point(7, row);
        const Vec3 origin{2 * at.x - 1, 0.5f + at.y, 0.3f};
        for (std::uint32_t k = 0; k < count; ++k) directions[k] = sphere_direction(sobol_point(row, k));
        caster.gathered_batch({origin, directions, order.data(), row, numbers.data()}, a.data(),
                              tints.data());
        other.gathered_batch({origin, directions, backwards.data(), row, numbers.data()}, b.data(),
                             tints.data());
        for (std::uint32_t k = 0; k < count; ++k) {
            if (b[k].surface != none && b[k].surface >= level.surfaces.size()) continue;
            ASSERT_EQ(a[k].surface, b[k].surface);
            ASSERT_EQ(a[k].triangle, b[k].triangle);
            ASSERT_EQ(a[k].distance, b[k].distance);
            ASSERT_TRUE(a[k].u == b[k].u && a[k].v == b[k].v);
            met += a[k].surface != none ? 1 : 0;
            first += a[k].surface == 0 ? 1 : 0;
            ASSERT_NE(a[k].surface, level.surfaces.size() - 1) << "of two in one place the first is met";
        }
    }
    EXPECT_GT(met, 10000);
    EXPECT_GT(first, 1000);
}

TEST(Hits, on_the_line_of_a_walls_foot_stay_on_the_side_the_ray_came_from) {
    // A ground parted along sheets that stand on it: walls and ground share no corners, so that rounding
    // alone says what a ray meets that is aimed at the line.
    Level level = as_built("sheets", 4, true);
    Job job;
    level.lightmap.cut = Cut::automatic;
    part_surfaces(level, job);
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface&) { return true; });
    constexpr std::uint32_t count = 64;
    std::array<Vec3, count> directions;
    std::array<std::uint8_t, count> order;
    std::array<std::uint32_t, count> numbers;
    std::array<Hit, count> hits;
    std::array<Rgb, count> tints;
    for (std::uint32_t k = 0; k < count; ++k) {
        order[k] = static_cast<std::uint8_t>(k);
        numbers[k] = k;
    }
    int inside = 0, outside = 0;
    for (std::uint32_t row = 0; row < 4000; ++row) {
        const Vec2 at = sobol_point(11, row);
        const Vec3 origin{3.8f * at.x - 1.9f, 0.2f + 2 * unit_float(combine_bits(row, 3)),
                          3.8f * at.y - 1.9f};
        for (std::uint32_t k = 0; k < count; ++k) {
            const float along = 3.9f * unit_float(combine_bits(row, k)) - 1.95f, off = k % 2 ? -2.0f : 2.0f;
            directions[k] = normalize((k % 4 < 2 ? Vec3{along, 0, off} : Vec3{off, 0, along}) - origin);
        }
        caster.gathered_batch({origin, directions, order.data(), row, numbers.data()}, hits.data(),
                              tints.data());
        for (std::uint32_t k = 0; k < count; ++k) {
            Hit one = hits[k];
            for (int way = 0; way < 2; ++way) {
                bool left = one.surface == none;
                if (!left) {
                    const RayCaster::Corners c = caster.corners(one.surface, one.triangle);
                    const Vec3 middle = (c.a + c.b + c.c) * (1.0f / 3);
                    left = std::max(std::abs(middle.x), std::abs(middle.z)) > 2.001f;
                }
                (left ? outside : inside) += 1;
                Rgb tint;
                one = caster.gathered({origin, directions[k]}, gather_seed(row, k), tint);
            }
        }
    }
    EXPECT_EQ(outside, 0) << "of " << inside;
}

TEST(Boxes, are_met_by_rays_that_have_a_point_in_them) {
    const Box box{{-1, 2, 0.5f}, {0.5f, 3, 2}};
    int met = 0, missed = 0;
    for (std::uint32_t i = 0; i < 20000; ++i) {
        const Vec2 p = sobol_point(1, i), q = sobol_point(2, i);
        const Vec3 origin{3 * p.x - 1.7f, 3 * p.y + 1, 3 * q.x - 0.3f},
            way = sphere_direction(sobol_point(3, i));
        const float far = 6 * q.y;
        bool inside = false;
        for (int s = 0; s <= 400; ++s)
            inside = inside || box.holds(origin + way * (far * static_cast<float>(s) / 400));
        const bool meets = box.meets(origin, way, far);
        ASSERT_TRUE(meets || !inside);
        // A corner may be cut between two of the looks, but not from further than they are apart.
        if (meets && !inside) {
            bool close = false;
            for (int s = 0; s <= 400; ++s)
                close = close || box.grown(0.02f).holds(origin + way * (far * static_cast<float>(s) / 400));
            ASSERT_TRUE(close);
        }
        met += meets ? 1 : 0;
        missed += meets ? 0 : 1;
    }
    EXPECT_GT(met, 1000);
    EXPECT_GT(missed, 1000);
    EXPECT_TRUE(box.meets({-2, 2.5f, 1}, {1, 0, 0}, 1)) << "a touch counts";
    EXPECT_FALSE(box.meets({-2, 2.5f, 1}, {1, 0, 0}, 0.99f));
    EXPECT_FALSE(box.reaches_over({0, 3.1f, 1}, {0, 1, 0}));
    EXPECT_TRUE(box.reaches_over({0, 2.9f, 1}, {0, 1, 0}));
}

TEST(LightTree, tells_every_box_that_a_shadow_ray_may_pass_through) {
    std::vector<SourceBounds> sources;
    for (std::uint32_t i = 0; i < 40; ++i) {
        const Vec2 p = sobol_point(5, i), q = sobol_point(6, i);
        const Vec3 low{10 * p.x - 5, 2 + p.y, 10 * q.x - 5};
        sources.push_back({.low = low, .high = low + Vec3{0.3f, 0.1f, 0.4f} * q.y, .cone = pi, .power = 1});
    }
    const LightTree tree(sources);
    int passed = 0, free = 0;
    for (std::uint32_t i = 0; i < 3000; ++i) {
        const Vec2 p = sobol_point(8, i), q = sobol_point(9, i), s = sobol_point(10, i);
        const Receiver r = surface_receiver({10 * p.x - 5, 0, 10 * p.y - 5}, {0, 1, 0}, {0, 1, 0});
        const Vec3 low{10 * q.x - 5, 0.3f + q.y, 10 * s.x - 5};
        const Box box{low, low + Vec3{0.5f, 0.4f, 0.3f} * s.y};
        constexpr float reach = 0.1f;
        bool through = false;
        for (std::uint32_t k = 0; k < 8; ++k)
            for (const SourceBounds& source : sources) {
                const Vec2 u = sobol_point(11, k), v = sobol_point(12, k);
                const Vec3 from = r.position + Vec3{2 * u.x - 1, 0, 2 * u.y - 1} * (reach * 0.7f),
                           size = source.high - source.low,
                           to = source.low + Vec3{size.x * v.x, size.y * v.y, size.z * u.x}, way = to - from;
                through = through || box.meets(from, normalize(way), length(way));
            }
        const bool passes = tree.passes(r, reach, 0, box);
        ASSERT_TRUE(passes || !through) << i;
        passed += passes ? 1 : 0;
        free += passes ? 0 : 1;
    }
    EXPECT_GT(passed, 300);
    EXPECT_GT(free, 300) << "else nothing would be saved";
}

TEST(Solver, sums_the_series_of_a_matrix_that_is_known) {
    // Three rows: 0 sees 1 and the sky, 1 sees 0 and 2, 2 sees nothing that sends.
    const Links links({{1, sky_word}, {0, 2}, {absorbed_word, lost_word}});
    const std::vector<Rgb> albedo = {{0.5f, 0.5f, 0.5f}, {0.8f, 0.4f, 0}, {0.5f, 0.5f, 0.5f}};
    LightField sources(3, 1);
    sources.add(0, 0, {100, 100, 100});
    sources.add(2, 0, {40, 40, 40});
    Job job;
    const RowLengths lengths{.first = 2};
    const Transport transport{links, lengths, albedo};
    const SolveResult settled = solve_bounces(transport, sources, std::nullopt, job);
    // E0 = 100 + a1 E1 / 2, E1 = a0 E0 / 2 + a2 E2 / 2, E2 = 40.
    for (const auto& [channel, a1] : {std::pair{0, 0.8f}, {1, 0.4f}, {2, 0.0f}}) {
        const float e1 = (25 + 10) / (1 - a1 / 8), e0 = 100 + a1 * e1 / 2;
        EXPECT_NEAR(settled.light.values[static_cast<std::size_t>(channel)], e0, e0 * 0.002f);
        EXPECT_NEAR(settled.light.values[settled.light.stride + static_cast<std::size_t>(channel)], e1,
                    e1 * 0.002f);
    }
    EXPECT_EQ(solve_bounces(transport, sources, 0, job).light.values, sources.values);
    const SolveResult one = solve_bounces(transport, sources, 1, job);
    EXPECT_NEAR(one.light.get(1, 0).r, 35, 0.05f);
    EXPECT_EQ(one.bounces, std::vector<int>{1});
}

}  // namespace
}  // namespace test::sampling_tests
