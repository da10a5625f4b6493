#include <algorithm>
#include <cstring>

#include "io/bake_files.hpp"
#include "io/gltf_scene.hpp"
#include "io/inputs_file.hpp"
#include "io/json_place.hpp"
#include "io/lit_glb.hpp"
#include "io/partial_pages.hpp"
#include "io/staging.hpp"
#include "stasigraph/error.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Layers of a directional page, in the order of DirectionalPage.
const std::vector<std::string> harmonics = {"1-1", "10", "11"};

Json vec(Vec2 v) {
    return Json::array({v.x, v.y});
}
Json vec(Vec3 v) {
    return Json::array({v.x, v.y, v.z});
}

Json surfaces_json(const Level& level, const Atlas& atlas) {
    Json list = Json::array();
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        list.push_back({{"name", level.surfaces[s].name},
                        {"node", level.surfaces[s].node},
                        {"page", uv.page},
                        {"scale", vec(atlas.scale(s))},
                        {"offset", vec(atlas.offset(s))},
                        {"texels", Json::array({layout.width, layout.height})},
                        {"density", uv.density}});
    }
    return list;
}

Json probes_json(const ProbeNet& net, const std::vector<const BakedSet*>& sets) {
    const std::size_t n = net.size();
    const std::size_t positions = 32, validity = positions + 12 * n, clearance = validity + 4 * n,
                      distance = clearance + 4 * n,
                      light = distance + 8 * probe_map_side * probe_map_side * n;
    Json json = {{"format", "stasigraph probes"},
                 {"version", 1},
                 {"file", "probes.bin"},
                 {"count", n},
                 {"byte_order", "little"},
                 {"basis",
                  "nine real orthonormal spherical harmonics of world coordinates, +Y up, cosine-convolved: "
                  "00, 1-1 (y), 10 (z), 11 (x), 2-2 (xy), 2-1 (yz), 20 (3z2-1), 21 (xz), 22 (x2-y2); lux"},
                 {"positions", {{"offset", positions}, {"type", "float32[3]"}}},
                 {"validity", {{"offset", validity}, {"type", "float32"}}},
                 {"clearance", {{"offset", clearance}, {"type", "float32"}}},
                 {"distance", {{"offset", distance}, {"type", "float32[2]"}, {"map_side", probe_map_side}}}};
    for (std::size_t s = 0; s < sets.size(); ++s)
        json["sets"].push_back(
            {{"name", sets[s]->name}, {"offset", light + s * 108 * n}, {"type", "float32[9][3]"}});
    for (const ProbeLattice& l : net.lattices)
        json["lattices"].push_back({{"volume", l.volume},
                                    {"low", vec(l.low)},
                                    {"step", vec(l.step)},
                                    {"count", l.count},
                                    {"first", l.first}});
    return json;
}

Json read_manifest(const fs::path& folder) {
    const fs::path path = folder / "manifest.json";
    std::error_code bad;
    if (!fs::exists(path, bad))
        throw Error{.what = "holds no bake",
                    .where = folder.string(),
                    .value = "",
                    .remedy = "Run `stasigraph bake` first."};
    const Bytes bytes = read_file(path);
    try {
        return Json::parse(bytes.begin(), bytes.end());
    } catch (const nlohmann::json::exception&) {
        throw Error{.what = "is damaged", .where = path.string(), .value = "", .remedy = "Bake again."};
    }
}

std::vector<std::string> file_names(const Json& manifest) {
    std::vector<std::string> list;
    if (!manifest.is_object() || !manifest.contains("files") || !manifest["files"].is_array()) return list;
    for (const Json& f : manifest["files"])
        if (f.is_string()) list.push_back(f.get<std::string>());
    return list;
}

/// Deletes what the last manifest listed and this one does not.
void remove_stale(const fs::path& folder, const Json& before, const Json& now) {
    const std::vector<std::string> kept = file_names(now);
    std::error_code bad;
    for (const std::string& name : file_names(before)) {
        const fs::path relative(name);
        // A manifest is a file like any other: it must not make us delete elsewhere.
        if (relative.is_absolute() || name.find("..") != std::string::npos ||
            std::find(kept.begin(), kept.end(), name) != kept.end())
            continue;
        fs::remove(folder / relative, bad);
        if (!relative.parent_path().empty())
            fs::remove(folder / relative.parent_path(), bad);  // only when empty
    }
}

}  // namespace

const char* tier_name(Tier tier) {
    return tier == Tier::glance ? "glance" : tier == Tier::proof ? "proof" : "final";
}

std::string atlas_hash(const Atlas& atlas) {
    Bytes all;
    const auto put = [&](const void* p, std::size_t n) {
        all.insert(all.end(), static_cast<const std::uint8_t*>(p), static_cast<const std::uint8_t*>(p) + n);
    };
    for (const SurfaceUv& s : atlas.surfaces)
        for (std::uint32_t v :
             {s.layout, s.page, static_cast<std::uint32_t>(s.x), static_cast<std::uint32_t>(s.y)})
            put(&v, 4);
    for (const Layout& l : atlas.layouts) {
        put(&l.width, 4);
        put(&l.height, 4);
        put(l.uv.data(), l.uv.size() * sizeof(Vec2));
        put(l.indices.data(), l.indices.size() * 4);
    }
    put(atlas.pages.data(), atlas.pages.size() * sizeof(int));
    return hash_text(all);
}

namespace {

Json settings_json(const Level& level) {
    const TierSettings tier = tier_settings(level.quality);
    Json j = {{"density", level.lightmap.density},
              {"density_scale", tier.density_scale},
              {"page", level.lightmap.page},
              {"margin", level.lightmap.margin},
              {"shape", level.lightmap.shape == LightmapShape::flat ? "flat" : "directional"},
              {"tier", tier_name(level.quality.tier)},
              {"seed", level.quality.seed},
              {"noise", level.quality.noise > 0 ? level.quality.noise : tier.noise},
              {"links", {tier.first_links, tier.most_links}},
              {"denoise", level.quality.denoise == Denoise::automatic ? "auto" : "off"},
              {"seams", level.quality.seams == Seams::automatic ? "auto" : "off"}};
    j["bounce_gain"] = level.quality.bounce_gain;
    j["saturation"] = level.quality.saturation;
    j["bounces"] = level.quality.bounces ? Json(*level.quality.bounces) : Json("settle");
    return j;
}

/// What tells later whether something is out of date.
void add_keys(const LevelInputs& inputs, Json& manifest) {
    manifest["ground"] = inputs.keys.ground;
    for (const InputKeys::Named& layer : inputs.keys.layers) manifest["layers"][layer.name] = layer.key;
    manifest["visibility_made_from"] = inputs.keys.visibility;
    manifest["occlusion_made_from"] = inputs.keys.occlusion;
}

/// Keeps what a bake from nothing takes. Not in the manifest, which is the same for the same level.
void remember_times(const SaveOptions& options, const std::string& costs, const BakeFigures& figures) {
    const bool all_made = figures.traced == figures.links && figures.layers_made == figures.layers;
    if (options.cache.empty() || options.times.empty() || !all_made) return;
    Json seconds = Json::object();
    for (const Job::StageTime& t : options.times) seconds[t.name] = seconds.value(t.name, 0.0) + t.seconds;
    try {
        write_text(options.cache / "times.json", Json{{"costs", costs}, {"seconds", seconds}}.dump(1) + "\n");
    } catch (const Error&) {
        // A forecast less.
    }
}

/// The entry of a set in an earlier manifest that fits these UVs; null where there is none.
Json earlier_entry(const Json& before, const std::string& atlas, const std::string& set) {
    if (!before.is_object() || before.value("atlas_hash", "") != atlas || !before.contains("sets") ||
        !before["sets"].is_array())
        return {};
    for (const Json& entry : before["sets"])
        if (entry.is_object() && entry.value("name", "") == set && entry.contains("lightmaps") &&
            entry["lightmaps"].is_array())
            return entry;
    return {};
}

/// Gives sets that are not written now the probe light they had, where the probes stand as they did.
void keep_probes(const fs::path& folder, const ProbeNet& net, const std::vector<std::size_t>& kept,
                 std::vector<BakedSet>& sets) {
    std::error_code bad;
    if (kept.empty() || !fs::exists(folder / "probes.bin", bad)) return;
    try {
        ProbeNet old;
        std::vector<BakedSet> read(sets.size());
        for (std::size_t i : kept) read[i].name = sets[i].name;
        unpack_probes(read_file(folder / "probes.bin"), "probes.bin", old, read);
        if (old.position != net.position) return;
        for (std::size_t i : kept)
            if (read[i].probes.size() == net.size()) sets[i].probes = std::move(read[i].probes);
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

Json write_set(const Level& level, const BakedSet& set, const BakeSet& recipe, Written& written) {
    Json entry = {{"name", set.name},
                  {"scene_hash", level.scene_hash},
                  {"sheet_hash", level.sheet_hash},
                  {"gains", recipe.gains},
                  {"lightmaps", Json::array()}};
    for (const Rgb t : recipe.tints) entry["tints"].push_back({t.r, t.g, t.b});
    for (std::size_t p = 0; p < set.pages.size(); ++p) {
        const PageImage& page = set.pages[p];
        const std::string name = set.name + "/lightmap-" + std::to_string(p) + ".exr";
        const int exponent = image_exponent(page.texels);
        write_scaled_exr(written.folder / name, page.side, page.side, page.texels, exponent);
        written.add(name);
        entry["lightmaps"].push_back({{"file", name}, {"exponent", exponent}});
    }
    for (std::size_t p = 0; p < set.directional.size(); ++p) {
        const DirectionalPage& page = set.directional[p];
        const std::string name = set.name + "/directional-" + std::to_string(p) + ".exr";
        LayeredImage image{page.side, page.side, harmonics, {}};
        image.values.reserve(3 * page.texels.size());
        for (const auto& t : page.texels) image.values.insert(image.values.end(), t.begin(), t.end());
        const int exponent = image_exponent(image.values);
        write_layered_exr(written.folder / name, image, exponent);
        written.add(name);
        entry["directional"].push_back({{"file", name}, {"exponent", exponent}});
    }
    return entry;
}

/// What a set of which some surfaces alone were baked is made from: the rest is as it was.
void keep_keys(const Json& old, const Level& level, const std::vector<std::uint8_t>& surfaces,
               const std::string& key, Json& entry, Written& written) {
    for (const char* name : {"made_from", "probes_made_from", "inputs", "scene_hash", "sheet_hash"})
        if (old.contains(name)) entry[name] = old[name];
    if (const std::string older = old.value("inputs", ""); !older.empty()) written.add(older, false);
    entry["surfaces_made_from"] = old.value("surfaces_made_from", Json::object());
    for (std::size_t s = 0; s < surfaces.size(); ++s)
        if (surfaces[s]) entry["surfaces_made_from"][level.surfaces[s].name] = key;
}

/// Writes what is of the whole level: visibility and occlusion maps, and the probes, where sets that are not
/// written now keep theirs.
void write_whole(const fs::path& folder, const Level& level, const Baked& baked,
                 const std::vector<std::size_t>& kept, std::vector<BakedSet>& probe_sets, Json& manifest,
                 Written& written) {
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
    if (baked.probes.size() > 0) {
        keep_probes(folder, baked.probes, kept, probe_sets);
        std::vector<const BakedSet*> sets;
        for (const BakedSet& set : probe_sets)
            if (set.probes.size() == baked.probes.size()) sets.push_back(&set);
        write_file(written.folder / "probes.bin", pack_probes(baked.probes, sets));
        write_text(written.folder / "probes.json", probes_json(baked.probes, sets).dump(1) + "\n");
        written.add("probes.bin");
        written.add("probes.json");
        manifest["probes"] = {{"count", baked.probes.size()}, {"header", "probes.json"}};
    }
}

/// The same as an earlier bake wrote it.
void keep_whole(const Json& before, Json& manifest, Written& written) {
    for (const char* name : {"ground", "layers", "inputs", "visibility", "visibility_made_from", "occlusion",
                             "occlusion_made_from", "probes"})
        if (before.contains(name)) manifest[name] = before[name];
    for (const std::string& file : file_names(before))
        if (std::find(written.files.begin(), written.files.end(), file) == written.files.end())
            written.add(file, false);
}

}  // namespace

std::vector<fs::path> save_bake(const fs::path& folder, const fs::path& level_file, const Level& level,
                                const Atlas& atlas, const Baked& baked, const SaveOptions& options) {
    check_writable(folder);
    Json before;
    try {
        before = read_manifest(folder);
    } catch (const Error&) {
        // None yet, or one that says nothing: nothing to keep or tidy up.
    }
    const std::string uvs = atlas_hash(atlas);
    Json manifest = {{"format", "stasigraph bake"},
                     {"version", manifest_version},
                     {"level", level.name},
                     {"scene_hash", level.scene_hash},
                     {"sheet_hash", level.sheet_hash},
                     {"atlas_hash", uvs},
                     {"settings", settings_json(level)},
                     {"bounces_done", baked.figures.bounces},
                     {"groups", level.groups},
                     {"pages", atlas.pages},
                     {"density_gave_way", atlas.gave_way},
                     {"sets", Json::array()}};
    Staging staging(folder);
    const fs::path& to = staging.folder();
    Written written{.folder = to, .now = {}};
    const LevelInputs inputs = inputs_of(level);
    const std::string inputs_json = inputs_text(inputs), inputs_file = inputs_name(inputs_json);
    write_text(to / inputs_file, inputs_json);
    written.add(inputs_file);
    add_keys(inputs, manifest);
    manifest["inputs"] = inputs_file;
    std::vector<BakedSet> probe_sets;
    std::vector<std::size_t> kept;
    for (std::size_t i = 0; i < level.sets.size(); ++i) {
        const auto made = std::find_if(baked.sets.begin(), baked.sets.end(),
                                       [&](const BakedSet& s) { return s.name == level.sets[i].name; });
        const BakedSet nothing{.name = level.sets[i].name, .pages = {}, .directional = {}, .probes = {}};
        BakedSet set = made == baked.sets.end() ? nothing : *made;
        Json entry;
        if (made != baked.sets.end()) {
            const Json old = options.surfaces.empty() ? Json() : earlier_entry(before, uvs, set.name);
            if (!options.surfaces.empty()) {
                if (old.is_null())
                    throw Error{
                        .what = "holds no bake of these charts that could keep the other surfaces' light",
                        .where = folder.string(),
                        .value = set.name,
                        .remedy = "Bake everything once."};
                keep_other_texels(atlas, options.surfaces, folder, old, set);
            }
            entry = write_set(level, set, level.sets[i], written);
            entry["made_from"] = inputs.keys.sets[i].key;
            entry["probes_made_from"] = inputs.keys.probes;
            entry["inputs"] = inputs_file;
            if (!old.is_null())
                keep_keys(old, level, options.surfaces, inputs.keys.sets[i].key, entry, written);
            write_preview_glb(to / set.name / "preview.glb", level, atlas, set, baked);
            written.add(set.name + "/preview.glb");
            if (level.combined.by != CombinedBy::nothing) {
                const CombinedFiles combined = write_combined(to / set.name, level, atlas, set, baked);
                entry["combined"] = {{"file", set.name + "/combined.glb"},
                                     {"exposure_ev", combined.exposure},
                                     {"images", Json::array()}};
                written.add(set.name + "/combined.glb");
                for (const std::string& image : combined.images) {
                    entry["combined"]["images"].push_back(set.name + "/" + image);
                    written.add(set.name + "/" + image);
                }
            }
        } else {
            entry = earlier_entry(before, uvs, set.name);
            if (entry.is_null()) continue;
            if (const std::string older = entry.value("inputs", ""); !older.empty())
                written.add(older, false);
            kept.push_back(probe_sets.size());
            for (const char* maps : {"lightmaps", "directional"})
                for (const Json& map : entry.value(maps, Json::array()))
                    written.add(map.value("file", ""), false);
            written.add(set.name + "/preview.glb", false);
            if (const Json combined = entry.value("combined", Json::object()); combined.contains("file")) {
                written.add(combined.value("file", ""), false);
                for (const Json& image : combined.value("images", Json::array()))
                    if (image.is_string()) written.add(image.get<std::string>(), false);
            }
        }
        probe_sets.push_back({.name = set.name, .pages = {}, .directional = {}, .probes = set.probes});
        manifest["sets"].push_back(std::move(entry));
    }
    manifest["surfaces"] = surfaces_json(level, atlas);
    if (options.surfaces.empty())
        write_whole(folder, level, baked, kept, probe_sets, manifest, written);
    else
        keep_whole(before, manifest, written);
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
    manifest["files"] = written.files;
    write_text(to / "manifest.json", manifest.dump(1) + "\n");
    written.now.push_back("manifest.json");
    staging.commit(written.now, file_names(before));
    remember_times(options, inputs.keys.costs, baked.figures);
    remove_stale(folder, before, manifest);
    std::vector<fs::path> paths;
    for (const std::string& name : written.now) paths.push_back(folder / name);
    return paths;
}

SavedBake load_bake(const fs::path& folder, const Level& level, const std::string& only) {
    const Json manifest = read_manifest(folder);
    const JsonPlace root(manifest, "manifest.json:");
    if (root["version"].count(0) != manifest_version)
        throw Error{.what = "has a version this program does not read",
                    .where = "manifest.json",
                    .value = "",
                    .remedy = "Bake again."};
    SavedBake saved{.atlas = load_atlas(referenced_file(folder, root["charts"].text(""), "manifest.json")),
                    .sets = {},
                    .probes = {},
                    .tier = root["settings"]["tier"].text("")};
    if (root["atlas_hash"].text("") != atlas_hash(saved.atlas))
        throw Error{.what = "the charts are not those the lightmaps were made for",
                    .where = (folder / root["charts"].text("")).string(),
                    .value = "",
                    .remedy = "Run `stasigraph bake` again."};
    const Atlas& atlas = saved.atlas;
    saved.stale = !fit_atlas(level, saved.atlas);
    const BakeStatus status = bake_status(folder, level);
    std::string names;
    const JsonPlace sets = root["sets"];
    for (std::size_t s = 0; s < sets.size(); ++s) {
        BakedSet set{.name = sets[s]["name"].text(""), .pages = {}, .directional = {}, .probes = {}};
        names += (names.empty() ? "" : ", ") + set.name;
        if (!only.empty() && set.name != only) continue;
        // Each set says what it was made from: a bake of one set leaves the others as they were.
        for (const ResultStatus& result : status.results) {
            if (!result.stale || result.set != set.name) continue;
            saved.stale = true;
            for (const std::string& why : result.because)
                if (std::find(saved.because.begin(), saved.because.end(), why) == saved.because.end())
                    saved.because.push_back(why);
        }
        const JsonPlace maps = sets[s]["lightmaps"];
        if (maps.size() != atlas.pages.size()) maps.fail("has not one file for each page");
        for (std::size_t p = 0; p < maps.size(); ++p) {
            const fs::path file = referenced_file(folder, maps[p]["file"].text(""), "manifest.json");
            set.pages.push_back({atlas.pages[p], read_scaled_exr(file, atlas.pages[p]), {}});
        }
        const JsonPlace directional = sets[s]["directional"];
        if (directional && directional.size() != atlas.pages.size())
            directional.fail("has not one file for each page");
        for (std::size_t p = 0; p < directional.size(); ++p) {
            const fs::path file = referenced_file(folder, directional[p]["file"].text(""), "manifest.json");
            const LayeredImage image = read_layered_exr(file, atlas.pages[p], harmonics);
            DirectionalPage& page = set.directional.emplace_back();
            page.side = image.width;
            page.texels.resize(image.values.size() / 3);
            for (std::size_t i = 0; i < image.values.size(); ++i) page.texels[i / 3][i % 3] = image.values[i];
        }
        saved.sets.push_back(std::move(set));
    }
    if (saved.sets.empty())
        throw Error{.what = "there is no such bake set",
                    .where = "--set",
                    .value = only,
                    .remedy = "The bake has: " + names + "."};
    const JsonPlace maps = root["visibility"];
    for (std::size_t m = 0; m < maps.size(); ++m) {
        saved.visibility.resize(atlas.pages.size());
        const std::uint32_t p = maps[m]["page"].index(atlas.pages.size());
        VisibilityPage& page = saved.visibility[p];
        page.side = atlas.pages[p];
        for (std::size_t l = 0; l < maps[m]["lights"].size(); ++l)
            page.lights.push_back(maps[m]["lights"][l].text(""));
        if (page.lights.size() > 4) maps[m]["lights"].fail("are more than four");
        const fs::path file = referenced_file(folder, maps[m]["file"].text(""), "manifest.json");
        const Image image = decode_image(read_file(file), file.string());
        if (image.width != page.side || image.height != page.side)
            maps[m]["file"].fail("has not the size of its page");
        for (std::size_t i = 0; i < image.rgba.size(); i += 4)
            page.texels.push_back({image.rgba[i], image.rgba[i + 1], image.rgba[i + 2], image.rgba[i + 3]});
    }
    const JsonPlace open = root["occlusion"]["files"];
    if (open && open.size() != atlas.pages.size()) open.fail("has not one file for each page");
    for (std::size_t p = 0; p < open.size(); ++p) {
        const fs::path file = referenced_file(folder, open[p].text(""), "manifest.json");
        const Image image = decode_image(read_file(file), file.string());
        OcclusionPage& page = saved.occlusion.emplace_back();
        page.side = atlas.pages[p];
        if (image.width != page.side || image.height != page.side)
            open[p].fail("has not the size of its page");
        for (std::size_t i = 0; i < image.rgba.size(); i += 4)
            page.texels.push_back(static_cast<float>(image.rgba[i]) / 255);
    }
    if (root["probes"])
        unpack_probes(read_file(folder / "probes.bin"), (folder / "probes.bin").string(), saved.probes,
                      saved.sets);
    // Where the volumes changed and another set alone was baked, this one has no probes until it is, too.
    for (const BakedSet& set : saved.sets)
        if (set.probes.size() != saved.probes.size()) saved.probes = {};
    return saved;
}

}  // namespace stasigraph
