#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace meter_command {

namespace {

struct Options {
    Common common;
    fs::path out, points;
    std::string at, facing, set, from = "lightmap", walk;
    fs::path file;
    float reach = 0.05f, step = 0.1f;
};

std::vector<MeterPoint> points_of(const Options& o) {
    if (!o.points.empty()) return read_meter_points(o.points);
    MeterPoint point{.at = parse_vec(o.at, "--at"), .facing = {}};
    if (!o.facing.empty()) {
        point.facing = parse_vec(o.facing, "--facing");
        check_facing(*point.facing, "--facing");
    }
    return {point};
}

/// With the results of the set that is asked for.
BakedLevel load_metered(const Options& o) {
    Level level = load(o.common);
    const std::string set = level.sets[set_index(level, o.set)].name;
    return load_baked(o.common, std::move(level), o.out.empty() ? default_output(o.common.level) : o.out,
                      set);
}

Json to_json(const Options& o, const std::string& set, const std::vector<MeterPoint>& points,
             const std::vector<MeterReading>& readings) {
    Json j = {{"set", set}, {"readings", Json::array()}};
    for (std::size_t i = 0; i < points.size(); ++i) {
        const MeterReading& r = readings[i];
        Json e = {{"at", vec(points[i].at)}};
        const bool known = points[i].facing || r.irradiance;
        e["facing"] = points[i].facing ? vec(*points[i].facing) : known ? vec(r.normal) : Json(nullptr);
        e["from"] = o.from;
        if (r.irradiance && o.from == "lightmap") {
            e["surface"] = r.surface;
            e["page"] = r.page;
            e["texel"] = {r.x, r.y};
        }
        for (int k = 0; k < r.probes.count; ++k)
            e["probes"].push_back({{"probe", r.probes.probe[k]}, {"weight", r.probes.weight[k]}});
        if (r.probes.beyond > 0) e["beyond_m"] = r.probes.beyond;
        e["irradiance_lux"] = r.irradiance ? rgb(*r.irradiance) : Json(nullptr);
        if (!r.irradiance) e["reason"] = r.reason;
        j["readings"].push_back(std::move(e));
    }
    return j;
}

/// Which probes answered, and by how much.
std::string answers_text(const ProbeWeights& w) {
    std::string text;
    for (int k = 0; k < w.count; ++k)
        text += fmt::format("{}{} {:.0f} %", k ? ", " : "probes ", w.probe[k], 100 * w.weight[k]);
    return w.beyond > 0 ? text + fmt::format("; {:.1f} m outside of them", w.beyond) : text;
}

/// Points with blanks or semicolons between them.
std::vector<Vec3> parse_path(const std::string& text) {
    std::vector<Vec3> path;
    std::string point;
    for (const char c : text + " ") {
        if (c != ' ' && c != ';') {
            point += c;
        } else if (!point.empty()) {
            path.push_back(parse_vec(point, "--walk"));
            point.clear();
        }
    }
    if (path.size() < 2) throw UsageError{"--walk", "needs two points or more, as \"X,Y,Z X,Y,Z\""};
    return path;
}

void walk(const Options& o, Job& job) {
    check_target(o.file, o.common.level);
    const BakedLevel b = load_metered(o);
    WalkOptions settings{.step = o.step};
    if (!o.facing.empty()) settings.facing = parse_vec(o.facing, "--facing");
    check_facing(settings.facing, "--facing");
    const MeteredWalk walked = walk_bake(b, parse_path(o.walk), settings, job);
    const std::vector<WalkStep>& steps = walked.steps;
    const std::string& set = walked.set;
    const fs::path file = o.file.empty() ? fs::path("walk-" + set + ".png") : o.file;
    check_target(file, o.common.level);
    write_walk_plot(file,
                    fmt::format("A walk of {:.1f} m, set {}: light between probes against exact light",
                                walked.length, set),
                    steps);
    if (o.common.json) {
        Json j = {{"set", set},
                  {"file", file.string()},
                  {"length_m", walked.length},
                  {"error", {{"worst", walked.error_worst}, {"percentile_95", walked.error_95}}},
                  {"jumps", walked.jumps.size()},
                  {"steps", Json::array()}};
        for (const WalkStep& s : steps)
            j["steps"].push_back({{"distance_m", s.distance},
                                  {"at", vec(s.at)},
                                  {"probes_lux", rgb(s.probes)},
                                  {"uncorrected_lux", rgb(s.uncorrected)},
                                  {"exact_lux", rgb(s.exact)},
                                  {"error", s.error},
                                  {"jump", s.jump}});
        say("{}\n", j.dump(1));
        return;
    }
    say("{} readings over {:.1f} m, set {}\n", steps.size(), walked.length, set);
    say("error        {:.1f} % of lightness at the 95th percentile, {:.1f} % at worst\n",
        100 * walked.error_95, 100 * walked.error_worst);
    say("jumps        {}\n", walked.jumps.size());
    for (const std::size_t jump : walked.jumps) {
        const WalkStep& s = steps[jump];
        say("  at {:.1f} m ({:.2f}, {:.2f}, {:.2f}): {:.4g} lux between probes, {:.4g} exact\n", s.distance,
            s.at.x, s.at.y, s.at.z, luminance(s.probes), luminance(s.exact));
    }
    say("wrote {}\n", file.string());
}

void read(const Options& o, Job& job) {
    const std::vector<MeterPoint> list = points_of(o);
    const BakedLevel b = load_metered(o);
    const std::string& set = b.bake.sets[0].name;
    const std::vector<MeterReading> readings =
        meter_bake(b, {.points = list, .from_probes = o.from == "probes", .reach = o.reach}, job);
    const std::string live = live_lights(b.level, set);
    if (!live.empty() && !o.common.quiet)
        job.note("the game adds the direct light of " + live + "; it is not in these readings");
    if (o.common.json) {
        say("{}\n", to_json(o, set, list, readings).dump(1));
        return;
    }
    say("{:>26}  {:>10} {:>10} {:>10} {:>10}  {}\n", "at (m), set " + set, "lux", "red", "green", "blue",
        "surface");
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string place =
            fmt::format("{:.2f}, {:.2f}, {:.2f}", list[i].at.x, list[i].at.y, list[i].at.z);
        if (const auto& e = readings[i].irradiance)
            say("{:>26}  {:>10.4g} {:>10.4g} {:>10.4g} {:>10.4g}  {}\n", place, luminance(*e), e->r, e->g,
                e->b, o.from == "probes" ? answers_text(readings[i].probes) : readings[i].surface);
        else
            say("{:>26}  {:>10} {}\n", place, "-", readings[i].reason);
    }
}

}  // namespace

}  // namespace meter_command

void add_meter(const Command& app) {
    using namespace meter_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("meter", "a light meter: illuminance at points, from lightmap or probes");
    add_common(c, o->common, "stasigraph meter observatory.toml --at 0,0,2 --facing 0,1,0 --set noon");
    const Argument at = c.add_option("--at", o->at, "a point, X,Y,Z in metres");
    const Argument points = c.add_option("--points", o->points,
                                         "a JSON file: an array of {\"at\": [x,y,z], \"facing\": [x,y,z]}");
    c.add_option("--facing", o->facing,
                 "the way the surface faces, X,Y,Z; any surface unless given (probes: 0,1,0)");
    c.add_option("--set", o->set, "the bake set; the first unless given");
    c.add_option("--from", o->from, "lightmap or probes").check(one_of({"lightmap", "probes"}));
    c.add_option("--reach", o->reach, "how far from the point a surface may be, metres")
        .check(range(0.0, 1000.0));
    add_tier(c, o->common);
    c.add_option("--out", o->out, "the folder of the bake; `baked/LEVEL` beside it unless given");
    const Argument path =
        c.add_option("--walk", o->walk,
                     "compare probes with exact light along a path of points, \"X,Y,Z X,Y,Z ...\"; plots it");
    c.add_option("--step", o->step, "with --walk: metres between readings")
        .check(range(0.001, 100.0))
        .needs(path);
    c.add_option("--file", o->file, "with --walk: the plot to write; walk-SET.png unless given").needs(path);
    at.excludes(points).excludes(path);
    path.excludes(points);
    c.callback([o, at, points, path] {
        if (path.given()) {
            parse_path(o->walk);
            if (!o->facing.empty()) parse_vec(o->facing, "--facing");
            guarded(o->common, [&](Job& job) { walk(*o, job); });
            return;
        }
        if (!at.given() && !points.given()) throw UsageError{"--at, --points or --walk", "is required"};
        if (points.given() && !o->facing.empty()) throw UsageError{"--facing", "does not go with --points"};
        if (at.given()) parse_vec(o->at, "--at");
        if (!o->facing.empty()) parse_vec(o->facing, "--facing");
        guarded(o->common, [&](Job& job) { read(*o, job); });
    });
}

}  // namespace cli
