// What of a saved bake is out of date, and because of what.

#include <algorithm>

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "results/inputs_file.hpp"
#include "results/result_folder.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Of all changes those that touch a set's light.
bool touches(const Change& c, const Level& level, const BakeSet& set) {
    if (c.unlit || c.every_layer || c.set == set.name || c.set == "*") return true;
    return std::any_of(c.groups.begin(), c.groups.end(), [&](const std::string& name) {
        const auto at = std::find(level.groups.begin(), level.groups.end(), name);
        // A group that is gone was shown before, perhaps.
        return at == level.groups.end() ||
               max_channel(set.gain(static_cast<std::size_t>(at - level.groups.begin()))) > 0;
    });
}

std::vector<std::string> reasons(const std::vector<Change>& changes,
                                 const std::function<bool(const Change&)>& wanted) {
    std::vector<std::string> out;
    for (const Change& c : changes)
        if (wanted(c) && std::find(out.begin(), out.end(), c.text) == out.end()) out.push_back(c.text);
    if (out.empty()) out.push_back("this version of the program makes it in another way");
    return out;
}

/// Why a saved bake cannot be used as it is; empty where it can.
std::string damage(const fs::path& folder, const Manifest& manifest) {
    if (manifest.files.empty()) return never_baked;
    try {
        const ResultFiles result(folder);
        for (const std::string& name : manifest.file_names()) {
            std::error_code bad;
            if (!fs::exists(folder / name, bad) || !fs::exists(result.place(name), bad))
                return "files of the bake are missing";
        }
        atlas_of(result.read(manifest.charts), manifest.charts);
    } catch (const Error&) {
        return "the charts of the bake are damaged";
    }
    return "";
}

Json read_json(const fs::path& path) {
    std::error_code bad;
    if (path.empty() || !fs::exists(path, bad)) return {};
    try {
        const Bytes bytes = read_file(path);
        return Json::parse(bytes.begin(), bytes.end());
    } catch (const nlohmann::json::exception&) {
        return {};  // damaged: as if there were none
    }
}

/// What is left to do, priced by what the stages of the last bake from nothing took.
double forecast(const Manifest& manifest, const Json& known, const LevelInputs& now, const BakeStatus& status,
                bool placed) {
    if (status.up_to_date()) return 0;
    // Another tier or density costs something else altogether.
    if (!known.is_object() || known.value("costs", "") != now.keys.costs) return -1;
    const Json times = known.value("seconds", Json::object());
    double whole = 0;
    for (const Json& t : times)
        if (t.is_number()) whole += t.get<double>();
    if (!(whole > 0)) return -1;
    if (manifest.unlit != now.keys.unlit) return whole;
    const auto of = [&](const char* stage) { return times.value(stage, 0.0); };
    std::size_t changed = 0;
    for (const InputKeys::Named& layer : now.keys.layers)
        changed += std::find(manifest.layers.begin(), manifest.layers.end(),
                             std::pair(layer.name, layer.key)) == manifest.layers.end()
                       ? 1
                       : 0;
    const double share =
        static_cast<double>(changed) / static_cast<double>(std::max<std::size_t>(1, now.keys.layers.size()));
    const auto stale = [&](const char* what) {
        return std::any_of(status.results.begin(), status.results.end(),
                           [&](const ResultStatus& r) { return r.what == what && r.stale; });
    };
    return of("load") + of("write") + of("finish") + (placed ? 0 : of("place probes")) +
           (stale("reflections") ? of("reflection places") + of("reflections") : 0) +
           share * (of("direct light") + of("noise") + of("more links") + of("bounces") + of("denoise") +
                    of("pages"));
}

/// A level as it is now, held against what its folder says.
class Comparing {
public:
    Comparing(const fs::path& folder, const Level& level, const Manifest& manifest)
        : folder_(folder),
          level_(level),
          manifest_(manifest),
          now_(inputs_of(level)),
          broken_(damage(folder, manifest)) {}

    BakeStatus status(const Json& times) const {
        BakeStatus status;
        for (std::size_t s = 0; s < level_.sets.size(); ++s) add_set(s, status);
        for (const ManifestSet& entry : manifest_.sets)
            if (std::none_of(level_.sets.begin(), level_.sets.end(),
                             [&](const BakeSet& s) { return s.name == entry.name; }))
                status.results.push_back({.what = "lightmaps",
                                          .set = entry.name,
                                          .stale = true,
                                          .because = {"set " + entry.name + " is gone"}});
        if (std::any_of(level_.lights.begin(), level_.lights.end(),
                        [](const Light& l) { return l.role == BakeRole::bounce; }))
            status.results.push_back(maps("visibility",
                                          manifest_.visibility_made_from == now_.keys.visibility,
                                          [](const Change& c) { return c.visibility || c.unlit; }));
        if (level_.occlusion.reach > 0)
            status.results.push_back(maps("occlusion", manifest_.occlusion_made_from == now_.keys.occlusion,
                                          [](const Change& c) { return c.occlusion || c.unlit; }));
        status.forecast_seconds =
            forecast(manifest_, times, now_, status, !has_probes(level_) || level_.placed.has_value());
        return status;
    }

private:
    std::vector<Change> since(const std::string& inputs) const {
        return changes_since(folder_ / (inputs.empty() ? "none" : inputs), now_.items);
    }

    void add_set(std::size_t s, BakeStatus& status) const {
        const BakeSet& set = level_.sets[s];
        const ManifestSet* entry = manifest_.find(set.name);
        ResultStatus lightmaps{.what = "lightmaps", .set = set.name, .because = {}},
            probes{.what = "probes", .set = set.name, .because = {}},
            mirrors{.what = "reflections", .set = set.name, .because = {}};
        if (!entry || !broken_.empty()) {
            lightmaps.stale = probes.stale = mirrors.stale = true;
            lightmaps.because = probes.because = mirrors.because = {entry ? broken_ : never_baked};
        } else {
            const std::vector<Change> changes = since(entry->inputs);
            const auto touched = [&](const Change& c) { return touches(c, level_, set); };
            hold_lightmaps(*entry, now_.keys.sets[s].key, reasons(changes, touched), lightmaps);
            // Probes may have been baked alone since.
            const bool alone = !entry->probes_inputs.empty() && entry->probes_inputs != entry->inputs;
            hold_probes(*entry, s, alone ? since(entry->probes_inputs) : changes, probes);
            if (entry->mirrors_made_from != captures_key(now_.keys, s)) {
                mirrors.stale = true;
                mirrors.because = {never_baked};
                const std::string& inputs =
                    entry->mirrors_inputs.empty() ? entry->inputs : entry->mirrors_inputs;
                if (!entry->mirrors.empty())
                    mirrors.because = reasons(since(inputs), [&](const Change& c) {
                        return c.reflections || c.probes || touched(c);
                    });
            }
        }
        status.results.push_back(std::move(lightmaps));
        if (now_.keys.probes != "none") status.results.push_back(std::move(probes));
        // Those that nobody asks for any more are to go.
        if (now_.keys.reflections != "none" || (entry && !entry->mirrors.empty()))
            status.results.push_back(std::move(mirrors));
    }

    static void hold_lightmaps(const ManifestSet& entry, const std::string& key,
                               std::vector<std::string> because, ResultStatus& lightmaps) {
        if (entry.made_from == key) return;
        lightmaps.stale = true;
        lightmaps.because = std::move(because);
        for (const auto& [surface, its_key] : entry.surfaces_made_from)
            (its_key == key ? lightmaps.surfaces_up_to_date : lightmaps.surfaces_older).push_back(surface);
    }

    void hold_probes(const ManifestSet& entry, std::size_t s, const std::vector<Change>& changes,
                     ResultStatus& probes) const {
        if (entry.light_of_probes() != now_.keys.sets[s].key) {
            probes.stale = true;
            probes.because =
                reasons(changes, [&](const Change& c) { return touches(c, level_, level_.sets[s]); });
        }
        if (now_.keys.probes == "none" || entry.probes_made_from == now_.keys.probes) return;
        if (!probes.stale) probes.because.clear();
        probes.stale = true;
        for (const Change& c : changes)
            if (c.probes) probes.because.push_back(c.text);
        if (probes.because.empty()) probes.because.push_back(never_baked);
    }

    /// Maps of the whole level.
    ResultStatus maps(const char* what, bool same, const std::function<bool(const Change&)>& touched) const {
        ResultStatus r{.what = what, .set = {}, .because = {}};
        r.stale = !broken_.empty() || !same;
        if (!broken_.empty())
            r.because = {broken_};
        else if (r.stale)
            r.because = reasons(since(manifest_.inputs), touched);
        return r;
    }

    const fs::path& folder_;
    const Level& level_;
    const Manifest& manifest_;
    LevelInputs now_;
    std::string broken_;
};

}  // namespace

bool BakeStatus::up_to_date() const {
    return std::none_of(results.begin(), results.end(), [](const ResultStatus& r) { return r.stale; });
}

BakeStatus bake_status(const fs::path& folder, const Level& given, const fs::path& cache) {
    Level level = given;
    complete_level(level);
    if (!level.placed) level.placed = load_places(folder, level);
    Manifest manifest;
    try {
        manifest = ResultFiles(folder).manifest();
    } catch (const Error&) {
        // None, or one of another kind than ours: as if nothing had been baked.
    }
    const Json times = read_json(cache.empty() ? cache : cache / "times.json");
    const Comparing comparing(folder, level, manifest);
    try {
        return comparing.status(times);
    } catch (const nlohmann::json::exception&) {
        return comparing.status({});  // a member of another kind than ours
    }
}

}  // namespace stasigraph
