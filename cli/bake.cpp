#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <map>
#include <optional>

#include "common.hpp"
#include "stasigraph/history.hpp"
#include "stasigraph/kept.hpp"

namespace cli {

using namespace stasigraph;

namespace bake_command {

namespace {

/// What leaks of one surface, under the set that shows most of it.
struct SurfaceLeaks {
    std::string surface, set;
    std::size_t places = 0;
    Leak worst;
};

/// Places looked at closely in each set.
constexpr std::size_t leak_places = 600;

std::vector<SurfaceLeaks> leaks_of(const Level& level, const Atlas& atlas, const Baked& baked, Job& job) {
    std::map<std::string, SurfaceLeaks> worst;
    std::vector<ViewLight> lights;
    for (const BakedSet& set : baked.sets)
        lights.push_back({&set, &baked.probes, &baked.visibility, &baked.occlusion, &baked.reflections});
    const std::vector<std::vector<Leak>> leaks = find_leaks(level, atlas, lights, leak_places, job);
    for (std::size_t k = 0; k < leaks.size(); ++k) {
        std::map<std::string, SurfaceLeaks> here;
        for (const Leak& l : leaks[k]) {
            SurfaceLeaks& s = here[level.surfaces[l.surface].name];
            if (s.places++ == 0) s = {level.surfaces[l.surface].name, baked.sets[k].name, 1, l};
        }
        for (auto& [name, s] : here)
            if (SurfaceLeaks& known = worst[name]; s.places > known.places) known = std::move(s);
    }
    std::vector<SurfaceLeaks> out;
    for (auto& [name, s] : worst) out.push_back(std::move(s));
    std::stable_sort(out.begin(), out.end(),
                     [](const SurfaceLeaks& a, const SurfaceLeaks& b) { return a.places > b.places; });
    return out;
}

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

/// Stages that came several times, as one.
std::vector<Job::StageTime> summed(const std::vector<Job::StageTime>& times) {
    std::vector<Job::StageTime> out;
    for (const Job::StageTime& t : times) {
        const auto at =
            std::find_if(out.begin(), out.end(), [&](const Job::StageTime& o) { return o.name == t.name; });
        if (at == out.end())
            out.push_back(t);
        else
            at->seconds += t.seconds;
    }
    return out;
}

/// What --only takes beside globs of surfaces.
constexpr const char* probes_alone = "probes";

struct Options {
    Common common;
    fs::path out, cache;
    std::string tier, bounces;
    std::vector<std::string> sets;
    std::string only, keep;
    std::vector<std::string> without;  ///< "pages", "probes", "reflections".
    float noise = 0;
    double time_limit = 0;
    bool repack = false, rebake = false;
    /// By stage, the most bytes that were held in it; filled by whoever watches the job.
    std::shared_ptr<std::map<std::string, double>> held = std::make_shared<std::map<std::string, double>>();
};

/// Whether one of "pages", "probes" and "reflections" is wanted; reflections show what probes light.
bool makes(const Options& o, const std::string& part) {
    const auto out = [&](const char* name) {
        return std::find(o.without.begin(), o.without.end(), name) != o.without.end();
    };
    return !out(part.c_str()) && !(part == "reflections" && out("probes"));
}
/// Whether what status tells of is left out.
bool left_out(const Options& o, const std::string& result) {
    return (result == "probes" || result == "reflections") ? !makes(o, result) : !makes(o, "pages");
}
std::string without_text(const Options& o) {
    std::string text;
    for (const char* part : {"pages", "probes", "reflections"})
        if (!makes(o, part)) text += (text.empty() ? "" : " and ") + std::string(part);
    return text;
}

/// The level as the options want it baked.
Level wanted_level(const Options& o) {
    Level level = load(o.common);
    if (!o.tier.empty()) level.quality.tier = tier_named(o.tier);
    if (o.bounces == "settle")
        level.quality.bounces.reset();
    else if (!o.bounces.empty())
        level.quality.bounces = std::stoi(o.bounces);
    if (o.noise > 0) level.quality.noise = o.noise;
    for (const std::string& set : o.sets) set_index(level, set);
    complete_level(level);
    return level;
}

/// Of the sets asked for those that are out of date; `why`: because of what.
std::vector<std::string> stale_sets(const Options& o, const Level& level, const BakeStatus& status,
                                    std::vector<std::string>& why) {
    std::vector<std::string> stale;
    for (const BakeSet& set : level.sets) {
        if (!o.sets.empty() && std::find(o.sets.begin(), o.sets.end(), set.name) == o.sets.end()) continue;
        bool out = o.rebake || o.repack || !o.only.empty();
        for (const ResultStatus& r : status.results) {
            // What belongs to no set, or to one that is gone, is seen to with any of them.
            const bool other = std::any_of(level.sets.begin(), level.sets.end(), [&](const BakeSet& s) {
                return s.name == r.set && s.name != set.name;
            });
            if (!r.stale || other || left_out(o, r.what)) continue;
            out = true;
            for (const std::string& text : r.because)
                if (std::find(why.begin(), why.end(), text) == why.end()) why.push_back(text);
        }
        if (out) stale.push_back(set.name);
    }
    return stale;
}

Json to_json(const Options& o, const Level& level, const Atlas& atlas, const Baked& baked,
             const std::vector<Job::StageTime>& times, double seconds) {
    const BakeFigures& f = baked.figures;
    Json j = {{"out", o.out.string()},
              {"up_to_date", false},
              {"seconds", seconds},
              {"tier", tier_name(level.quality.tier)},
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
              {"reflections", baked.reflections.size()},
              {"pages", atlas.pages}};
    j["noise_by_set"] = Json::array();
    for (const RoomNoise& r : f.rooms)
        j["noise_by_set"].push_back({{"set", r.set}, {"worst_room", r.room}, {"noise", r.noise}});
    for (const auto& t : times) j["stages"].push_back({{"name", t.name}, {"seconds", t.seconds}});
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

void print(const Options& o, const Level& level, const Baked& baked, const CaptureFigures& captures,
           const std::vector<Job::StageTime>& times) {
    const BakeFigures& f = baked.figures;
    say("{} texels and {} patches, {:.1f} million links ({:.0f} a texel) and {:.1f} million guided, {} "
        "bounces\n",
        count_text(static_cast<double>(f.texels)), count_text(static_cast<double>(f.patches)),
        static_cast<double>(f.links) / 1e6, f.mean_links, static_cast<double>(f.guided_links) / 1e6,
        f.bounces);
    if (!f.rooms.empty()) say("{}\n", noise_text(level, f));
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
    for (const auto& t : times)
        if (t.seconds >= 0.05)
            stages += fmt::format("{}{} {}", stages.empty() ? "" : ", ", t.name, seconds_text(t.seconds));
    say("time: {}\n", stages);
}

/// A bake at one tier, as far as it has come.
struct Made {
    Level level;
    Atlas atlas;
    Baked baked;
    std::vector<std::string> sets, why;
    std::vector<Job::StageTime> times;
    std::vector<fs::path> files;
    std::optional<PlaceFigures> placing;  ///< Where probes were placed on the way.
    CaptureFigures captures;
    std::vector<SurfaceLeaks> leaks;
};

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

/// Bakes what is stale at a tier and writes it.
Made make(const Options& o, Level level, std::vector<std::string> sets, std::vector<std::string> why,
          Job& job) {
    const auto start = std::chrono::steady_clock::now();
    const auto seconds = [&] {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    Made m{
        .level = std::move(level), .atlas = {}, .baked = {}, .sets = std::move(sets), .why = std::move(why)};
    const fs::path cache = o.cache.empty() ? default_cache(o.common.level) : o.cache;
    SaveOptions options;
    options.threads = o.common.threads;
    options.pages = makes(o, "pages") && o.only != probes_alone;
    options.probes = makes(o, "probes");
    options.reflections = makes(o, "reflections") && o.only.empty();
    if (!o.only.empty() && options.pages) options.surfaces = surfaces_named(m.level, o.only);
    if (!o.repack) m.atlas = earlier_atlas(m.level, atlas_folders(o.common, o.out), job);
    const BakeStore store = open_store(cache, [&](const std::string& text) { job.note(text); });
    std::vector<Job::StageTime> before;
    double told = 0;
    const auto stage = [&](const char* name) {
        before.push_back({name, seconds() - told});
        told = seconds();
    };
    stage("load");
    if (has_probes(m.level)) m.level.placed = load_places(o.out, m.level);
    plan_bake(m.level, job);
    if (has_probes(m.level) && !m.level.placed && options.probes) {
        const PlacedProbes placed = place_probes(m.level, job, store);
        m.level.placed = placed.places;
        options.placing = m.placing = placed.figures;
    }
    // Before the long work, since a place to capture from may lie in a wall.
    const std::vector<ReflectionProbe> reflections =
        options.reflections ? place_reflections(m.level, job, store) : std::vector<ReflectionProbe>{};
    std::vector<std::uint32_t> places;
    for (const std::string& set : m.sets) places.push_back(set_index(m.level, set));
    Level baked = m.level;
    if (!options.probes) baked.placed.emplace();
    Baker baker(std::move(baked), job, m.atlas.surfaces.empty() ? nullptr : &m.atlas, store);
    m.atlas = baker.atlas();
    CapturedBake lit = light_and_capture(baker, baker.level(), reflections, job, store, places);
    m.baked = std::move(lit.baked);
    m.captures = lit.figures;
    m.leaks = leaks_of(m.level, m.atlas, m.baked, job);
    job.limit(0);  // what is made is written
    m.times = job.times();
    m.times.insert(m.times.begin(), before.begin(), before.end());
    m.times = summed(m.times);
    options.times = m.times;
    options.cache = cache;
    const double made = seconds();
    m.files = save_bake(o.out, o.common.level, m.level, m.atlas, m.baked, options);
    refresh_game(o.common, o.out, job);
    m.times.push_back({"write", seconds() - made});
    return m;
}

/// Tiers from the lowest that would be better than what is there up to the one asked for.
struct Ladder {
    std::vector<Tier> tiers;
    std::optional<Tier> there;  ///< What is there already and up to date.
};
Ladder ladder(const Options& o, const Level& level) {
    Ladder l;
    for (const Tier t : {Tier::glance, Tier::proof, Tier::final}) {
        if (t > level.quality.tier) break;
        Level now = level;
        now.quality.tier = t;
        l.tiers.push_back(t);
        if (o.rebake || o.repack || !bake_status(o.out, now).up_to_date()) continue;
        l.tiers.clear();
        l.there = t;
    }
    return l;
}

/// Tier after tier, each written when it is done, until the time is up. Where nothing is there that is up to
/// date the lowest is finished in any case; none where nothing better was done in time.
std::optional<Made> make_in_time(const Options& o, const Level& level, const std::vector<std::string>& why,
                                 Job& job) {
    const auto start = std::chrono::steady_clock::now();
    const auto left = [&] {
        return o.time_limit - std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    const Ladder steps = ladder(o, level);
    std::optional<Tier> reached = steps.there;
    std::optional<Made> best;
    for (const Tier tier : steps.tiers) {
        Level now = level;
        now.quality.tier = tier;
        if (reached && left() <= 0) break;
        std::vector<std::string> unused;
        const std::vector<std::string> sets = stale_sets(o, now, bake_status(o.out, now), unused);
        if (sets.empty()) continue;
        job.limit(reached ? std::max(1e-6, left()) : 0);
        try {
            best.emplace(make(o, now, sets, why, job));
            reached = tier;
            left_behind() = fmt::format(
                "{} is written to {}; what was done toward {} is kept, and the same "
                "command goes on from there",
                tier_name(tier), o.out.string(), tier_name(level.quality.tier));
        } catch (const Cancelled&) {
            if (!job.out_of_time()) throw;
            job.limit(0);
            break;
        }
    }
    if (reached && *reached != level.quality.tier)
        job.note(
            fmt::format("time was up: this is {}; what was done toward {} is kept, and the next bake goes "
                        "on from there",
                        tier_name(*reached), tier_name(level.quality.tier)));
    return best;
}

/// Bytes that the process holds; 0 where that cannot be told.
double held_bytes() {
    std::ifstream file("/proc/self/statm");
    double all = 0, resident = 0;
    file >> all >> resident;
    return file ? resident * static_cast<double>(sysconf(_SC_PAGESIZE)) : 0;
}

/// Adds the bake to the folder's history.
void record(const Options& o, const Made& m, const std::vector<std::string>& why, double seconds) {
    const BakeFigures& f = m.baked.figures;
    BakeRecord r{.when = {},
                 .tier = tier_name(m.level.quality.tier),
                 .sets = m.sets,
                 .because = why,
                 .seconds = seconds,
                 .noise = static_cast<double>(f.noise_left()),
                 .texels = f.texels,
                 .links = f.links,
                 .traced = f.traced,
                 .probes = f.probes,
                 .stages = {}};
    if (!o.only.empty()) r.because.insert(r.because.begin(), "only " + o.only + " was asked for");
    if (!o.without.empty()) r.because.insert(r.because.begin(), without_text(o) + " were left out");
    for (const auto& t : m.times) {
        const auto held = o.held->find(t.name);
        r.stages.push_back({t.name, t.seconds, held == o.held->end() ? 0 : held->second});
    }
    try {
        add_to_history(o.cache.empty() ? default_cache(o.common.level) : o.cache, std::move(r));
    } catch (const Error& e) {
        log_note(e.text());  // the bake itself is there
    }
}

/// Keeps what the folder holds now under the name that was asked for; answers where, or nothing.
std::string keep(const Options& o) {
    return o.keep.empty() ? "" : keep_bake(o.out, o.common.level, o.keep).folder.string();
}
void say_kept(const Options& o, const std::string& folder) {
    if (!folder.empty())
        say("kept in {}; `compare --before {}` shows what changes from here\n", folder,
            o.keep.find(' ') == std::string::npos ? o.keep : "\"" + o.keep + "\"");
}

void run(Options& o, Job& job) {
    const auto start = std::chrono::steady_clock::now();
    const auto seconds = [&] {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    const Level level = wanted_level(o);
    if (o.out.empty()) o.out = default_output(o.common.level);
    if (!o.keep.empty()) check_keep(o.out, o.keep);  // before long work
    const FolderLock lock(o.out);
    check_output(o.out, level, o.common.level);
    mend_results(o.out);
    std::vector<std::string> why;
    const std::vector<std::string> sets = stale_sets(o, level, bake_status(o.out, level), why);
    if (sets.empty()) {
        // Zones are not baked, but packed.
        const fs::path game = o.out / "game.sgl";
        std::error_code bad;
        if (fs::exists(game) && fs::last_write_time(o.common.level, bad) > fs::last_write_time(game, bad))
            refresh_game(o.common, o.out, job);
        const std::string kept = keep(o);
        if (o.common.json) {
            Json j{{"out", o.out.string()}, {"up_to_date", true}, {"seconds", seconds()}};
            if (!kept.empty()) j["kept"] = kept;
            say("{}\n", j.dump(1));
        } else {
            say("{} is up to date{}; --rebake bakes it all the same\n", o.out.string(),
                o.without.empty() ? "" : " but for " + without_text(o));
            say_kept(o, kept);
        }
        return;
    }
    if (!why.empty() && !o.common.quiet) job.note("baked because " + reasons_text(why));
    constexpr const char* goes_on = "what was traced is kept; the same command goes on from there";
    left_behind() = fmt::format("nothing was written: {} is as it was; {}", o.out.string(), goes_on);
    const std::optional<Made> made = o.time_limit > 0 ? make_in_time(o, level, why, job)
                                                      : std::optional<Made>(make(o, level, sets, why, job));
    if (!made) {
        if (o.common.json)
            say("{}\n", Json{{"out", o.out.string()}, {"up_to_date", false}, {"seconds", seconds()}}.dump(1));
        else
            say("nothing was written to {}: what is there stays\n", o.out.string());
        return;
    }
    const Made& m = *made;
    record(o, m, why, seconds());
    const std::string kept = keep(o);
    if (o.common.json) {
        Json j = to_json(o, m.level, m.atlas, m.baked, m.times, seconds());
        j["leaks"] = leaks_json(m.leaks);
        j["tier_asked_for"] = tier_name(level.quality.tier);
        j["sets"] = m.sets;
        j["reflection_rays"] = m.captures.rays;
        for (const auto& p : m.files) j["files"].push_back(p.string());
        if (!kept.empty()) j["kept"] = kept;
        if (!o.without.empty()) j["without"] = o.without;
        say("{}\n", j.dump(1));
        return;
    }
    say("wrote {} files to {} in {}\n", m.files.size(), o.out.string(), seconds_text(seconds()));
    if (m.placing) print(*m.placing);
    if (m.baked.probes.size() == 0 && !o.common.quiet) warn_unlit(m.level);
    say_leaks(m.leaks);
    print(o, m.level, m.baked, m.captures, m.times);
    if (!o.only.empty() && !why.empty())
        say("only {} was baked; everything else is as it was, and out of date: {}\n", o.only,
            reasons_text(why));
    if (!o.without.empty())
        say("{} are as they were; the same command without --without brings them up to date\n",
            without_text(o));
    say_kept(o, kept);
}

}  // namespace

}  // namespace bake_command

void add_bake(const Command& app) {
    using namespace bake_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("bake", "bake what is out of date of the lightmaps and probes of every set");
    add_common(c, o->common, "stasigraph bake observatory.toml --tier glance");
    c.add_option("--out", o->out, "the folder to write; `baked/LEVEL` beside it unless given");
    c.add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        .check(one_of({"glance", "proof", "final"}));
    c.add_option("--bounces", o->bounces, "a whole number, or settle; the sheet's unless given");
    c.add_option("--noise", o->noise,
                 "relative standard error to aim for; the sheet's or the tier's unless given")
        .check(range(0.001, 1.0));
    c.add_option("--set", o->sets, "bake only this set; may be repeated");
    c.add_option("--only", o->only,
                 "write these surfaces' texels alone (glob), or \"probes\"; everything else stays unchanged");
    c.add_option("--without", o->without,
                 "leave these as they are, out of date: pages, probes (and reflections, which show what they "
                 "light) or reflections; may be repeated")
        .check(one_of({"pages", "probes", "reflections"}));
    c.add_option("--time-limit", o->time_limit,
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
    c.add_option("--keep", o->keep, "keep the result, and the level, under this name, to compare with later");
    c.add_flag("--repack", o->repack,
               "pack the pages anew, instead of keeping the places of what is unchanged");
    c.add_option("--cache", o->cache,
                 "where links and layers are kept; `.stasigraph` beside the level unless given");
    c.renamed("--afresh", "--rebake");
    c.add_flag("--rebake", o->rebake, "write everything, also what is up to date");
    c.callback([o] {
        if (!o->bounces.empty() && o->bounces != "settle" &&
            (o->bounces.size() > 4 || o->bounces.find_first_not_of("0123456789") != std::string::npos))
            throw UsageError{"--bounces", "needs a whole number or settle, not \"" + o->bounces + "\""};
        if (!o->without.empty() && !o->only.empty()) throw UsageError{"--without", "does not go with --only"};
        if (!makes(*o, "pages") && !makes(*o, "probes"))
            throw UsageError{"--without", "leaves nothing to bake"};
        if (o->time_limit > 0 && !o->only.empty())
            throw UsageError{"--time-limit", "does not go with --only"};
        o->common.watch = [held = o->held](const Progress& p) {
            double& most = (*held)[std::string(p.stage)];
            most = std::max(most, held_bytes());
        };
        guarded(o->common, [&](Job& job) { run(*o, job); });
    });
}

}  // namespace cli
