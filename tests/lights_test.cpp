// Every kind of lamp and sky against answers known on paper, through the public interface.

#include <gtest/gtest.h>

#include <algorithm>
#include <functional>

#include "support.hpp"

namespace test::lights_tests {
namespace {

constexpr Vec3 up{0, 1, 0};

/// A black floor and one lamp over it, direct light alone.
Level floor_with(Light light, float side = 6, float density = 12) {
    Level level;
    add_floor(level, side);
    level.lightmap = {.density = density, .page = 512, .margin = 2};
    level.quality.tier = Tier::final;
    level.quality.bounces = 0;
    level.lights.push_back(std::move(light));
    return level;
}

Light lamp(LightKind kind, Vec3 at, float strength) {
    Light l{.name = "lamp", .kind = kind, .color = {strength, strength, strength}, .position = at};
    return l;
}

/// E at a floor point of a one-sided surface of even radiance, by fine sums over its parts.
double integrate(Vec3 floor_point, float radiance,
                 const std::function<void(std::function<void(Vec3, Vec3, double)>)>& parts) {
    double sum = 0;
    parts([&](Vec3 p, Vec3 n, double area) {
        const Vec3 d = p - floor_point;
        const double d2 = static_cast<double>(dot(d, d)), l = std::sqrt(d2);
        const double facing = -static_cast<double>(dot(d, n)) / l, cosine = static_cast<double>(d.y) / l;
        if (facing > 0 && cosine > 0) sum += static_cast<double>(radiance) * facing * cosine * area / d2;
    });
    return sum;
}

TEST(Lamps, a_disc_overhead_has_its_closed_form_on_the_axis) {
    Light disc = lamp(LightKind::disc, {0, 1.2f, 0}, 500);
    disc.radius = 0.8f;
    const Bake b = bake_level(floor_with(disc));
    // E = pi L r^2 / (r^2 + h^2)
    const float expected = pi * 500 * 0.64f / (0.64f + 1.44f);
    EXPECT_NEAR(b.at({0, 0, 0}, up).g, expected, 0.012f * expected);
    const double aside = integrate({1.5f, 0, 0.5f}, 500, [&](auto part) {
        for (int i = 0; i < 200; ++i)
            for (int j = 0; j < 200; ++j) {
                const double r = 0.8 * (i + 0.5) / 200, a = 2 * 3.14159265358979 * (j + 0.5) / 200;
                part({static_cast<float>(r * std::cos(a)), 1.2f, static_cast<float>(r * std::sin(a))},
                     {0, -1, 0}, r * (0.8 / 200) * (2 * 3.14159265358979 / 200));
            }
    });
    EXPECT_NEAR(b.at({1.5f, 0, 0.5f}, up).g, aside, 0.015 * aside);
}

TEST(Lamps, a_rectangle_turned_and_tilted_matches_a_fine_sum) {
    Light r = lamp(LightKind::rectangle, {0.2f, 1.5f, -0.4f}, 800);
    r.direction = normalize({0.3f, -1, 0.2f});
    r.across = normalize(cross({0.2f, 0.1f, 1}, r.direction));
    r.width = 1.4f;
    r.height = 0.5f;
    const Bake b = bake_level(floor_with(r));
    const Vec3 h = cross(r.across, r.direction);
    for (const Vec3 at : {Vec3{0, 0, 0}, Vec3{1.2f, 0, 0.4f}, Vec3{-2, 0, -1}}) {
        const double expected = integrate(at, 800, [&](auto part) {
            for (int i = 0; i < 140; ++i)
                for (int j = 0; j < 50; ++j)
                    part(r.position + r.across * (1.4f * ((i + 0.5f) / 140 - 0.5f)) +
                             h * (0.5f * ((j + 0.5f) / 50 - 0.5f)),
                         r.direction, 1.4 * 0.5 / (140 * 50));
        });
        EXPECT_NEAR(b.at(at, up).g, expected, 0.01 * expected) << at.x;
    }
    // It sends nothing to the side it does not face.
    Level above = floor_with(r);
    add_quad(above, "ceiling", {-1, 2.5f, -1}, {1, 2.5f, -1}, {1, 2.5f, 1}, {-1, 2.5f, 1}, {0, 0, 0});
    EXPECT_EQ(bake_level(above).at({0, 2.5f, 0}, -up).g, 0);
}

TEST(Lamps, a_tube_over_a_floor_matches_the_thin_line_and_the_fine_sum) {
    Light tube = lamp(LightKind::tube, {0, 1, 0}, 3000);
    tube.across = {1, 0, 0};
    tube.width = 1.2f;
    tube.radius = 0.02f;
    const Bake b = bake_level(floor_with(tube));
    // Under its middle, a thin line of I' = 2 r L candela a metre gives I'/h (sin b cos b + b), tan b = half
    // length / h.
    const float beta = std::atan(0.6f), line = 2 * 0.02f * 3000 * (std::sin(beta) * std::cos(beta) + beta);
    EXPECT_NEAR(b.at({0, 0, 0}, up).g, line, 0.025f * line);
    for (const Vec3 at : {Vec3{0, 0, 0}, Vec3{0.9f, 0, 0.3f}, Vec3{2, 0, -1.5f}}) {
        const double expected = integrate(at, 3000, [&](auto part) {
            for (int i = 0; i < 300; ++i)
                for (int j = 0; j < 64; ++j) {
                    const double a = 2 * 3.14159265358979 * (j + 0.5) / 64;
                    const Vec3 n{0, static_cast<float>(std::cos(a)), static_cast<float>(std::sin(a))};
                    part(Vec3{1.2f * ((i + 0.5f) / 300 - 0.5f), 1, 0} + n * 0.02f, n,
                         1.2 / 300 * 0.02 * 2 * 3.14159265358979 / 64);
                }
        });
        EXPECT_NEAR(b.at(at, up).g, expected, 0.012 * expected) << at.x;
    }
}

TEST(Lamps, a_ball_at_three_heights_also_where_the_horizon_cuts_it) {
    // A wall of floor beside a ball: of a ball half below the horizon, the part above it is left.
    for (const float h : {2.0f, 0.6f, 0.1f}) {
        Light ball = lamp(LightKind::point, {0, h, 0}, 100);
        ball.radius = 0.3f;
        const Bake b = bake_level(floor_with(ball, 6, 16));
        const Vec3 at{1.1f, 0, 0};
        // Radiance I / (pi r^2) over the ball's cone of directions, by a fine sum.
        const double d2 = 1.21 + h * h, s2 = 0.09 / d2, cone = 1 - std::sqrt(1 - s2);
        const Vec3 axis = normalize(Vec3{0, h, 0} - at);
        const Frame frame(axis);
        double expected = 0;
        const int n = 400;
        for (int i = 0; i < n; ++i)
            for (int j = 0; j < n; ++j) {
                const double z = 1 - cone * (i + 0.5) / n, r = std::sqrt(1 - z * z),
                             a = 2 * 3.14159265358979 * (j + 0.5) / n;
                const Vec3 w = frame.to_world({static_cast<float>(r * std::cos(a)),
                                               static_cast<float>(r * std::sin(a)), static_cast<float>(z)});
                expected += std::max(0.0, static_cast<double>(w.y)) * 100 / (3.14159265358979 * 0.09) * 2 *
                            3.14159265358979 * cone / (n * n);
            }
        EXPECT_NEAR(b.at(at, up).g, expected, 0.02 * expected) << h;
    }
}

SLOW_TEST(Lamps, a_thousand_in_rooms_meet_the_noise_and_are_as_bright_as_summed_one_by_one) {
    Level level;
    add_floor(level, 24);
    add_quad(level, "ceiling", {-12, 4, -12}, {12, 4, -12}, {12, 4, 12}, {-12, 4, 12}, {0.5f, 0.5f, 0.5f});
    for (int i = 0; i < 3; ++i) {
        const float x = -7 + 7 * static_cast<float>(i);
        const std::string number = std::to_string(i);
        add_box(level, "wall_a" + number, {x, -0.1f, -12}, {x + 0.3f, 4.1f, 3}, false, {0.5f, 0.5f, 0.5f});
        add_box(level, "wall_b" + number, {x + 1, -0.1f, 6}, {x + 6, 4.1f, 6.3f}, false, {0.5f, 0.5f, 0.5f});
    }
    constexpr int lamps = 1000;
    std::uint32_t state = 7;
    const auto random = [&] {
        state = state * 1664525u + 1013904223u;
        return static_cast<float>(state >> 8) / static_cast<float>(1 << 24);
    };
    for (int i = 0; i < lamps; ++i) {
        Light l = lamp(LightKind::point, {random() * 23 - 11.5f, 2 + 1.8f * random(), random() * 23 - 11.5f},
                       1 + random());
        l.name += std::to_string(i);
        l.radius = 0.05f;
        level.lights.push_back(l);
    }
    level.lightmap = {.density = 2, .page = 512, .margin = 2};
    level.quality = {.tier = Tier::proof, .bounces = 0};
    const Bake one = bake_level(level);
    level.quality.seed = 2;
    const Bake two = bake_level(level);

    double mean = 0, square = 0;
    int n = 0;
    const auto each = [&](auto&& use) {
        for (std::size_t p = 0; p < one.baked.sets[0].pages.size(); ++p) {
            const PageImage &a = one.baked.sets[0].pages[p], &b = two.baked.sets[0].pages[p];
            for (std::size_t i = 0; i < a.texels.size(); ++i)
                if (a.state[i] == 1)
                    use(static_cast<double>(a.texels[i].g), static_cast<double>(b.texels[i].g));
        }
    };
    each([&](double a, double) {
        mean += a;
        ++n;
    });
    mean /= n;
    each([&](double a, double b) {
        const double base = std::max((a + b) / 2, 0.05 * mean);
        square += (a - b) * (a - b) / 2 / (base * base);
    });
    EXPECT_GT(n, 3000);
    EXPECT_LT(std::sqrt(square / n), 0.04) << "what proof aims for";

    // The same light in ten bakes of a hundred lamps each.
    double parts = 0;
    for (int k = 0; k < lamps; k += 100) {
        Level some = level;
        some.lights = {level.lights.begin() + k, level.lights.begin() + k + 100};
        const Bake part = bake_level(some);
        for (const PageImage& page : part.baked.sets[0].pages)
            for (std::size_t i = 0; i < page.texels.size(); ++i)
                if (page.state[i] == 1) parts += static_cast<double>(page.texels[i].g);
    }
    EXPECT_NEAR(parts / n, mean, 0.003 * mean);
}

TEST(Lamps, the_exponent_shapes_a_spots_edge_and_lumens_are_what_it_sends) {
    Light spot = lamp(LightKind::spot, {0, 2, 0}, 100);
    spot.inner_cone = 15 * pi / 180;
    spot.outer_cone = 40 * pi / 180;
    for (const float edge : {0.5f, 1.0f, 4.0f}) {
        spot.falloff_exponent = edge;
        const Bake b = bake_level(floor_with(spot));
        const float c = std::cos(28 * pi / 180);
        const float t =
            (c - std::cos(spot.outer_cone)) / (std::cos(spot.inner_cone) - std::cos(spot.outer_cone));
        const float expected = 100 * std::pow(t, edge) * c * c * c / 4;
        EXPECT_NEAR(b.at({2 * std::tan(28 * pi / 180), 0, 0}, up).g, expected, 0.03f * expected) << edge;
        // All of its light over rings of its cone.
        double lumens = 0;
        for (int i = 0; i < 20000; ++i) {
            const double a = (i + 0.5) / 20000 * static_cast<double>(spot.outer_cone);
            const double u = std::clamp((std::cos(a) - std::cos(static_cast<double>(spot.outer_cone))) /
                                            (std::cos(static_cast<double>(spot.inner_cone)) -
                                             std::cos(static_cast<double>(spot.outer_cone))),
                                        0.0, 1.0);
            lumens += std::pow(u, static_cast<double>(edge)) * 2 * 3.14159265358979 * std::sin(a) *
                      static_cast<double>(spot.outer_cone) / 20000;
        }
        EXPECT_NEAR(lumens_per_unit(spot, {}), lumens, 2e-3 * lumens);
    }
}

TEST(Lamps, an_emissive_tube_lights_a_room_without_noise_at_proof) {
    Level level;
    add_box(level, "room", {-2, 0, -1.5f}, {2, 2.5f, 1.5f}, true, {0, 0, 0});
    // A lathe of 12 sides along x, 1.2 m long, 2 cm thick.
    std::vector<Vec3> corners;
    for (int i = 0; i < 12; ++i) {
        const auto p = [](int k, float x) {
            const float a = 2 * pi * static_cast<float>(k) / 12;
            return Vec3{x, 2.3f + 0.02f * std::cos(a), 0.02f * std::sin(a)};
        };
        for (const Vec3 c :
             {p(i, -0.6f), p(i + 1, -0.6f), p(i + 1, 0.6f), p(i, -0.6f), p(i + 1, 0.6f), p(i, 0.6f)})
            corners.push_back(c);
    }
    add_surface(level, "tube", corners, {0.5f, 0.5f, 0.5f}, {4000, 4000, 4000}).lit_by = LitBy::nothing;
    level.lightmap = {.density = 10, .page = 512, .margin = 2};
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    // Neighbours along the floor differ by the light's own slope alone: the second difference is the noise.
    double rough = 0, mean = 0;
    int count = 0;
    for (float x = -1.5f; x < 1.5f; x += 0.1f)
        for (float z = -1.2f; z <= 1.2f; z += 0.2f) {
            const float here = b.at({x, 0, z}, up).g;
            rough += std::abs(static_cast<double>(b.at({x - 0.1f, 0, z}, up).g +
                                                  b.at({x + 0.1f, 0, z}, up).g - 2 * here)) /
                     std::sqrt(6.0);
            mean += static_cast<double>(here);
            ++count;
        }
    EXPECT_GT(mean / count, 20);
    EXPECT_LT(rough / mean, 0.01) << "grain of the direct light, as a share of it";
    const double expected = integrate({0, 0, 0}, 4000, [&](auto part) {
        for (int i = 0; i < 400; ++i)
            for (int j = 0; j < 12; ++j) {
                const double a = 2 * 3.14159265358979 * (j + 0.5) / 12;
                const float r = 0.02f * std::cos(pi / 12);
                const Vec3 n{0, static_cast<float>(std::cos(a)), static_cast<float>(std::sin(a))};
                part(Vec3{1.2f * ((i + 0.5f) / 400 - 0.5f), 2.3f, 0} + n * r, n,
                     1.2 / 400 * 2 * 0.02 * std::sin(3.14159265358979 / 12));
            }
    });
    EXPECT_NEAR(b.at({0, 0, 0}, up).g, expected, 0.02 * expected);
}

TEST(Lamps, a_textured_sign_sends_what_its_texture_holds) {
    // A quarter of the picture glows, in one corner.
    Level level;
    add_floor(level, 6);
    Image picture{.name = "sign", .width = 32, .height = 32, .rgba = {}};
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x)
            for (int c = 0; c < 4; ++c) picture.rgba.push_back(c == 3 || (x < 16 && y < 16) ? 255 : 0);
    level.images.push_back(picture);
    Surface& sign =
        add_quad(level, "sign", {-1, 1, -1}, {1, 1, -1}, {1, 1, 1}, {-1, 1, 1}, {0, 0, 0}, {600, 600, 600});
    level.materials[sign.material].emission_texture = {.image = 0, .repeat_x = false, .repeat_y = false};
    set_uvs(level.meshes[sign.mesh], {{0, 0}, {1, 0}, {1, 1}, {0, 0}, {1, 1}, {0, 1}});
    sign.lit_by = LitBy::nothing;
    level.lightmap = {.density = 10, .page = 512, .margin = 2};
    level.quality.tier = Tier::final;
    level.quality.bounces = 0;
    const Bake b = bake_level(level);
    for (const Vec3 at : {Vec3{-0.5f, 0, -0.5f}, Vec3{0.8f, 0, 0.6f}, Vec3{-1.8f, 0, 1}}) {
        const double expected = integrate(at, 600, [&](auto part) {
            for (int i = 0; i < 100; ++i)
                for (int j = 0; j < 100; ++j)
                    part({-1 + (i + 0.5f) / 100, 1, -1 + (j + 0.5f) / 100}, {0, -1, 0}, 1.0 / (100 * 100));
        });
        // Half a pixel of the picture blends over the edge of the lit corner.
        EXPECT_NEAR(b.at(at, up).g, expected, 0.03 * expected) << at.x;
    }
}

// ---- profiles

Profile twenty_directions() {
    Profile p{.name = "test"};
    for (float a : {0, 15, 30, 45, 60, 75, 90, 120, 180}) p.angle.push_back(a * pi / 180);
    for (float a : {0, 45, 90, 135, 180, 225, 270, 315, 360}) p.plane.push_back(a * pi / 180);
    for (std::size_t r = 0; r < 9; ++r)
        for (std::size_t c = 0; c < 9; ++c)
            p.candela.push_back(static_cast<float>(100 + 37 * ((r % 8) * 5 % 8) + 11 * (c * c % 7)));
    complete_profile(p);
    return p;
}

TEST(Profiles, a_lamp_sends_its_own_table_in_twenty_directions) {
    const Profile p = twenty_directions();
    Level level;
    // A small box around each probed direction would be many surfaces: one black sphere of quads' stand-in is
    // the inside of a large box, read where the direction meets it.
    add_box(level, "room", {-2, -2, -2}, {2, 2, 2}, true, {0, 0, 0});
    level.lightmap = {.density = 12, .page = 512, .margin = 2};
    level.quality.bounces = 0;
    Light light = lamp(LightKind::point, {0, 0, 0}, p.peak);
    light.direction = {0, -1, 0};
    light.across = {1, 0, 0};
    light.profile = 0;
    level.profiles.push_back(p);
    level.lights.push_back(light);
    const Bake b = bake_level(level);
    int tried = 0;
    for (std::size_t r = 0; r < 8; ++r)
        for (const std::size_t c : {1u, 3u, 4u, 5u, 7u}) {
            if ((r * 3 + c) % 2) continue;
            // Angle from the aim (down), plane about the upward axis from +X, right-handed.
            const float a = p.angle[c], t = p.plane[r];
            const Vec3 w{std::sin(a) * std::cos(t), -std::cos(a), -std::sin(a) * std::sin(t)};
            const float reach = 2 / std::max({std::abs(w.x), std::abs(w.y), std::abs(w.z)});
            const Vec3 at = w * reach;
            const Vec3 n = std::abs(w.x) * reach > 1.999f   ? Vec3{w.x > 0 ? -1.0f : 1.0f, 0, 0}
                           : std::abs(w.y) * reach > 1.999f ? Vec3{0, w.y > 0 ? -1.0f : 1.0f, 0}
                                                            : Vec3{0, 0, w.z > 0 ? -1.0f : 1.0f};
            const float expected = p.candela[r * 9 + c] * -dot(n, w) / (reach * reach);
            EXPECT_NEAR(b.at(at, n).g, expected, 0.04f * expected) << "plane " << r << ", angle " << c;
            EXPECT_NEAR(profile_candela(p, light.direction, light.across, w), p.candela[r * 9 + c], 0.02f);
            ++tried;
        }
    EXPECT_GE(tried, 20);
}

TEST(Profiles, an_even_one_is_a_point_light_of_four_pi_times_its_candela) {
    Profile p{.name = "even"};
    p.angle = {0, pi / 2, pi};
    p.plane = {0};
    p.candela = {50, 50, 50};
    complete_profile(p);
    EXPECT_NEAR(p.lumens, 4 * pi * 50, 0.002f * 4 * pi * 50);
    // By another sum: even steps over the sphere.
    const Profile q = twenty_directions();
    double sum = 0;
    const int n = 700;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const double y = 1 - 2 * (i + 0.5) / n, s = std::sqrt(1 - y * y),
                         a = 2 * 3.14159265358979 * (j + 0.5) / n;
            const Vec3 w{static_cast<float>(s * std::cos(a)), static_cast<float>(y),
                         static_cast<float>(s * std::sin(a))};
            sum += static_cast<double>(profile_candela(q, {0, -1, 0}, {1, 0, 0}, w));
        }
    EXPECT_NEAR(q.lumens, sum * 4 * 3.14159265358979 / (n * n), 0.003 * static_cast<double>(q.lumens));
}

// ---- skies

TEST(Skies, a_standard_sky_gives_the_asked_illuminance_and_the_standards_distribution) {
    for (const int type : {1, 5, 8, 12}) {
        Level level;
        add_floor(level, 4);
        // A wall that faces the sun, high above the floor so that neither sees the other.
        add_quad(level, "wall", {-1, 50, 1}, {-1, 50, -1}, {-1, 52, -1}, {-1, 52, 1}, {0, 0, 0});
        level.lightmap = {.density = 4, .page = 256, .margin = 2};
        level.quality.tier = Tier::final;
        level.quality.bounces = 0;
        const Vec3 sun = normalize({1, 0.8f, 0.3f});
        level.sky.kind = SkyKind::standard;
        level.sky.type = type;
        level.sky.sun = sun;
        const float zenith = standard_sky_zenith(type, sun, 12000);
        level.sky.radiance = {zenith, zenith, zenith};
        const Bake b = bake_level(level);
        EXPECT_NEAR(b.at({0.5f, 0, 0.3f}, up).g, 12000, 200) << type;
        // The wall by a sum of the standard's own formula over its half of the sky.
        const auto relative = [&](Vec3 d) {
            static const double table[15][5] = {
                {4, -.7, 0, -1, 0},   {}, {}, {}, {0, -1, 0, -1, 0},      {}, {},
                {0, -1, 10, -3, .45}, {}, {}, {}, {-1, -.32, 10, -3, .45}};
            const double* t = table[type - 1];
            const double chi = std::acos(static_cast<double>(dot(d, sun))),
                         zs = std::acos(static_cast<double>(sun.y));
            const auto f = [&](double x) {
                return 1 + t[2] * (std::exp(t[3] * x) - std::exp(t[3] * 3.14159265358979 / 2)) +
                       t[4] * std::cos(x) * std::cos(x);
            };
            const auto g = [&](double c) { return 1 + t[0] * std::exp(t[1] / c); };
            return f(chi) * g(static_cast<double>(d.y)) / (f(zs) * g(1));
        };
        double wall = 0;
        const int n = 600;
        for (int i = 0; i < n; ++i)
            for (int j = 0; j < n; ++j) {
                const double y = (i + 0.5) / n, s = std::sqrt(1 - y * y),
                             a = 3.14159265358979 * ((j + 0.5) / n - 0.5);
                const Vec3 d{static_cast<float>(s * std::cos(a)), static_cast<float>(y),
                             static_cast<float>(s * std::sin(a))};
                wall += static_cast<double>(zenith) * relative(d) * static_cast<double>(d.x) *
                        3.14159265358979 / (n * n);
            }
        EXPECT_NEAR(b.at({-1, 51, 0}, {1, 0, 0}).g, wall, 0.02 * wall) << type;
        for (const Vec3 d :
             {normalize({0.2f, 1, 0.1f}), normalize({1, 0.3f, -0.4f}), normalize({-1, 0.1f, 0.5f})})
            EXPECT_NEAR(standard_sky(type, sun, d), relative(d), 1e-3 * relative(d));
    }
}

/// 64 by 32 pixels, dim but for a bright patch toward the east, 30 to 60 degrees up.
Sky patch_sky(float bright) {
    Sky sky{.kind = SkyKind::image, .radiance = {1, 1, 1}, .width = 64, .height = 32};
    std::vector<Rgb> pixels;
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x) {
            const float v = x >= 46 && x < 50 && y >= 6 && y < 10 ? bright : 20;
            pixels.push_back({v, v / 2, v / 4});
        }
    sky.pixels = pixels;
    return sky;
}

SLOW_TEST(Skies, an_image_sky_gives_its_integral_wherever_it_is_turned) {
    for (const float bright : {20.0f, 100000.0f})
        for (const float turn : {0.0f, pi / 2}) {
            Level level;
            add_floor(level, 4);
            level.lightmap = {.density = 6, .page = 256, .margin = 2};
            level.quality.tier = Tier::final;
            level.quality.bounces = 0;
            level.sky = patch_sky(bright);
            level.sky.turn = turn;
            // A wall north of a point hides the patch when it stands there.
            add_box(level, "wall", {-40, -1, -3.2f}, {40, 60, -3}, false, {0, 0, 0}).lit_by = LitBy::nothing;
            const Bake b = bake_level(level);
            const Vec3 at{0.4f, 0, 1.2f};
            double expected = 0;
            for (int y = 0; y < 32 * 8; ++y)
                for (int x = 0; x < 64 * 8; ++x) {
                    const double v = 3.14159265358979 * (y + 0.5) / 256,
                                 a = 2 * 3.14159265358979 * ((x + 0.5) / 512 - 0.5) +
                                     static_cast<double>(turn);
                    const Vec3 d{static_cast<float>(std::sin(v) * std::sin(a)),
                                 static_cast<float>(std::cos(v)),
                                 static_cast<float>(-std::sin(v) * std::cos(a))};
                    if (d.y <= 0) continue;
                    const float far = d.z < 0 ? -(3 + at.z) / d.z : 1e9f;
                    if (far < 1e6f && d.y * far < 60 && std::abs(at.x + d.x * far) < 40) continue;
                    expected += static_cast<double>((*level.sky.pixels)[static_cast<std::size_t>(y / 8) * 64 +
                                                                        static_cast<std::size_t>(x / 8)]
                                                        .r *
                                                    d.y) *
                                std::sin(v) * (3.14159265358979 / 256) * (2 * 3.14159265358979 / 512);
                }
            EXPECT_NEAR(b.at(at, up).r, expected, 0.02 * expected) << bright << " turned by " << turn;
            EXPECT_NEAR(b.at(at, up).b, b.at(at, up).r / 4, 0.001f * b.at(at, up).r);
        }
}

TEST(Skies, the_sun_of_an_image_is_found_taken_out_and_as_strong_as_it_was) {
    Sky sky{.kind = SkyKind::image, .radiance = {1, 1, 1}, .width = 720, .height = 360};
    const Vec3 toward = normalize({0.5f, 0.6f, 0.4f});
    double lux = 0;
    std::vector<Rgb> pixels;
    for (int y = 0; y < 360; ++y)
        for (int x = 0; x < 720; ++x) {
            const float v = (static_cast<float>(y) + 0.5f) * pi / 360,
                        a = (static_cast<float>(x) + 0.5f) * 2 * pi / 720 - pi;
            const Vec3 d{std::sin(v) * std::sin(a), std::cos(v), -std::sin(v) * std::cos(a)};
            const bool disc = dot(d, toward) > std::cos(0.6f * pi / 180);
            pixels.push_back(disc ? Rgb{2e8f, 1.8e8f, 1.5e8f} : Rgb{900, 1200, 2000});
            if (disc)
                lux +=
                    (static_cast<double>(luminance({2e8f, 1.8e8f, 1.5e8f}) - luminance({900, 1200, 2000}))) *
                    static_cast<double>(std::sin(v) * dot(d, toward)) * (3.14159265358979 / 360) *
                    (2 * 3.14159265358979 / 720);
        }
    sky.pixels = pixels;
    const std::optional<Light> sun = take_sun(sky);
    ASSERT_TRUE(sun);
    EXPECT_GT(dot(-sun->direction, toward), std::cos(0.25f * pi / 180)) << "half a pixel";
    EXPECT_NEAR(luminance(sun->color), lux, 0.005 * lux);
    EXPECT_NEAR(sun->angular_diameter * 180 / pi, 1.2f, 0.15f);
    for (const Rgb& c : *sky.pixels) ASSERT_LT(c.r, 901);
    EXPECT_FALSE(take_sun(sky)) << "nothing bright is left";
}

// ---- colour

TEST(Kelvin, lies_on_the_planck_locus_within_the_gamut) {
    // Planck's law through the CIE 1931 observer, every 10 nm from 380.
    static const double observer[][3] = {{.0014, 0, .0065},
                                         {.0042, .0001, .0201},
                                         {.0143, .0004, .0679},
                                         {.0435, .0012, .2074},
                                         {.1344, .0040, .6456},
                                         {.2839, .0116, 1.3856},
                                         {.3483, .0230, 1.7471},
                                         {.3362, .0380, 1.7721},
                                         {.2908, .0600, 1.6692},
                                         {.1954, .0910, 1.2876},
                                         {.0956, .1390, .8130},
                                         {.0320, .2080, .4652},
                                         {.0049, .3230, .2720},
                                         {.0093, .5030, .1582},
                                         {.0633, .7100, .0782},
                                         {.1655, .8620, .0422},
                                         {.2904, .9540, .0203},
                                         {.4334, .9950, .0087},
                                         {.5945, .9950, .0039},
                                         {.7621, .9520, .0021},
                                         {.9163, .8700, .0017},
                                         {1.0263, .7570, .0011},
                                         {1.0622, .6310, .0008},
                                         {1.0026, .5030, .0003},
                                         {.8544, .3810, .0002},
                                         {.6424, .2650, 0},
                                         {.4479, .1750, 0},
                                         {.2835, .1070, 0},
                                         {.1649, .0610, 0},
                                         {.0874, .0320, 0},
                                         {.0468, .0170, 0},
                                         {.0227, .0082, 0},
                                         {.0114, .0041, 0},
                                         {.0058, .0021, 0},
                                         {.0029, .0010, 0},
                                         {.0014, .0005, 0},
                                         {.0007, .0003, 0},
                                         {.0003, .0001, 0},
                                         {.0002, .0001, 0},
                                         {.0001, 0, 0},
                                         {0, 0, 0}};
    for (const double kelvin : {1900.0, 2200.0, 2700.0, 3500.0, 5000.0, 6500.0, 9000.0, 14000.0, 20000.0}) {
        double X = 0, Y = 0, Z = 0;
        for (int i = 0; i < 41; ++i) {
            const double m = (380 + 10 * i) * 1e-9,
                         power = 1 / (std::pow(m, 5) * (std::exp(0.01438777 / (m * kelvin)) - 1));
            X += power * observer[i][0];
            Y += power * observer[i][1];
            Z += power * observer[i][2];
        }
        const double w = X + 15 * Y + 3 * Z;
        const Rgb c = kelvin_to_rgb(static_cast<float>(kelvin));
        const double x = 0.4124564 * c.r + 0.3575761 * c.g + 0.1804375 * c.b,
                     y = 0.2126729 * c.r + 0.7151522 * c.g + 0.0721750 * c.b,
                     z = 0.0193339 * c.r + 0.1191920 * c.g + 0.9503041 * c.b, v = x + 15 * y + 3 * z;
        EXPECT_NEAR(4 * x / v, 4 * X / w, 0.003) << kelvin;
        EXPECT_NEAR(9 * y / v, 9 * Y / w, 0.003) << kelvin;
    }
}

}  // namespace
}  // namespace test::lights_tests
