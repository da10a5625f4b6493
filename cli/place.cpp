#include <algorithm>
#include <fstream>

#include "common.hpp"

#include "stasigraph/place_folder.hpp"

namespace cli {

using namespace stasigraph;

namespace place_command {

namespace {

struct Options {
    Common common;
    fs::path out, cache;
    std::vector<std::string> only;
    bool exact = false;
};

std::size_t sum(const std::size_t* counts) {
    std::size_t all = 0;
    for (int r = 0; r < probe_rules; ++r) all += counts[r];
    return all;
}

/// What the file says of the run, and what it does not keep.
Json to_json(const PlacedProbes& p, std::size_t sets, const fs::path& file) {
    std::ifstream in(file);
    Json j = {{"file", file.string()}, {"candidates", sum(p.figures.candidates)}, {"kept", p.places.size()}};
    j.update(Json::parse(in)["figures"]);
    j["thin_seconds"] = p.figures.thin_seconds;
    j["game_bytes"] = p.places.size() * (probe_bytes + sets * probe_light_bytes);
    return j;
}

void print(const PlacedProbes& p, const Level& level) {
    const PlaceFigures& f = p.figures;
    say("{:<10} {:>8} {:>11} {:>8}\n", "rule", "tried", "candidates", "kept");
    for (int r = 0; r < probe_rules; ++r)
        if (f.made[r] || f.candidates[r] || f.kept[r])
            say("{:<10} {:>8} {:>11} {:>8}\n", to_text(static_cast<ProbeRule>(r)), f.made[r], f.candidates[r],
                f.kept[r]);
    say("{:<10} {:>8} {:>11} {:>8}\n", "all", sum(f.made), sum(f.candidates), p.places.size());
    say("\nnudged free  {}\n", f.nudged);
    const auto dropped = [](const char* what, std::size_t count) {
        if (count) say("dropped      {} {}\n", count, what);
    };
    dropped("inside of something, or behind faces", f.in_solids);
    dropped("closer to a surface than the clearance", f.too_close);
    dropped("in regions that want none, or that another volume fills", f.excepted);
    dropped("beneath the floor", f.beneath);
    dropped("with nothing near", f.empty);
    dropped("too close to another", f.merged);
    if (f.bad_by_hand)
        say("placed by hand inside of something: {}; kept, and unused: `view --show probes` marks them\n",
            f.bad_by_hand);
    if (f.checked) {
        say("\nthinned      {} of {} ({:.1f} % kept) in {}\n", f.thinned, sum(f.candidates),
            100.0 * static_cast<double>(p.places.size()) /
                static_cast<double>(std::max<std::size_t>(1, sum(f.candidates))),
            seconds_text(f.thin_seconds));
        say("error        {:.1f} % of lightness at the 95th percentile, {:.1f} % at worst, at {:.1f}, "
            "{:.1f}, {:.1f}\n",
            100 * f.error_95, 100 * f.worst_error, f.worst_at.x, f.worst_at.y, f.worst_at.z);
        say("             by exact light at {} places where a figure's body can be, all sets at glance;\n"
            "             --exact tells it room by room and set by set\n",
            f.checked);
        if (level.probes.tolerance > 0 && f.error_95 > 1.001f * level.probes.tolerance)
            say("             not the {:.0f} % asked for: the budget ran out, or candidates are too far "
                "apart for\n"
                "             the edges of light; \"light\" in `fill` adds some there, a smaller `spacing` "
                "everywhere\n",
                100 * level.probes.tolerance);
        else if (level.probes.tolerance > 0 && f.worst_error > level.probes.tolerance)
            say("             the tolerance is for 95 of 100; the others lie at edges of light\n");
    } else {
        say("\nnot thinned: write [probes] tolerance = 0.1, or budget = 500, in the sheet\n");
    }
    say("in the game  {} with {} sets\n",
        bytes_text(
            static_cast<double>(p.places.size() * (probe_bytes + level.sets.size() * probe_light_bytes))),
        level.sets.size());
}

void print(const std::vector<RoomProbes>& rooms) {
    say("\nby exact light, at glance: lightness of a figure's parts is off by\n"
        "{:<14} {:<18} {:>9} {:>10} {:>8} {:>8}   {}\n",
        "room", "set", "half", "95 of 100", "worst", "over 25", "worst at");
    for (const RoomProbes& r : rooms)
        say("{:<14} {:<18} {:>7.1f} % {:>8.1f} % {:>6.0f} % {:>6.1f} %   {:.1f}, {:.1f}, {:.1f}\n", r.room,
            r.set, 100 * r.half, 100 * r.at_95, 100 * r.worst, 100 * r.over_quarter, r.worst_at.x,
            r.worst_at.y, r.worst_at.z);
}

Json to_json(const std::vector<RoomProbes>& rooms) {
    Json list = Json::array();
    for (const RoomProbes& r : rooms)
        list.push_back({{"room", r.room},
                        {"set", r.set},
                        {"places", r.places},
                        {"half", r.half},
                        {"at_95", r.at_95},
                        {"worst", r.worst},
                        {"worst_at", vec(r.worst_at)},
                        {"over_quarter", r.over_quarter},
                        {"half_by_a_probe_there", r.half_there},
                        {"at_95_by_a_probe_there", r.at_95_there}});
    return list;
}

/// Of one, with all levels, as the game has it.
std::size_t map_bytes(const ReflectionProbe& p) {
    std::size_t bytes = 0;
    for (int l = 0, side = p.resolution; l < reflection_levels(p.resolution); ++l, side /= 2)
        bytes += 6 * 8 * static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
    return bytes;
}

Json to_json(const std::vector<ReflectionProbe>& probes) {
    Json list = Json::array();
    for (const ReflectionProbe& p : probes)
        list.push_back({{"name", p.name},
                        {"by", to_text(p.origin)},
                        {"shape", to_text(p.shape)},
                        {"capture", vec(p.capture)},
                        {"middle", vec(p.middle)},
                        {"half", vec(p.half)},
                        {"radius", p.radius},
                        {"resolution", p.resolution},
                        {"game_bytes_a_set", map_bytes(p)}});
    return list;
}

void print(const std::vector<ReflectionProbe>& probes) {
    std::size_t bytes = 0;
    say("{:<28} {:<7} {:<7} {:>24} {:>20} {:>7}\n", "reflection probe", "by", "shape", "captured at",
        "reaches, m", "texels");
    for (const ReflectionProbe& p : probes) {
        const std::string reach =
            p.shape == ReflectionShape::sphere
                ? fmt::format("{:.1f}", 2 * p.radius)
                : fmt::format("{:.1f} x {:.1f} x {:.1f}", 2 * p.half.x, 2 * p.half.y, 2 * p.half.z);
        say("{:<28} {:<7} {:<7} {:>24} {:>20} {:>7}\n", p.name, to_text(p.origin), to_text(p.shape),
            fmt::format("{:.2f}, {:.2f}, {:.2f}", p.capture.x, p.capture.y, p.capture.z), reach,
            p.resolution);
        bytes += map_bytes(p);
    }
    say("in the game  {} a set; the first that reaches a place answers, the others have what it leaves\n",
        bytes_text(static_cast<double>(bytes)));
}

void run(const Options& o, Job& job) {
    const Level level = load(o.common);
    const PlaceOutcome placed = place_in_folder(
        {.level_file = o.common.level, .folder = o.out, .cache = o.cache, .only = o.only, .exact = o.exact},
        level, job);
    if (o.common.json) {
        Json json = Json::object();
        if (has_probes(level)) json = to_json(placed.probes, level.sets.size(), placed.file);
        if (!placed.rooms.empty()) json["exact"] = to_json(placed.rooms);
        if (has_reflections(level)) json["reflections"] = to_json(placed.reflections);
        say("{}\n", json.dump(1));
        return;
    }
    if (has_probes(level)) {
        say("wrote {} probes to {}\nNext: stasigraph bake {}, which lights them\n\n",
            placed.probes.places.size(), placed.file.string(), o.common.level.string());
        print(placed.probes, level);
        if (!placed.rooms.empty()) print(placed.rooms);
    }
    if (!has_reflections(level)) return;
    if (has_probes(level)) say("\n");
    print(placed.reflections);
}

}  // namespace

}  // namespace place_command

void add_place(const Command& app) {
    using namespace place_command;
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand(
        "place",
        "probe positions from the volumes, thinned by what light they would hold; reflection probes");
    add_common(c, o->common, "stasigraph place observatory.toml");
    c.add_option("--only", o->only, "place these volumes anew; the others keep what they have");
    c.add_flag("--exact", o->exact,
               "bake at glance and tell how far off these probes are from exact light, room by room");
    c.add_option("--out", o->out, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.add_option("--cache", o->cache,
                 "what is kept between runs; `.stasigraph` beside the level unless given");
    c.callback([o] { guarded(o->common, [&](Job& job) { run(*o, job); }); });
}

}  // namespace cli
