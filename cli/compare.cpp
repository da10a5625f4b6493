#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

#include "common.hpp"
#include "stasigraph/compare.hpp"
#include "stasigraph/kept.hpp"

namespace cli {

using namespace stasigraph;

namespace compare_command {

namespace {

constexpr const char* now_name = "now";
constexpr int reference_part = 3;  ///< Of a picture's width and height, where the reference draws it.

struct Options {
    Common common;
    CameraOptions camera;
    fs::path folder, file;
    std::string before, after = now_name, set, sets, how = "sheet", show = "game", of = "p95",
                        size = "1280x800", ev = "auto";
    bool reference = false;
    int page = -1, paths = 32;
    double limit = -1, range = 0;
};

/// One side of the comparison.
struct Side {
    std::string name;  ///< As pictures and messages call it.
    BakedLevel baked;
    const BakedSet& set() const { return baked.bake.sets[0]; }
    LitLevel lit() const { return {baked.level, baked.bake.atlas, set()}; }
};

/// A result by its name, `now` or one that was kept, under a set.
std::unique_ptr<Side> load_side(const Options& o, const std::string& name, const std::string& set) {
    auto side = std::make_unique<Side>();
    if (name == now_name) {
        const Level level = load_level(o.common.level);
        side->baked = load_baked(o.common, o.folder, level.sets[set_index(level, set)].name);
    } else {
        const KeptBake kept = kept_bake(o.folder, name);
        side->baked.level = load_level(kept.level);
        const std::string chosen = side->baked.level.sets[set_index(side->baked.level, set)].name;
        side->baked.bake = load_bake(kept.folder, side->baked.level, chosen);
    }
    side->name = fmt::format("{}, {} ({})", name, side->set().name, side->baked.bake.tier);
    return side;
}

Picture picture_of(const Side& side, const Camera& camera, const ViewOptions& settings, Job& job) {
    const BakedLevel& b = side.baked;
    const Level shown = as_in_set(b.level, set_index(b.level, side.set().name));
    const ViewLight light{&side.set(), &b.bake.probes, &b.bake.visibility, &b.bake.occlusion,
                          &b.bake.reflections};
    return view(shown, b.bake.atlas, light, camera, settings, job);
}

/// A page as a picture, nit of white, in another size: the mean of the texels under each pixel.
Picture picture_of(const PageImage& page, int side) {
    Picture p{side, side, {}};
    const auto first = [&](int at) {
        return static_cast<int>(static_cast<std::int64_t>(at) * page.side / side);
    };
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            Rgb sum;
            int count = 0;
            for (int v = first(y); v < std::max(first(y) + 1, first(y + 1)); ++v)
                for (int u = first(x); u < std::max(first(x) + 1, first(x + 1)); ++u, ++count)
                    sum += page.texels[static_cast<std::size_t>(v) * static_cast<std::size_t>(page.side) +
                                       static_cast<std::size_t>(u)];
            p.pixels.push_back(sum * (1 / (pi * static_cast<float>(count))));
        }
    return p;
}

Picture enlarged(const Picture& small, int times) {
    Picture p{small.width * times, small.height * times, {}};
    for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x)
            p.pixels.push_back(
                small.pixels[static_cast<std::size_t>(y / times) * static_cast<std::size_t>(small.width) +
                             static_cast<std::size_t>(x / times)]);
    return p;
}

const PageImage& page_of(const Side& side, int page) {
    if (page >= static_cast<int>(side.set().pages.size()))
        throw Error{.what = "there is no such page",
                    .where = "--page",
                    .value = std::to_string(page),
                    .remedy = fmt::format("The bake has pages 0 to {}.", side.set().pages.size() - 1)};
    return side.set().pages[static_cast<std::size_t>(page)];
}

/// The left half of one picture and the right half of the other, a white line between; eight-bit.
std::vector<std::uint8_t> split(int width, int height, const std::vector<std::uint8_t>& before,
                                const std::vector<std::uint8_t>& after) {
    std::vector<std::uint8_t> out = after;
    const auto row = 3 * static_cast<std::ptrdiff_t>(width), half = row / 6 * 3;
    for (int y = 0; y < height; ++y) {
        std::copy_n(before.begin() + y * row, half, out.begin() + y * row);
        std::fill_n(out.begin() + y * row + half, 3, std::uint8_t{255});
    }
    return out;
}

std::string stops_text(double stops) {
    return fmt::format("{}{:.2g}", stops < 0 ? "-" : "+", std::abs(stops));
}

std::vector<LegendLine> scale(float range) {
    const auto line = [&](double share, const char* end) {
        const double stops = share * static_cast<double>(range);
        return LegendLine{share == 0 ? "the same" : stops_text(stops) + " stops" + end,
                          difference_color(static_cast<float>(stops), range)};
    };
    return {line(1, " or more"), line(0.5, ""), line(0, ""), line(-0.5, ""), line(-1, " or more")};
}

/// The pictures of a comparison, all in one size.
struct Pictures {
    Picture before, after;
    float ev[2] = {0, 0};  ///< One for both, unless they are two sets.
    float range = 1, floor = 0;
};

float range_for(const Pictures& p) {
    std::vector<float> stops;
    for (std::size_t i = 0; i < p.after.pixels.size(); i += 7)
        stops.push_back(std::abs(std::log2(std::max(luminance(p.after.pixels[i]), p.floor) /
                                           std::max(luminance(p.before.pixels[i]), p.floor))));
    const auto at = stops.begin() + static_cast<std::ptrdiff_t>(stops.size() * 98 / 100);
    std::nth_element(stops.begin(), at, stops.end());
    // Steps that read well; less than a twentieth of a stop nobody sees.
    for (const float step : {0.05f, 0.1f, 0.25f, 0.5f, 1.0f, 2.0f, 4.0f})
        if (*at <= step) return step;
    return 8;
}

Pictures draw_both(const Options& o, const Side* before, const Side& after, int width, int height, Job& job) {
    Pictures p;
    if (o.page >= 0) {
        if (before->baked.bake.atlas.pages != after.baked.bake.atlas.pages)
            throw Error{.what = "the two results have other pages",
                        .where = "--page",
                        .value = std::to_string(o.page),
                        .remedy = "Compare from a camera; figures are given all the same."};
        p.before = picture_of(page_of(*before, o.page), std::min(width, height));
        p.after = picture_of(page_of(after, o.page), std::min(width, height));
    } else {
        const Camera camera = camera_of(o.camera, after.baked.level);
        // The reference's noise goes down with paths alone: few pixels with many say more.
        const int part = before ? 1 : reference_part;
        ViewOptions settings{.width = width / part,
                             .height = height / part,
                             .show = o.show == "light" ? Show::light : Show::lit};
        if (before) {
            p.before = picture_of(*before, camera, settings, job);
        } else {
            const Level lit = as_in_set(after.baked.level, set_index(after.baked.level, after.set().name));
            p.before = reference_view(lit, set_index(lit, after.set().name), camera, settings.width,
                                      settings.height, o.paths, job);
            settings.moving = settings.mirror = false;
        }
        p.after = picture_of(after, camera, settings, job);
        if (part > 1) {
            p.before = enlarged(p.before, part);
            p.after = enlarged(p.after, part);
        }
    }
    const auto ev_of = [&](const Side& side, const Picture& picture) {
        const Level& level = side.baked.level;
        const std::optional<float> own = level.sets[set_index(level, side.set().name)].exposure;
        return o.ev != "auto" ? std::stof(o.ev) : own && o.page < 0 ? *own : auto_exposure(picture);
    };
    p.ev[1] = ev_of(after, p.after);
    // Two moods are each looked at with eyes that are used to them.
    p.ev[0] = before && before->set().name != after.set().name ? ev_of(*before, p.before) : p.ev[1];
    p.floor =
        std::exp2(std::min(p.ev[0], p.ev[1])) / 8 / 64;  // six stops under middle grey: as good as black
    p.range = o.range > 0 ? static_cast<float>(o.range) : range_for(p);
    return p;
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
                    const Pictures& p, const std::vector<std::string>& lines) {
    const auto with_scale = [&](int height) {
        std::vector<std::uint8_t> pixels =
            tone_map(difference_picture(p.before, p.after, p.range, p.floor), {});
        if (height >= 160) draw_legend(p.after.width, p.after.height, scale(p.range), pixels);
        return pixels;
    };
    if (o.how == "difference")
        return write_png(file, p.after.width, p.after.height, with_scale(p.after.height));
    const std::vector<std::uint8_t> before = tone_map(p.before, p.ev[0]), after = tone_map(p.after, p.ev[1]);
    std::vector<std::uint8_t> halves = split(p.after.width, p.after.height, before, after);
    const auto exposure = [&](int k) { return fmt::format("EV {:.1f}", p.ev[k]); };
    if (o.how == "split") {
        constexpr Rgb white{0.9f, 0.9f, 0.9f};
        draw_legend(p.after.width, p.after.height,
                    {{fmt::format("left: {}, {}", names[0], exposure(0)), white},
                     {fmt::format("right: {}, {}", names[1], exposure(1)), white}},
                    halves);
        return write_png(file, p.after.width, p.after.height, halves);
    }
    const ContactLayout layout = contact_layout(4, 1280, lines.size());
    const auto panel = [&](const std::string& name, std::vector<std::uint8_t> pixels,
                           std::vector<std::string> text) {
        return ContactPicture{name, std::move(text), p.after.width, p.after.height, std::move(pixels)};
    };
    write_contact_sheet(file, fmt::format("{} -> {}", names[0], names[1]), layout,
                        {panel("before: " + names[0], before, {exposure(0)}),
                         panel("after: " + names[1], after, {exposure(1)}),
                         panel("before on the left, after on the right", halves, {}),
                         panel("difference", with_scale(p.after.height), lines)});
}

/// Which result stands before.
std::string before_of(const Options& o) {
    if (!o.before.empty()) return o.before;
    if (!o.sets.empty()) return o.after;
    const std::vector<KeptBake> kept = kept_bakes(o.folder);
    if (kept.empty())
        throw Error{
            .what = "there is nothing to compare with",
            .where = o.folder.string(),
            .value = "",
            .remedy = "Keep a result with `stasigraph bake --keep NAME`, or use --sets A,B or --reference."};
    return kept[0].name;
}

bool run(Options& o, Job& job) {
    check_target(o.file.empty() ? "compare.png" : o.file, o.common.level);
    if (o.folder.empty()) o.folder = default_output(o.common.level);
    const std::size_t comma = o.sets.find(',');
    const std::string first = o.sets.empty() ? o.set : o.sets.substr(0, comma),
                      second = o.sets.empty() ? o.set : o.sets.substr(comma + 1);
    const std::unique_ptr<Side> after = load_side(o, o.after, second);
    const std::unique_ptr<Side> before = o.reference ? nullptr : load_side(o, before_of(o), first);
    const std::array<std::string, 2> names{
        before ? before->name : fmt::format("reference, {}", after->set().name), after->name};
    ReferenceDifference d;
    if (before)
        d.light = compare_light(before->lit(), after->lit(), job);
    else
        d = compare_with_reference(after->lit(), {}, job);
    std::vector<std::string> lines = lines_of(d.light);
    if (!before) lines.push_back(fmt::format("the reference itself is unsure of {:.2g} stops", d.noise));
    int width = 0, height = 0;
    std::sscanf(o.size.c_str(), "%dx%d", &width, &height);
    if (o.how == "sheet") {
        const ContactLayout layout = contact_layout(4, 1280, lines.size());
        width = layout.picture_width;
        height = layout.picture_height;
    }
    const Pictures p = draw_both(o, before.get(), *after, width, height, job);
    const fs::path file = o.file.empty() ? fs::path("compare.png") : o.file;
    write_pictures(o, file, names, p, lines);
    const double figure = o.of == "mean"      ? d.light.mean_size
                          : o.of == "largest" ? std::abs(d.light.largest)
                                              : d.light.p95;
    const bool over = o.limit >= 0 && figure > o.limit;
    if (o.common.json) {
        Json j = {{"before", names[0]},
                  {"after", names[1]},
                  {"file", file.string()},
                  {"difference", to_json(d.light)}};
        if (!before) j["reference_noise_stops"] = d.noise;
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
