// What of a saved bake is out of date, and because of what.

#include <algorithm>

#include "codec/files.hpp"
#include "codec/json_place.hpp"
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

const Json* entry_of(const Json& manifest, const std::string& set) {
    if (!manifest.is_object() || !manifest.contains("sets") || !manifest["sets"].is_array()) return nullptr;
    for (const Json& entry : manifest["sets"])
        if (entry.is_object() && entry.value("name", "") == set) return &entry;
    return nullptr;
}

/// Why a saved bake cannot be used as it is; empty where it can.
std::string damage(const fs::path& folder, const Json& manifest) {
    if (!manifest.is_object() || !manifest.contains("files") || !manifest["files"].is_object())
        return never_baked;
    try {
        const ResultFiles result(folder);
        for (const std::string& name : file_names(manifest)) {
            std::error_code bad;
            if (!fs::exists(folder / name, bad) || !fs::exists(result.place(name), bad))
                return "files of the bake are missing";
        }
        const std::string charts = manifest.value("charts", "");
        atlas_of(result.read(charts), charts);
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
double forecast(const Json& manifest, const Json& known, const LevelInputs& now, const BakeStatus& status,
                bool ground, bool placed) {
    if (status.up_to_date()) return 0;
    // Another tier or density costs something else altogether.
    if (!known.is_object() || known.value("costs", "") != now.keys.costs) return -1;
    const Json times = known.value("seconds", Json::object());
    double whole = 0;
    for (const Json& t : times)
        if (t.is_number()) whole += t.get<double>();
    if (!(whole > 0)) return -1;
    if (ground) return whole;
    const auto of = [&](const char* stage) { return times.value(stage, 0.0); };
    std::size_t changed = 0;
    const Json layers = manifest.value("layers", Json::object());
    for (const InputKeys::Named& layer : now.keys.layers)
        changed += layers.value(layer.name, "") == layer.key ? 0 : 1;
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

BakeStatus status_of(const fs::path& folder, const Level& given, const Json& manifest, const Json& times) {
    Level level = given;
    complete_level(level);
    if (!level.placed) level.placed = load_places(folder, level);
    const LevelInputs now = inputs_of(level);
    BakeStatus status;
    const std::string broken = damage(folder, manifest);
    const bool whole = broken.empty();
    bool ground = !manifest.is_object() || manifest.value("ground", "") != now.keys.unlit;
    for (std::size_t s = 0; s < level.sets.size(); ++s) {
        const BakeSet& set = level.sets[s];
        const Json* entry = manifest.is_object() ? entry_of(manifest, set.name) : nullptr;
        ResultStatus lightmaps{.what = "lightmaps", .set = set.name, .because = {}},
            probes{.what = "probes", .set = set.name, .because = {}},
            reflections{.what = "reflections", .set = set.name, .because = {}};
        if (!entry || !whole) {
            lightmaps.stale = probes.stale = reflections.stale = true;
            lightmaps.because = probes.because = reflections.because = {entry ? broken : never_baked};
        } else {
            const auto since = [&](const std::string& inputs) {
                return changes_since(folder / inputs, now.items);
            };
            const std::string &key = now.keys.sets[s].key, made_from = entry->value("made_from", ""),
                              inputs = entry->value("inputs", "none");
            const std::vector<Change> changes = since(inputs);
            // Probes may have been baked alone since.
            const std::string probe_inputs = entry->value("probes_inputs", inputs);
            const std::vector<Change> probe_changes = probe_inputs == inputs ? changes : since(probe_inputs);
            const auto touched = [&](const Change& c) { return touches(c, level, set); };
            if (made_from != key) {
                lightmaps.stale = true;
                lightmaps.because = reasons(changes, touched);
                const Json alone = entry->value("surfaces_made_from", Json::object());
                for (const auto& [surface, its_key] : alone.items())
                    (its_key == key ? lightmaps.surfaces_up_to_date : lightmaps.surfaces_older)
                        .push_back(surface);
            }
            if (entry->value("probes_light_made_from", made_from) != key) {
                probes.stale = true;
                probes.because = reasons(probe_changes, touched);
            }
            if (now.keys.probes != "none" && entry->value("probes_made_from", "") != now.keys.probes) {
                if (!probes.stale) probes.because.clear();
                probes.stale = true;
                for (const Change& c : probe_changes)
                    if (c.probes) probes.because.push_back(c.text);
                if (probes.because.empty()) probes.because.push_back(never_baked);
            }
            if (entry->value("reflections_made_from", "") != captures_key(now.keys, s)) {
                reflections.stale = true;
                reflections.because =
                    entry->contains("reflections")
                        ? reasons(since(entry->value("reflections_inputs", inputs)),
                                  [&](const Change& c) { return c.reflections || c.probes || touched(c); })
                        : std::vector<std::string>{never_baked};
            }
        }
        status.results.push_back(std::move(lightmaps));
        if (now.keys.probes != "none") status.results.push_back(std::move(probes));
        // Those that nobody asks for any more are to go.
        if (now.keys.reflections != "none" || (entry && entry->contains("reflections")))
            status.results.push_back(std::move(reflections));
    }
    if (manifest.is_object())
        for (const Json& entry : manifest.value("sets", Json::array()))
            if (const std::string name = entry.value("name", ""); std::none_of(
                    level.sets.begin(), level.sets.end(), [&](const BakeSet& s) { return s.name == name; }))
                status.results.push_back({.what = "lightmaps",
                                          .set = name,
                                          .stale = true,
                                          .because = {"set " + name + " is gone"}});
    const auto maps = [&](const char* what, const std::string& key, bool wanted, auto&& touched) {
        if (!wanted) return;
        ResultStatus r{.what = what, .set = {}, .because = {}};
        r.stale = !whole || manifest.value(what + std::string("_made_from"), "") != key;
        if (r.stale && !whole) r.because = {broken};
        if (r.stale && whole)
            r.because = reasons(changes_since(folder / manifest.value("inputs", "none"), now.items), touched);
        status.results.push_back(std::move(r));
    };
    maps("visibility", now.keys.visibility,
         std::any_of(level.lights.begin(), level.lights.end(),
                     [](const Light& l) { return l.role == BakeRole::bounce; }),
         [](const Change& c) { return c.visibility || c.unlit; });
    maps("occlusion", now.keys.occlusion, level.occlusion.reach > 0,
         [](const Change& c) { return c.occlusion || c.unlit; });
    status.forecast_seconds =
        forecast(manifest, times, now, status, ground, !has_probes(level) || level.placed.has_value());
    return status;
}

}  // namespace

bool BakeStatus::up_to_date() const {
    return std::none_of(results.begin(), results.end(), [](const ResultStatus& r) { return r.stale; });
}

BakeStatus bake_status(const fs::path& folder, const Level& level, const fs::path& cache) {
    const Json manifest = read_json(folder / "manifest.json"),
               times = read_json(cache.empty() ? cache : cache / "times.json");
    try {
        return status_of(folder, level, manifest, times);
    } catch (const nlohmann::json::exception&) {
        return status_of(folder, level, {}, {});  // a member of another kind than ours
    }
}

}  // namespace stasigraph
