#include "finish/pages.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// Invalid texels further than this from any valid one stay dark: nothing that filters reaches them.
constexpr int most_invalid_rings = 16;

constexpr int step_x[8] = {0, -1, 1, 0, -1, 1, -1, 1},
              step_y[8] = {-1, 0, 0, 1, -1, -1, 1, 1};  // sides before corners

/// Calls f(k, place) for the neighbours on the page.
template <class F>
void for_neighbours(int side, std::uint32_t place, F f) {
    const int x = static_cast<int>(place) % side, y = static_cast<int>(place) / side;
    for (int k = 0; k < 8; ++k) {
        const int nx = x + step_x[k], ny = y + step_y[k];
        if (nx >= 0 && ny >= 0 && nx < side && ny < side) f(k, static_cast<std::uint32_t>(ny * side + nx));
    }
}

/// Rings of texels with state `wanted` around the filled ones; texels of a ring see only those of earlier
/// rings.
void plan_rings(PagePlan& plan, PageFlags& filled, std::uint8_t wanted, int rings) {
    std::vector<std::uint32_t> front, next;
    PageFlags queued(filled.size());
    const auto queue_around = [&](std::uint32_t place) {
        for_neighbours(plan.side, place, [&](int, std::uint32_t n) {
            if (!filled[n] && !queued[n] && plan.state[n] == wanted) {
                queued.set(n);
                next.push_back(n);
            }
        });
    };
    for (std::uint32_t i = 0; i < filled.size(); ++i)
        if (filled[i]) queue_around(i);
    for (int ring = 0; ring < rings && !next.empty(); ++ring) {
        front.swap(next);
        next.clear();
        for (const std::uint32_t place : front) {
            std::uint8_t neighbours = 0;
            for_neighbours(plan.side, place, [&](int k, std::uint32_t n) {
                neighbours = static_cast<std::uint8_t>(neighbours | ((filled[n] ? 1 : 0) << k));
            });
            plan.fills.push_back({place, neighbours});
        }
        for (const std::uint32_t place : front) filled.set(place);
        for (const std::uint32_t place : front) queue_around(place);
    }
}

}  // namespace

std::vector<PagePlan> plan_pages(const Atlas& atlas, const TexelSet& texels, const TexelFlags& shown,
                                 Job& job) {
    std::vector<PagePlan> plans;
    for (int side : atlas.pages)
        plans.push_back({.side = side,
                         .state = std::vector<std::uint8_t>(static_cast<std::size_t>(side) * side, 0),
                         .valid = {},
                         .fills = {}});
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        const std::uint32_t g = texels.grid[i];
        const SurfaceUv& uv = atlas.surfaces[g / 2];
        if (g % 2 == 1 || uv.page == none) continue;
        PagePlan& plan = plans[uv.page];
        const Layout& layout = atlas.layouts[uv.layout];
        const Chart& chart = layout.charts[layout.chart[texels.triangle[i]]];
        int x = 0, y = 0;
        texels.place_in_chart(i, x, y);
        const auto place = static_cast<std::uint32_t>((uv.y + chart.y + y) * plan.side + uv.x + chart.x + x);
        plan.state[place] = shown[i] ? 1 : 2;
        if (shown[i]) plan.valid.push_back({i, place});
    }
    job.parallel(plans.size(), 1, [&](std::size_t p, std::size_t) {
        PagePlan& plan = plans[p];
        PageFlags filled(plan.state.size());
        for (std::size_t i = 0; i < filled.size(); ++i) filled.set(i, plan.state[i] == 1);
        // Invalid texels from their own chart first, so that the margin is not made of them.
        plan_rings(plan, filled, 2, most_invalid_rings);
        plan_rings(plan, filled, 0, atlas.margin);
        for (const PagePlan::Dilation& f : plan.fills)
            if (plan.state[f.place] == 0) plan.state[f.place] = 3;
    });
    return plans;
}

std::vector<PageImage> finish_pages(const std::vector<PagePlan>& plans,
                                    const std::function<Rgb(std::size_t)>& value, Job& job) {
    std::vector<PageImage> pages(plans.size());
    for (std::size_t p = 0; p < plans.size(); ++p) {
        const PagePlan& plan = plans[p];
        PageImage& page = pages[p];
        page = {plan.side, std::vector<Rgb>(plan.state.size()), plan.state};
        job.parallel(plan.valid.size(), 8192, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                page.texels[plan.valid[i].second] = value(plan.valid[i].first);
        });
    }
    job.parallel(plans.size(), 1, [&](std::size_t p, std::size_t) { fill_page(plans[p], {}, pages[p]); });
    return pages;
}

void fill_page(const PagePlan& plan, const PageFlags& kept, PageImage& page) {
    for (const PagePlan::Dilation& f : plan.fills) {
        if (!kept.empty() && kept[f.place]) continue;
        Rgb sum;
        float count = 0;
        for_neighbours(plan.side, f.place, [&](int k, std::uint32_t n) {
            if (!(f.neighbours >> k & 1)) return;
            const float w = k < 4 ? 2.0f : 1.0f;
            sum += page.texels[n] * w;
            count += w;
        });
        page.texels[f.place] = sum * (1 / count);
    }
}

void push_pull_fill(const PagePlan& plan, PageImage& page) {
    struct Grid {
        int side;
        std::vector<Rgb> light;
        std::vector<float> weight;
    };
    std::vector<Grid> levels(1);
    levels[0] = {page.side, page.texels, std::vector<float>(page.texels.size())};
    for (const auto& [texel, place] : plan.valid) levels[0].weight[place] = 1;
    for (const PagePlan::Dilation& f : plan.fills) levels[0].weight[f.place] = 1;
    while (levels.back().side > 1) {
        const Grid& fine = levels.back();
        const int side = fine.side / 2;
        const auto cells = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
        Grid coarse{side, std::vector<Rgb>(cells), std::vector<float>(cells)};
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x) {
                Rgb sum;
                float weight = 0;
                for (int k = 0; k < 4; ++k) {
                    const auto from = static_cast<std::size_t>((2 * y + k / 2) * fine.side + 2 * x + k % 2);
                    sum += fine.light[from] * fine.weight[from];
                    weight += fine.weight[from];
                }
                const auto to = static_cast<std::size_t>(y * side + x);
                if (weight > 0) coarse.light[to] = sum * (1 / weight);
                coarse.weight[to] = std::min(1.0f, weight);
            }
        levels.push_back(std::move(coarse));
    }
    for (std::size_t l = levels.size() - 1; l-- > 0;) {
        Grid &fine = levels[l], &coarse = levels[l + 1];
        for (int y = 0; y < fine.side; ++y)
            for (int x = 0; x < fine.side; ++x) {
                const auto at = static_cast<std::size_t>(y * fine.side + x);
                if (fine.weight[at] > 0) continue;
                // Bilinear between the four coarse cells around.
                const int cx = x / 2, cy = y / 2;
                const int ox = std::clamp(cx + (x % 2 ? 1 : -1), 0, coarse.side - 1),
                          oy = std::clamp(cy + (y % 2 ? 1 : -1), 0, coarse.side - 1);
                const auto light = [&](int px, int py) {
                    return coarse.light[static_cast<std::size_t>(py * coarse.side + px)];
                };
                fine.light[at] = light(cx, cy) * 0.5625f + (light(ox, cy) + light(cx, oy)) * 0.1875f +
                                 light(ox, oy) * 0.0625f;
            }
    }
    page.texels = std::move(levels[0].light);
}

namespace {

/// Calls f(place on the page, weight) for the four texels around a position.
template <class F>
void for_bilinear(int side, Vec2 at, F f) {
    const float x = at.x - 0.5f, y = at.y - 0.5f, fx = std::floor(x), fy = std::floor(y);
    const float tx = x - fx, ty = y - fy;
    const auto place = [&](float px, float py) {
        return static_cast<std::size_t>(std::clamp(static_cast<int>(py), 0, side - 1)) *
                   static_cast<std::size_t>(side) +
               static_cast<std::size_t>(std::clamp(static_cast<int>(px), 0, side - 1));
    };
    f(place(fx, fy), (1 - tx) * (1 - ty));
    f(place(fx + 1, fy), tx * (1 - ty));
    f(place(fx, fy + 1), (1 - tx) * ty);
    f(place(fx + 1, fy + 1), tx * ty);
}

}  // namespace

Rgb sample_page(const PageImage& page, Vec2 at) {
    Rgb sum;
    for_bilinear(page.side, at, [&](std::size_t i, float w) { sum += page.texels[i] * w; });
    return sum;
}

std::array<Rgb, 3> sample_page(const DirectionalPage& page, Vec2 at) {
    std::array<Rgb, 3> sum;
    for_bilinear(page.side, at, [&](std::size_t i, float w) {
        for (std::size_t c = 0; c < 3; ++c) sum[c] += page.texels[i][c] * w;
    });
    return sum;
}

float sample_page(const OcclusionPage& page, Vec2 at) {
    float sum = 0;
    for_bilinear(page.side, at, [&](std::size_t i, float w) { sum += page.texels[i] * w; });
    return sum;
}

}  // namespace stasigraph
