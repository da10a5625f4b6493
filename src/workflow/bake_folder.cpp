#include "stasigraph/bake_folder.hpp"

#include <algorithm>
#include <chrono>

#include "stasigraph/error.hpp"
#include "stasigraph/game.hpp"
#include "stasigraph/history.hpp"
#include "stasigraph/kept.hpp"
#include "stasigraph/place.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// What BakeRequest::only takes beside globs of surfaces.
constexpr const char* probes_alone = "probes";

class Stopwatch {
public:
    double seconds() const {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
    }

private:
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

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

class FolderBake {
public:
    FolderBake(const Level& level, const BakeRequest& request, Job& job)
        : level_(level), request_(request), job_(job) {
        if (request_.folder.empty()) request_.folder = default_output(request_.level_file);
        if (request_.cache.empty()) request_.cache = default_cache(request_.level_file);
        if (!request_.kinds.probes) request_.kinds.reflections = false;
    }

    BakeOutcome run() {
        const Stopwatch watch;
        const BakeRequest& r = request_;
        if (!r.keep.empty()) check_keep(r.folder, r.keep);  // before long work
        const FolderLock lock(r.folder);
        check_output(r.folder, level_, r.level_file);
        mend_results(r.folder);
        BakeOutcome out;
        const std::vector<std::string> sets = stale_sets(level_, &out.why);
        if (sets.empty()) {
            out.up_to_date = true;
            pack_edited_zones();
        } else {
            if (r.on_start) r.on_start(out.why);
            if (r.time_limit > 0)
                out.written = bake_in_time();
            else
                out.written.emplace(bake_once(level_, sets));
            if (!out.written) return out;
            record(*out.written, out.why, watch.seconds());
        }
        if (!r.keep.empty()) out.kept = keep_bake(r.folder, r.level_file, r.keep).folder;
        return out;
    }

private:
    /// Whether what status tells of is left out.
    bool left_out(const std::string& result) const {
        return !(result == "probes"        ? request_.kinds.probes
                 : result == "reflections" ? request_.kinds.reflections
                                           : request_.kinds.pages);
    }
    bool asked_for(const std::string& set) const {
        return request_.sets.empty() ||
               std::find(request_.sets.begin(), request_.sets.end(), set) != request_.sets.end();
    }

    /// Of the sets asked for those that are out of date; `why`: because of what.
    std::vector<std::string> stale_sets(const Level& level, std::vector<std::string>* why = nullptr) const {
        const BakeStatus status = bake_status(request_.folder, level);
        std::vector<std::string> stale;
        for (const BakeSet& set : level.sets) {
            if (!asked_for(set.name)) continue;
            bool out = request_.rebake || request_.repack || !request_.only.empty();
            for (const ResultStatus& r : status.results) {
                // What belongs to no set, or to one that is gone, is seen to with any of them.
                const bool other = std::any_of(level.sets.begin(), level.sets.end(), [&](const BakeSet& s) {
                    return s.name == r.set && s.name != set.name;
                });
                if (!r.stale || other || left_out(r.what)) continue;
                out = true;
                if (!why) continue;
                for (const std::string& text : r.because)
                    if (std::find(why->begin(), why->end(), text) == why->end()) why->push_back(text);
            }
            if (out) stale.push_back(set.name);
        }
        return stale;
    }

    /// Zones are not baked, but packed.
    void pack_edited_zones() const {
        const fs::path game = request_.folder / "game.sgl";
        std::error_code bad;
        if (fs::exists(game) &&
            fs::last_write_time(request_.level_file, bad) > fs::last_write_time(game, bad))
            refresh_game(request_.level_file, request_.folder, level_.quality.tier, job_);
    }

    SaveOptions save_options(const Level& level) const {
        const bool all = request_.only.empty();
        SaveOptions options;
        options.threads = job_.threads();
        options.pages = request_.kinds.pages && request_.only != probes_alone;
        options.probes = request_.kinds.probes;
        options.reflections = request_.kinds.reflections && all;
        options.cache = request_.cache;
        if (!all && options.pages) options.surfaces = surfaces_named(level, request_.only);
        return options;
    }

    /// Bakes sets at the level's tier and writes them.
    WrittenBake bake_once(Level level, std::vector<std::string> sets) const {
        const Stopwatch watch;
        WrittenBake w;
        w.level = std::move(level);
        w.sets = std::move(sets);
        SaveOptions options = save_options(w.level);
        if (!request_.repack)
            w.atlas = earlier_atlas(w.level, atlas_folders(request_.level_file, request_.folder), job_);
        const BakeStore store = open_store(request_.cache, [&](const std::string& text) { job_.note(text); });
        const Job::StageTime load{std::string(stage_name(Stage::load)), watch.seconds()};
        if (has_probes(w.level)) w.level.placed = load_places(request_.folder, w.level);
        plan_bake(w.level, job_);
        if (has_probes(w.level) && !w.level.placed && options.probes) {
            const PlacedProbes placed = place_probes(w.level, job_, store);
            w.level.placed = placed.places;
            options.placing = w.placing = placed.figures;
        }
        // Before the long work, since a place to capture from may lie in a wall.
        const std::vector<ReflectionProbe> reflections =
            options.reflections ? place_reflections(w.level, job_, store) : std::vector<ReflectionProbe>{};
        std::vector<std::uint32_t> numbers;
        for (const std::string& set : w.sets) numbers.push_back(set_index(w.level, set));
        Level baked = w.level;
        if (!options.probes) baked.placed.emplace();
        Baker baker(std::move(baked), job_, w.atlas.surfaces.empty() ? nullptr : &w.atlas, store);
        w.atlas = baker.atlas();
        CapturedBake lit = light_and_capture(baker, baker.level(), {reflections, numbers}, job_, store);
        w.baked = std::move(lit.baked);
        w.captures = lit.figures;
        w.leaks = leaks_by_surface(w.level, w.atlas, w.baked, job_);
        job_.limit(0);  // what is made is written
        w.times = job_.times();
        w.times.insert(w.times.begin(), load);
        w.times = summed(w.times);
        options.times = w.times;
        const double made = watch.seconds();
        w.files = save_bake(request_.folder, request_.level_file, {w.level, w.atlas}, w.baked, options);
        refresh_game(request_.level_file, request_.folder, w.level.quality.tier, job_);
        w.times.push_back({std::string(stage_name(Stage::write)), watch.seconds() - made});
        return w;
    }

    /// Tiers from the lowest that would be better than what is there up to the one asked for.
    struct Ladder {
        std::vector<Tier> tiers;
        std::optional<Tier> there;  ///< What is there already and up to date.
    };
    Ladder ladder() const {
        Ladder l;
        for (const Tier t : {Tier::glance, Tier::proof, Tier::final}) {
            if (t > level_.quality.tier) break;
            Level now = level_;
            now.quality.tier = t;
            l.tiers.push_back(t);
            if (request_.rebake || request_.repack || !bake_status(request_.folder, now).up_to_date())
                continue;
            l.tiers.clear();
            l.there = t;
        }
        return l;
    }

    /// Tier after tier until the time is up. Where nothing is there that is up to date the lowest is finished
    /// in any case; none where nothing better was done in time.
    std::optional<WrittenBake> bake_in_time() const {
        const Stopwatch watch;
        const Ladder steps = ladder();
        std::optional<Tier> reached = steps.there;
        std::optional<WrittenBake> best;
        for (const Tier tier : steps.tiers) {
            const double left = request_.time_limit - watch.seconds();
            if (reached && left <= 0) break;
            Level now = level_;
            now.quality.tier = tier;
            const std::vector<std::string> sets = stale_sets(now);
            if (sets.empty()) continue;
            job_.limit(reached ? std::max(1e-6, left) : 0);
            try {
                best.emplace(bake_once(now, sets));
                reached = tier;
                if (request_.on_written) request_.on_written(tier);
            } catch (const Cancelled&) {
                if (!job_.out_of_time()) throw;
                job_.limit(0);
                break;
            }
        }
        if (reached && *reached != level_.quality.tier)
            job_.note(std::string("time was up: this is ") + tier_name(*reached) + "; what was done toward " +
                      tier_name(level_.quality.tier) + " is kept, and the next bake goes on from there");
        return best;
    }

    /// Adds the bake to the level's history.
    void record(const WrittenBake& w, const std::vector<std::string>& why, double seconds) const {
        const auto peak_bytes = request_.peak_bytes ? request_.peak_bytes() : std::map<std::string, double>{};
        const BakeFigures& f = w.baked.figures;
        BakeRecord r{.when = {},
                     .tier = tier_name(w.level.quality.tier),
                     .sets = w.sets,
                     .because = why,
                     .seconds = seconds,
                     .noise = static_cast<double>(f.noise_left()),
                     .texels = f.texels,
                     .links = f.links,
                     .traced = f.traced,
                     .probes = f.probes,
                     .stages = {}};
        if (!request_.only.empty())
            r.because.insert(r.because.begin(), "only " + request_.only + " was asked for");
        if (const std::string out = kinds_left_out(request_.kinds); !out.empty())
            r.because.insert(r.because.begin(), out + " were left out");
        for (const Job::StageTime& t : w.times) {
            const auto held = peak_bytes.find(t.name);
            r.stages.push_back({t.name, t.seconds, held == peak_bytes.end() ? 0 : held->second});
        }
        try {
            add_to_history(request_.cache, std::move(r));
        } catch (const Error& e) {
            job_.note(e.text());  // the bake itself is there
        }
    }

    const Level& level_;
    BakeRequest request_;
    Job& job_;
};

}  // namespace

BakeOutcome bake_folder(const Level& level, const BakeRequest& request, Job& job) {
    return FolderBake(level, request, job).run();
}

std::string kinds_left_out(ResultKinds kinds) {
    std::string text;
    const auto add = [&](bool made, const char* name) {
        if (!made) text += (text.empty() ? "" : " and ") + std::string(name);
    };
    add(kinds.pages, "pages");
    add(kinds.probes, "probes");
    add(kinds.reflections && kinds.probes, "reflections");
    return text;
}

std::vector<SurfaceLeaks> leaks_by_surface(const Level& level, const Atlas& atlas, const Baked& baked,
                                           Job& job) {
    constexpr std::size_t places_a_set = 600;
    std::vector<ViewLight> lights;
    for (const BakedSet& set : baked.sets)
        lights.push_back({&set, &baked.probes, &baked.visibility, &baked.occlusion, &baked.reflections});
    const std::vector<std::vector<Leak>> leaks = find_leaks(level, atlas, lights, places_a_set, job);
    std::map<std::string, SurfaceLeaks> worst;
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

Atlas earlier_atlas(const Level& level, const std::vector<fs::path>& folders, Job& job) {
    for (const fs::path& folder : folders) {
        fs::path file = atlas_file(folder, level.quality.tier);
        std::error_code bad;
        // Tiers of one density have the same charts, and then share their links.
        for (const Tier other : {Tier::glance, Tier::proof, Tier::final})
            if (!fs::exists(file, bad) &&
                tier_options(other).density_scale == tier_options(level.quality.tier).density_scale)
                file = atlas_file(folder, other);
        if (!fs::exists(file, bad)) continue;
        try {
            return load_atlas(file);
        } catch (const Error& e) {
            job.note(e.text() + " It is left aside: every surface is packed anew.");
        }
    }
    return {};
}

std::vector<fs::path> atlas_folders(const fs::path& level_file, const fs::path& folder) {
    return {folder, unwrap_output(level_file)};
}

void refresh_game(const fs::path& level_file, const fs::path& folder, Tier tier, Job& job) {
    const fs::path file = folder / "game.sgl";
    if (!fs::exists(file)) return;
    runtime::Game before;
    before.open(file.c_str());
    const bool small = before.page_count() > 0 && before.set_count() > 0 &&
                       before.page(0, 0).format == runtime::PixelFormat::rgb9e5;
    Level level = load_level(level_file);
    level.quality.tier = tier;
    SavedBake bake;
    try {
        bake = load_bake(folder, level, "");
    } catch (const Error& e) {
        job.note("game.sgl is out of date: " + e.text());
        return;
    }
    save_game(file, {level, bake.atlas}, bake, {.pixels = small ? GamePixels::rgb9e5 : GamePixels::half});
}

}  // namespace stasigraph
