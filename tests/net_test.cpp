// Tetrahedra between probes.

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "probe/delaunay.hpp"
#include "probe/net.hpp"
#include "shapes.hpp"
#include "stasigraph/level.hpp"
#include "support.hpp"

namespace test::net_tests {
namespace {

using namespace stasigraph;
using Points = std::vector<LatticePoint>;

std::int32_t some(Numbers& n, std::int32_t below) {
    return static_cast<std::int32_t>(n.next() * static_cast<float>(below));
}

Points distinct(Points points) {
    std::sort(points.begin(), points.end());
    points.erase(std::unique(points.begin(), points.end()), points.end());
    return points;
}

Points random_points(std::size_t count, std::uint32_t seed) {
    Numbers n(seed);
    Points points;
    for (std::size_t i = 0; i < count; ++i)
        points.push_back({some(n, 2 * most_coordinate) - most_coordinate,
                          some(n, 2 * most_coordinate) - most_coordinate,
                          some(n, 2 * most_coordinate) - most_coordinate});
    return distinct(points);
}

Points grid(int x, int y, int z, std::int32_t step) {
    Points points;
    for (int i = 0; i < x; ++i)
        for (int j = 0; j < y; ++j)
            for (int k = 0; k < z; ++k) points.push_back({i * step, j * step, k * step});
    return points;
}

/// Every rule of Tetrahedra, and that they fill the hull and hold no point in a sphere.
void expect_delaunay(const Points& points, const Tetrahedra& net) {
    ASSERT_GT(net.size(), 0u);
    const auto at = [&](std::uint32_t v) -> const LatticePoint& { return points[v]; };
    std::vector<std::uint8_t> used(points.size(), 0);
    std::vector<std::array<std::uint32_t, 3>> hull;  // turned so that the inside is on the positive side
    for (std::uint32_t c = 0; c < net.size(); ++c) {
        const auto& v = net.vertex[c];
        for (const std::uint32_t i : v) used[i] = 1;
        ASSERT_GT(side_of_plane(at(v[0]), at(v[1]), at(v[2]), at(v[3])), 0) << c;
        for (int k = 0; k < 4; ++k) {
            const std::uint32_t other = net.adjacent[c][k];
            if (other == none) {
                std::array<std::uint32_t, 3> face{};
                for (int i = 0, n = 0; i < 4; ++i)
                    if (i != k) face[n++] = v[i];
                if (side_of_plane(at(face[0]), at(face[1]), at(face[2]), at(v[k])) < 0)
                    std::swap(face[0], face[1]);
                hull.push_back(face);
                continue;
            }
            const auto& w = net.vertex[other];
            const auto back = std::find(net.adjacent[other].begin(), net.adjacent[other].end(), c);
            ASSERT_NE(back, net.adjacent[other].end());
            const std::uint32_t beyond = w[static_cast<std::size_t>(back - net.adjacent[other].begin())];
            ASSERT_EQ(std::count(v.begin(), v.end(), beyond), 0);
            for (int i = 0; i < 4; ++i) ASSERT_EQ(std::count(w.begin(), w.end(), v[i]), i == k ? 0 : 1);
            // No point beyond a face lies in the sphere; then none does anywhere (Delaunay 1934).
            ASSERT_LE(side_of_sphere(at(v[0]), at(v[1]), at(v[2]), at(v[3]), at(beyond)), 0);
        }
    }
    EXPECT_EQ(std::count(used.begin(), used.end(), 0), 0) << "points without a tetrahedron";
    // A surface that is closed and convex everywhere is the hull, and what it encloses is filled.
    std::size_t outside = 0;
    for (const auto& f : hull)
        for (const LatticePoint& p : points) outside += side_of_plane(at(f[0]), at(f[1]), at(f[2]), p) < 0;
    EXPECT_EQ(outside, 0u);
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
    for (const auto& f : hull)
        for (int i = 0; i < 3; ++i) ++edges[std::minmax(f[i], f[(i + 1) % 3])];
    for (const auto& [edge, count] : edges) ASSERT_EQ(count, 2);
}

TEST(Net, fills_the_hull_of_ten_thousand_random_points) {
    const Points points = random_points(10000, 1);
    expect_delaunay(points, delaunay(points));
}

SLOW_TEST(Net, fills_lattices_on_which_every_sphere_holds_eight_points) {
    for (const Points& points : {grid(21, 21, 21, 1000), grid(2, 2, 2, 1 << 19), grid(100, 2, 50, 777)})
        expect_delaunay(points, delaunay(points));
    // A lattice of unit cubes: all of them whole.
    const Tetrahedra net = delaunay(grid(5, 5, 5, 10));
    std::int64_t six_volumes = 0;
    const Points points = grid(5, 5, 5, 10);
    for (const auto& v : net.vertex) {
        const auto d = [&](int k, int a) { return std::int64_t{points[v[k]][a]} - points[v[0]][a]; };
        six_volumes += d(1, 0) * (d(2, 1) * d(3, 2) - d(2, 2) * d(3, 1)) -
                       d(1, 1) * (d(2, 0) * d(3, 2) - d(2, 2) * d(3, 0)) +
                       d(1, 2) * (d(2, 0) * d(3, 1) - d(2, 1) * d(3, 0));
    }
    EXPECT_EQ(six_volumes, 6 * 40 * 40 * 40);
}

SLOW_TEST(Net, fills_what_lies_in_few_planes) {
    // Two floors of random points, and one point aside.
    Numbers n(3);
    Points points;
    for (int i = 0; i < 5000; ++i)
        points.push_back({some(n, 100000), i % 2 == 0 ? 0 : 3000, some(n, 100000)});
    points.push_back({50000, 90000, 50000});
    points = distinct(points);
    expect_delaunay(points, delaunay(points));
    // One floor of a lattice, most of it in one plane.
    points = grid(70, 1, 70, 500);
    points.push_back({123, 500, 77});
    expect_delaunay(points, delaunay(points));
}

TEST(Net, is_the_same_in_any_order_of_the_points) {
    for (const Points& points : {random_points(2000, 4), grid(12, 12, 12, 64)}) {
        const Tetrahedra net = delaunay(points);
        std::vector<std::uint32_t> order(points.size());
        for (std::uint32_t i = 0; i < order.size(); ++i) order[i] = i;
        Numbers n(5);
        for (std::size_t i = order.size() - 1; i > 0; --i)
            std::swap(order[i], order[static_cast<std::size_t>(some(n, static_cast<std::int32_t>(i + 1)))]);
        Points shuffled;
        for (const std::uint32_t i : order) shuffled.push_back(points[i]);
        const auto sets = [](const Tetrahedra& t, auto&& name) {
            std::set<std::array<std::uint32_t, 4>> out;
            for (std::array<std::uint32_t, 4> v : t.vertex) {
                for (std::uint32_t& i : v) i = name(i);
                std::sort(v.begin(), v.end());
                out.insert(v);
            }
            return out;
        };
        EXPECT_EQ(sets(net, [](std::uint32_t i) { return i; }),
                  sets(delaunay(shuffled), [&](std::uint32_t i) { return order[i]; }));
    }
}

TEST(Net, of_points_in_a_plane_or_too_few_is_empty) {
    EXPECT_EQ(delaunay({}).size(), 0u);
    EXPECT_EQ(delaunay(grid(1, 1, 3, 10)).size(), 0u);
    EXPECT_EQ(delaunay(grid(9, 1, 9, 10)).size(), 0u);
    EXPECT_EQ(delaunay(random_points(3, 6)).size(), 0u);
    EXPECT_EQ(delaunay(Points{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}).size(), 1u);
}

TEST(Net, predicates_are_exact_where_numbers_are_largest) {
    const std::int32_t m = most_coordinate;
    const LatticePoint a{-m, -m, -m}, b{m, -m, -m}, c{-m, m, -m}, d{-m, -m, m};
    ASSERT_GT(side_of_plane(a, b, c, d), 0);
    EXPECT_EQ(side_of_sphere(a, b, c, d, {m, m, m}), 0);
    EXPECT_EQ(side_of_sphere(a, b, c, d, {m, m, m - 1}), 1);
    EXPECT_EQ(side_of_sphere(a, b, c, d, {-m, m, m}), 0);
    EXPECT_EQ(side_of_plane(a, b, {m, m, m}, {-m, m, m}), 0);
    EXPECT_EQ(side_of_plane(a, b, {m, m, m}, {-m, m, m - 1}),
              -side_of_plane(a, b, {m, m, m}, {-m, m - 1, m}));
}

TEST(Net, places_keep_apart_on_their_lattice) {
    const std::vector<Vec3> places = {{-1500, 0, 20}, {2500, 90, -800}, {2500, 90.01f, -800}};
    const PlaceLattice lattice = lattice_of(places);
    EXPECT_NE(lattice.at(places[1]), lattice.at(places[2]));
    for (const Vec3 p : places)
        for (const std::int32_t c : lattice.at(p)) EXPECT_LE(std::abs(c), most_coordinate);
}

// ---- lookups

ProbeNet net_of(const std::vector<Vec3>& places) {
    std::vector<ProbePlace> all;
    for (const Vec3 p : places) all.push_back({snapped(p), ProbeRule::hand, none});
    return connect_probes(all, {});
}

std::vector<Vec3> scattered(std::size_t count, std::uint32_t seed, float side) {
    Numbers n(seed);
    std::vector<Vec3> out;
    std::set<std::array<float, 3>> known;
    while (out.size() < count) {
        const Vec3 p = snapped({n.next() * side, n.next() * side, n.next() * side});
        if (known.insert({p.x, p.y, p.z}).second) out.push_back(p);
    }
    return out;
}

/// Without distances nothing is hidden: weights are those of the tetrahedron.
void expect_linear(const ProbeNet& net, Vec3 p, float tolerance) {
    std::uint32_t hint = none;
    const ProbeWeights w = probe_weights(net, p, hint, false);
    ASSERT_GT(w.count, 0);
    float sum = 0;
    Vec3 at;
    for (int k = 0; k < w.count; ++k) {
        EXPECT_GE(w.weight[k], 0);
        sum += w.weight[k];
        at = at + net.position[w.probe[k]] * w.weight[k];
    }
    EXPECT_NEAR(sum, 1, 1e-4f);
    EXPECT_LT(length(at - p), tolerance + w.beyond);
}

TEST(Lookup, tells_what_is_linear_between_ten_thousand_points_from_any_start) {
    std::vector<Vec3> grid, random = scattered(10000, 3, 50);
    for (int i = 0; i < 10000; ++i)
        grid.push_back(
            {static_cast<float>(i % 25), static_cast<float>(i / 25 % 20), static_cast<float>(i / 500)});
    Numbers n(5);
    for (const std::vector<Vec3>* places : {&random, &grid}) {
        const ProbeNet net = net_of(*places);
        for (int i = 0; i < 2000; ++i) {
            Vec3 p{n.next() * 24, n.next() * 19, n.next() * 19};
            if (places == &random) p = p + Vec3{10, 10, 10};
            expect_linear(net, p, 0.01f);
            // From another start: the same light, though on a face another cell may answer.
            std::uint32_t other =
                static_cast<std::uint32_t>(n.next() * static_cast<float>(net.vertex.size() - 1));
            const ProbeWeights a = probe_weights(net, p), b = probe_weights(net, p, other, false);
            std::map<std::uint32_t, float> sum;
            for (int k = 0; k < a.count; ++k) sum[a.probe[k]] += a.weight[k];
            for (int k = 0; k < b.count; ++k) sum[b.probe[k]] -= b.weight[k];
            for (const auto& [probe, off] : sum) EXPECT_NEAR(off, 0, 2e-3f) << probe;
        }
    }
}

/// What answers at a place as a place itself: the mean of the probes, by their weights.
Vec3 answering_place(const ProbeNet& net, const ProbeWeights& w) {
    Vec3 at;
    for (int k = 0; k < w.count; ++k) at = at + net.position[w.probe[k]] * w.weight[k];
    return at;
}

TEST(Lookup, beyond_the_net_is_answered_by_the_nearest_place_of_its_border) {
    const std::vector<Vec3> places = scattered(300, 11, 10);
    const ProbeNet net = net_of(places);
    const runtime::NetView view = view_of(net);
    ASSERT_GT(view.borders, 100u);
    Numbers n(7);
    int beyond = 0;
    for (int i = 0; i < 500; ++i) {
        const Vec3 p{n.next() * 30 - 10, n.next() * 30 - 10, n.next() * 30 - 10};
        std::uint32_t hint = none;
        const ProbeWeights w = probe_weights(net, p, hint, false);
        const bool deep = p.x > 2 && p.y > 2 && p.z > 2 && p.x < 8 && p.y < 8 && p.z < 8;
        if (w.beyond == 0) continue;
        ++beyond;
        EXPECT_FALSE(deep);
        EXPECT_NEAR(length(answering_place(net, w) - p), w.beyond, 1e-3f);
        // One after the other.
        float nearest = 1e30f;
        for (std::uint32_t f = 0; f < view.borders; ++f) {
            runtime::Point c[3];
            runtime::detail::face_corners(view, view.border[f], c);
            float share[3];
            runtime::detail::nearest_on_triangle({p.x, p.y, p.z}, c[0], c[1], c[2], share);
            const runtime::Point q = c[0] * share[0] + c[1] * share[1] + c[2] * share[2];
            nearest = std::min(nearest, length(Vec3{q.x, q.y, q.z} - p));
        }
        EXPECT_NEAR(w.beyond, nearest, 1e-3f);
    }
    EXPECT_GT(beyond, 300);
}

TEST(Lookup, over_a_layer_of_probes_and_in_bays_the_nearest_answer_instead_of_those_far_off) {
    // A yard between two towers, as rooms and the ground between them are filled.
    std::vector<Vec3> places;
    for (int i = 0; i < 20; ++i)
        for (int k = 0; k < 20; ++k)
            for (int j = 0; j < (i < 4 || i >= 16 ? 8 : 2); ++j)
                places.push_back({static_cast<float>(i), static_cast<float>(j), static_cast<float>(k)});
    const ProbeNet net = net_of(places);
    Numbers n(4);
    for (int walk = 0; walk < 100; ++walk) {
        // Within four spacings of a tower its probes answer as well, and in such a corner the nearest place
        // of the border changes over, the more the further off it is.
        const bool apart = walk % 2 == 0;
        const float x = apart ? 8.2f + 2.6f * n.next() : 3.2f + 12.6f * n.next(), z = 2 + 16 * n.next();
        std::map<std::uint32_t, float> last;
        std::uint32_t hint = none;
        for (int step = 0; step < 300; ++step) {
            const Vec3 p{x, 0.5f + 0.01f * static_cast<float>(step), z};
            const ProbeWeights w = probe_weights(net, p, hint, false);
            std::map<std::uint32_t, float> now;
            for (int k = 0; k < w.count; ++k) now[w.probe[k]] += w.weight[k];
            for (const auto& [probe, weight] : now) {
                const Vec3 off = net.position[probe] - p;
                ASSERT_LT(std::hypot(off.x, off.z), apart ? 1.5f : 6.0f) << p.x << " " << p.y << " " << p.z;
                const float before = step > 0 && apart ? last[probe] : weight;
                ASSERT_NEAR(weight, before, 0.015f) << p.x << " " << p.y << " " << p.z;
            }
            if (apart) {
                EXPECT_NEAR(w.beyond, std::max(0.0f, p.y - 1), 1e-3f);
            }
            last = now;
        }
    }
    // Between the towers, nearer to one of them than to the yard.
    const ProbeWeights side = probe_weights(net, {4.0f, 5.5f, 9.5f});
    EXPECT_NEAR(side.beyond, 1, 1e-3f);
    EXPECT_LT(length(answering_place(net, side) - Vec3{3, 5.5f, 9.5f}), 2e-3f);
}

TEST(Lookup, what_is_sparse_everywhere_is_no_outside) {
    // Fine in the middle, eight times as coarse around: all of it answers.
    std::vector<Vec3> places;
    for (int i = 0; i <= 8; ++i)
        for (int j = 0; j <= 8; ++j)
            for (int k = 0; k <= 8; ++k) {
                places.push_back({8.0f * static_cast<float>(i), 8.0f * static_cast<float>(j),
                                  8.0f * static_cast<float>(k)});
                places.push_back({28.5f + static_cast<float>(i), 28.5f + static_cast<float>(j),
                                  28.5f + static_cast<float>(k)});
            }
    const ProbeNet net = net_of(places);
    Numbers n(6);
    for (int i = 0; i < 2000; ++i)
        ASSERT_EQ(probe_weights(net, {n.next() * 64, n.next() * 64, n.next() * 64}).beyond, 0);
}

TEST(Lookup, beyond_the_net_does_not_depend_on_where_it_was_looked_from_before) {
    // A lattice under a spire: more faces of the hull meet in its tip than in any other place.
    std::vector<Vec3> places;
    for (int i = 0; i < 12; ++i)
        for (int k = 0; k < 12; ++k)
            for (int j = 0; j < 2; ++j)
                places.push_back({static_cast<float>(i), static_cast<float>(j), static_cast<float>(k)});
    for (int i = 0; i < 90; ++i) {
        const float t = 2 * pi * static_cast<float>(i) / 90;
        places.push_back({5.5f + 12 * std::cos(t), 0.5f, 5.5f + 12 * std::sin(t)});
    }
    places.push_back({5.5f, 9, 5.5f});
    const ProbeNet net = net_of(places);
    Numbers n(3);
    std::uint32_t kept = 0;
    int beyond = 0;
    for (int i = 0; i < 20000; ++i) {
        const Vec3 p{n.next() * 50 - 20, n.next() * 30 - 10, n.next() * 50 - 20};
        std::uint32_t fresh = none;
        const ProbeWeights a = probe_weights(net, p, fresh, false), b = probe_weights(net, p, kept, false);
        beyond += a.beyond > 0;
        ASSERT_NEAR(a.beyond, b.beyond, 1e-3f) << p.x << " " << p.y << " " << p.z;
        const Vec3 at = answering_place(net, a), other = answering_place(net, b);
        // Distances are told apart to a millionth of their square: from 30 m away, places to 3 cm.
        ASSERT_LT(length(at - other), 0.03f);
        EXPECT_NEAR(length(at - p), a.beyond, 1e-3f);
    }
    EXPECT_GT(beyond, 10000);
}

TEST(Lookup, works_where_all_probes_lie_in_a_plane_a_line_or_a_point) {
    std::vector<Vec3> plane;
    for (int i = 0; i < 12; ++i)
        for (int k = 0; k < 9; ++k) plane.push_back({static_cast<float>(i), 1.6f, static_cast<float>(k)});
    const ProbeNet flat = net_of(plane);
    EXPECT_EQ(flat.dimension, 2);
    expect_linear(flat, {3.3f, 1.6f, 4.7f}, 1e-3f);
    const ProbeWeights above = probe_weights(flat, {3.3f, 2.6f, 4.7f});
    EXPECT_NEAR(above.beyond, 1, 1e-3f);
    EXPECT_LT(length(answering_place(flat, above) - Vec3{3.3f, 1.6f, 4.7f}), 2e-3f);

    const ProbeNet line = net_of({{0, 1, 0}, {2, 1, 0}, {6, 1, 0}});
    EXPECT_EQ(line.dimension, 1);
    const ProbeWeights between = probe_weights(line, {3, 5, 2});
    ASSERT_EQ(between.count, 2);
    for (int k = 0; k < 2; ++k) EXPECT_NEAR(between.weight[k], between.probe[k] == 1 ? 0.75f : 0.25f, 1e-3f);

    const ProbeNet one = net_of({{4, 4, 4}});
    const ProbeWeights w = probe_weights(one, {-9, 2, 3});
    ASSERT_EQ(w.count, 1);
    EXPECT_NEAR(w.weight[0], 1, 1e-6f);
    EXPECT_EQ(probe_weights(net_of({}), {0, 0, 0}).count, 0);
}

TEST(Nearness, comes_back_from_two_bytes_within_a_fiftieth) {
    for (float far = 0.02f; far < 160; far *= 1.013f)
        for (const float spread : {0.0f, 0.03f, 0.4f, 2.5f}) {
            const runtime::Nearness n = runtime::nearness_of(runtime::to_code({1 / far, spread / far}));
            EXPECT_NEAR(n.mean * far, 1, 0.02f) << far;
            EXPECT_NEAR(n.spread * far, spread, 0.03f * spread + 0.001f) << far << " " << spread;
        }
    // What is nearer or farther than can be told is told as near or as far as can be; no distance is one.
    EXPECT_NEAR(runtime::nearness_of(runtime::to_code({1e9f, 0})).mean, 50, 0.01f);
    EXPECT_LT(runtime::nearness_of(runtime::to_code({0, 0})).mean, 0.0062f);
    EXPECT_NEAR(runtime::nearness_of(runtime::nearness_code(4, 16)).mean, 0.25f, 0.005f);
}

}  // namespace
}  // namespace test::net_tests
