#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <map>

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace bake_command {

namespace {

Json leaks_json(const std::vector<SurfaceLeaks>& leaks) {
    Json list = Json::array();
    for (const SurfaceLeaks& s : leaks)
        list.push_back({{"surface", s.surface},
                        {"places", s.places},
                        {"at", vec(s.worst.at)},
                        {"set", s.set},
                        {"lux", s.worst.lux},
                        {"exact_lux", {s.worst.least, s.worst.most}}});
    return list;
}

void say_leaks(const std::vector<SurfaceLeaks>& leaks) {
    constexpr std::size_t most = 5;
    for (std::size_t i = 0; i < std::min(leaks.size(), most); ++i) {
        const SurfaceLeaks& s = leaks[i];
        say("{} on {} that is not there: {} places, worst at {:.2f}, {:.2f}, {:.2f} ({:.3g} lux for {:.3g} "
            "to {:.3g}, set "
            "{})\n",
            s.worst.lux > s.worst.most ? "light" : "a shadow", s.surface, s.places, s.worst.at.x,
            s.worst.at.y, s.worst.at.z, s.worst.lux, s.worst.least, s.worst.most, s.set);
    }
    if (leaks.size() > most) say("the same on {} more surfaces; --json lists them\n", leaks.size() - most);
    if (!leaks.empty()) say("`view --show leaks` marks these places\n");
}

struct Options {
    Common common;
    BakeRequest request;
    std::string tier, bounces;
    std::vector<std::string> without;  ///< "pages", "probes", "reflections".
    float noise = 0;
    /// By stage, the most bytes that were held in it; filled by whoever watches the job.
    std::shared_ptr<std::map<std::string, double>> held = std::make_shared<std::map<std::string, double>>();

    bool leaves_out(const char* kind) const {
        return std::find(without.begin(), without.end(), kind) != without.end();
    }
};

/// The level as the options want it baked.
Level wanted_level(const Options& o) {
    Level level = load(o.common);
    if (!o.tier.empty()) level.quality.tier = *tier_named(o.tier);
    if (o.bounces == "settle")
        level.quality.bounces.reset();
    else if (!o.bounces.empty())
        level.quality.bounces = std::stoi(o.bounces);
    if (o.noise > 0) level.quality.noise = o.noise;
    for (const std::string& set : o.request.sets) set_index(level, set);
    complete_level(level);
    return level;
}

Json to_json(const Options& o, const WrittenBake& w, double seconds) {
    const BakeFigures& f = w.baked.figures;
    Json j = {{"out", o.request.folder.string()},
              {"up_to_date", false},
              {"seconds", seconds},
              {"tier", tier_name(w.level.quality.tier)},
              {"texels", f.texels},
              {"patches", f.patches},
              {"buried_texels", f.invalid},
              {"moved_texels", f.moved},
              {"hidden_texels", f.hidden},
              {"links", f.links},
              {"links_traced", f.traced},
              {"layers", f.layers},
              {"layers_made", f.layers_made},
              {"mean_links", f.mean_links},
              {"guided_links", f.guided_links},
              {"noise", f.noise_left()},
              {"bounces", f.bounces},
              {"area_m2", f.area},
              {"seam_jump", f.seam},
              {"seam_jump_before", f.seam_before},
              {"probes", f.probes},
              {"buried_probes", f.invalid_probes},
              {"reflections", w.baked.reflections.size()},
              {"pages", w.atlas.pages}};
    j["noise_by_set"] = Json::array();
    for (const RoomNoise& r : f.rooms)
        j["noise_by_set"].push_back({{"set", r.set}, {"worst_room", r.room}, {"noise", r.noise}});
    for (const auto& t : w.times) j["stages"].push_back({{"name", t.name}, {"seconds", t.seconds}});
    return j;
}

/// The noisiest rooms, whether they are as quiet as asked, and what would make them so.
std::string noise_text(const Level& level, const BakeFigures& f) {
    constexpr std::size_t most_named = 3;
    const TierOptions tier = tier_options(level.quality);
    const float asked = level.quality.noise > 0 ? level.quality.noise : tier.noise;
    std::vector<RoomNoise> rooms = f.rooms;
    std::stable_sort(rooms.begin(), rooms.end(),
                     [](const RoomNoise& a, const RoomNoise& b) { return a.noise > b.noise; });
    const auto text = [](const RoomNoise& r) {
        return fmt::format("{} in set {}, {:.1f} %", r.room, r.set, 100 * r.noise);
    };
    if (!(rooms[0].noise > asked))
        return fmt::format("noise that is left in the worst room: {}, of {:.1f} % allowed", text(rooms[0]),
                           100 * asked);
    std::string names;
    for (std::size_t i = 0; i < std::min(rooms.size(), most_named) && rooms[i].noise > asked; ++i)
        names += (i > 0 ? "; " : "") + text(rooms[i]);
    constexpr float most_links = 4096;
    const float more = rooms[0].noise / asked,
                links = std::exp2(std::ceil(std::log2(f.mean_links * more * more)));
    const char* tier_up = level.quality.tier == Tier::glance  ? "--tier proof or "
                          : level.quality.tier == Tier::proof ? "--tier final or "
                                                              : "";
    return fmt::format(
        "more noise is left than the {:.1f} % allowed: {}. {}links = {:.0f} in [quality] {} it down",
        100 * asked, names, tier_up, std::min(links, most_links), *tier_up ? "bring" : "brings");
}

void print(const Options& o, const WrittenBake& w) {
    const BakeFigures& f = w.baked.figures;
    const CaptureFigures& captures = w.captures;
    say("{} texels and {} patches, {:.1f} million links ({:.0f} a texel) and {:.1f} million guided, {} "
        "bounces\n",
        count_text(static_cast<double>(f.texels)), count_text(static_cast<double>(f.patches)),
        static_cast<double>(f.links) / 1e6, f.mean_links, static_cast<double>(f.guided_links) / 1e6,
        f.bounces);
    if (!f.rooms.empty()) say("{}\n", noise_text(w.level, f));
    if (f.traced < f.links || f.layers_made < f.layers)
        say("{} traced now and {} of {} light groups lit; the rest was there already\n",
            f.traced == 0 ? "no link was"
                          : fmt::format("{} links were", count_text(static_cast<double>(f.traced))),
            f.layers_made, f.layers);
    if (f.invalid + f.hidden + f.moved > 0)
        say("{} texels lie inside geometry and {} beyond a wall where nothing can look: filled from their "
            "neighbours; {} lie inside in part and were sampled in the rest\n",
            count_text(static_cast<double>(f.invalid)), count_text(static_cast<double>(f.hidden)),
            count_text(static_cast<double>(f.moved)));
    say("light jumps by {:.1f} % over seams, {:.1f} % before they were fitted\n", f.seam * 100,
        f.seam_before * 100);
    if (f.probes > 0) say("{} probes, {} of them inside geometry and unused\n", f.probes, f.invalid_probes);
    if (captures.probes > 0)
        say("{} reflection probes, {}{}\n", captures.probes,
            captures.captured == 0
                ? "mixed from what they had captured"
                : fmt::format("{} of {} light groups captured", captures.captured, captures.layers),
            captures.rays > 0
                ? fmt::format(" with {:.1f} million rays", static_cast<double>(captures.rays) / 1e6)
            : captures.captured > 0 ? ", without a ray: what they see is where it was"
                                    : "");
    if (o.common.quiet) return;
    std::string stages;
    for (const auto& t : w.times)
        if (t.seconds >= 0.05)
            stages += fmt::format("{}{} {}", stages.empty() ? "" : ", ", t.name, seconds_text(t.seconds));
    say("time: {}\n", stages);
}

/// What placing probes on the way came to.
void print(const PlaceFigures& f) {
    std::size_t candidates = 0, kept = 0;
    for (int r = 0; r < probe_rules; ++r) {
        candidates += f.candidates[r];
        kept += f.kept[r];
    }
    say("{} probes placed, of {} candidates{}; `place` tells more\n", kept, candidates,
        f.checked > 0
            ? fmt::format("; interpolation error under {:.1f} % at 95 of 100 places", 100 * f.error_95)
            : "");
}

/// Bytes that the process holds; 0 where that cannot be told.
double held_bytes() {
    std::ifstream file("/proc/self/statm");
    double all = 0, resident = 0;
    file >> all >> resident;
    return file ? resident * static_cast<double>(sysconf(_SC_PAGESIZE)) : 0;
}

void say_kept(const Options& o, const fs::path& folder) {
    const std::string& name = o.request.keep;
    if (!folder.empty())
        say("kept in {}; `compare --before {}` shows what changes from here\n", folder.string(),
            name.find(' ') == std::string::npos ? name : "\"" + name + "\"");
}

/// Of a bake that wrote nothing.
void tell_nothing(const Options& o, const BakeOutcome& outcome, double seconds) {
    const std::string folder = o.request.folder.string();
    if (o.common.json) {
        Json j{{"out", folder}, {"up_to_date", outcome.up_to_date}, {"seconds", seconds}};
        if (!outcome.kept.empty()) j["kept"] = outcome.kept.string();
        say("{}\n", j.dump(1));
        return;
    }
    if (!outcome.up_to_date) return say("nothing was written to {}: what is there stays\n", folder);
    say("{} is up to date{}; --rebake bakes it all the same\n", folder,
        o.without.empty() ? "" : " but for " + kinds_left_out(o.request.kinds));
    say_kept(o, outcome.kept);
}

void tell(const Options& o, const BakeOutcome& outcome, Tier asked, double seconds) {
    const WrittenBake& w = *outcome.written;
    if (o.common.json) {
        Json j = to_json(o, w, seconds);
        j["leaks"] = leaks_json(w.leaks);
        j["tier_asked_for"] = tier_name(asked);
        j["sets"] = w.sets;
        j["reflection_rays"] = w.captures.rays;
        for (const auto& p : w.files) j["files"].push_back(p.string());
        if (!outcome.kept.empty()) j["kept"] = outcome.kept.string();
        if (!o.without.empty()) j["without"] = o.without;
        say("{}\n", j.dump(1));
        return;
    }
    say("wrote {} files to {} in {}\n", w.files.size(), o.request.folder.string(), seconds_text(seconds));
    if (w.placing) print(*w.placing);
    if (w.baked.probes.size() == 0 && !o.common.quiet) warn_unlit(w.level);
    say_leaks(w.leaks);
    print(o, w);
    if (!o.request.only.empty() && !outcome.why.empty())
        say("only {} was baked; everything else is as it was, and out of date: {}\n", o.request.only,
            reasons_text(outcome.why));
    if (!o.without.empty())
        say("{} are as they were; the same command without --without brings them up to date\n",
            kinds_left_out(o.request.kinds));
    say_kept(o, outcome.kept);
}

void run(Options& o, Job& job) {
    const auto start = std::chrono::steady_clock::now();
    const Level level = wanted_level(o);
    BakeRequest& r = o.request;
    r.level_file = o.common.level;
    if (r.folder.empty()) r.folder = default_output(r.level_file);
    r.kinds = {.pages = !o.leaves_out("pages"),
               .probes = !o.leaves_out("probes"),
               .reflections = !o.leaves_out("reflections")};
    r.peak_bytes = [&] { return *o.held; };
    r.on_start = [&](const std::vector<std::string>& why) {
        if (!why.empty() && !o.common.quiet) job.note("baked because " + reasons_text(why));
        left_behind() = fmt::format(
            "nothing was written: {} is as it was; what was traced is kept; the same command goes on from "
            "there",
            r.folder.string());
    };
    r.on_written = [&](Tier tier) {
        left_behind() = fmt::format(
            "{} is written to {}; what was done toward {} is kept, and the same command goes on "
            "from there",
            tier_name(tier), r.folder.string(), tier_name(level.quality.tier));
    };
    const BakeOutcome outcome = bake_folder(level, r, job);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (outcome.written)
        tell(o, outcome, level.quality.tier, seconds);
    else
        tell_nothing(o, outcome, seconds);
}

}  // namespace

}  // namespace bake_command

void add_bake(const Command& app) {
    using namespace bake_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("bake", "bake what is out of date of the lightmaps and probes of every set");
    add_common(c, o->common, "stasigraph bake observatory.toml --tier glance");
    c.add_option("--out", o->request.folder, "the folder to write; `baked/LEVEL` beside it unless given");
    c.add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        .check(one_of({"glance", "proof", "final"}));
    c.add_option("--bounces", o->bounces, "a whole number, or settle; the sheet's unless given");
    c.add_option("--noise", o->noise,
                 "relative standard error to aim for; the sheet's or the tier's unless given")
        .check(range(0.001, 1.0));
    c.add_option("--set", o->request.sets, "bake only this set; may be repeated");
    c.add_option("--only", o->request.only,
                 "write these surfaces' texels alone (glob), or \"probes\"; everything else stays unchanged");
    c.add_option("--without", o->without,
                 "leave these as they are, out of date: pages, probes (and reflections, which show what they "
                 "light) or reflections; may be repeated")
        .check(one_of({"pages", "probes", "reflections"}));
    c.add_option("--time-limit", o->request.time_limit,
                 "seconds: bake glance, then proof, then final, as far as they are done by then; each is "
                 "written when it is done, the first in any case")
        .check([](const std::string& text) {
            char* end = nullptr;
            const double seconds = std::strtod(text.c_str(), &end);
            return *end == 0 && seconds > 0 && seconds < 1e9
                       ? std::string()
                       : "needs a number of seconds over 0, not \"" + text + "\"";
        });
    c.add_option("--memory", o->common.memory,
                 "GB that the bake may take; links past it stay on disk, and a level that needs more besides "
                 "them is refused. Never changes a result")
        .check([](const std::string& text) {
            char* end = nullptr;
            const double size = std::strtod(text.c_str(), &end);
            return *end == 0 && size >= 0.001 && size <= 1e6
                       ? std::string()
                       : "needs a number of GB from 0.001 on, not \"" + text + "\"";
        });
    c.add_option("--keep", o->request.keep,
                 "keep the result, and the level, under this name, to compare with later");
    c.add_flag("--repack", o->request.repack,
               "pack the pages anew, instead of keeping the places of what is unchanged");
    c.add_option("--cache", o->request.cache,
                 "where links and layers are kept; `.stasigraph` beside the level unless given");
    c.renamed("--afresh", "--rebake");
    c.add_flag("--rebake", o->request.rebake, "write everything, also what is up to date");
    c.callback([o] {
        if (!o->bounces.empty() && o->bounces != "settle" &&
            (o->bounces.size() > 4 || o->bounces.find_first_not_of("0123456789") != std::string::npos))
            throw UsageError{"--bounces", "needs a whole number or settle, not \"" + o->bounces + "\""};
        if (!o->without.empty() && !o->request.only.empty())
            throw UsageError{"--without", "does not go with --only"};
        if (o->leaves_out("pages") && o->leaves_out("probes"))
            throw UsageError{"--without", "leaves nothing to bake"};
        if (o->request.time_limit > 0 && !o->request.only.empty())
            throw UsageError{"--time-limit", "does not go with --only"};
        o->common.watch = [held = o->held](const Progress& p) {
            double& most = (*held)[std::string(p.stage)];
            most = std::max(most, held_bytes());
        };
        guarded(o->common, [&](Job& job) { run(*o, job); });
    });
}

}  // namespace cli
