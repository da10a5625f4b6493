#include <algorithm>

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace {

/// A page with every chart in a colour of its own: the centres of texels that lie in a triangle.
std::vector<std::uint8_t> draw_page(const Atlas& atlas, std::uint32_t page) {
    const int side = atlas.pages[page];
    std::vector<std::uint8_t> rgb(static_cast<std::size_t>(side) * side * 3, 24);
    for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page != page) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            Vec2 p[3];
            for (int k = 0; k < 3; ++k)
                p[k] = layout.uv[layout.indices[3 * t + k]] +
                       Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
            const float whole = cross(p[1] - p[0], p[2] - p[0]);
            const std::uint32_t h = (s * 2654435761u) ^ ((layout.chart[t] + 1) * 2246822519u);
            const std::uint8_t color[3] = {static_cast<std::uint8_t>(70 + (h >> 8) % 170),
                                           static_cast<std::uint8_t>(70 + (h >> 16) % 170),
                                           static_cast<std::uint8_t>(70 + (h >> 24) % 170)};
            const int x0 = static_cast<int>(std::min({p[0].x, p[1].x, p[2].x})),
                      x1 = std::min(side - 1, static_cast<int>(std::max({p[0].x, p[1].x, p[2].x})));
            const int y0 = static_cast<int>(std::min({p[0].y, p[1].y, p[2].y})),
                      y1 = std::min(side - 1, static_cast<int>(std::max({p[0].y, p[1].y, p[2].y})));
            for (int y = y0; y <= y1; ++y)
                for (int x = x0; x <= x1; ++x) {
                    const Vec2 q{static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f};
                    const float u = cross(q - p[0], p[2] - p[0]) / whole,
                                v = cross(p[1] - p[0], q - p[0]) / whole;
                    if (u < 0 || v < 0 || u + v > 1) continue;
                    std::copy_n(color, 3, &rgb[3 * (static_cast<std::size_t>(y) * side + x)]);
                }
        }
    }
    return rgb;
}

}  // namespace

void add_unwrap(CLI::App& app) {
    struct Options {
        Common common;
        fs::path out;
    };
    auto o = std::make_shared<Options>();
    CLI::App* c = app.add_subcommand("unwrap", "lightmap UVs and pages only");
    add_common(*c, o->common, "stasigraph unwrap observatory.toml --out unwrapped");
    c->add_option("--out", o->out, "the folder to write; `unwrapped` beside the level unless given");
    c->callback([o] {
        guarded(o->common, [&](Job& job) {
            const Level level = load(o->common);
            const fs::path out = o->out.empty() ? o->common.level.parent_path() / "unwrapped" : o->out;
            check_writable(out);
            const Atlas atlas = unwrap(level, tier_settings(level.quality.tier).density_scale, job);
            write_level_glb(out / (level.name + ".glb"), o->common.level, level, atlas);
            Json files = Json::array({(out / (level.name + ".glb")).string()});
            for (std::uint32_t p = 0; p < atlas.pages.size(); ++p) {
                const fs::path file = out / ("charts-" + std::to_string(p) + ".png");
                write_png(file, atlas.pages[p], atlas.pages[p], draw_page(atlas, p));
                files.push_back(file.string());
            }
            std::size_t surfaces = 0, charts = 0, given = 0;
            double area = 0, least = 1e30, most = 0, mean = 0;
            for (const SurfaceUv& uv : atlas.surfaces) {
                if (uv.page == none) continue;
                const Layout& layout = atlas.layouts[uv.layout];
                ++surfaces;
                charts += layout.chart_count;
                given += layout.given ? 1 : 0;
                least = std::min(least, static_cast<double>(uv.density));
                most = std::max(most, static_cast<double>(uv.density));
                mean += static_cast<double>(uv.density);
                for (std::size_t t = 0; t < layout.chart.size(); ++t) {
                    if (layout.chart[t] == none) continue;
                    const Vec2 a = layout.uv[layout.indices[3 * t]];
                    area +=
                        0.5 * std::abs(static_cast<double>(cross(layout.uv[layout.indices[3 * t + 1]] - a,
                                                                 layout.uv[layout.indices[3 * t + 2]] - a)));
                }
            }
            double texels = 0;
            for (int side : atlas.pages) texels += static_cast<double>(side) * side;
            mean = surfaces ? mean / static_cast<double>(surfaces) : 0;
            if (!surfaces) least = 0;
            const double coverage = texels > 0 ? area / texels : 0;
            if (o->common.json) {
                say("{}\n", Json({{"surfaces", surfaces},
                                  {"given_uvs", given},
                                  {"charts", charts},
                                  {"pages", atlas.pages},
                                  {"coverage", coverage},
                                  {"density", {{"least", least}, {"mean", mean}, {"most", most}}},
                                  {"lightmap_bytes", texels * 6},
                                  {"files", files}})
                                .dump(1));
                return;
            }
            say("surfaces  {} ({} with UVs of their own)\ncharts    {}\npages     {}, {} a set as 16-bit "
                "floats\ncoverage  {:.1f} %\ndensity   {:.1f} least, {:.1f} mean, {:.1f} most texels per "
                "metre\nwrote {} files to {}\n",
                surfaces, given, charts, atlas.pages.size(), bytes_text(texels * 6), coverage * 100, least,
                mean, most, files.size(), out.string());
        });
    });
}

}  // namespace cli
