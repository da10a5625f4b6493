#include <algorithm>
#include <chrono>
#include <cstring>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "codec/json_node.hpp"
#include "results/inputs_file.hpp"
#include "results/level_glb.hpp"
#include "results/lit_glb.hpp"
#include "results/manifest.hpp"
#include "results/partial_pages.hpp"
#include "results/result_folder.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

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
    std::vector<std::string> files;  ///< These, and what stays as it was.
    void add(const std::string& name) {
        now.push_back(name);
        files.push_back(name);
    }
    void keep(const std::string& name) {
        if (!name.empty()) files.push_back(name);
    }
    void keep(const std::vector<std::string>& names) {
        for (const std::string& name : names) keep(name);
    }
};

ManifestSet write_set(const Level& level, const BakedSet& set, const BakeSet& recipe,
                      const std::string& made_from, Written& written) {
    ManifestSet entry{.name = set.name,
                      .scene_hash = level.scene_hash,
                      .sheet_hash = level.sheet_hash,
                      .gains = recipe.gains,
                      .tints = recipe.tints};
    for (std::size_t p = 0; p < set.pages.size(); ++p) {
        const PageImage& page = set.pages[p];
        const ManifestMap map{set.name + "/page-" + std::to_string(p) + ".exr", image_exponent(page.texels)};
        write_scaled_exr(written.folder / map.file, {page.side, page.side, map.exponent}, page.texels,
                         made_from);
        written.add(map.file);
        entry.lightmaps.push_back(map);
    }
    for (std::size_t p = 0; p < set.directional.size(); ++p) {
        const DirectionalPage& page = set.directional[p];
        LayeredImage image{page.side, page.side, directional_layers, {}};
        image.values.reserve(3 * page.texels.size());
        for (const auto& t : page.texels) image.values.insert(image.values.end(), t.begin(), t.end());
        const ManifestMap map{set.name + "/directional-" + std::to_string(p) + ".exr",
                              image_exponent(image.values)};
        write_layered_exr(written.folder / map.file, image, map.exponent, made_from);
        written.add(map.file);
        entry.directional.push_back(map);
    }
    return entry;
}

/// The mirrors of a set, and what they are made from, as they were.
void keep_mirrors(const ManifestSet& old, ManifestSet& entry, Written& written) {
    entry.mirrors = old.mirrors;
    entry.mirrors_made_from = old.mirrors_made_from;
    entry.mirrors_inputs = old.mirrors_inputs;
    entry.mirror_places = old.mirror_places;
    written.keep(old.mirrors_inputs);
    written.keep(old.mirror_files());
}

/// What a set of which some surfaces alone were baked is made from: the rest is as it was.
void keep_keys(const ManifestSet& old, const std::vector<std::string>& surfaces, const std::string& key,
               ManifestSet& entry, Written& written) {
    entry.made_from = old.made_from;
    entry.inputs = old.inputs;
    entry.scene_hash = old.scene_hash;
    entry.sheet_hash = old.sheet_hash;
    entry.probes_made_from = old.probes_made_from;
    entry.probes_light_made_from = old.probes_light_made_from;
    entry.probes_inputs = old.probes_inputs;
    written.keep(old.inputs);
    written.keep(old.probes_inputs);
    keep_mirrors(old, entry, written);
    entry.surfaces_made_from = old.surfaces_made_from;
    for (const std::string& surface : surfaces) entry.surfaces_made_from[surface] = key;
}

/// Visibility and occlusion.
void write_maps(const Level& level, const Baked& baked, Manifest& manifest, Written& written) {
    for (std::uint32_t p = 0; p < baked.visibility.size(); ++p) {
        const VisibilityPage& page = baked.visibility[p];
        if (page.texels.empty()) continue;
        const std::string name = "visibility-" + std::to_string(p) + ".png";
        std::vector<std::uint8_t> rgba;
        for (const auto& t : page.texels) rgba.insert(rgba.end(), t.begin(), t.end());
        write_file(written.folder / name, encode_png_rgba(page.side, page.side, rgba));
        written.add(name);
        manifest.visibility.push_back({p, name, page.lights});
    }
    for (std::size_t p = 0; p < baked.occlusion.size(); ++p) {
        const OcclusionPage& page = baked.occlusion[p];
        const std::string name = "occlusion-" + std::to_string(p) + ".png";
        std::vector<std::uint8_t> grey;
        for (const float v : page.texels) grey.push_back(static_cast<std::uint8_t>(v * 255 + 0.5f));
        write_file(written.folder / name, encode_png_grey(page.side, page.side, grey));
        written.add(name);
        manifest.occlusion_reach = level.occlusion.reach;
        manifest.occlusion.push_back(name);
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
    if (kept)
        written.keep(name);
    else
        written.add(name);
}

/// A set as it was written, or kept.
struct SavedSet {
    std::optional<ManifestSet> entry;  ///< None where there is none to keep.
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
    std::optional<Manifest> before;
    LevelInputs inputs;
    std::string inputs_file;
    Written written;
    Manifest manifest;
    std::vector<BakedSet> probe_sets;
    std::vector<std::size_t> kept;  ///< Of those the ones that are not baked now.

    bool whole() const { return options.surfaces.empty() && options.pages; }
    bool writes_probes() const { return options.surfaces.empty() && options.probes; }
    bool writes_mirrors() const {
        return options.surfaces.empty() && options.reflections && !baked.reflections.empty();
    }
    bool keeps_mirrors() const { return !options.surfaces.empty() || !options.reflections; }
    const ManifestSet* earlier(const std::string& set) const;
    const ManifestSet& replaced(const std::string& set) const;
    void keep_parts(ManifestSet& entry, Written& to) const;
    ManifestSet write_light(std::size_t number, BakedSet& set, Written& to) const;
    SavedSet save_set(std::size_t number) const;
    void add_keys();
    void add_sets();
    void write_probes();
    void keep_other_parts();
    void keep_whole();
    void write_charts(const fs::path& level_file);
    void write_all(const fs::path& level_file);
};

/// What an earlier bake says of a set, of these UVs; null where it does not.
const ManifestSet* Saving::earlier(const std::string& set) const {
    return before && before->atlas_hash == manifest.atlas_hash ? before->find(set) : nullptr;
}

/// The same, for a part of it to be replaced.
const ManifestSet& Saving::replaced(const std::string& set) const {
    if (const ManifestSet* old = earlier(set)) return *old;
    throw Error{.what = "holds no bake of these charts that could keep everything else",
                .where = folder.string(),
                .value = set,
                .remedy = "Bake everything once."};
}

/// Gives a set whose lightmaps are written what it had of everything that is not, whatever its charts were.
void Saving::keep_parts(ManifestSet& entry, Written& to) const {
    const ManifestSet* old = before ? before->find(entry.name) : nullptr;
    if (!writes_probes()) {
        entry.probes_made_from = old ? old->probes_made_from : "";
        entry.probes_light_made_from = old ? old->light_of_probes() : "";
        entry.probes_inputs = !old ? "" : old->probes_inputs.empty() ? old->inputs : old->probes_inputs;
        to.keep(entry.probes_inputs);
    }
    if (keeps_mirrors() && old) keep_mirrors(*old, entry, to);
}

/// A set's lightmaps, all of them or the chosen surfaces' part, and what shows them.
ManifestSet Saving::write_light(std::size_t number, BakedSet& set, Written& written_now) const {
    const ManifestSet* old = whole() ? nullptr : &replaced(set.name);
    const std::string& key = inputs.keys.sets[number].key;
    if (old) keep_other_texels(atlas, options.surfaces, ResultFiles(folder), *old, set);
    ManifestSet entry = write_set(level, set, level.sets[number], old ? old->made_from : key, written_now);
    entry.made_from = key;
    entry.probes_made_from = inputs.keys.probes;
    entry.inputs = inputs_file;
    if (old) {
        std::vector<std::string> chosen;
        for (std::size_t s = 0; s < options.surfaces.size(); ++s)
            if (options.surfaces[s]) chosen.push_back(level.surfaces[s].name);
        keep_keys(*old, chosen, key, entry, written_now);
    }
    const fs::path to = written_now.folder / set.name;
    const LitSet lit{level, atlas, set, baked, key};
    write_preview_glb(to / "preview.glb", lit);
    written_now.add(set.name + "/preview.glb");
    if (level.prelit.by == PrelitBy::nothing) return entry;
    const PrelitFiles files = write_prelit(to, lit);
    ManifestPrelit& prelit = entry.prelit.emplace();
    prelit.file = set.name + "/prelit.glb";
    prelit.exposure_ev = files.exposure;
    written_now.add(prelit.file);
    for (const std::string& image : files.images) {
        prelit.images.push_back(set.name + "/" + image);
        written_now.add(prelit.images.back());
    }
    return entry;
}

SavedSet Saving::save_set(std::size_t number) const {
    const std::string& name = level.sets[number].name;
    const auto made =
        std::find_if(baked.sets.begin(), baked.sets.end(), [&](const BakedSet& s) { return s.name == name; });
    SavedSet saved;
    saved.written.folder = written.folder;
    const auto keep_files = [&] {
        for (const std::string* of :
             {&saved.entry->inputs, &saved.entry->probes_inputs, &saved.entry->mirrors_inputs})
            saved.written.keep(*of);
        saved.written.keep(saved.entry->files());
    };
    BakedSet set{.name = name, .pages = {}, .directional = {}, .probes = {}};
    if (made == baked.sets.end()) {
        const ManifestSet* old = earlier(name);
        if (!old) return saved;
        saved.entry = *old;
        keep_files();
        saved.kept = true;
    } else {
        if (options.pages) {
            set = *made;
            saved.entry = write_light(number, set, saved.written);
            if (whole()) keep_parts(*saved.entry, saved.written);
        } else {
            saved.entry = replaced(name);
            if (writes_mirrors()) saved.entry->mirrors.clear();
            keep_files();
        }
        if (writes_probes()) {
            set.probes = made->probes;
            set.lamps = made->lamps;
            saved.entry->probes_made_from = inputs.keys.probes;
            if (!options.pages) {
                saved.entry->probes_light_made_from = inputs.keys.sets[number].key;
                saved.entry->probes_inputs = inputs_file;
            }
        }
        if (writes_mirrors()) {
            const std::string key = captures_key(inputs.keys, number);
            saved.entry->mirrors = write_mirrors(saved.written.folder, baked.reflections, *made, key);
            if (!saved.entry->mirrors.empty()) saved.entry->mirrors_made_from = key;
            for (const std::string& file : saved.entry->mirror_files()) saved.written.add(file);
            saved.entry->mirrors_inputs = inputs_file;
            saved.entry->mirror_places = manifest.mirror_places;
        }
    }
    saved.probes = {.name = name,
                    .pages = {},
                    .directional = {},
                    .probes = std::move(set.probes),
                    .lamps = std::move(set.lamps)};
    return saved;
}

/// What tells later whether something is out of date.
void Saving::add_keys() {
    manifest.unlit = inputs.keys.unlit;
    for (const InputKeys::Named& layer : inputs.keys.layers)
        manifest.layers.emplace_back(layer.name, layer.key);
    manifest.visibility_made_from = inputs.keys.visibility;
    manifest.occlusion_made_from = inputs.keys.occlusion;
    manifest.inputs = inputs_file;
}

/// All sets, written side by side.
void Saving::add_sets() {
    std::vector<SavedSet> saved(level.sets.size());
    Job job({.threads = options.threads, .on_progress = {}, .on_note = {}});
    job.parallel(saved.size(), 1, [&](std::size_t i, std::size_t) { saved[i] = save_set(i); });
    for (SavedSet& s : saved) {
        if (!s.entry) continue;
        written.now.insert(written.now.end(), s.written.now.begin(), s.written.now.end());
        written.keep(s.written.files);
        if (s.kept) kept.push_back(probe_sets.size());
        probe_sets.push_back(std::move(s.probes));
        manifest.sets.push_back(std::move(*s.entry));
    }
}

/// The probes of all sets: of those that are not written now as they were.
void Saving::write_probes() {
    keep_probes(folder, baked.probes, kept, probe_sets);
    std::vector<ProbeFileSet> sets;
    for (const BakedSet& set : probe_sets)
        if (set.probes.size() == baked.probes.size())
            sets.push_back({set, manifest.find(set.name)->light_of_probes()});
    write_file(written.folder / "probes.bin", pack_probes(baked.probes, sets));
    write_text(written.folder / "probes.json", probes_json(baked.probes, sets).dump(1) + "\n");
    written.add("probes.bin");
    written.add("probes.json");
    manifest.probes = baked.probes.size();
}

/// What belongs to no set of the probes and reflections that are not written.
void Saving::keep_other_parts() {
    if (!before) return;
    if (keeps_mirrors()) {
        manifest.mirrors = before->mirrors;
        manifest.mirror_places = before->mirror_places;
    }
    if (options.probes) return;
    manifest.probes = before->probes;
    const std::vector<std::string> files = before->file_names();
    for (const char* name : {"probes.bin", "probes.json", "places.json"})
        if (std::find(files.begin(), files.end(), name) != files.end()) written.keep(name);
}

/// All that is of no set as an earlier bake wrote it, but for what is there already.
void Saving::keep_whole() {
    manifest.unlit = before->unlit;
    manifest.layers = before->layers;
    manifest.inputs = before->inputs;
    manifest.visibility = before->visibility;
    manifest.visibility_made_from = before->visibility_made_from;
    manifest.occlusion = before->occlusion;
    manifest.occlusion_reach = before->occlusion_reach;
    manifest.occlusion_made_from = before->occlusion_made_from;
    if (!manifest.probes) manifest.probes = before->probes;
    if (manifest.mirror_places.empty()) {
        manifest.mirrors = before->mirrors;
        manifest.mirror_places = before->mirror_places;
    }
    written.keep(before->file_names());
}

/// The level's own geometry with its charts, and where they lie.
void Saving::write_charts(const fs::path& level_file) {
    write_level_glb(written.folder / (level.name + ".glb"), level_file, level, atlas);
    written.add(level.name + ".glb");
    const fs::path charts = atlas_file(written.folder, level.quality.tier);
    save_atlas(charts, atlas);
    written.add(charts.filename().string());
    // Other tiers keep their places as well.
    for (const Tier tier : {Tier::glance, Tier::proof, Tier::final})
        if (std::error_code bad; tier != level.quality.tier && fs::exists(atlas_file(folder, tier), bad))
            written.keep(atlas_file(folder, tier).filename().string());
    manifest.charts = charts.filename().string();
}

void Saving::write_all(const fs::path& level_file) {
    const std::string inputs_json = inputs_text(inputs);
    inputs_file = inputs_name(inputs_json);
    write_text(written.folder / inputs_file, inputs_json);
    written.add(inputs_file);
    add_keys();
    if (writes_mirrors()) {
        manifest.mirrors = baked.reflections;
        manifest.mirror_places = mirror_places_of(baked.reflections);
    }
    add_sets();
    if (whole()) write_maps(level, baked, manifest, written);
    if (writes_probes() && baked.probes.size() > 0) {
        write_places(folder, level, baked, options, written);
        write_probes();
    }
    if (whole())
        keep_other_parts();
    else
        keep_whole();
    write_charts(level_file);
}

Manifest manifest_of(const Level& level, const Atlas& atlas, const Baked& baked) {
    Manifest m;
    m.level = level.name;
    m.scene_hash = level.scene_hash;
    m.sheet_hash = level.sheet_hash;
    m.atlas_hash = atlas_hash(atlas);
    m.settings = settings_for_manifest(level);
    m.bounces_done = baked.figures.bounces;
    m.groups = level.groups;
    m.pages = atlas.pages;
    m.density_gave_way = atlas.applied_density_scale;
    m.surfaces = mapped_surfaces(level, atlas);
    m.unmapped = unmapped_surfaces(level, atlas);
    return m;
}

}  // namespace

std::vector<fs::path> save_bake(const fs::path& folder, const fs::path& level_file,
                                const ChartedLevel& charted, const Baked& baked, const SaveOptions& options) {
    const Level& given = charted.level;
    const Atlas& atlas = charted.atlas;
    const auto start = std::chrono::steady_clock::now();
    check_writable(folder);
    check_output(folder, given, level_file);
    std::optional<Level> placed;
    if (!given.placed && baked.probes.size() > 0) {
        placed = given;
        placed->placed = places_of(baked.probes, given).places;
    }
    const Level& level = placed ? *placed : given;
    std::optional<Manifest> before;
    try {
        before = ResultFiles(folder).manifest();
        if (before->version != manifest_version) before.reset();
    } catch (const Error&) {
        // None yet, or one that says nothing: nothing to keep or tidy up.
    }
    ResultWriter writer(folder);
    Saving saving{.folder = folder,
                  .level = level,
                  .atlas = atlas,
                  .baked = baked,
                  .options = options,
                  .before = std::move(before),
                  .inputs = inputs_of(level),
                  .inputs_file = {},
                  .written = {.folder = writer.folder(), .now = {}, .files = {}},
                  .manifest = manifest_of(level, atlas, baked),
                  .probe_sets = {},
                  .kept = {}};
    saving.write_all(level_file);
    Written& written = saving.written;
    std::vector<std::string> files;
    for (const std::string& name : written.files)
        if (std::find(files.begin(), files.end(), name) == files.end()) files.push_back(name);
    writer.commit(std::move(saving.manifest), files);
    written.now.push_back("manifest.json");
    remember_times(options, saving.inputs.keys.costs, baked.figures,
                   std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    std::vector<fs::path> paths;
    for (const std::string& name : written.now) paths.push_back(folder / name);
    return paths;
}

}  // namespace stasigraph
