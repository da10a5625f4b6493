#include "finish/seams.hpp"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "level/texture.hpp"

namespace stasigraph {

namespace {

constexpr float seam_cosine = 0.985f;
constexpr float same_place = 1e-4f;  ///< Metres.
/// Places along a seam for each texel of its length, how much agreement there is worth against a texel's own
/// light, and how firmly texels that hold no light of their own are held. Lower strength: jumps stay.
constexpr float per_texel = 2, hold_filled = 0.05f;
constexpr double strength = 30;
constexpr int most_steps = 60;
constexpr double good_enough = 1e-3;  ///< Of the first residual.

/// An edge of a triangle on a chart's border, its ends in the order of their places in the world.
struct Edge {
    Vec3 a, b;
    Vec3 normal;
    Vec2 from, to;  ///< Texels of the page.
    std::uint32_t page, surface, chart;
    std::array<std::int64_t, 6> key;
};

std::array<std::int64_t, 3> quantised(Vec3 p) {
    const auto q = [](float v) { return static_cast<std::int64_t>(std::llround(v / same_place)); };
    return {q(p.x), q(p.y), q(p.z)};
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
        auto [v, w] = ends(i);
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
        if (quantised(world(w)) < quantised(world(v))) std::swap(v, w);
        const Vec2 corner{static_cast<float>(uv.x), static_cast<float>(uv.y)};
        Edge e{.a = world(v),
               .b = world(w),
               .normal = shading_normal(mesh, t, middle[k][0], middle[k][1], surface.to_world, face),
               .from = layout.uv[v] + corner,
               .to = layout.uv[w] + corner,
               .page = uv.page,
               .surface = number,
               .chart = layout.chart[t],
               .key = {}};
        const auto qa = quantised(e.a), qb = quantised(e.b);
        e.key = {qa[0], qa[1], qa[2], qb[0], qb[1], qb[2]};
        if (qa != qb) edges.push_back(e);
    }
}

/// Collects samples, numbering the texels they touch.
class Planner {
public:
    Planner(const std::vector<PagePlan>& pages, SeamPlan& plan) : pages_(pages), plan_(plan) {
        for (const PagePlan& p : pages) number_.emplace_back(p.state.size(), none);
    }
    void join(const Edge& a, const Edge& b) {
        const float texels = std::max(length(a.to - a.from), length(b.to - b.from));
        const int n = std::clamp(static_cast<int>(std::ceil(per_texel * texels)), 1, 8192);
        for (int k = 0; k < n; ++k) {
            const float s = (static_cast<float>(k) + 0.5f) / static_cast<float>(n);
            SeamPlan::Sample sample{};
            if (touch(a.page, a.from + (a.to - a.from) * s, 1, 0, sample) &&
                touch(b.page, b.from + (b.to - b.from) * s, -1, 4, sample))
                plan_.samples.push_back(sample);
        }
    }

private:
    bool touch(std::uint32_t page, Vec2 at, float sign, std::size_t slot, SeamPlan::Sample& sample) {
        const PagePlan& p = pages_[page];
        const float x = at.x - 0.5f, y = at.y - 0.5f, fx = std::floor(x), fy = std::floor(y);
        for (std::size_t k = 0; k < 4; ++k) {
            const int px = static_cast<int>(fx) + static_cast<int>(k % 2),
                      py = static_cast<int>(fy) + static_cast<int>(k / 2);
            if (px < 0 || py < 0 || px >= p.side || py >= p.side) return false;
            const auto place = static_cast<std::uint32_t>(py * p.side + px);
            if (p.state[place] == 0) return false;
            const float wx = k % 2 ? x - fx : 1 - (x - fx), wy = k / 2 ? y - fy : 1 - (y - fy);
            sample.at[slot + k] = number(page, place);
            sample.weight[slot + k] = sign * wx * wy;
        }
        return true;
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

SeamPlan plan_seams(const Level& level, const Atlas& atlas, const std::vector<PagePlan>& pages, Job& job) {
    std::vector<std::vector<Edge>> found(atlas.surfaces.size());
    job.parallel(found.size(), 1, [&](std::size_t i, std::size_t) {
        add_border(level, atlas, static_cast<std::uint32_t>(i), found[i]);
    });
    std::vector<Edge> edges;
    for (const auto& f : found) edges.insert(edges.end(), f.begin(), f.end());
    std::stable_sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.key < b.key; });
    SeamPlan plan;
    Planner planner(pages, plan);
    for (std::size_t i = 0; i < edges.size(); ++i)
        for (std::size_t j = i + 1; j < edges.size() && edges[j].key == edges[i].key; ++j)
            if (dot(edges[i].normal, edges[j].normal) > seam_cosine) planner.join(edges[i], edges[j]);
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
    std::vector<std::vector<std::uint8_t>> kept;
    for (const PageImage& image : images) kept.emplace_back(image.texels.size(), std::uint8_t{0});
    for (std::size_t i = 0; i < n; ++i) {
        const SeamPlan::Texel t = plan.texels[i];
        light[i] += by[i];
        images[t.page].texels[t.place] = {static_cast<float>(std::max(least, light[i].r)),
                                          static_cast<float>(std::max(least, light[i].g)),
                                          static_cast<float>(std::max(least, light[i].b))};
        kept[t.page][t.place] = 1;
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
