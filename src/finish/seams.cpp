#include "finish/seams.hpp"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "level/texture.hpp"
#include "parts/box_tree.hpp"

namespace stasigraph {

namespace {

constexpr float seam_cosine = 0.985f;
/// Edges run along one line where their ends are no farther off than this, metres; and share at least this
/// much of it.
constexpr float same_place = 5e-4f, least_shared = 2e-3f;
/// From either side of a seam, so far in and so far up, the other side has to be seen. Metres.
constexpr float look_in = 0.01f, look_up = 0.01f;
/// Places along a seam for each texel of its length, how much agreement there is worth against a texel's own
/// light, and how firmly texels that hold no light of their own are held. Lower strength: jumps stay.
constexpr float per_texel = 2, hold_filled = 0.05f;
/// A side of a place on a seam counts where texels lit by themselves weigh this much there: inside of a wall
/// that stands over the seam both sides are filled, each from where it happens to go on.
constexpr float least_lit = 0.2f;
constexpr double strength = 30;
constexpr int most_steps = 60;
constexpr double good_enough = 1e-3;  ///< Of the first residual.

/// An edge of a triangle on a chart's border.
struct Edge {
    Vec3 a, b;
    Vec3 normal, face, inward;  ///< inward: in the triangle's plane, away from the edge; unit length.
    Vec2 from, to;              ///< Texels of the page.
    std::uint32_t page;
    Vec3 at(float s) const { return a + (b - a) * s; }
    Vec2 texel(float s) const { return from + (to - from) * s; }
};

/// The part of one edge that runs along another: shares of either, from and to.
struct Overlap {
    float a0, a1, b0, b1;
};
bool overlap(const Edge& a, const Edge& b, Overlap& o) {
    if (dot(a.normal, b.normal) <= seam_cosine || dot(a.inward, b.inward) >= 0) return false;
    const float la = length(a.b - a.a), lb = length(b.b - b.a);
    const Edge &longer = la >= lb ? a : b, &shorter = la >= lb ? b : a;
    const float l = std::max(la, lb);
    const Vec3 along = (longer.b - longer.a) * (1 / l);
    float s[2];
    for (int k = 0; k < 2; ++k) {
        const Vec3 way = (k == 0 ? shorter.a : shorter.b) - longer.a;
        s[k] = dot(way, along);
        if (length(way - along * s[k]) > same_place) return false;
    }
    const float low = std::max(0.0f, std::min(s[0], s[1])), high = std::min(l, std::max(s[0], s[1]));
    if (high - low < std::min(least_shared, 0.5f * std::min(la, lb))) return false;
    const auto on_shorter = [&](float at) { return std::clamp((at - s[0]) / (s[1] - s[0]), 0.0f, 1.0f); };
    const float on_long[2] = {low / l, high / l}, on_short[2] = {on_shorter(low), on_shorter(high)};
    o = &longer == &a ? Overlap{on_long[0], on_long[1], on_short[0], on_short[1]}
                      : Overlap{on_short[0], on_short[1], on_long[0], on_long[1]};
    return true;
}

/// Border edges of all charts of a surface: those whose two layout vertices no other triangle joins.
void add_border(const Level& level, const Atlas& atlas, std::uint32_t number, std::vector<Edge>& edges) {
    const SurfaceUv& uv = atlas.surfaces[number];
    if (uv.page == none) return;
    const Layout& layout = atlas.layouts[uv.layout];
    const Surface& surface = level.surfaces[number];
    const Mesh& mesh = level.meshes[surface.mesh];
    std::unordered_map<std::uint64_t, int> uses;
    const auto ends = [&](std::size_t i) {
        return std::pair{layout.indices[i], layout.indices[i % 3 == 2 ? i - 2 : i + 1]};
    };
    const auto joined = [](std::uint32_t a, std::uint32_t b) {
        return static_cast<std::uint64_t>(std::min(a, b)) << 32 | std::max(a, b);
    };
    for (std::size_t i = 0; i < layout.indices.size(); ++i)
        if (layout.chart[i / 3] != none) ++uses[joined(ends(i).first, ends(i).second)];
    for (std::size_t i = 0; i < layout.indices.size(); ++i) {
        if (layout.chart[i / 3] == none) continue;
        const auto [v, w] = ends(i);
        if (uses[joined(v, w)] != 1) continue;
        const auto t = static_cast<std::uint32_t>(i / 3);
        const auto world = [&](std::uint32_t vertex) {
            return transform_point(surface.to_world, mesh.positions[layout.source[vertex]]);
        };
        const Vec3 p0 = world(layout.indices[3 * t]), p1 = world(layout.indices[3 * t + 1]),
                   p2 = world(layout.indices[3 * t + 2]);
        const Vec3 across = cross(p1 - p0, p2 - p0);
        if (!(length(across) > 0)) continue;
        const Vec3 face = normalize(across) * (determinant(surface.to_world) < 0 ? -1.0f : 1.0f);
        // The middle of the edge in barycentrics of its triangle.
        const float middle[3][2] = {{0.5f, 0}, {0.5f, 0.5f}, {0, 0.5f}};
        const auto k = i % 3;
        const Vec2 corner{static_cast<float>(uv.x), static_cast<float>(uv.y)};
        Edge e{.a = world(v),
               .b = world(w),
               .normal = shading_normal(mesh, t, {middle[k][0], middle[k][1]}, surface.to_world, face),
               .face = face,
               .inward = {},
               .from = layout.uv[v] + corner,
               .to = layout.uv[w] + corner,
               .page = uv.page};
        const Vec3 along = e.b - e.a, third = world(layout.indices[3 * t + (k + 2) % 3]) - e.a;
        const float l = length(along);
        if (!(l > same_place)) continue;
        const Vec3 in = third - along * (dot(third, along) / (l * l));
        if (!(length(in) > 0)) continue;
        e.inward = normalize(in);
        edges.push_back(e);
    }
}

/// Collects samples, numbering the texels they touch.
class Planner {
public:
    Planner(const std::vector<PagePlan>& pages, SeamPlan& plan) : pages_(pages), plan_(plan) {
        for (const PagePlan& p : pages) number_.emplace_back(p.state.size(), none);
    }
    /// `open`: for each place along the seam, in order, whether its sides see one another.
    template <class Open>
    void join(const Edge& a, const Edge& b, const Overlap& o, Open open) {
        const float texels = std::max(length(a.to - a.from) * std::abs(o.a1 - o.a0),
                                      length(b.to - b.from) * std::abs(o.b1 - o.b0));
        const int n = std::clamp(static_cast<int>(std::ceil(per_texel * texels)), 1, 8192);
        for (int k = 0; k < n; ++k) {
            const float s = (static_cast<float>(k) + 0.5f) / static_cast<float>(n);
            const float on_a = o.a0 + (o.a1 - o.a0) * s, on_b = o.b0 + (o.b1 - o.b0) * s;
            SeamPlan::Sample sample{};
            if (!open(a, b, on_a)) continue;
            if (touch(a.page, a.texel(on_a), 1, 0, sample) && touch(b.page, b.texel(on_b), -1, 4, sample))
                plan_.samples.push_back(sample);
        }
    }

private:
    bool touch(std::uint32_t page, Vec2 at, float sign, std::size_t slot, SeamPlan::Sample& sample) {
        const PagePlan& p = pages_[page];
        const float x = at.x - 0.5f, y = at.y - 0.5f, fx = std::floor(x), fy = std::floor(y);
        float lit = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            const int px = static_cast<int>(fx) + static_cast<int>(k % 2),
                      py = static_cast<int>(fy) + static_cast<int>(k / 2);
            if (px < 0 || py < 0 || px >= p.side || py >= p.side) return false;
            const auto place = static_cast<std::uint32_t>(py * p.side + px);
            if (p.state[place] == 0) return false;
            const float wx = k % 2 ? x - fx : 1 - (x - fx), wy = k / 2 ? y - fy : 1 - (y - fy);
            sample.at[slot + k] = number(page, place);
            sample.weight[slot + k] = sign * wx * wy;
            lit += p.state[place] == 1 ? wx * wy : 0;
        }
        return lit >= least_lit;
    }
    std::uint32_t number(std::uint32_t page, std::uint32_t place) {
        std::uint32_t& n = number_[page][place];
        if (n == none) {
            n = static_cast<std::uint32_t>(plan_.texels.size());
            plan_.texels.push_back({page, place});
            plan_.hold.push_back(pages_[page].state[place] == 1 ? 1.0f : hold_filled);
        }
        return n;
    }

    const std::vector<PagePlan>& pages_;
    SeamPlan& plan_;
    std::vector<std::vector<std::uint32_t>> number_;
};

/// Light of three channels in double: the fit of a mix of sets is then the mix of their fits.
struct Triple {
    double r = 0, g = 0, b = 0;
    Triple& operator+=(const Triple& o) {
        r += o.r;
        g += o.g;
        b += o.b;
        return *this;
    }
    friend Triple operator*(const Triple& a, double f) { return {a.r * f, a.g * f, a.b * f}; }
    friend Triple operator*(const Triple& a, const Triple& f) { return {a.r * f.r, a.g * f.g, a.b * f.b}; }
};

Triple difference(const SeamPlan::Sample& s, const std::vector<Triple>& x) {
    Triple d;
    for (std::size_t k = 0; k < 8; ++k) d += x[s.at[k]] * static_cast<double>(s.weight[k]);
    return d;
}

/// to = (hold + strength R^T R) x.
void apply(const SeamPlan& plan, const std::vector<Triple>& x, std::vector<Triple>& to) {
    for (std::size_t i = 0; i < x.size(); ++i) to[i] = x[i] * static_cast<double>(plan.hold[i]);
    for (const SeamPlan::Sample& s : plan.samples) {
        const Triple d = difference(s, x) * strength;
        for (std::size_t k = 0; k < 8; ++k) to[s.at[k]] += d * static_cast<double>(s.weight[k]);
    }
}

Triple dot_of(const std::vector<Triple>& a, const std::vector<Triple>& b) {
    Triple s;
    for (std::size_t i = 0; i < a.size(); ++i) s += a[i] * b[i];
    return s;
}
Triple ratio(const Triple& a, const Triple& b) {
    const auto one = [](double p, double q) { return q > 0 ? p / q : 0.0; };
    return {one(a.r, b.r), one(a.g, b.g), one(a.b, b.b)};
}

}  // namespace

SeamPlan plan_seams(const SeamedLevel& seamed, SeamFlags& open, Job& job) {
    const Level& level = seamed.level;
    const Atlas& atlas = seamed.atlas;
    const std::vector<PagePlan>& pages = seamed.pages;
    std::vector<std::vector<Edge>> found(atlas.surfaces.size());
    job.parallel(found.size(), 1, [&](std::size_t i, std::size_t) {
        add_border(level, atlas, static_cast<std::uint32_t>(i), found[i]);
    });
    std::vector<Edge> edges;
    for (const auto& f : found) edges.insert(edges.end(), f.begin(), f.end());
    const Vec3 reach{same_place, same_place, same_place};
    std::vector<Bounds> boxes(edges.size());
    for (std::size_t i = 0; i < edges.size(); ++i) {
        boxes[i].add(min(edges[i].a, edges[i].b) - reach);
        boxes[i].add(max(edges[i].a, edges[i].b) + reach);
    }
    const BoxTree tree(boxes);
    struct Seam {
        std::uint32_t a, b;
        Overlap overlap;
    };
    std::vector<std::vector<Seam>> met(edges.size());
    job.parallel(edges.size(), 256, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            tree.for_each(boxes, boxes[i], [&](std::uint32_t other) {
                Seam s{static_cast<std::uint32_t>(i), other, {}};
                if (other > i && overlap(edges[i], edges[other], s.overlap)) met[i].push_back(s);
            });
            std::sort(met[i].begin(), met[i].end(), [](const Seam& p, const Seam& q) { return p.b < q.b; });
        }
    });
    SeamPlan plan;
    Planner planner(pages, plan);
    const bool known = !open.empty();
    const RayCaster* rays = known ? nullptr : &seamed.caster();
    std::size_t at = 0;
    for (const auto& of_one : met)
        for (const Seam& s : of_one)
            planner.join(edges[s.a], edges[s.b], s.overlap, [&](const Edge& a, const Edge& b, float on_a) {
                if (!known) {
                    const Vec3 place = a.at(on_a);
                    const Vec3 from = place + a.inward * look_in + a.face * look_up,
                               way = place + b.inward * look_in + b.face * look_up - from;
                    const float far = length(way);
                    open.push_back(rays->closest({from, way * (1 / far), far}).surface == none);
                }
                return at < open.size() && open[at++];
            });
    return plan;
}

void fit_seams(const SeamPlan& plan, const std::vector<PagePlan>& pages, double least,
               std::vector<PageImage>& images, Job& job) {
    const std::size_t n = plan.texels.size();
    if (n == 0) return;
    std::vector<Triple> light(n), by(n), residual(n), way(n), applied(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Rgb e = images[plan.texels[i].page].texels[plan.texels[i].place];
        light[i] = {static_cast<double>(e.r), static_cast<double>(e.g), static_cast<double>(e.b)};
    }
    for (const SeamPlan::Sample& s : plan.samples) {
        const Triple d = difference(s, light) * -strength;
        for (std::size_t k = 0; k < 8; ++k) residual[s.at[k]] += d * static_cast<double>(s.weight[k]);
    }
    way = residual;
    Triple left = dot_of(residual, residual);
    const Triple first = left * (good_enough * good_enough);
    for (int step = 0; step < most_steps; ++step) {
        if (left.r <= first.r && left.g <= first.g && left.b <= first.b) break;
        apply(plan, way, applied);
        const Triple far = ratio(left, dot_of(way, applied));
        for (std::size_t i = 0; i < n; ++i) {
            by[i] += way[i] * far;
            residual[i] += applied[i] * far * -1.0;
        }
        const Triple now = dot_of(residual, residual), turn = ratio(now, left);
        left = now;
        for (std::size_t i = 0; i < n; ++i) {
            way[i] = way[i] * turn;
            way[i] += residual[i];
        }
    }
    std::vector<PageFlags> kept;
    for (const PageImage& image : images) kept.emplace_back(image.texels.size());
    for (std::size_t i = 0; i < n; ++i) {
        const SeamPlan::Texel t = plan.texels[i];
        light[i] += by[i];
        images[t.page].texels[t.place] = {static_cast<float>(std::max(least, light[i].r)),
                                          static_cast<float>(std::max(least, light[i].g)),
                                          static_cast<float>(std::max(least, light[i].b))};
        kept[t.page].set(t.place);
    }
    job.parallel(images.size(), 1,
                 [&](std::size_t p, std::size_t) { fill_page(pages[p], kept[p], images[p]); });
}

double seam_jump(const SeamPlan& plan, const std::vector<Rgb>& light) {
    double mean = 0, jump = 0;
    std::vector<std::pair<double, double>> at;  // light, difference
    for (const SeamPlan::Sample& s : plan.samples) {
        Rgb a, b;
        for (std::size_t k = 0; k < 4; ++k) {
            a += light[s.at[k]] * s.weight[k];
            b += light[s.at[k + 4]] * -s.weight[k + 4];
        }
        at.push_back({static_cast<double>(luminance(a) + luminance(b)) / 2,
                      std::abs(static_cast<double>(luminance(a) - luminance(b)))});
        mean += at.back().first;
    }
    if (!(mean > 0)) return 0;
    const double least = 0.01 * mean / static_cast<double>(at.size());
    for (const auto& [here, apart] : at) jump += apart / std::max(here, least);
    return jump / static_cast<double>(at.size());
}

}  // namespace stasigraph
