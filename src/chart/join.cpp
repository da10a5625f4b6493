#include "chart/join.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace stasigraph {

namespace {

/// Pairs this unlike are not worth a try: their normals neither stay together nor turn about one axis.
constexpr double most_join_bend = 0.62, most_twist = 0.08;

/// Charts of fewer triangles than this share of their neighbour's are fitted to it; others relax together.
constexpr double fitted_share = 0.25;

/// A border that fits this well needs no relaxing. Texels.
constexpr float rigid_fit = 0.02f;

/// Larger pairs are fitted but not relaxed together: solves grow faster than n log n, and a chart of this
/// many triangles gains little by becoming larger still.
constexpr std::size_t most_relaxed = 60000;

constexpr double remembered_growth = 0.3;

constexpr int relax_steps = 10, join_rounds = 200;

/// Charts with little in common but a corner make shapes nobody can pack.
constexpr double least_shared = 0.12;

struct Pair {
    std::uint32_t a = 0, b = 0;  ///< a has more triangles, or the lower number.
    double shared = 0, score = 0;
};

float edge_length(const MeshGraph& graph, std::uint32_t c) {
    return length(graph.place[graph.corner[next_corner(c)]] - graph.place[graph.corner[c]]);
}

/// Normals of the union: how far they spread, and how far they leave the cone that fits them best.
bool may_flatten(const LooseChart& a, const LooseChart& b) {
    const double area = a.area + b.area;
    Eigen::Vector3d n;
    for (int k = 0; k < 3; ++k) n[k] = (a.normal[k] + b.normal[k]) / area;
    if (1 - n.squaredNorm() <= most_join_bend) return true;
    double p[6];
    for (int k = 0; k < 6; ++k) p[k] = (a.products[k] + b.products[k]) / area;
    Eigen::Matrix3d spread;
    spread << p[0], p[1], p[2], p[1], p[3], p[4], p[2], p[4], p[5];
    spread -= n * n.transpose();
    // Normals of a developable part of one slope lie on a circle: no spread along its axis.
    return Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread, Eigen::EigenvaluesOnly).eigenvalues()[0] <=
           most_twist * most_twist;
}

/// The result of trying one pair.
struct Joined {
    bool good = false;
    std::vector<std::uint32_t> held;  ///< Corners whose edges hold from now on, one of each pair.
    LooseChart chart;
};

class Trial {
public:
    Trial(const MeshGraph& graph, const ChartLimits& limits, const LooseCharts& loose, const Pair& pair)
        : graph_(graph),
          limits_(limits),
          loose_(loose),
          a_(loose.charts[pair.a]),
          b_(loose.charts[pair.b]),
          pair_(pair) {}

    /// First with all of the border, relaxed; else about a straight part of it, without any stretch.
    Joined run() {
        find_shared();
        find_seam(false);
        if (Joined joined = try_seam(true); joined.good) return joined;
        seam_.clear();
        find_seam(true);
        double length = 0;
        for (const std::uint32_t c : seam_) length += static_cast<double>(edge_length(graph_, c));
        if (length < least_shared * std::min(a_.border, b_.border)) return {};
        return try_seam(false);
    }

private:
    static const Vec2& flat_of(const LooseChart& chart, std::uint32_t corner) {
        const auto at = std::lower_bound(chart.triangles.begin(), chart.triangles.end(), corner / 3);
        return chart.flat[3 * static_cast<std::size_t>(at - chart.triangles.begin()) + corner % 3];
    }

    Joined try_seam(bool may_relax) {
        place_b();
        Joined joined;
        joined.held = seam_;
        std::vector<std::uint32_t> both(a_.triangles.size() + b_.triangles.size());
        std::merge(a_.triangles.begin(), a_.triangles.end(), b_.triangles.begin(), b_.triangles.end(),
                   both.begin());
        // Edges that meet anyway hold as well: the last gap of a ring in a plane.
        for (const std::uint32_t c : shared_)
            if (!std::binary_search(seam_.begin(), seam_.end(), c) && meets(c)) joined.held.push_back(c);
        std::sort(joined.held.begin(), joined.held.end());
        const auto holds = [&](std::uint32_t c) {
            return loose_.holds[c] || std::binary_search(joined.held.begin(), joined.held.end(), c) ||
                   std::binary_search(joined.held.begin(), joined.held.end(), graph_.across[c]);
        };
        const Patch patch = make_patch(graph_, std::move(both), holds);
        std::vector<Vec2> flat = start(patch);
        if (misfit() <= rigid_fit) {
            joined.good = accept(patch, flat);
        } else if (may_relax) {
            std::vector<Vec2> fitted = flat;
            fit_b(patch, fitted);
            joined.good = accept(patch, fitted);
            if (joined.good) {
                flat = std::move(fitted);
            } else if (patch.faces.size() <= most_relaxed &&
                       static_cast<double>(b_.triangles.size()) >=
                           fitted_share * static_cast<double>(a_.triangles.size())) {
                relax(patch, {}, relax_steps, flat);
                joined.good = accept(patch, flat);
            }
        }
        if (!joined.good) return {};
        joined.chart.measure = measure_;
        for (const auto& f : patch.faces)
            for (const std::uint32_t v : f) joined.chart.flat.push_back(flat[v]);
        joined.chart.triangles = patch.triangles;
        describe(graph_, joined.chart);
        return joined;
    }

    /// Shared edges, as corners in a.
    void find_shared() {
        for (const std::uint32_t t : b_.triangles)
            for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c) {
                const std::uint32_t o = graph_.across[c];
                if (o != none && loose_.chart_of[o / 3] == pair_.a) shared_.push_back(o);
            }
        std::sort(shared_.begin(), shared_.end());
    }

    /// The longest run of shared edges that hang together in both charts; `straight`: and that are one line.
    void find_seam(bool straight) {
        struct End {
            std::uint32_t place, edge;
            Vec2 a, b;
        };
        std::vector<End> ends;
        for (std::uint32_t i = 0; i < shared_.size(); ++i) {
            const std::uint32_t c = shared_[i], o = graph_.across[c];
            ends.push_back({graph_.corner[c], i, flat_of(a_, c), flat_of(b_, next_corner(o))});
            ends.push_back({graph_.corner[next_corner(c)], i, flat_of(a_, next_corner(c)), flat_of(b_, o)});
        }
        std::sort(ends.begin(), ends.end(), [](const End& p, const End& q) {
            return p.place != q.place ? p.place < q.place : p.edge < q.edge;
        });
        std::vector<std::uint32_t> run(shared_.size());
        std::iota(run.begin(), run.end(), 0u);
        const auto find = [&](std::uint32_t n) {
            while (run[n] != n) n = run[n] = run[run[n]];
            return n;
        };
        for (std::size_t i = 0; i < ends.size(); ++i)
            for (std::size_t k = i + 1; k < ends.size() && ends[k].place == ends[i].place; ++k)
                if (ends[i].a == ends[k].a && ends[i].b == ends[k].b &&
                    (!straight || in_line(shared_[ends[i].edge], shared_[ends[k].edge]))) {
                    const std::uint32_t p = find(ends[i].edge), q = find(ends[k].edge);
                    run[std::max(p, q)] = std::min(p, q);
                }
        std::vector<double> lengths(shared_.size(), 0.0);
        for (std::uint32_t i = 0; i < shared_.size(); ++i)
            lengths[find(i)] += static_cast<double>(edge_length(graph_, shared_[i]));
        const auto longest =
            static_cast<std::uint32_t>(std::max_element(lengths.begin(), lengths.end()) - lengths.begin());
        for (std::uint32_t i = 0; i < shared_.size(); ++i)
            if (find(i) == longest) seam_.push_back(shared_[i]);
    }

    /// Whether two edges of the border run the same way in both charts, to two degrees.
    bool in_line(std::uint32_t c, std::uint32_t d) const {
        const auto along = [&](const LooseChart& chart, std::uint32_t from, std::uint32_t to) {
            return flat_of(chart, to) - flat_of(chart, from);
        };
        const auto same = [](Vec2 u, Vec2 v) {
            return std::abs(cross(u, v)) < 0.035f * length(u) * length(v) && dot(u, v) > 0;
        };
        const std::uint32_t oc = graph_.across[c], od = graph_.across[d];
        return same(along(a_, c, next_corner(c)), along(a_, d, next_corner(d))) &&
               same(along(b_, oc, next_corner(oc)), along(b_, od, next_corner(od)));
    }

    /// The rotation and move that bring b's side of the seam closest to a's.
    void place_b() {
        double weight = 0, ax = 0, ay = 0, bx = 0, by = 0, co = 0, si = 0;
        const auto each = [&](const auto& f) {
            for (const std::uint32_t c : seam_) {
                const std::uint32_t o = graph_.across[c];
                const auto w = static_cast<double>(edge_length(graph_, c));
                f(flat_of(a_, c), flat_of(b_, next_corner(o)), w);
                f(flat_of(a_, next_corner(c)), flat_of(b_, o), w);
            }
        };
        each([&](Vec2 p, Vec2 q, double w) {
            weight += w;
            ax += w * static_cast<double>(p.x);
            ay += w * static_cast<double>(p.y);
            bx += w * static_cast<double>(q.x);
            by += w * static_cast<double>(q.y);
        });
        if (!(weight > 0)) weight = 1;
        each([&](Vec2 p, Vec2 q, double w) {
            const double px = static_cast<double>(p.x) - ax / weight,
                         py = static_cast<double>(p.y) - ay / weight,
                         qx = static_cast<double>(q.x) - bx / weight,
                         qy = static_cast<double>(q.y) - by / weight;
            co += w * (px * qx + py * qy);
            si += w * (py * qx - px * qy);
        });
        const double l = std::hypot(co, si);
        if (l > 0) {
            cosine_ = co / l;
            sine_ = si / l;
        }
        from_x_ = bx / weight;
        from_y_ = by / weight;
        to_x_ = ax / weight;
        to_y_ = ay / weight;
    }
    Vec2 placed(Vec2 q) const {
        const double x = static_cast<double>(q.x) - from_x_, y = static_cast<double>(q.y) - from_y_;
        return {static_cast<float>(to_x_ + cosine_ * x - sine_ * y),
                static_cast<float>(to_y_ + sine_ * x + cosine_ * y)};
    }
    float gap(std::uint32_t c) const {
        const std::uint32_t o = graph_.across[c];
        return std::max(length(flat_of(a_, c) - placed(flat_of(b_, next_corner(o)))),
                        length(flat_of(a_, next_corner(c)) - placed(flat_of(b_, o))));
    }
    bool meets(std::uint32_t c) const { return gap(c) <= rigid_fit; }
    float misfit() const {
        float most = 0;
        for (const std::uint32_t c : seam_) most = std::max(most, gap(c));
        return most;
    }

    std::vector<Vec2> start(const Patch& patch) const {
        std::vector<Vec2> flat(patch.place.size());
        for (const bool second : {true, false})  // a's places win where both have one
            for (std::size_t f = 0; f < patch.faces.size(); ++f) {
                const std::uint32_t t = patch.triangles[f];
                if ((loose_.chart_of[t] == pair_.b) != second) continue;
                for (std::uint32_t k = 0; k < 3; ++k)
                    flat[patch.faces[f][k]] =
                        second ? placed(flat_of(b_, 3 * t + k)) : flat_of(a_, 3 * t + k);
            }
        return flat;
    }

    /// Relaxes b's part alone, with the vertices it shares with a held where they are.
    void fit_b(const Patch& patch, std::vector<Vec2>& flat) const {
        std::vector<std::uint32_t> number(patch.place.size(), none);
        std::vector<std::uint8_t> in_a(patch.place.size(), 0), pinned;
        Patch part;
        std::vector<std::uint32_t> back;
        for (const bool second : {false, true})
            for (std::size_t f = 0; f < patch.faces.size(); ++f) {
                if ((loose_.chart_of[patch.triangles[f]] == pair_.b) != second) continue;
                for (const std::uint32_t v : patch.faces[f]) {
                    if (!second) in_a[v] = 1;
                    if (!second || number[v] != none) continue;
                    number[v] = static_cast<std::uint32_t>(part.place.size());
                    part.place.push_back(patch.place[v]);
                    pinned.push_back(in_a[v]);
                    back.push_back(v);
                }
                if (second)
                    part.faces.push_back(
                        {number[patch.faces[f][0]], number[patch.faces[f][1]], number[patch.faces[f][2]]});
            }
        std::vector<Vec2> inner(part.place.size());
        for (std::size_t v = 0; v < inner.size(); ++v) inner[v] = flat[back[v]];
        relax(part, pinned, relax_steps, inner);
        for (std::size_t v = 0; v < inner.size(); ++v) flat[back[v]] = inner[v];
    }

    bool accept(const Patch& patch, const std::vector<Vec2>& flat) {
        measure_ = measure_flat(patch, flat);
        if (measure_.turned_over > 0 || measure_.worst > limits_.stretch_limit) return false;
        Vec2 low = flat[0], high = flat[0];
        for (Vec2 p : flat) {
            low = {std::min(low.x, p.x), std::min(low.y, p.y)};
            high = {std::max(high.x, p.x), std::max(high.y, p.y)};
        }
        if (length(high - low) > limits_.longest) return false;
        return lies_clear(patch, flat);
    }

    const MeshGraph& graph_;
    const ChartLimits& limits_;
    const LooseCharts& loose_;
    const LooseChart &a_, &b_;
    const Pair& pair_;
    std::vector<std::uint32_t> shared_, seam_;
    FlatMeasure measure_;
    double cosine_ = 1, sine_ = 0, from_x_ = 0, from_y_ = 0, to_x_ = 0, to_y_ = 0;
};

/// Pairs worth a try, best first.
std::vector<Pair> find_pairs(const MeshGraph& graph, const ChartLimits& limits, const LooseCharts& loose,
                             const std::vector<std::uint32_t>& open,
                             const std::set<std::pair<std::uint32_t, std::uint32_t>>& failed) {
    struct Shared {
        std::uint32_t a, b, corner;
    };
    std::vector<Shared> shared;
    for (const std::uint32_t c : open) {
        const std::uint32_t a = loose.chart_of[c / 3], b = loose.chart_of[graph.across[c] / 3];
        if (a != b) shared.push_back({std::min(a, b), std::max(a, b), c});
    }
    std::sort(shared.begin(), shared.end(), [](const Shared& p, const Shared& q) {
        return std::tie(p.a, p.b, p.corner) < std::tie(q.a, q.b, q.corner);
    });
    std::vector<Pair> pairs;
    for (std::size_t i = 0; i < shared.size();) {
        Pair pair{.a = shared[i].a, .b = shared[i].b};
        bool folded = false;
        for (; i < shared.size() && shared[i].a == pair.a && shared[i].b == pair.b; ++i) {
            pair.shared += static_cast<double>(edge_length(graph, shared[i].corner));
            folded |= graph.crease[shared[i].corner] != 0;
        }
        // What a shader reads beside a fold would be light of the other side.
        if (folded) continue;
        if (failed.contains({pair.a, pair.b})) continue;
        const LooseChart &a = loose.charts[pair.a], &b = loose.charts[pair.b];
        const LooseChart& small = a.area <= b.area ? a : b;
        if (pair.shared < least_shared * small.border) continue;
        if (!may_flatten(a, b)) continue;
        // Texels of margin saved for each texel of the smaller chart.
        pair.score = pair.shared / small.border * (1 + limits.margin * pair.shared / small.area);
        if (b.triangles.size() > a.triangles.size()) std::swap(pair.a, pair.b);
        pairs.push_back(pair);
    }
    std::stable_sort(pairs.begin(), pairs.end(),
                     [](const Pair& p, const Pair& q) { return p.score > q.score; });
    return pairs;
}

}  // namespace

void describe(const MeshGraph& graph, LooseChart& chart) {
    chart.area = chart.border = 0;
    std::fill(std::begin(chart.normal), std::end(chart.normal), 0.0);
    std::fill(std::begin(chart.products), std::end(chart.products), 0.0);
    for (std::size_t i = 0; i < chart.triangles.size(); ++i) {
        const std::uint32_t t = chart.triangles[i];
        const auto area = static_cast<double>(graph.area[t]);
        const double n[3] = {static_cast<double>(graph.smooth[t].x), static_cast<double>(graph.smooth[t].y),
                             static_cast<double>(graph.smooth[t].z)};
        chart.area += area;
        int slot = 0;
        for (int k = 0; k < 3; ++k) {
            chart.normal[k] += area * n[k];
            for (int m = k; m < 3; ++m) chart.products[slot++] += area * n[k] * n[m];
        }
        for (std::uint32_t c = 3 * t; c < 3 * t + 3; ++c) {
            const std::uint32_t o = graph.across[c];
            if (o == none || !std::binary_search(chart.triangles.begin(), chart.triangles.end(), o / 3))
                chart.border += static_cast<double>(edge_length(graph, c));
        }
    }
}

void join_charts(const MeshGraph& graph, const ChartLimits& limits, LooseCharts& loose, Job& job) {
    std::vector<std::uint32_t> open;
    for (std::uint32_t c = 0; c < graph.across.size(); ++c)
        if (graph.across[c] != none && c < graph.across[c] && !loose.holds[c]) open.push_back(c);
    std::set<std::pair<std::uint32_t, std::uint32_t>> failed;
    for (int round = 0; round < join_rounds; ++round) {
        std::erase_if(open, [&](std::uint32_t c) {
            return loose.chart_of[c / 3] == loose.chart_of[graph.across[c] / 3];
        });
        // Each chart takes part in one trial a round, so that trials can run side by side.
        std::vector<Pair> tried;
        std::vector<std::uint8_t> busy(loose.charts.size(), 0);
        for (const Pair& pair : find_pairs(graph, limits, loose, open, failed)) {
            if (busy[pair.a] || busy[pair.b]) continue;
            busy[pair.a] = busy[pair.b] = 1;
            tried.push_back(pair);
        }
        if (tried.empty()) break;
        std::vector<Joined> results(tried.size());
        job.parallel(tried.size(), 1, [&](std::size_t i, std::size_t) {
            results[i] = Trial(graph, limits, loose, tried[i]).run();
        });
        for (std::size_t i = 0; i < tried.size(); ++i) {
            const Pair& pair = tried[i];
            if (!results[i].good) {
                failed.insert({std::min(pair.a, pair.b), std::max(pair.a, pair.b)});
                continue;
            }
            for (const std::uint32_t c : results[i].held) loose.holds[c] = loose.holds[graph.across[c]] = 1;
            // A chart that hardly grew keeps its number, and with it the memory of what it cannot be joined
            // to.
            const bool grew = loose.charts[pair.b].area > remembered_growth * loose.charts[pair.a].area;
            const std::uint32_t number = grew ? static_cast<std::uint32_t>(loose.charts.size()) : pair.a;
            for (const std::uint32_t t : results[i].chart.triangles) loose.chart_of[t] = number;
            loose.charts[pair.a] = loose.charts[pair.b] = {};
            if (grew) loose.charts.emplace_back();
            loose.charts[number] = std::move(results[i].chart);
        }
    }
}

}  // namespace stasigraph
