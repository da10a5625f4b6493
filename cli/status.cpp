#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace status_command {

namespace {

Json to_json(const BakeStatus& s) {
    Json j = {{"up_to_date", s.up_to_date()}, {"results", Json::array()}};
    for (const ResultStatus& r : s.results) {
        Json entry = {{"what", r.what}};
        if (!r.set.empty()) entry["set"] = r.set;
        entry["stale"] = r.stale;
        entry["because"] = r.because;
        if (!r.surfaces_up_to_date.empty()) entry["surfaces_up_to_date"] = r.surfaces_up_to_date;
        if (!r.surfaces_older.empty()) entry["surfaces_older"] = r.surfaces_older;
        j["results"].push_back(std::move(entry));
    }
    if (s.forecast_seconds >= 0)
        j["forecast_seconds"] = s.forecast_seconds;
    else
        j["forecast_seconds"] = nullptr;
    return j;
}

void print(const BakeStatus& s) {
    constexpr std::size_t longest = sizeof ", lightmaps and probes" - 1;
    std::size_t wide = 34;
    for (const ResultStatus& r : s.results) wide = std::max(wide, r.set.size() + longest);
    for (std::size_t i = 0; i < s.results.size(); ++i) {
        const ResultStatus& r = s.results[i];
        std::string what = r.what;
        // Lightmaps and probes of a set mostly go together.
        if (i + 1 < s.results.size() && !r.set.empty() && s.results[i + 1].set == r.set &&
            s.results[i + 1].stale == r.stale && s.results[i + 1].because == r.because)
            what += " and " + s.results[++i].what;
        const std::string name = r.set.empty() ? what : r.set + ", " + what;
        if (r.because == std::vector<std::string>{never_baked}) {
            say("  {:<{}} never baked\n", name, wide);
            continue;
        }
        say("  {:<{}} {}\n", name, wide, r.stale ? "out of date; since it was baked" : "up to date");
        for (const std::string& why : r.because) say("  {:<{}}   {}\n", "", wide, why);
        if (!r.surfaces_up_to_date.empty())
            say("  {:<{}}   but up to date, baked alone: {}\n", "", wide,
                reasons_text(r.surfaces_up_to_date));
        if (!r.surfaces_older.empty())
            say("  {:<{}}   of a state in between, baked alone: {}\n", "", wide,
                reasons_text(r.surfaces_older));
    }
    if (s.up_to_date())
        say("everything is as the level would give it now\n");
    else if (s.forecast_seconds >= 0)
        say("a bake would take about {}\n", seconds_text(s.forecast_seconds));
    else
        say("`stasigraph survey` tells how long a bake would take\n");
}

}  // namespace

}  // namespace status_command

void add_status(const Command& app) {
    using namespace status_command;
    struct Options {
        Common common;
        fs::path out;
    };
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("status", "what is up to date, what is not, and because of what");
    add_common(c, o->common, "stasigraph status observatory.toml");
    add_tier(c, o->common);
    c.add_option("--out", o->out, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.callback([o] {
        guarded(o->common, [&](Job&) {
            Level level = load(o->common);
            const fs::path folder = o->out.empty() ? default_output(o->common.level) : o->out;
            const Tier asked = level.quality.tier;
            look_at_tier(o->common, folder, level);
            const BakeStatus status = bake_status(folder, level, default_cache(o->common.level));
            if (o->common.json) {
                Json j = to_json(status);
                j["tier"] = tier_name(level.quality.tier);
                j["tier_of_sheet"] = tier_name(asked);
                say("{}\n", j.dump(1));
                return;
            }
            say("{}, tier {}{}\n", level.name, tier_name(level.quality.tier),
                asked == level.quality.tier
                    ? std::string()
                    : fmt::format("; the sheet asks for {}, which `bake` makes", tier_name(asked)));
            print(status);
        });
    });
}

}  // namespace cli
