// Where probes are put: by volumes, rules, and what light they would hold.

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "shapes.hpp"
#include "support.hpp"

namespace test::place_tests {
namespace {

const Rgb grey{0.5f, 0.5f, 0.5f};

PlacedProbes placed(const Level& level, unsigned threads = 0) {
    Job job(JobOptions{.threads = threads});
    return place_probes(level, job);
}

std::vector<Vec3> positions(const PlacedProbes& p) {
    std::vector<Vec3> out;
    for (const ProbePlace& place : p.places) out.push_back(place.position);
    return out;
}

/// The text of the error that placing ends with; empty where it does not.
std::string refused(const Level& level) {
    try {
        placed(level);
    } catch (const Error& e) {
        return e.text();
    }
    return "";
}

Volume ruled(Volume v, std::initializer_list<ProbeRule> rules) {
    std::fill(std::begin(v.rules), std::end(v.rules), false);
    for (const ProbeRule r : rules) v.rules[static_cast<int>(r)] = true;
    return v;
}

/// A level with nothing in the way.
Level open_air() {
    Level level;
    add_floor(level, 0.5f);
    level.surfaces[0].to_world.origin = {0, -300, 0};
    return level;
}

float distance_to_triangle(Vec3 p, Vec3 a, Vec3 b, Vec3 c) {
    // By brute force over the triangle and its edges.
    const Vec3 n = normalize(cross(b - a, c - a));
    const float h = dot(p - a, n);
    const Vec3 q = p - n * h;
    const auto left = [&](Vec3 u, Vec3 v) { return dot(cross(v - u, q - u), n) >= 0; };
    float best = left(a, b) && left(b, c) && left(c, a) ? std::abs(h) : 1e30f;
    for (const auto& [u, v] : {std::pair{a, b}, {b, c}, {c, a}}) {
        const Vec3 d = v - u;
        const float t = std::clamp(dot(p - u, d) / std::max(dot(d, d), 1e-20f), 0.0f, 1.0f);
        best = std::min(best, length(p - (u + d * t)));
    }
    return best;
}

float distance_to_level(const Level& level, Vec3 p) {
    float best = 1e30f;
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        const Mesh& m = level.meshes[s.mesh];
        for (std::size_t t = 0; t < m.triangle_count(); ++t)
            best = std::min(
                best, distance_to_triangle(p, transform_point(s.to_world, m.positions[m.indices[3 * t]]),
                                           transform_point(s.to_world, m.positions[m.indices[3 * t + 1]]),
                                           transform_point(s.to_world, m.positions[m.indices[3 * t + 2]])));
    }
    return best;
}

TEST(Volumes, of_every_shape_are_filled_evenly_and_not_beyond) {
    Level level = open_air();
    Volume turned = box_volume("turned", {-4, 1, -1}, {4, 3, 1}, 1);
    const float t = pi / 6;
    turned.axes = {Vec3{std::cos(t), 0, std::sin(t)}, Vec3{0, 1, 0}, Vec3{-std::sin(t), 0, std::cos(t)}};
    Volume ball, pill;
    ball.name = "ball";
    ball.shape = VolumeShape::sphere;
    ball.middle = {20, 5, 0};
    ball.radius = 4;
    ball.spacing = 1;
    pill = ball;
    pill.name = "pill";
    pill.shape = VolumeShape::capsule;
    pill.middle = {40, 2, 0};
    pill.end = {40, 8, 6};
    pill.radius = 2;
    level.volumes = {turned, ball, pill};
    const PlacedProbes p = placed(level);
    std::size_t count[3] = {};
    for (const ProbePlace& place : p.places) {
        ASSERT_LT(place.volume, 3u);
        ++count[place.volume];
        EXPECT_TRUE(holds(level.volumes[place.volume], place.position));
    }
    EXPECT_EQ(count[0], 8u * 2 * 2) << "as few as keep the spacing";
    const double pill_length = std::sqrt(72.0);
    EXPECT_NEAR(static_cast<double>(count[1]), 4 / 3.0 * 3.14159 * 64, 40) << "one a cubic metre";
    EXPECT_NEAR(static_cast<double>(count[2]), 3.14159 * 4 * pill_length + 4 / 3.0 * 3.14159 * 8, 30);
}

TEST(Volumes, that_overlap_share_by_priority_and_leave_out_what_is_excepted) {
    Level level = open_air();
    Volume coarse = box_volume("coarse", {0, 0, 0}, {12, 4, 12}, 2),
           fine = box_volume("fine", {4, 0, 4}, {8, 4, 8}, 1),
           nothing = box_volume("nothing", {0, 0, 0}, {4, 4, 4}, 1);
    fine.priority = 1;
    nothing.except = true;
    level.volumes = {coarse, fine, nothing};
    const PlacedProbes p = placed(level);
    std::size_t in_fine = 0;
    for (const ProbePlace& place : p.places) {
        EXPECT_FALSE(holds(nothing, place.position));
        if (!holds(fine, place.position)) continue;
        ++in_fine;
        EXPECT_EQ(place.volume, 1u) << "the coarse one does not place where the fine one does";
    }
    EXPECT_EQ(in_fine, 4u * 4 * 4);
    EXPECT_EQ(p.places.size(), 64u + 72 - 8 - 8);
    EXPECT_EQ(p.figures.excepted, 16u);
}

TEST(Volumes, want_nothing_beneath_a_floor_and_nothing_where_nothing_is_near) {
    Level level;
    Surface& hill = add_floor(level, 40, grey);
    hill.name = hill.node = "hill";
    add_box(level, "crate", {-1, 0, -1}, {1, 2, 1}, false, grey);
    Volume v = box_volume("v", {-10, -6, -10}, {10, 6, 10}, 2);
    v.floor = "hill";
    level.volumes = {v};
    PlacedProbes p = placed(level);
    EXPECT_EQ(p.figures.beneath, 10u * 3 * 10);
    for (const Vec3 at : positions(p)) EXPECT_GT(at.y, 0);
    level.volumes[0].floor.clear();
    level.volumes[0].near = 1.5f;
    p = placed(level);
    EXPECT_GT(p.figures.empty, 100u);
    for (const Vec3 at : positions(p)) EXPECT_LT(distance_to_level(level, at), 1.5f + 1);
}

/// Two rooms with a doorway between them, stairs from the second down to a cellar, and a third room that is
/// shut.
Level rooms() {
    Level level;
    const auto wall = [&](const char* name, Vec3 low, Vec3 high) {
        add_box(level, name, low, high, false, grey);
    };
    wall("floor 1", {-5, -0.2f, -3}, {5, 0, 3});
    wall("ceiling", {-5, 3, -3}, {12, 3.2f, 3});
    wall("north", {-5, 0, -3.2f}, {12, 3, -3});
    wall("south", {-5, 0, 3}, {12, 3, 3.2f});
    wall("west", {-5.2f, 0, -3}, {-5, 3, 3});
    wall("between left", {-0.1f, 0, -3}, {0.1f, 3, -0.5f});
    wall("between right", {-0.1f, 0, 0.5f}, {0.1f, 3, 3});
    wall("over the door", {-0.1f, 2.1f, -0.5f}, {0.1f, 3, 0.5f});
    wall("shut", {5, 0, -3}, {5.2f, 3, 3});
    wall("floor of the shut one", {5, -0.2f, -3}, {12, 0, 3});
    wall("east", {12, 0, -3}, {12.2f, 3, 3});
    return level;
}

TEST(Explore, goes_through_doorways_and_never_through_walls) {
    Level level = rooms();
    Volume v = ruled(box_volume("v", {-7, -1, -5}, {14, 4, 5}, 1), {ProbeRule::explore});
    v.seeds = {{-3, 1.5f, 0}};
    level.volumes = {v};
    std::size_t first = 0, second = 0;
    for (const Vec3 p : positions(placed(level))) {
        EXPECT_TRUE(p.x > -5 && p.x < 5 && p.y > 0 && p.y < 3 && p.z > -3 && p.z < 3)
            << p.x << " " << p.y << " " << p.z << " is not in the two rooms that hang together";
        (p.x < 0 ? first : second) += 1;
    }
    EXPECT_GT(first, 60u);
    EXPECT_GT(second, 60u);
}

TEST(Explore, goes_down_stairs_and_stops_at_the_volume) {
    Level level;
    // A landing, eight steps down along one side of a shaft, and a cellar under the landing.
    add_box(level, "slab", {-4, -0.3f, -1}, {0, 0, 1}, false, grey);
    for (int i = 0; i < 8; ++i) {
        const float x = 0.3f * static_cast<float>(i), y = -0.3f * static_cast<float>(i + 1);
        add_box(level, "step " + std::to_string(i), {x, y - 0.3f, -1}, {x + 0.3f, y, 0}, false, grey);
    }
    add_box(level, "cellar", {-4, -3, -1}, {4, -2.7f, 1}, false, grey);
    add_box(level, "north", {-4, -3, -1.2f}, {6, 3, -1}, false, grey);
    add_box(level, "south", {-4, -3, 1}, {6, 3, 1.2f}, false, grey);
    Volume v = ruled(box_volume("v", {-4, -2.7f, -1}, {5, 2, 1}, 0.7f), {ProbeRule::explore});
    v.seeds = {{-2, 1, 0}};
    level.volumes = {v};
    bool in_cellar = false;
    for (const Vec3 p : positions(placed(level))) {
        EXPECT_TRUE(holds(v, p));
        in_cellar = in_cellar || (p.y < -1 && p.x < -2);
    }
    EXPECT_TRUE(in_cellar) << "under the slab, which is reached from the foot of the stairs";
}

TEST(Walkable, is_the_ground_that_a_figure_reaches_at_the_heights_asked_for) {
    Level level = rooms();
    add_box(level, "table", {2, 0, -1}, {4, 0.9f, 1}, false, grey);            // too high to step on
    add_box(level, "kerb", {-4.8f, 0, -2.8f}, {-3, 0.2f, 2.8f}, false, grey);  // low enough
    Volume v = ruled(box_volume("v", {-7, -1, -5}, {14, 4, 5}, 0.8f), {ProbeRule::walkable});
    v.seeds = {{-2, 1.5f, 0}};
    v.heights = {0.5f, 1.5f};
    level.volumes = {v};
    std::size_t low = 0, high = 0, on_kerb = 0;
    for (const Vec3 p : positions(placed(level))) {
        EXPECT_TRUE(p.x > -5 && p.x < 5) << "beyond a wall without a door";
        const bool kerb = p.x < -3.05f;
        const float ground = kerb ? 0.2f : 0;
        on_kerb += kerb ? 1 : 0;
        EXPECT_FALSE(p.x > 2.1f && p.x < 3.9f && std::abs(p.z) < 0.9f) << "on the table";
        const float over = p.y - ground;
        const bool is_low = std::abs(over - 0.5f) < 0.35f, is_high = std::abs(over - 1.5f) < 0.35f;
        EXPECT_TRUE(is_low || is_high) << p.y;
        low += is_low ? 1 : 0;
        high += is_high ? 1 : 0;
    }
    EXPECT_GT(low, 30u);
    EXPECT_GT(high, 30u);
    EXPECT_GT(on_kerb, 4u);
}

TEST(Objects, are_gone_around_on_every_side) {
    Level level;
    add_floor(level, 30, grey);
    add_box(level, "crate", {-0.5f, 0, -0.5f}, {0.5f, 1, 0.5f}, false, grey);
    Volume v = ruled(box_volume("v", {-8, 0, -8}, {8, 5, 8}, 2), {ProbeRule::objects});
    level.volumes = {v};
    const std::vector<Vec3> at = positions(placed(level));
    ASSERT_EQ(at.size(), 5u) << "four sides and the top; the floor is no object";
    int sides[5] = {};
    for (const Vec3 p : at) {
        sides[0] += p.x < -0.5f;
        sides[1] += p.x > 0.5f;
        sides[2] += p.z < -0.5f;
        sides[3] += p.z > 0.5f;
        sides[4] += p.y > 1;
    }
    for (const int s : sides) EXPECT_EQ(s, 1);
}

TEST(Light, asks_for_more_probes_where_it_is_told_wrong) {
    Level level;
    add_floor(level, 24, grey);
    level.sky.radiance = {20, 20, 20};
    level.lightmap.density = 4;
    level.volumes = {
        ruled(box_volume("v", {-9, 0, -9}, {9, 3, 9}, 2), {ProbeRule::lattice, ProbeRule::light})};
    const auto added = [&](std::size_t& near, std::size_t& far) {
        near = far = 0;
        for (const ProbePlace& place : placed(level).places) {
            if (place.rule != ProbeRule::light) continue;
            const float r = length(Vec3{place.position.x, 0, place.position.z});
            (r < 4 ? near : far) += 1;
        }
    };
    std::size_t near = 0, far = 0, near_glow = 0;
    // Light changes much around a lamp, but it is worked out wherever it is asked for.
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {0.3f, 1.7f, 0.2f};
    lamp.color = {400, 400, 400};
    level.lights.push_back(lamp);
    added(near, far);
    level.lights.clear();
    // Eight triangles around it.
    std::vector<Vec3> corners;
    for (const float x : {-0.3f, 0.3f})
        for (const float y : {-0.3f, 0.3f})
            for (const float z : {-0.3f, 0.3f}) {
                const bool turned = x * y * z < 0;
                for (const Vec3 way : {Vec3{x, 0, 0}, turned ? Vec3{0, 0, z} : Vec3{0, y, 0},
                                       turned ? Vec3{0, y, 0} : Vec3{0, 0, z}})
                    corners.push_back(Vec3{0.3f, 1.7f, 0.2f} + way);
            }
    add_surface(level, "lantern", corners, grey, {500, 500, 500});
    added(near_glow, far);
    EXPECT_GT(near_glow, 20u) << "what glows and is no flat rectangle is told by coefficients alone";
    EXPECT_GT(near_glow, 3 * far);
    EXPECT_LT(2 * near, near_glow);
}

TEST(Places, keep_their_clearance_by_being_nudged_or_dropped) {
    Level level = rooms();
    Volume v = box_volume("v", {-5, 0, -3}, {5, 3, 3}, 0.37f);
    v.clearance = 0.3f;
    level.volumes = {v};
    const PlacedProbes p = placed(level);
    EXPECT_GT(p.figures.nudged, 100u);
    EXPECT_GT(p.figures.too_close + p.figures.in_solids + p.figures.merged, 0u);
    for (const Vec3 at : positions(p)) ASSERT_GE(distance_to_level(level, at), 0.3f - 1e-4f);
}

SLOW_TEST(Places, are_never_inside_of_solids_in_two_hundred_heaps_of_clutter) {
    std::size_t probes = 0;
    for (std::uint32_t seed = 0; seed < 200; ++seed) {
        Numbers n(seed + 1);
        Level level;
        std::vector<std::pair<Vec3, Vec3>> boxes;
        const auto size = 3 + static_cast<std::size_t>(n.next() * 12);
        for (std::size_t i = 0; i < size; ++i) {
            const Vec3 low{n.next() * 8 - 4, n.next() * 3 - 0.5f, n.next() * 8 - 4},
                high = low + Vec3{0.05f + n.next() * 3, 0.05f + n.next() * 2, 0.05f + n.next() * 3};
            boxes.push_back({low, high});
            add_box(level, "box " + std::to_string(i), low, high, false, grey);
        }
        Volume v = box_volume("v", {-4, -0.5f, -4}, {4, 3, 4}, 0.9f);
        v.clearance = 0.1f;
        level.volumes = {v};
        for (const Vec3 p : positions(placed(level))) {
            ++probes;
            for (const auto& [low, high] : boxes)
                ASSERT_FALSE(p.x > low.x && p.y > low.y && p.z > low.z && p.x < high.x && p.y < high.y &&
                             p.z < high.z)
                    << "seed " << seed << ": " << p.x << " " << p.y << " " << p.z;
        }
    }
    EXPECT_GT(probes, 30000u);
}

SLOW_TEST(Places, stay_free_among_open_shells_and_single_sheets) {
    Level level;
    add_floor(level, 20, grey);
    // A room of single sheets that face inwards, a tube without ends, and half a ball.
    add_quad(level, "sheet 1", {-6, 0, -6}, {-2, 0, -6}, {-2, 3, -6}, {-6, 3, -6}, grey);
    add_quad(level, "sheet 2", {-2, 0, -6}, {-2, 0, -2}, {-2, 3, -2}, {-2, 3, -6}, grey);
    Surface& tube = add_mesh(level, open_tube(24, 8, 1, 4));
    tube.to_world.origin = {3, 1.5f, 0};
    level.volumes = {box_volume("v", {-7, 0, -7}, {7, 3, 7}, 0.7f)};
    level.lightmap.density = 2;
    level.sky.radiance = {100, 100, 100};
    const Bake b = bake_level(level);
    ASSERT_GT(b.baked.probes.size(), 500u);
    EXPECT_EQ(b.baked.figures.invalid_probes, 0u) << "none sees backs of faces from close by";
    for (std::size_t i = 0; i < b.baked.probes.size(); ++i)
        EXPECT_GE(b.baked.probes.clearance[i], 0.2f - 1e-4f);
}

TEST(Places, far_beneath_open_ground_are_behind_it_though_rays_pass_below_it) {
    Level level;
    add_floor(level, 60, grey);
    level.volumes = {box_volume("under", {-3, -14, -3}, {3, -10, 3}, 2)};
    EXPECT_NE(refused(level).find("no free place"), std::string::npos);
    level.volumes = {box_volume("over", {-3, 10, -3}, {3, 14, 3}, 2)};
    EXPECT_EQ(placed(level).places.size(), 18u);
}

TEST(Places, on_the_demo_level_are_inside_of_nothing) {
    Level level = load_level(demo_folder() / "observatory.toml");
    const PlacedProbes p = placed(level);
    ASSERT_GT(p.places.size(), 800u);
    // Parity of crossings with each closed thing, along three ways that meet no edge by chance together.
    std::size_t inside = 0;
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        const Mesh& m = level.meshes[s.mesh];
        std::map<std::array<float, 3>, std::uint32_t> place;
        std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
        std::vector<std::uint32_t> welded;
        for (const Vec3 q : m.positions)
            welded.push_back(
                place.try_emplace({q.x, q.y, q.z}, static_cast<std::uint32_t>(place.size())).first->second);
        for (std::size_t i = 0; i < m.indices.size(); ++i) {
            const std::uint32_t a = welded[m.indices[i]], b = welded[m.indices[i % 3 == 2 ? i - 2 : i + 1]];
            if (a != b) edges[{std::min(a, b), std::max(a, b)}] += a < b ? 1 : -1;
        }
        if (std::any_of(edges.begin(), edges.end(), [](const auto& e) { return e.second != 0; })) continue;
        Vec3 low{1e30f, 1e30f, 1e30f}, high = low * -1;
        std::vector<Vec3> at;
        for (const Vec3 q : m.positions) {
            at.push_back(transform_point(s.to_world, q));
            low = min(low, at.back());
            high = max(high, at.back());
        }
        for (const ProbePlace& probe : p.places) {
            const Vec3 o = probe.position;
            if (o.x < low.x || o.y < low.y || o.z < low.z || o.x > high.x || o.y > high.y || o.z > high.z)
                continue;
            int votes = 0;
            for (const Vec3 way : {normalize({0.31f, 0.83f, 0.47f}), normalize({-0.71f, 0.22f, 0.66f}),
                                   normalize({0.15f, -0.53f, -0.84f})}) {
                int crossings = 0;
                for (std::size_t t = 0; t < m.triangle_count(); ++t) {
                    const Vec3 a = at[m.indices[3 * t]], e = at[m.indices[3 * t + 1]] - a,
                               f = at[m.indices[3 * t + 2]] - a, h = cross(way, f), to = o - a,
                               g = cross(to, e);
                    const float det = dot(e, h);
                    if (std::abs(det) < 1e-12f) continue;
                    const float u = dot(to, h) / det, v = dot(way, g) / det, far = dot(f, g) / det;
                    crossings += u >= 0 && v >= 0 && u + v <= 1 && far > 0 ? 1 : 0;
                }
                votes += crossings % 2;
            }
            inside += votes >= 2 ? 1 : 0;
        }
    }
    EXPECT_EQ(inside, 0u);
}

TEST(ByHand, probes_stay_whatever_rules_thinning_and_budgets_do) {
    Level level = rooms();
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {-3, 2.5f, 0};
    lamp.color = {300, 300, 300};
    level.lights = {lamp};
    level.lightmap.density = 4;
    level.hand_probes = {{-4, 1, 0}, {3, 1, 1}, {3.05f, 1, 1}, {-2.5f, -0.1f, 0}};  // the last in the floor
    level.volumes = {box_volume("v", {-5, 0, -3}, {5, 3, 3}, 0.8f)};
    level.probes.budget = 30;
    const PlacedProbes p = placed(level);
    EXPECT_LE(p.places.size(), 30u);
    EXPECT_GE(p.places.size(), 20u);
    EXPECT_EQ(p.figures.kept[0], 4u);
    EXPECT_EQ(p.figures.bad_by_hand, 1u);
    for (const Vec3 wanted : level.hand_probes)
        EXPECT_TRUE(std::any_of(p.places.begin(), p.places.end(), [&](const ProbePlace& place) {
            return place.rule == ProbeRule::hand && length(place.position - wanted) < 3e-4f;
        }));
}

SLOW_TEST(Thinning, keeps_light_within_the_tolerance_with_fewer_probes_the_coarser_it_is) {
    Level level = rooms();
    add_quad(level, "panel", {-4, 2.99f, -2}, {-2, 2.99f, -2}, {-2, 2.99f, 2}, {-4, 2.99f, 2}, grey,
             {100, 95, 80});
    level.lightmap.density = 4;
    level.volumes = {box_volume("v", {-5, 0, -3}, {5, 3, 3}, 0.5f)};
    std::size_t before = static_cast<std::size_t>(-1);
    for (const float tolerance : {0.1f, 0.2f, 0.4f}) {
        level.probes.tolerance = tolerance;
        const PlacedProbes p = placed(level);
        EXPECT_LE(p.figures.error_95, tolerance) << tolerance;
        EXPECT_GE(p.figures.checked, 1000u);
        EXPECT_LT(p.places.size(), before);
        before = p.places.size();
        if (tolerance == 0.1f) {
            std::size_t candidates = 0;
            for (const std::size_t c : p.figures.candidates) candidates += c;
            EXPECT_LT(p.places.size() * 4, candidates);
            EXPECT_EQ(p.figures.thinned, candidates - p.places.size());
        }
    }
}

SLOW_TEST(Thinning, gives_the_same_places_for_any_number_of_threads) {
    Level level = rooms();
    Light lamp;
    lamp.name = "lamp";
    lamp.position = {-3, 2.5f, 0};
    lamp.color = {300, 280, 200};
    level.lights = {lamp};
    level.lightmap.density = 3;
    Volume v = ruled(
        box_volume("v", {-5, 0, -3}, {5, 3, 3}, 1.5f),
        {ProbeRule::lattice, ProbeRule::explore, ProbeRule::walkable, ProbeRule::objects, ProbeRule::light});
    v.seeds = {{-3, 1.5f, 0}};
    level.volumes = {v};
    level.probes.tolerance = 0.1f;
    const PlacedProbes one = placed(level, 1), three = placed(level, 3);
    EXPECT_EQ(positions(one), positions(three));
    EXPECT_GT(one.places.size(), 20u);
}

TEST(BadVolumes, are_refused_early_with_what_is_wrong) {
    Level solid;
    add_box(solid, "rock", {-5, -5, -5}, {5, 5, 5}, false, grey);
    solid.volumes = {box_volume("vein", {-2, -2, -2}, {2, 2, 2}, 1)};
    std::string why = refused(solid);
    EXPECT_NE(why.find("no free place"), std::string::npos) << why;
    EXPECT_NE(why.find("vein"), std::string::npos) << why;
    EXPECT_NE(why.find("64"), std::string::npos) << "how many were tried: " << why;

    Level seeded = rooms();
    Volume v = ruled(box_volume("v", {-7, -1, -5}, {14, 4, 5}, 1), {ProbeRule::explore});
    v.seeds = {{-5.1f, 1, 0}};
    seeded.volumes = {v};
    why = refused(seeded);
    EXPECT_NE(why.find("seed lies inside"), std::string::npos) << why;
    seeded.volumes[0].seeds = {{30, 1, 0}};
    EXPECT_NE(refused(seeded).find("outside of the volume"), std::string::npos) << refused(seeded);
    seeded.volumes[0].seeds.clear();
    EXPECT_NE(refused(seeded).find("nowhere to explore from"), std::string::npos) << refused(seeded);

    Level dense = open_air();
    dense.volumes = {box_volume("crowd", {0, 0, 0}, {215.44f, 215.44f, 215.44f}, 1)};
    why = refused(dense);
    EXPECT_NE(why.find("1007769"), std::string::npos) << "the count: " << why;
    dense.volumes[0].spacing = 0;
    EXPECT_NE(refused(dense).find("spacing"), std::string::npos);
}

}  // namespace
}  // namespace test::place_tests
