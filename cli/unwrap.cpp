#include <algorithm>

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace unwrap_command {

namespace {

struct Options {
    Common common;
    fs::path out;
    std::string tier;
    bool repack = false;
};

/// What one surface got.
struct Row {
    std::string name;
    std::size_t charts = 0;
    double texels = 0;  ///< Area of its charts.
    float density = 0, mean_stretch = 1, worst_stretch = 1;
    std::uint32_t page = 0;
    bool given = false;
};

std::vector<Row> rows(const Atlas& atlas) {
    std::vector<Row> list;
    for (const SurfaceUv& uv : atlas.surfaces) {
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        Row row{.name = uv.name,
                .charts = layout.charts.size(),
                .density = uv.density,
                .page = uv.page,
                .given = layout.given};
        double stretched = 0;
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const Vec2 a = layout.uv[layout.indices[3 * t]];
            const double area =
                0.5 * std::abs(static_cast<double>(cross(layout.uv[layout.indices[3 * t + 1]] - a,
                                                         layout.uv[layout.indices[3 * t + 2]] - a)));
            row.texels += area;
            stretched += area * static_cast<double>(layout.charts[layout.chart[t]].mean_stretch);
        }
        for (const Chart& c : layout.charts) row.worst_stretch = std::max(row.worst_stretch, c.worst_stretch);
        if (row.texels > 0) row.mean_stretch = static_cast<float>(stretched / row.texels);
        list.push_back(std::move(row));
    }
    std::stable_sort(list.begin(), list.end(),
                     [](const Row& a, const Row& b) { return a.texels > b.texels; });
    return list;
}

Json to_json(const Atlas& atlas, const AtlasFigures& f, const Json& files) {
    Json j = {{"surfaces", f.surfaces},
              {"given_uvs", f.given},
              {"charts", f.charts},
              {"unseen_charts", f.unseen},
              {"pages", atlas.pages},
              {"page_coverage", f.page_coverage},
              {"coverage", f.coverage},
              {"density", {{"least", f.least_density}, {"mean", f.mean_density}, {"most", f.most_density}}},
              {"density_gave_way", atlas.applied_density_scale},
              {"stretch", {{"mean", f.mean_stretch}, {"worst", f.worst_stretch}}},
              {"seam_m", f.seam_length},
              {"lightmap_bytes", f.page_texels * 8},
              {"files", files}};
    for (const Row& r : rows(atlas))
        j["by_surface"].push_back({{"name", r.name},
                                   {"page", r.page},
                                   {"charts", r.charts},
                                   {"texels", r.texels},
                                   {"density", r.density},
                                   {"stretch", {{"mean", r.mean_stretch}, {"worst", r.worst_stretch}}},
                                   {"given_uvs", r.given}});
    return j;
}

void print(const Atlas& atlas, const AtlasFigures& f) {
    say("surfaces    {}{}\n", f.surfaces,
        f.given ? fmt::format(", {} with the UVs they brought along", f.given) : "");
    say("charts      {}{}\n", f.charts,
        f.unseen ? fmt::format(", {} that nobody can see with the least density", f.unseen) : "");
    say("density     {:.1f} least, {:.1f} mean, {:.1f} most texels a metre{}\n", f.least_density,
        f.mean_density, f.most_density,
        atlas.applied_density_scale < 1
            ? fmt::format("; {:.1f} % of what was asked", 100 * atlas.applied_density_scale)
            : "");
    say("stretch     {:.3f} mean, {:.2f} worst\n", f.mean_stretch, f.worst_stretch);
    say("seams       {:.0f} m\n", f.seam_length);
    say("coverage    {:.1f} % of {} page{}; {} a set in the game (16-bit floats)\n\n", f.coverage * 100,
        atlas.pages.size(), atlas.pages.size() == 1 ? "" : "s", bytes_text(f.page_texels * 8));
    say("  {:>4} {:>7} {:>9} {:>9}\n", "page", "side", "covered", "memory");
    for (std::size_t p = 0; p < atlas.pages.size(); ++p)
        say("  {:>4} {:>7} {:>8.1f}% {:>9}\n", p, atlas.pages[p], 100 * f.page_coverage[p],
            bytes_text(6.0 * atlas.pages[p] * atlas.pages[p]));
    say("\n  {:<32} {:>4} {:>7} {:>9} {:>8} {:>8} {:>7}\n", "largest surfaces", "page", "charts", "texels",
        "per m", "stretch", "worst");
    std::size_t shown = 0;
    for (const Row& r : rows(atlas)) {
        if (++shown > 12) break;
        say("  {:<32} {:>4} {:>7} {:>9.0f} {:>8.1f} {:>8.3f} {:>7.2f}{}\n", r.name, r.page, r.charts,
            r.texels, r.density, r.mean_stretch, r.worst_stretch, r.given ? "  its own UVs" : "");
    }
}

void run(const Options& o, Job& job) {
    Level level = load(o.common);
    if (!o.tier.empty()) level.quality.tier = *tier_named(o.tier);
    const fs::path out = o.out.empty() ? unwrap_output(o.common.level) : o.out;
    check_output(out, level, o.common.level);
    check_writable(out);
    Atlas earlier;
    if (!o.repack) earlier = earlier_atlas(level, {default_output(o.common.level), out}, job);
    const Atlas atlas = unwrap(level, tier_options(level.quality.tier).density_scale, job,
                               earlier.surfaces.empty() ? nullptr : &earlier);
    job.finish();
    write_level_glb(out / (level.name + ".glb"), o.common.level, level, atlas);
    save_atlas(atlas_file(out, level.quality.tier), atlas);
    Json files =
        Json::array({(out / (level.name + ".glb")).string(), atlas_file(out, level.quality.tier).string()});
    for (std::uint32_t p = 0; p < atlas.pages.size(); ++p) {
        const fs::path file = out / ("charts-" + std::to_string(p) + ".png");
        write_page_picture(file, level, atlas, p);
        files.push_back(file.string());
    }
    // Pictures of pages that are no more would mislead.
    std::error_code bad;
    for (std::size_t p = atlas.pages.size(); fs::remove(out / ("charts-" + std::to_string(p) + ".png"), bad);
         ++p) {
    }
    const AtlasFigures figures = measure_atlas(level, atlas);
    if (o.common.json) {
        say("{}\n", to_json(atlas, figures, files).dump(1));
        return;
    }
    say("wrote {} files to {}\n\n", files.size(), out.string());
    print(atlas, figures);
}

}  // namespace

}  // namespace unwrap_command

void add_unwrap(const Command& app) {
    using namespace unwrap_command;
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("unwrap", "lightmap UVs and pages only");
    add_common(c, o->common, "stasigraph unwrap observatory.toml --out unwrapped");
    c.add_option("--out", o->out, "the folder to write; `unwrapped/LEVEL` beside it unless given");
    c.add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        .check(one_of({"glance", "proof", "final"}));
    c.add_flag("--repack", o->repack,
               "pack the pages anew, instead of keeping the places of what is unchanged");
    c.callback([o] { guarded(o->common, [&](Job& job) { run(*o, job); }); });
}

}  // namespace cli
