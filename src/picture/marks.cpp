#include "stasigraph/marks.hpp"

#include <algorithm>
#include <cmath>

#include "chart/raster.hpp"
#include "finish/pages.hpp"
#include "picture/dots.hpp"
#include "picture/texel_on_page.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr Rgb none_there{0.09f, 0.09f, 0.1f}, fine{0.42f, 0.45f, 0.42f}, wrong{0.9f, 0.05f, 0.03f},
    doubtful{0.95f, 0.55f, 0.05f}, filled{0.1f, 0.35f, 0.75f}, rim{0.62f, 0.62f, 0.55f};

NamedMarks marks_of(const Atlas& atlas, std::vector<Rgb> colors, std::vector<std::string> meaning) {
    NamedMarks m{.marks = {.colors = std::move(colors), .pages = {}, .surfaces = {}},
                 .meaning = std::move(meaning),
                 .count = {}};
    for (const int side : atlas.pages)
        m.marks.pages.emplace_back(static_cast<std::size_t>(side) * static_cast<std::size_t>(side),
                                   std::uint8_t{0});
    return m;
}

void count(NamedMarks& m) {
    m.count.assign(m.marks.colors.size(), 0);
    for (const auto& page : m.marks.pages)
        for (const std::uint8_t k : page) ++m.count[k];
    for (const std::uint8_t k : m.marks.surfaces) ++m.count[k];
}

/// Calls f(page, x, y, chart's number over all pages) for every texel that a triangle of a chart touches.
template <class F>
void for_chart_texels(const Atlas& atlas, F f) {
    std::uint32_t first = 0;
    for (const SurfaceUv& uv : atlas.surfaces) {
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        const int side = atlas.pages[uv.page];
        const Vec2 at{static_cast<float>(uv.x), static_cast<float>(uv.y)};
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const std::uint32_t* c = &layout.indices[3 * t];
            for_touched(layout.uv[c[0]] + at, layout.uv[c[1]] + at, layout.uv[c[2]] + at, [&](int x, int y) {
                if (x >= 0 && y >= 0 && x < side && y < side) f(uv.page, x, y, first + layout.chart[t]);
            });
        }
        first += static_cast<std::uint32_t>(layout.charts.size());
    }
}

}  // namespace

NamedMarks mark_overlaps(const Level&, const Atlas& atlas) {
    enum : std::uint8_t { empty, sound, close, shared };
    NamedMarks m = marks_of(atlas, {none_there, fine, doubtful, wrong},
                            {"no chart", "a chart of its own", "closer to another chart than the margin",
                             "shared by two charts"});
    std::vector<std::vector<std::uint32_t>> owner;
    for (const auto& page : m.marks.pages) owner.emplace_back(page.size(), none);
    for_chart_texels(atlas, [&](std::uint32_t page, int x, int y, std::uint32_t chart) {
        const std::size_t i = static_cast<std::size_t>(y) * static_cast<std::size_t>(atlas.pages[page]) +
                              static_cast<std::size_t>(x);
        std::uint32_t& own = owner[page][i];
        std::uint8_t& mark = m.marks.pages[page][i];
        if (own != none && own != chart) mark = shared;
        if (mark != shared) mark = sound;
        own = chart;
    });
    for (std::size_t p = 0; p < owner.size(); ++p) {
        const int side = atlas.pages[p];
        const auto at = [&](int x, int y) {
            return static_cast<std::size_t>(y) * static_cast<std::size_t>(side) + static_cast<std::size_t>(x);
        };
        for (int y = 0; y < side; ++y)
            for (int x = 0; x < side; ++x) {
                const std::uint32_t own = owner[p][at(x, y)];
                if (own == none) continue;
                for (int v = y; v <= std::min(side - 1, y + atlas.margin); ++v)
                    for (int u = std::max(0, x - atlas.margin); u <= std::min(side - 1, x + atlas.margin);
                         ++u) {
                        const std::uint32_t other = owner[p][at(u, v)];
                        if (other == none || other == own) continue;
                        for (std::uint8_t* mark : {&m.marks.pages[p][at(x, y)], &m.marks.pages[p][at(u, v)]})
                            if (*mark == sound) *mark = close;
                    }
            }
    }
    count(m);
    return m;
}

NamedMarks mark_filled(const Level&, const Atlas& atlas, const std::vector<PageImage>& pages) {
    NamedMarks m = marks_of(
        atlas, {none_there, fine, filled, rim},
        {"no lightmap", "lit by itself", "inside of geometry or hidden: filled from beside", "margin"});
    for (std::size_t p = 0; p < pages.size() && p < m.marks.pages.size(); ++p)
        for (std::size_t i = 0; i < pages[p].state.size() && i < m.marks.pages[p].size(); ++i)
            m.marks.pages[p][i] = std::min<std::uint8_t>(pages[p].state[i], 3);
    count(m);
    return m;
}

std::vector<double> light_shares(const Level& level, const Atlas& atlas, const std::vector<BakedSet>& sets,
                                 Job& job) {
    const TexelSet texels = place_texels(level, atlas, job);
    std::vector<double> share(sets.size(), 0.0);
    double all = 0;
    for (std::uint32_t t = 0; t < texels.size(); ++t) {
        if (texels.grid[t] % 2 != 0 || atlas.surfaces[texels.grid[t] / 2].page == none) continue;
        const TexelOnPage at = texel_on_page(atlas, texels, t);
        for (std::size_t s = 0; s < sets.size(); ++s) {
            const PageImage& page = sets[s].pages[at.page];
            if (!page.state.empty() && page.state[at.index] != 1) continue;
            const auto light = static_cast<double>(texels.area[t] * luminance(page.texels[at.index]));
            share[s] += light;
            all += light;
        }
    }
    for (double& s : share) s = all > 0 ? s / all : 0;
    return share;
}

NamedMarks mark_leaks(const Level& level, const Atlas& atlas, const std::vector<Leak>& leaks, Job& job) {
    NamedMarks m = marks_of(
        atlas, {none_there, fine, wrong, doubtful},
        {"no lightmap", "nothing leaks", "brighter than any light around", "darker than any light around"});
    const TexelSet texels = place_texels(level, atlas, job);
    for (std::uint32_t t = 0; t < texels.size(); ++t) {
        if (texels.grid[t] % 2 != 0 || atlas.surfaces[texels.grid[t] / 2].page == none) continue;
        const TexelOnPage at = texel_on_page(atlas, texels, t);
        m.marks.pages[at.page][at.index] = 1;
    }
    for (const Leak& l : leaks) {
        const int side = atlas.pages[l.page];
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx) {
                const int x = l.x + dx, y = l.y + dy;
                if (x < 0 || y < 0 || x >= side || y >= side) continue;
                m.marks.pages[l.page][static_cast<std::size_t>(y) * static_cast<std::size_t>(side) +
                                      static_cast<std::size_t>(x)] = l.lux > l.most ? 2 : 3;
            }
    }
    count(m);
    return m;
}

NamedMarks mark_dots(const Level& level, const Atlas& atlas, const std::vector<PageImage>& pages,
                     const std::vector<PageImage>& truth, Job& job) {
    for (std::size_t p = 0; p < std::max(pages.size(), truth.size()); ++p)
        if (p >= pages.size() || p >= truth.size() || pages[p].side != truth[p].side ||
            pages[p].side != atlas.pages[p])
            throw Error{.what = "two bakes can be held against each other only with the same pages",
                        .where = level.name,
                        .value = "page " + std::to_string(p),
                        .remedy = "Bake both at the same density, from a level of the same shape."};
    enum : std::uint8_t { nothing, good, ten, twenty, fifty, black };  // the middle ones as dot_steps
    NamedMarks m = marks_of(atlas, {none_there, fine, filled, doubtful, wrong, {0.2f, 0.2f, 0.2f}},
                            {"no lightmap", "within 10 %", "off by over 10 %", "by over 20 %", "by over 50 %",
                             "too dark to tell"});
    const TexelSet texels = place_texels(level, atlas, job);
    std::vector<TexelOnPage> places;
    std::vector<DotTexel> lit;
    double whole = 0, area = 0;
    for (std::uint32_t t = 0; t < texels.size(); ++t) {
        if (texels.grid[t] % 2 != 0 || atlas.surfaces[texels.grid[t] / 2].page == none) continue;
        const TexelOnPage at = texel_on_page(atlas, texels, t);
        const PageImage& page = truth[at.page];
        if (!page.state.empty() && page.state[at.index] != 1) continue;
        const float here = luminance(page.texels[at.index]);
        places.push_back(at);
        lit.push_back({at.page, at.x, at.y, here});
        whole += static_cast<double>(here * texels.area[t]);
        area += static_cast<double>(texels.area[t]);
    }
    const std::vector<float> against = dot_measure(lit, atlas.pages);
    const float least = dot_black * static_cast<float>(area > 0 ? whole / area : 0);
    for (std::size_t i = 0; i < lit.size(); ++i) {
        const TexelOnPage& at = places[i];
        const float off = std::abs(luminance(pages[at.page].texels[at.index]) - lit[i].light);
        std::uint8_t mark = good;
        for (const float step : dot_steps) mark += off > step * against[i] ? 1 : 0;
        m.marks.pages[at.page][at.index] = against[i] > least ? mark : std::uint8_t{black};
    }
    count(m);
    return m;
}

NamedMarks mark_stale(const std::vector<std::uint8_t>& surfaces) {
    NamedMarks m{
        .marks = {.colors = {fine, doubtful, wrong}, .pages = {}, .surfaces = surfaces},
        .meaning = {"as the level would give it now", "out of date", "changed itself since it was baked"},
        .count = {}};
    count(m);
    return m;
}

namespace {

/// Luminances that tone_map() shows as full white and that nobody tells from black, over middle grey.
constexpr float white_at = 3.4f / 0.18f, black_at = 1.0f / 64;

enum class Clip : std::uint8_t { none, all, some, black };

Clip clip_of(Rgb c, float grey) {
    const float least = std::min({c.r, c.g, c.b});
    if (least >= white_at * grey) return Clip::all;
    if (max_channel(c) >= white_at * grey) return Clip::some;
    return luminance(c) < black_at * grey ? Clip::black : Clip::none;
}

float grey_of(float ev) {
    return std::exp2(ev) / 8;
}

}  // namespace

std::vector<Rgb> clipping_colors() {
    return {{0.95f, 0.03f, 0.03f}, {1, 0.65f, 0.05f}, {0.05f, 0.1f, 0.75f}};
}

Picture clipping_picture(const Picture& lit, float ev) {
    const float grey = grey_of(ev);
    const std::vector<Rgb> colors = clipping_colors();
    Picture out{lit.width, lit.height, {}};
    for (const Rgb c : lit.pixels) {
        const Clip clip = clip_of(c, grey);
        const float v = std::min(1.0f, luminance(c) / (white_at * grey));
        const float shown = 0.75f * std::sqrt(v);
        out.pixels.push_back(clip == Clip::none ? Rgb{shown, shown, shown}
                                                : colors[static_cast<std::size_t>(clip) - 1]);
    }
    return out;
}

ClippedShares clipped_shares(const Picture& lit, float ev) {
    ClippedShares s;
    const double each = lit.pixels.empty() ? 0 : 1 / static_cast<double>(lit.pixels.size());
    for (const Rgb c : lit.pixels) {
        const Clip clip = clip_of(c, grey_of(ev));
        (clip == Clip::all ? s.all : clip == Clip::some ? s.some : s.black) += clip == Clip::none ? 0 : each;
    }
    return s;
}

}  // namespace stasigraph
