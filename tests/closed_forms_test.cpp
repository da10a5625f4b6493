// Answers known on paper, through the public interface: a level in code, a bake, the light meter.

#include <gtest/gtest.h>

#include "support.hpp"

#include <algorithm>

namespace test::closed_forms_tests {
namespace {

constexpr Vec3 up{0, 1, 0};

Light point_light(Vec3 at, float candela) {
    Light l;
    l.name = "lamp";
    l.kind = LightKind::point;
    l.position = at;
    l.color = {candela, candela, candela};
    return l;
}

Level floor_level(float side, float density) {
    Level level;
    add_floor(level, side);
    level.lightmap.density = density;
    level.lightmap.page = 512;
    level.quality.tier = Tier::proof;
    level.quality.bounces = 0;
    return level;
}

TEST(ClosedForms, point_light_follows_inverse_square_and_cosine) {
    Level level = floor_level(12, 16);
    level.lights.push_back(point_light({0, 2, 0}, 100));
    const Bake b = bake_level(level);
    for (const float x : {0.0f, 0.5f, 1.0f, 2.0f, 3.5f, 5.0f}) {
        const float d2 = x * x + 4, expected = 100 * (2 / std::sqrt(d2)) / d2;
        EXPECT_NEAR(b.at({x, 0, 0}, up).g, expected, expected * 0.004f) << "at x = " << x;
    }
}

TEST(ClosedForms, a_sphere_lights_as_its_centre_does_while_it_is_wholly_above_the_horizon) {
    Level level = floor_level(8, 12);
    level.lights.push_back(point_light({0, 1, 0}, 100));
    level.lights[0].radius = 0.3f;
    const Bake b = bake_level(level);
    for (const float x : {0.0f, 1.0f, 2.5f}) {
        const float d2 = x * x + 1, expected = 100 / (d2 * std::sqrt(d2));
        EXPECT_NEAR(b.at({x, 0, 0}, up).g, expected, expected * 0.01f) << "at x = " << x;
    }
}

TEST(ClosedForms, spot_fades_between_its_cones_and_ends_at_the_outer_one) {
    Level level = floor_level(8, 24);
    Light spot = point_light({0, 2, 0}, 100);
    spot.kind = LightKind::spot;
    spot.inner_cone = 20 * pi / 180;
    spot.outer_cone = 35 * pi / 180;
    level.lights.push_back(spot);
    const Bake b = bake_level(level);
    for (const float degrees : {0.0f, 10.0f, 18.0f, 25.0f, 30.0f, 33.0f}) {
        const float a = degrees * pi / 180, x = 2 * std::tan(a), c = std::cos(a);
        const float t = std::clamp(
            (c - std::cos(spot.outer_cone)) / (std::cos(spot.inner_cone) - std::cos(spot.outer_cone)), 0.0f,
            1.0f);
        const float expected = 100 * t * t * c * c * c / 4;
        EXPECT_NEAR(b.at({x, 0, 0}, up).g, expected, 0.25f) << degrees << " degrees off the axis";
    }
    EXPECT_EQ(b.at({2 * std::tan(38 * pi / 180), 0, 0}, up).g, 0);
}

TEST(ClosedForms, range_windows_a_lamp_to_nothing) {
    Level level = floor_level(10, 12);
    level.lights.push_back(point_light({0, 1, 0}, 100));
    level.lights[0].range = 3;
    const Bake b = bake_level(level);
    const float d2 = 2, q = d2 / 9, expected = (1 - q * q) * 100 / (d2 * std::sqrt(d2));
    EXPECT_NEAR(b.at({1, 0, 0}, up).g, expected, expected * 0.01f);
    EXPECT_EQ(b.at({3.2f, 0, 0}, up).g, 0);
}

Level sun_level(float diameter_degrees) {
    Level level = floor_level(12, 16);
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {100000, 90000, 80000};
    sun.direction = normalize({1, -1, 0});
    sun.angular_diameter = diameter_degrees * pi / 180;
    level.lights.push_back(sun);
    return level;
}

TEST(ClosedForms, sun_gives_its_lux_times_the_cosine_and_a_shadow_of_the_right_length) {
    Level level = sun_level(0.53f);
    // A wall 1 m high across the sun: its shadow at 45 degrees ends 1 m behind it.
    add_box(level, "wall", {-0.2f, -0.5f, -5}, {0, 1, 5}, false, {0, 0, 0});
    const Bake b = bake_level(level);
    const float c = std::cos(pi / 4);
    EXPECT_NEAR(b.at({-2, 0, 0}, up).r, 100000 * c, 100);
    EXPECT_NEAR(b.at({-2, 0, 0}, up).b, 80000 * c, 80);
    EXPECT_EQ(b.at({0.5f, 0, 0}, up).r, 0);
    EXPECT_EQ(b.at({0.85f, 0, 0}, up).r, 0);
    EXPECT_NEAR(b.at({1.15f, 0, 0}, up).r, 100000 * c, 100);
}

TEST(ClosedForms, a_wide_sun_has_a_penumbra_with_half_its_light_in_the_middle) {
    Level level = sun_level(10);
    add_box(level, "wall", {-0.2f, -0.5f, -5}, {0, 1, 5}, false, {0, 0, 0});
    const Bake b = bake_level(level);
    const float whole = b.at({4, 0, 0}, up).r;
    EXPECT_NEAR(whole, 100000 * std::cos(pi / 4), 400);
    // Many places along the edge: the middle of the penumbra without bias, and no noisier than `proof` aims
    // for.
    double sum = 0, square = 0;
    constexpr int places = 60;
    for (int k = 0; k < places; ++k) {
        const auto v =
            static_cast<double>(b.at({1, 0, -2 + 4 * static_cast<float>(k) / places}, up).r / whole);
        sum += v;
        square += v * v;
    }
    const double mean = sum / places;
    EXPECT_NEAR(mean, 0.5, 0.03);
    EXPECT_LT(std::sqrt(square / places - mean * mean), 0.04 * mean);
    // Edges go over two texels of 6 cm: dark is a texel farther in than the penumbra begins.
    EXPECT_EQ(b.at({0.74f, 0, 0}, up).r, 0);
}

TEST(ClosedForms, a_lamp_of_which_a_sliver_is_seen_leaves_no_dots) {
    // A hundredth of a panel shows through a slit, all over a floor: of a few rays none or one meets it.
    Level level = floor_level(2, 16);
    add_quad(level, "panel", {-1, 4, -1}, {1, 4, -1}, {1, 4, 1}, {-1, 4, 1}, {0, 0, 0}, {1000, 1000, 1000});
    add_box(level, "west", {-9, 3.9f, -9}, {-0.015f, 3.91f, 9}, false, {0, 0, 0});
    add_box(level, "east", {0.015f, 3.9f, -9}, {9, 3.91f, 9}, false, {0, 0, 0});
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    // The same at all places this near to the middle.
    double sum = 0;
    float most = 0, least = 1e9f;
    constexpr int side = 12;
    for (int x = 0; x < side; ++x)
        for (int z = 0; z < side; ++z) {
            const float e =
                b.at({0.05f * (static_cast<float>(x) - 6), 0, 0.05f * (static_cast<float>(z) - 6)}, up).g;
            sum += static_cast<double>(e);
            most = std::max(most, e);
            least = std::min(least, e);
        }
    const auto mean = static_cast<float>(sum / (side * side));
    // A strip w wide and 2 a long, h above its middle: L w (a / (h^2 + a^2) + atan(a / h) / h).
    const float wide = 0.03f * 4 / 3.9f, strip = 1000 * wide * (1 / 17.0f + std::atan(0.25f) / 4);
    EXPECT_NEAR(mean, strip, 0.1f * strip);
    EXPECT_LT(most, 1.6f * mean);
    EXPECT_GT(least, 0.5f * mean);
}

TEST(ClosedForms, a_lambertian_rectangle_over_a_floor) {
    Level level = floor_level(6, 12);
    level.quality.tier = Tier::final;
    // 2 a by 2 b at height h, facing down; E under its centre is the sum of four corner rectangles:
    // 4 L / 2 (A / sqrt(1 + A^2) atan(B / sqrt(1 + A^2)) + B / sqrt(1 + B^2) atan(A / sqrt(1 + B^2))), A = a
    // / h, B = b / h.
    const float a = 1, bb = 0.5f, h = 1.5f, radiance = 1000;
    add_quad(level, "panel", {-a, h, -bb}, {a, h, -bb}, {a, h, bb}, {-a, h, bb}, {0, 0, 0},
             {radiance, radiance, radiance});
    const Bake b = bake_level(level);
    const auto corner = [&](float x, float z) {
        const float p = std::sqrt(1 + x * x), q = std::sqrt(1 + z * z);
        return radiance / 2 * (x / p * std::atan(z / p) + z / q * std::atan(x / q));
    };
    const float centre = 4 * corner(a / h, bb / h);
    EXPECT_NEAR(b.at({0, 0, 0}, up).g, centre, centre * 0.01f);
    // Under a corner, the whole rectangle is one corner rectangle of twice the sides.
    const float under = corner(2 * a / h, 2 * bb / h);
    EXPECT_NEAR(b.at({a, 0, bb}, up).g, under, under * 0.015f);
}

TEST(ClosedForms, constant_sky_on_an_open_floor_gives_pi_times_its_radiance) {
    Level level = floor_level(8, 8);
    level.sky.radiance = {1000, 500, 250};
    const Bake b = bake_level(level);
    // Cosine sampling is exact here: only half-float-free rounding is left.
    EXPECT_NEAR(b.at({0, 0, 0}, up).r, 3141.593f, 0.05f);
    EXPECT_NEAR(b.at({2, 0, -3}, up).b, 785.398f, 0.05f);
}

SLOW_TEST(ClosedForms, constant_sky_beside_a_long_black_wall) {
    Level level = floor_level(8, 8);
    add_box(level, "wall", {-0.5f, -0.5f, -400}, {0, 2, 400}, false, {0, 0, 0}).lit_by = LitBy::nothing;
    level.sky.radiance = {1000, 1000, 1000};
    level.quality.tier = Tier::final;
    const Bake b = bake_level(level);
    for (const float d : {0.3f, 0.5f, 1.0f, 2.0f, 3.5f}) {
        const float expected = pi * 1000 * (1 - 0.5f * (1 - d / std::sqrt(d * d + 4)));
        EXPECT_NEAR(b.at({d, 0, 0}, up).g, expected, expected * 0.015f) << d << " m from the wall";
    }
}

class Furnace : public testing::TestWithParam<int> {};

TEST_P(Furnace, a_closed_glowing_box_has_the_sum_of_its_bounces) {
    const int bounces = GetParam();  // -1: until settled
    const float rho = 0.6f, glow = 100;
    Level level;
    add_box(level, "furnace", {-1, -1, -1}, {1, 1, 1}, true, {rho, rho / 2, 0}, {glow, glow, glow});
    level.lightmap = {.density = 8, .page = 256, .margin = 2};
    if (bounces >= 0) level.quality.bounces = bounces;
    const Bake b = bake_level(level);
    const auto expected = [&](float r) {
        return bounces < 0 ? pi * glow / (1 - r)
                           : pi * glow * (1 - std::pow(r, static_cast<float>(bounces + 1))) / (1 - r);
    };
    Rgb mean;
    float count = 0;
    for (const PageImage& page : b.baked.sets[0].pages)
        for (std::size_t i = 0; i < page.texels.size(); ++i)
            if (page.state[i] == 1) {
                mean += page.texels[i];
                count += 1;
                EXPECT_NEAR(page.texels[i].r, expected(rho), expected(rho) * 0.06f);
            }
    ASSERT_GT(count, 1000);
    EXPECT_NEAR(mean.r / count, expected(rho), expected(rho) * 0.004f);
    EXPECT_NEAR(mean.g / count, expected(rho / 2), expected(rho / 2) * 0.004f);
    EXPECT_NEAR(mean.b / count, expected(0), expected(0) * 0.004f);
}
INSTANTIATE_TEST_SUITE_P(Bounces, Furnace, testing::Values(0, 1, 2, 3, -1));

TEST(ClosedForms, a_sealed_room_under_a_strong_sun_stays_at_exactly_zero) {
    Level level;
    add_thick_room(level, {-2, 0, -1.5f}, {2, 2.5f, 1.5f}, 0.2f, {0.8f, 0.8f, 0.8f});
    Light sun;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.color = {100000, 100000, 100000};
    sun.direction = normalize({0.4f, -1, 0.3f});
    sun.angular_diameter = 0.0093f;
    level.lights.push_back(sun);
    level.sky.radiance = {5000, 5000, 5000};
    level.lightmap = {.density = 12, .page = 512, .margin = 3};
    const Bake b = bake_level(level);
    int inside = 0;
    for (const float x : {-1.999f, -1.0f, 0.0f, 1.3f, 1.999f})
        for (const float z : {-1.499f, -0.7f, 0.0f, 1.1f, 1.499f}) {
            for (const auto& [y, facing] : {std::pair{0.0f, up}, {2.5f, -up}}) {
                const Rgb e = b.at({x, y, z}, facing);
                EXPECT_EQ(max_channel(e), 0) << x << ", " << y << ", " << z;
                ++inside;
            }
            EXPECT_EQ(max_channel(b.at({-2, z + 1.5f < 0.01f ? 0.001f : 1.25f, z}, {1, 0, 0})), 0);
        }
    EXPECT_EQ(inside, 50);
    EXPECT_GT(b.at({0, 2.7f, 0}, up).g, 90000) << "and the roof outside is lit";
}

TEST(ClosedForms, invalid_texels_are_found_and_the_floor_beside_the_crate_is_not_dark) {
    Level level = floor_level(6, 16);
    level.sky.radiance = {1000, 1000, 1000};
    level.quality.bounces.reset();
    add_box(level, "crate", {-1, -0.2f, -1}, {1, 0.8f, 1}, false, {0.5f, 0.5f, 0.5f});
    const Bake b = bake_level(level);
    EXPECT_GT(b.baked.figures.invalid, 32u * 28u);
    // 2 cm from the crate's foot: half the sky, and what the crate's side sends back.
    EXPECT_GT(b.at({1.02f, 0, 0}, up).g, pi * 1000 * 0.5f);
    EXPECT_GT(b.at({0.9f, 0, 0}, up).g, 0) << "under the crate, filled from outside";
}

SLOW_TEST(ClosedForms, double_sided_sheets_have_light_of_their_own_on_each_side) {
    Level level;
    add_floor(level, 60, {0.1f, 0.1f, 0.1f}).density = 0.5f;
    // A sheet over the floor: lit by the sky from above, and its underside must not send that light down.
    add_quad(level, "sheet", {-4, 1, 4}, {4, 1, 4}, {4, 1, -4}, {-4, 1, -4}, {0.9f, 0.9f, 0.9f});
    level.materials.back().double_sided = true;
    level.sky.radiance = {1000, 1000, 1000};
    level.lightmap = {.density = 6, .page = 256, .margin = 2};
    const Bake b = bake_level(level);
    EXPECT_NEAR(b.at({0, 1, 0}, up).g, pi * 1000, 1);
    EXPECT_LT(b.at({0, 0, 0}, up).g, 0.2f * pi * 1000);
    EXPECT_GT(b.at({0, 0, 0}, up).g, 0.01f * pi * 1000);
}

}  // namespace
}  // namespace test::closed_forms_tests
