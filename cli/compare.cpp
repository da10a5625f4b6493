#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

#include "common.hpp"
#include "stasigraph/compare_bakes.hpp"

namespace cli {

using namespace stasigraph;

namespace compare_command {

namespace {

struct Options {
    Common common;
    CameraOptions camera;
    fs::path folder, file;
    std::string before, after = result_now, set, sets, how = "sheet", show = "game", of = "p95",
                        size = "1280x800", ev = "auto";
    bool reference = false;
    int page = -1, paths = 32;
    double limit = -1, range = 0;
};

std::string stops_text(double stops) {
    return fmt::format("{}{:.2g}", stops < 0 ? "-" : "+", std::abs(stops));
}

Json to_json(const LightDifference& d) {
    return {{"texels", d.texels},
            {"unmatched_texels", d.unmatched},
            {"floor_lux", d.floor},
            {"mean_lux", {d.mean_before, d.mean_after}},
            {"mean_stops", d.mean},
            {"mean_size_stops", d.mean_size},
            {"p95_stops", d.p95},
            {"largest_stops", d.largest},
            {"brighter_area", d.brighter},
            {"darker_area", d.darker},
            {"largest_at",
             {{"surface", d.surface},
              {"at", vec(d.at)},
              {"page", d.page},
              {"texel", {d.x, d.y}},
              {"before_lux", rgb(d.before)},
              {"after_lux", rgb(d.after)}}}};
}

std::string lux_text(double lux) {
    return lux >= 100 ? fmt::format("{:.0f}", lux) : fmt::format("{:.3g}", lux);
}

std::vector<std::string> lines_of(const LightDifference& d) {
    const std::string way = std::abs(d.mean) < 0.005 ? "as bright"
                                                     : fmt::format("{:.2g} stops {}", std::abs(d.mean),
                                                                   d.mean > 0 ? "brighter" : "darker");
    std::vector<std::string> lines{
        fmt::format("mean {} -> {} lux, {} on the whole; {:.2g} stops apart in the mean",
                    lux_text(d.mean_before), lux_text(d.mean_after), way, d.mean_size),
        fmt::format("95 % of the area within {:.2g} stops; {:.1f} % is brighter, {:.1f} % darker by over 0.1",
                    d.p95, 100 * d.brighter, 100 * d.darker)};
    if (!d.surface.empty())
        lines.push_back(fmt::format("largest: {} stops on {} at {:.2f}, {:.2f}, {:.2f}, {} -> {} lux",
                                    stops_text(d.largest), d.surface, d.at.x, d.at.y, d.at.z,
                                    lux_text(static_cast<double>(luminance(d.before))),
                                    lux_text(static_cast<double>(luminance(d.after)))));
    if (d.unmatched > 0)
        lines.push_back(fmt::format("{} texels are of surfaces that the first result does not have",
                                    count_text(static_cast<double>(d.unmatched))));
    return lines;
}

void write_pictures(const Options& o, const fs::path& file, const std::array<std::string, 2>& names,
                    const ComparedPictures& p, const std::vector<std::string>& lines) {
    const int width = p.after.width, height = p.after.height;
    if (o.how == "difference") return write_png(file, width, height, difference_pixels(p));
    std::vector<std::uint8_t> halves = halves_pixels(p);
    const auto exposure = [&](int k) { return fmt::format("EV {:.1f}", p.ev[k]); };
    if (o.how == "split") {
        constexpr Rgb white{0.9f, 0.9f, 0.9f};
        draw_legend(width, height,
                    {{fmt::format("left: {}, {}", names[0], exposure(0)), white},
                     {fmt::format("right: {}, {}", names[1], exposure(1)), white}},
                    halves);
        return write_png(file, width, height, halves);
    }
    const ContactLayout layout = contact_layout(4, 1280, lines.size());
    const auto panel = [&](const std::string& name, std::vector<std::uint8_t> pixels,
                           std::vector<std::string> text) {
        return ContactPicture{name, std::move(text), width, height, std::move(pixels)};
    };
    write_contact_sheet(file, fmt::format("{} -> {}", names[0], names[1]), layout,
                        {panel("before: " + names[0], tone_map(p.before, p.ev[0]), {exposure(0)}),
                         panel("after: " + names[1], tone_map(p.after, p.ev[1]), {exposure(1)}),
                         panel("before on the left, after on the right", halves, {}),
                         panel("difference", difference_pixels(p), lines)});
}

CompareRequest request_of(const Options& o) {
    const std::size_t comma = o.sets.find(',');
    return {.level_file = o.common.level,
            .folder = o.folder,
            .before = o.before,
            .after = o.after,
            .set = o.sets.empty() ? o.set : o.sets.substr(comma + 1),
            .set_before = o.sets.substr(0, comma),
            .tier = tier_named(o.common.tier),
            .reference = o.reference,
            .paths = o.paths};
}

/// Whether more has changed than the limit allows.
bool run(const Options& o, Job& job) {
    const fs::path file = o.file.empty() ? fs::path("compare.png") : o.file;
    check_target(file, o.common.level);
    const BakeComparison both(request_of(o));
    for (const ComparedResult* r : {&both.after(), both.before()})
        if (r && r->now) {
            tell(o.common, r->level);
            if (r->bake.stale && !o.common.quiet) warn_stale(r->bake);
        }
    const std::array<std::string, 2> names = both.names();
    DrawRequest draw{
        .page = o.page, .on_white = o.show == "light", .range = static_cast<float>(std::max(0.0, o.range))};
    if (o.page < 0) draw.camera = camera_of(o.camera, both.after().level);
    if (o.ev != "auto") draw.exposure = std::stof(o.ev);
    const ReferenceDifference d = both.measure(job);
    std::vector<std::string> lines = lines_of(d.light);
    if (!both.before())
        lines.push_back(fmt::format("the reference itself is unsure of {:.2g} stops", d.noise));
    std::sscanf(o.size.c_str(), "%dx%d", &draw.width, &draw.height);
    if (o.how == "sheet") {
        const ContactLayout layout = contact_layout(4, 1280, lines.size());
        draw.width = layout.picture_width;
        draw.height = layout.picture_height;
    }
    write_pictures(o, file, names, both.draw(draw, job), lines);
    const double figure = o.of == "mean"      ? d.light.mean_size
                          : o.of == "largest" ? std::abs(d.light.largest)
                                              : d.light.p95;
    const bool over = o.limit >= 0 && figure > o.limit;
    if (o.common.json) {
        Json j = {{"before", names[0]},
                  {"after", names[1]},
                  {"file", file.string()},
                  {"difference", to_json(d.light)}};
        if (!both.before()) j["reference_noise_stops"] = d.noise;
        if (o.limit >= 0)
            j["limit"] = {{"of", o.of}, {"stops", o.limit}, {"measured", figure}, {"kept", !over}};
        say("{}\n", j.dump(1));
        return over;
    }
    say("{} -> {}\n", names[0], names[1]);
    for (const std::string& line : lines) say("  {}\n", line);
    say("wrote {}\n", file.string());
    if (o.limit >= 0)
        say("{} is {:.2g} stops: {} the limit of {:.2g}\n",
            o.of == "mean"      ? "the mean"
            : o.of == "largest" ? "the largest"
                                : "the 95th percentile",
            figure, over ? "over" : "within", o.limit);
    return over;
}

void check_options(const Options& o) {
    int width = 0, height = 0;
    char rest = 0;
    if (std::sscanf(o.size.c_str(), "%dx%d%c", &width, &height, &rest) != 2)
        throw UsageError{"--size", "needs WIDTHxHEIGHT, not \"" + o.size + "\""};
    float ev = 0;
    if (o.ev != "auto" && (std::sscanf(o.ev.c_str(), "%f%c", &ev, &rest) != 1 || !std::isfinite(ev)))
        throw UsageError{"--exposure", "needs a number or auto, not \"" + o.ev + "\""};
    if (!o.sets.empty() &&
        (std::count(o.sets.begin(), o.sets.end(), ',') != 1 || o.sets.front() == ',' || o.sets.back() == ','))
        throw UsageError{"--sets", "needs two sets, A,B, not \"" + o.sets + "\""};
    check_camera(o.camera);
}

}  // namespace

}  // namespace compare_command

void add_compare(const Command& app) {
    using namespace compare_command;
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("compare", "two results side by side, with difference and figures");
    add_common(c, o->common, "stasigraph compare observatory.toml --before monday --camera dome --limit 0.1");
    const Argument before =
        c.add_option("--before", o->before,
                     "a result that `bake --keep NAME` kept, or now; the last one kept unless given");
    c.add_option("--after", o->after, "likewise; now, the last bake, unless given");
    const Argument set = c.add_option("--set", o->set, "the bake set of both; the first unless given");
    const Argument sets =
        c.add_option("--sets", o->sets, "two sets, A,B: of one result unless --before says otherwise")
            .excludes(set);
    const Argument reference =
        c.add_flag("--reference", o->reference, "compare the bake with the reference path tracer")
            .excludes(before)
            .excludes(sets);
    c.add_option("--paths", o->paths, "with --reference: paths a pixel")
        .check(range(1, 65536))
        .needs(reference);
    add_camera(c, o->camera);
    add_tier(c, o->common);
    c.add_option("--page", o->page, "compare this lightmap page instead of a camera's picture")
        .check(range(0, 4096))
        .excludes(reference);
    c.add_option("--how", o->how, "sheet (before, after, halves and difference), split or difference")
        .check(one_of({"sheet", "split", "difference"}));
    c.add_option("--show", o->show, "game: as the player sees it; light: on white")
        .check(one_of({"game", "light"}))
        .excludes(reference);
    c.add_option("--range", o->range,
                 "stops at the ends of the difference's scale; by what differs unless given")
        .check(range(0.01, 32.0));
    c.add_option("--exposure", o->ev, "exposure value at ISO 100, or auto");
    c.add_option("--size", o->size, "WIDTHxHEIGHT of a split or a difference, pixels");
    c.add_option("--limit", o->limit, "stops: exit with 3 where more has changed").check(range(0.0, 64.0));
    c.add_option("--of", o->of, "what the limit is held against: mean, p95 or largest")
        .check(one_of({"mean", "p95", "largest"}));
    c.add_option("--file", o->file, "the picture to write; compare.png unless given");
    c.add_option("--out", o->folder, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.callback([o] {
        check_options(*o);
        bool over = false;
        if (guarded(o->common, [&](Job& job) { over = run(*o, job); }) == 0 && over) exit_status() = 3;
    });
}

}  // namespace cli
