// Where links that brought much light say that it comes from.

#include "bake/bright_places.hpp"

#include <gtest/gtest.h>

#include "base/random.hpp"

using namespace stasigraph;

namespace {

constexpr Vec3 hole{0.7f, 5, -0.4f};

/// A link to the sky from somewhere on a floor of 4 x 4 m through a place somewhere beside `hole`.
BrightLink through_hole(std::uint32_t k, Vec3 wide) {
    const Vec2 from = sobol_point(1, k), at = sobol_point(2, k);
    BrightLink l;
    l.from = {4 * from.x - 2, 0, 4 * from.y - 2};
    const Vec3 to = hole + Vec3{wide.x * (at.x - 0.5f), 0, wide.z * (at.y - 0.5f)};
    l.to = normalize(to - l.from);
    l.sky = true;
    l.cosine = l.to.y;
    l.light = 30;
    l.relative = 40;
    l.chance = unit_float(mix_bits(k));
    return l;
}

std::vector<BrightPlace> settled(std::uint32_t count, Vec3 wide) {
    BrightPlaces places;
    for (std::uint32_t k = 0; k < count; ++k) places.add(through_hole(k, wide));
    places.settle();
    return places.all();
}

TEST(BrightPlaces, lie_in_the_opening_that_links_to_the_sky_go_through) {
    for (const Vec3 wide : {Vec3{0.2f, 0, 0.2f}, Vec3{2, 0, 0.05f}}) {
        const std::vector<BrightPlace> places = settled(600, wide);
        ASSERT_GE(places.size(), 64u);
        EXPECT_LE(places.size(), 128u);
        int there = 0;
        for (const BrightPlace& p : places) there += !p.far && std::abs(p.at.y - hole.y) < 1.5f ? 1 : 0;
        EXPECT_GT(there, 0.8 * static_cast<double>(places.size())) << wide.x;
    }
}

TEST(BrightPlaces, stand_for_all_links_however_few_are_kept) {
    for (const std::uint32_t count : {20u, 100u, 2000u}) {
        double square = 0;
        for (const BrightPlace& p : settled(count, {0.2f, 0, 0.2f})) square += static_cast<double>(p.square);
        EXPECT_NEAR(square / count, 30 * 30, 0.02 * 30 * 30);
    }
}

TEST(BrightParts, show_a_place_where_each_row_sees_it) {
    const BrightPlace place{.at = hole, .from = {}, .light = 30, .square = 900, .spread = 25};
    const NearBright near{&place, 1};
    BrightParts parts;
    for (const Vec3 normal : {Vec3{0, 1, 0}, normalize(Vec3{0.3f, 0.8f, -0.2f}), Vec3{0, 0, -1}})
        for (std::uint32_t k = 0; k < 64; ++k) {
            const Vec2 at = sobol_point(3, k);
            const Receiver row{
                .position = {4 * at.x - 2, 0, 4 * at.y - 2}, .normal = normal, .face_normal = normal};
            const Vec3 way = normalize(hole - row.position);
            parts.project({&near, 1}, row, 1);
            if (dot(way, normal) < 0.01f) continue;
            ASSERT_FALSE(parts.cells().empty());
            const auto brightest = static_cast<std::uint32_t>(
                std::max_element(parts.mean().begin(), parts.mean().end()) - parts.mean().begin());
            // Of many directions those of that part alone come nearest to the way.
            float nearest = -1;
            for (std::uint32_t n = 0; n < 1u << 15; ++n) {
                const Vec2 point = sobol_point(4, n);
                if (part_at(point.x, point.y) != brightest) continue;
                nearest = std::max(nearest, dot(way, gather_direction(row, Frame(normal), point)));
            }
            EXPECT_GT(nearest, 0.998f);
        }
}

TEST(BrightParts, show_nothing_that_lies_behind) {
    const BrightPlace place{.at = hole, .from = {}, .light = 30, .square = 900, .spread = 25};
    const NearBright near{&place, 1};
    BrightParts parts;
    parts.project({&near, 1}, {.position = {}, .normal = {0, -1, 0}, .face_normal = {0, -1, 0}}, 1);
    EXPECT_TRUE(parts.cells().empty());
}

}  // namespace
