#include <algorithm>
#include <chrono>
#include <cstring>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "codec/json_place.hpp"
#include "results/inputs_file.hpp"
#include "results/level_glb.hpp"
#include "results/lit_glb.hpp"
#include "results/manifest_parts.hpp"
#include "results/partial_pages.hpp"
#include "results/result_folder.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// What tells later whether something is out of date.
void add_keys(const LevelInputs& inputs, Json& manifest) {
    manifest["ground"] = inputs.keys.unlit;
    for (const InputKeys::Named& layer : inputs.keys.layers) manifest["layers"][layer.name] = layer.key;
    manifest["visibility_made_from"] = inputs.keys.visibility;
    manifest["occlusion_made_from"] = inputs.keys.occlusion;
}

/// Keeps what a bake from nothing takes. Not in the manifest, which is the same for the same level.
void remember_times(const SaveOptions& options, const std::string& costs, const BakeFigures& figures,
                    double writing) {
    const bool all_made = figures.traced == figures.links && figures.layers_made == figures.layers;
    if (options.cache.empty() || options.times.empty() || !all_made) return;
    Json seconds = {{"write", writing}};
    for (const Job::StageTime& t : options.times) seconds[t.name] = seconds.value(t.name, 0.0) + t.seconds;
    try {
        write_text(options.cache / "times.json", Json{{"costs", costs}, {"seconds", seconds}}.dump(1) + "\n");
    } catch (const Error&) {
        // A forecast less.
    }
}

/// Gives sets that are not written now the probe light they had, where the probes stand as they did.
void keep_probes(const fs::path& folder, const ProbeNet& net, const std::vector<std::size_t>& kept,
                 std::vector<BakedSet>& sets) {
    std::error_code bad;
    if (kept.empty() || !fs::exists(folder / "manifest.json", bad)) return;
    try {
        ProbeNet old;
        std::vector<BakedSet> read(sets.size());
        for (std::size_t i : kept) read[i].name = sets[i].name;
        unpack_probes(ResultFiles(folder).read("probes.bin"), "probes.bin", old, read);
        if (old.position != net.position) return;
        for (std::size_t i : kept)
            if (read[i].probes.size() == net.size()) {
                sets[i].probes = std::move(read[i].probes);
                sets[i].lamps = std::move(read[i].lamps);
            }
    } catch (const Error&) {
        // A damaged file is replaced whole.
    }
}

/// Collects what is written, by name within the folder.
struct Written {
    fs::path folder;
    std::vector<std::string> now;
    Json files = Json::array();
    void add(const std::string& name, bool written = true) {
        if (written) now.push_back(name);
        files.push_back(name);
    }
};

Json write_set(const Level& level, const BakedSet& set, const BakeSet& recipe, const std::string& made_from,
               Written& written) {
    Json entry = {{"name", set.name},
                  {"scene_hash", level.scene_hash},
                  {"sheet_hash", level.sheet_hash},
                  {"gains", recipe.gains},
                  {"lightmaps", Json::array()}};
    for (const Rgb t : recipe.tints) entry["tints"].push_back({t.r, t.g, t.b});
    for (std::size_t p = 0; p < set.pages.size(); ++p) {
        const PageImage& page = set.pages[p];
        const std::string name = set.name + "/page-" + std::to_string(p) + ".exr";
        const int exponent = image_exponent(page.texels);
        write_scaled_exr(written.folder / name, page.side, page.side, page.texels, exponent, made_from);
        written.add(name);
        entry["lightmaps"].push_back({{"file", name}, {"exponent", exponent}});
    }
    for (std::size_t p = 0; p < set.directional.size(); ++p) {
        const DirectionalPage& page = set.directional[p];
        const std::string name = set.name + "/directional-" + std::to_string(p) + ".exr";
        LayeredImage image{page.side, page.side, directional_layers, {}};
        image.values.reserve(3 * page.texels.size());
        for (const auto& t : page.texels) image.values.insert(image.values.end(), t.begin(), t.end());
        const int exponent = image_exponent(image.values);
        write_layered_exr(written.folder / name, image, exponent, made_from);
        written.add(name);
        entry["directional"].push_back({{"file", name}, {"exponent", exponent}});
    }
    return entry;
}

/// The files of a set's reflections, as they were.
void keep_reflections(const Json& entry, Written& to) {
    for (const Json& map : entry.value("reflections", Json::array()))
        for (const char* file : {"file", "picture"}) to.add(map.value(file, ""), false);
}

/// What a set of which some surfaces alone were baked is made from: the rest is as it was.
void keep_keys(const Json& old, const Level& level, const std::vector<std::uint8_t>& surfaces,
               const std::string& key, Json& entry, Written& written) {
    for (const char* name :
         {"made_from", "probes_made_from", "probes_light_made_from", "probes_inputs", "inputs", "scene_hash",
          "sheet_hash", "reflections", "reflections_made_from", "reflections_inputs", "reflection_places"})
        if (old.contains(name)) entry[name] = old[name];
    for (const char* name : {"inputs", "probes_inputs", "reflections_inputs"})
        if (const std::string older = old.value(name, ""); !older.empty()) written.add(older, false);
    keep_reflections(old, written);
    entry["surfaces_made_from"] = old.value("surfaces_made_from", Json::object());
    for (std::size_t s = 0; s < surfaces.size(); ++s)
        if (surfaces[s]) entry["surfaces_made_from"][level.surfaces[s].name] = key;
}

/// Visibility and occlusion.
void write_maps(const Level& level, const Baked& baked, Json& manifest, Written& written) {
    for (std::size_t p = 0; p < baked.visibility.size(); ++p) {
        const VisibilityPage& page = baked.visibility[p];
        if (page.texels.empty()) continue;
        const std::string name = "visibility-" + std::to_string(p) + ".png";
        std::vector<std::uint8_t> rgba;
        for (const auto& t : page.texels) rgba.insert(rgba.end(), t.begin(), t.end());
        write_file(written.folder / name, encode_png_rgba(page.side, page.side, rgba));
        written.add(name);
        manifest["visibility"].push_back({{"page", p}, {"file", name}, {"lights", page.lights}});
    }
    for (std::size_t p = 0; p < baked.occlusion.size(); ++p) {
        const OcclusionPage& page = baked.occlusion[p];
        const std::string name = "occlusion-" + std::to_string(p) + ".png";
        std::vector<std::uint8_t> grey;
        for (const float v : page.texels) grey.push_back(static_cast<std::uint8_t>(v * 255 + 0.5f));
        write_file(written.folder / name, encode_png_grey(page.side, page.side, grey));
        written.add(name);
        manifest["occlusion"]["reach"] = level.occlusion.reach;
        manifest["occlusion"]["files"].push_back(name);
    }
}

PlacedProbes places_of(const ProbeNet& net, const Level& level) {
    PlacedProbes placed{.places = {}, .figures = {}, .key = places_key(level)};
    for (std::size_t p = 0; p < net.size(); ++p)
        placed.places.push_back({net.position[p], net.rule[p], net.volume[p]});
    return placed;
}

/// Where the probes are; what came of placing them stays where that is older than this bake.
void write_places(const fs::path& folder, const Level& level, const Baked& baked, const SaveOptions& options,
                  Written& written) {
    constexpr const char* name = "places.json";
    const PlacedProbes placed = places_of(baked.probes, level);
    const std::optional<std::vector<ProbePlace>> before = load_places(folder, level);
    const auto same = [](const ProbePlace& a, const ProbePlace& b) {
        return a.position == b.position && a.rule == b.rule && a.volume == b.volume;
    };
    const bool kept = before && !options.placing && before->size() == placed.places.size() &&
                      std::equal(before->begin(), before->end(), placed.places.begin(), same);
    if (!kept)
        write_text(written.folder / name,
                   places_text(level, placed, options.placing ? &*options.placing : nullptr));
    written.add(name, !kept);
}

/// The probes of all sets: of those that are not written now as they were.
void write_probes(const fs::path& folder, const Baked& baked, const std::vector<std::size_t>& kept,
                  std::vector<BakedSet>& probe_sets, Json& manifest, Written& written) {
    keep_probes(folder, baked.probes, kept, probe_sets);
    std::vector<const BakedSet*> sets;
    for (const BakedSet& set : probe_sets)
        if (set.probes.size() == baked.probes.size()) sets.push_back(&set);
    Json header = probes_json(baked.probes, sets);
    for (std::size_t i = 0; i < sets.size(); ++i)
        for (const Json& entry : manifest["sets"])
            if (entry["name"] == sets[i]->name)
                header["sets"][i]["made_from"] =
                    entry.value("probes_light_made_from", entry.value("made_from", ""));
    write_file(written.folder / "probes.bin", pack_probes(baked.probes, sets));
    write_text(written.folder / "probes.json", header.dump(1) + "\n");
    written.add("probes.bin");
    written.add("probes.json");
    manifest["probes"] = {{"count", baked.probes.size()}, {"header", "probes.json"}};
}

/// The same as an earlier bake wrote it, but for what is there already.
void keep_whole(const Json& before, Json& manifest, Written& written) {
    for (const char* name : {"ground", "layers", "inputs", "visibility", "visibility_made_from", "occlusion",
                             "occlusion_made_from"})
        if (before.contains(name)) manifest[name] = before[name];
    for (const char* name : {"probes", "reflections", "reflection_places"})
        if (before.contains(name) && !manifest.contains(name)) manifest[name] = before[name];
    for (const std::string& file : file_names(before))
        if (std::find(written.files.begin(), written.files.end(), file) == written.files.end())
            written.add(file, false);
}

/// A set as it was written, or kept.
struct SavedSet {
    Json entry;  ///< Of the manifest; null where there is none to keep.
    Written written;
    BakedSet probes;  ///< Its probes alone.
    bool kept = false;
};

/// One save as it goes on.
struct Saving {
    const fs::path& folder;
    const Level& level;
    const Atlas& atlas;
    const Baked& baked;
    const SaveOptions& options;
    Json before;
    std::string uvs;
    LevelInputs inputs;
    std::string inputs_file;
    std::string reflection_places;  ///< Tells the probes that a set's maps are of.
    Written written;
    std::vector<BakedSet> probe_sets;
    std::vector<std::size_t> kept;  ///< Of those the ones that are not baked now.

    bool whole() const { return options.surfaces.empty() && options.pages; }
    bool writes_probes() const { return options.surfaces.empty() && options.probes; }
    bool writes_reflections() const {
        return options.surfaces.empty() && options.reflections && !baked.reflections.empty();
    }
    bool keeps_reflections() const { return !options.surfaces.empty() || !options.reflections; }
    /// What an earlier bake says of a set, for a part of it to be replaced.
    Json replaced(const std::string& set) const {
        if (whole()) return {};
        Json old = earlier_entry(before, uvs, set);
        if (old.is_null())
            throw Error{.what = "holds no bake of these charts that could keep everything else",
                        .where = folder.string(),
                        .value = set,
                        .remedy = "Bake everything once."};
        return old;
    }
    static void keep_files(const Json& entry, Written& to);
    void keep_parts(const std::string& set, Json& entry, Written& to) const;
    Json write_light(std::size_t number, BakedSet& set, Written& to) const;
    SavedSet save_set(std::size_t number) const;
    void add_sets(Json& manifest);
    void keep_other_parts(Json& manifest);
};

void Saving::keep_files(const Json& entry, Written& to) {
    for (const char* name : {"inputs", "probes_inputs", "reflections_inputs"})
        if (const std::string older = entry.value(name, ""); !older.empty()) to.add(older, false);
    keep_reflections(entry, to);
    for (const char* maps : {"lightmaps", "directional"})
        for (const Json& map : entry.value(maps, Json::array())) to.add(map.value("file", ""), false);
    to.add(entry.value("name", "") + "/preview.glb", false);
    const Json prelit = entry.value("prelit", Json::object());
    if (!prelit.contains("file")) return;
    to.add(prelit.value("file", ""), false);
    for (const Json& image : prelit.value("images", Json::array()))
        if (image.is_string()) to.add(image.get<std::string>(), false);
}

/// Gives a set whose lightmaps are written what it had of everything that is not, whatever its charts were.
void Saving::keep_parts(const std::string& set, Json& entry, Written& to) const {
    Json old;
    for (const Json& e : before.is_object() ? before.value("sets", Json::array()) : Json::array())
        if (e.is_object() && e.value("name", "") == set) old = e;
    const auto keep = [&](const char* name, const Json& value) {
        entry.erase(name);
        if (!value.is_null()) entry[name] = value;
    };
    const auto had = [&](const char* name, const char* otherwise) {
        return old.is_null() ? Json() : old.value(name, old.value(otherwise, Json()));
    };
    if (!writes_probes()) {
        keep("probes_made_from", had("probes_made_from", ""));
        keep("probes_light_made_from", had("probes_light_made_from", "made_from"));
        keep("probes_inputs", had("probes_inputs", "inputs"));
        if (const std::string inputs_then = entry.value("probes_inputs", ""); !inputs_then.empty())
            to.add(inputs_then, false);
    }
    if (keeps_reflections() && !old.is_null()) {
        for (const char* name :
             {"reflections", "reflections_made_from", "reflections_inputs", "reflection_places"})
            if (old.contains(name)) entry[name] = old[name];
        if (const std::string inputs_then = entry.value("reflections_inputs", ""); !inputs_then.empty())
            to.add(inputs_then, false);
        keep_reflections(old, to);
    }
}

/// A set's lightmaps, all of them or the chosen surfaces' part, and what shows them.
Json Saving::write_light(std::size_t number, BakedSet& set, Written& written_now) const {
    const Json old = replaced(set.name);
    const std::string& key = inputs.keys.sets[number].key;
    if (!old.is_null()) keep_other_texels(atlas, options.surfaces, ResultFiles(folder), old, set);
    Json entry = write_set(level, set, level.sets[number], old.is_null() ? key : old.value("made_from", ""),
                           written_now);
    entry["made_from"] = key;
    entry["probes_made_from"] = inputs.keys.probes;
    entry["inputs"] = inputs_file;
    if (!old.is_null()) keep_keys(old, level, options.surfaces, key, entry, written_now);
    const fs::path to = written_now.folder / set.name;
    const LitSet lit{level, atlas, set, baked, key};
    write_preview_glb(to / "preview.glb", lit);
    written_now.add(set.name + "/preview.glb");
    if (level.prelit.by == PrelitBy::nothing) return entry;
    const PrelitFiles prelit = write_prelit(to, lit);
    entry["prelit"] = {
        {"file", set.name + "/prelit.glb"}, {"exposure_ev", prelit.exposure}, {"images", Json::array()}};
    written_now.add(set.name + "/prelit.glb");
    for (const std::string& image : prelit.images) {
        entry["prelit"]["images"].push_back(set.name + "/" + image);
        written_now.add(set.name + "/" + image);
    }
    return entry;
}

SavedSet Saving::save_set(std::size_t number) const {
    const std::string& name = level.sets[number].name;
    const auto made =
        std::find_if(baked.sets.begin(), baked.sets.end(), [&](const BakedSet& s) { return s.name == name; });
    SavedSet saved;
    saved.written.folder = written.folder;
    BakedSet set{.name = name, .pages = {}, .directional = {}, .probes = {}};
    if (made == baked.sets.end()) {
        saved.entry = earlier_entry(before, uvs, name);
        if (saved.entry.is_null()) return saved;
        keep_files(saved.entry, saved.written);
        saved.kept = true;
    } else {
        if (options.pages) {
            set = *made;
            saved.entry = write_light(number, set, saved.written);
            if (whole()) keep_parts(name, saved.entry, saved.written);
        } else {
            saved.entry = replaced(name);
            if (writes_reflections()) saved.entry.erase("reflections");
            keep_files(saved.entry, saved.written);
        }
        if (writes_probes()) {
            set.probes = made->probes;
            set.lamps = made->lamps;
            saved.entry["probes_made_from"] = inputs.keys.probes;
            if (!options.pages) {
                saved.entry["probes_light_made_from"] = inputs.keys.sets[number].key;
                saved.entry["probes_inputs"] = inputs_file;
            }
        }
        if (writes_reflections()) {
            std::vector<std::string> names;
            write_reflections(saved.written.folder, baked.reflections, *made,
                              captures_key(inputs.keys, number), saved.entry, names);
            for (const std::string& file : names) saved.written.add(file);
            saved.entry["reflections_inputs"] = inputs_file;
            saved.entry["reflection_places"] = reflection_places;
        }
    }
    saved.probes = {.name = name,
                    .pages = {},
                    .directional = {},
                    .probes = std::move(set.probes),
                    .lamps = std::move(set.lamps)};
    return saved;
}

/// All sets, written side by side.
void Saving::add_sets(Json& manifest) {
    std::vector<SavedSet> saved(level.sets.size());
    Job job({.threads = options.threads, .on_progress = {}, .on_note = {}});
    job.parallel(saved.size(), 1, [&](std::size_t i, std::size_t) { saved[i] = save_set(i); });
    for (SavedSet& s : saved) {
        if (s.entry.is_null()) continue;
        written.now.insert(written.now.end(), s.written.now.begin(), s.written.now.end());
        for (Json& file : s.written.files) written.files.push_back(std::move(file));
        if (s.kept) kept.push_back(probe_sets.size());
        probe_sets.push_back(std::move(s.probes));
        manifest["sets"].push_back(std::move(s.entry));
    }
}

/// What belongs to no set of the probes and reflections that are not written.
void Saving::keep_other_parts(Json& manifest) {
    const auto keep = [&](const char* name) {
        if (before.is_object() && before.contains(name)) manifest[name] = before[name];
    };
    if (keeps_reflections())
        for (const char* name : {"reflections", "reflection_places"}) keep(name);
    if (options.probes || !before.is_object()) return;
    keep("probes");
    const std::vector<std::string> files = file_names(before);
    for (const char* name : {"probes.bin", "probes.json", "places.json"})
        if (std::find(files.begin(), files.end(), name) != files.end()) written.add(name, false);
}

}  // namespace

std::vector<fs::path> save_bake(const fs::path& folder, const fs::path& level_file, const Level& given,
                                const Atlas& atlas, const Baked& baked, const SaveOptions& options) {
    const auto start = std::chrono::steady_clock::now();
    check_writable(folder);
    check_output(folder, given, level_file);
    std::optional<Level> placed;
    if (!given.placed && baked.probes.size() > 0) {
        placed = given;
        placed->placed = places_of(baked.probes, given).places;
    }
    const Level& level = placed ? *placed : given;
    Json before;
    try {
        before = ResultFiles(folder).manifest();
    } catch (const Error&) {
        // None yet, or one that says nothing: nothing to keep or tidy up.
    }
    ResultWriter writer(folder);
    const fs::path& to = writer.folder();
    Saving saving{.folder = folder,
                  .level = level,
                  .atlas = atlas,
                  .baked = baked,
                  .options = options,
                  .before = std::move(before),
                  .uvs = atlas_hash(atlas),
                  .inputs = inputs_of(level),
                  .inputs_file = {},
                  .reflection_places = {},
                  .written = {.folder = to, .now = {}},
                  .probe_sets = {},
                  .kept = {}};
    Written& written = saving.written;
    Json manifest = {{"format", "stasigraph bake"},
                     {"version", manifest_version},
                     {"level", level.name},
                     {"scene_hash", level.scene_hash},
                     {"sheet_hash", level.sheet_hash},
                     {"atlas_hash", saving.uvs},
                     {"settings", settings_json(level)},
                     {"bounces_done", baked.figures.bounces},
                     {"groups", level.groups},
                     {"pages", atlas.pages},
                     {"density_gave_way", atlas.applied_density_scale},
                     {"sets", Json::array()}};
    const std::string inputs_json = inputs_text(saving.inputs);
    saving.inputs_file = inputs_name(inputs_json);
    write_text(to / saving.inputs_file, inputs_json);
    written.add(saving.inputs_file);
    add_keys(saving.inputs, manifest);
    manifest["inputs"] = saving.inputs_file;
    if (saving.writes_reflections()) {
        const Json probes = reflections_json(baked.reflections);
        const std::string text = probes.dump();
        saving.reflection_places = hash_text(Bytes(text.begin(), text.end()));
        manifest["reflections"] = probes;
        manifest["reflection_places"] = saving.reflection_places;
    }
    saving.add_sets(manifest);
    manifest["surfaces"] = surfaces_json(level, atlas);
    manifest["surfaces_without_lightmap"] = unmapped_json(level, atlas);
    if (saving.whole()) write_maps(level, baked, manifest, written);
    if (saving.writes_probes() && baked.probes.size() > 0) {
        write_places(folder, level, baked, options, written);
        write_probes(folder, baked, saving.kept, saving.probe_sets, manifest, written);
    }
    if (!saving.whole())
        keep_whole(saving.before, manifest, written);
    else
        saving.keep_other_parts(manifest);
    write_level_glb(to / (level.name + ".glb"), level_file, level, atlas);
    written.add(level.name + ".glb");
    const fs::path charts = atlas_file(to, level.quality.tier);
    save_atlas(charts, atlas);
    written.add(charts.filename().string());
    // Other tiers keep their places as well.
    for (const Tier tier : {Tier::glance, Tier::proof, Tier::final})
        if (std::error_code bad; tier != level.quality.tier && fs::exists(atlas_file(folder, tier), bad))
            written.add(atlas_file(folder, tier).filename().string(), false);
    manifest["charts"] = charts.filename().string();
    std::vector<std::string> files;
    for (const Json& file : written.files)
        if (const std::string name = file.get<std::string>();
            !name.empty() && std::find(files.begin(), files.end(), name) == files.end())
            files.push_back(name);
    writer.commit(std::move(manifest), files);
    written.now.push_back("manifest.json");
    remember_times(options, saving.inputs.keys.costs, baked.figures,
                   std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    std::vector<fs::path> paths;
    for (const std::string& name : written.now) paths.push_back(folder / name);
    return paths;
}

}  // namespace stasigraph
