#include <algorithm>

#include "base/text.hpp"
#include "gltf/gltf_scene.hpp"
#include "level/texture.hpp"
#include "sheet/sheet.hpp"
#include "sheet/sheet_lights.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/kept.hpp"
#include "stasigraph/parts.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Radiance of the sky a level gets that brings no light of its own, nit: an overcast noon.
constexpr Rgb default_sky{1000, 1000, 1000};

bool has_light(const Level& level) {
    if (!level.lights.empty() || max_channel(level.sky.radiance) > 0) return true;
    for (const Surface& s : level.surfaces)
        if (max_channel(level.materials[s.material].emission) > 0) return true;
    return false;
}

/// Says which materials reflect more than any real surface, texture included.
void note_bright_materials(Level& level) {
    std::string names;
    std::size_t count = 0;
    for (const Material& m : level.materials) {
        Rgb most = m.base_color;
        if (m.base_texture.image != none) {
            std::uint8_t top[3] = {};
            const Image& image = level.images[m.base_texture.image];
            for (std::size_t i = 0; i < image.rgba.size(); ++i)
                if (i % 4 < 3) top[i % 4] = std::max(top[i % 4], image.rgba[i]);
            most = most * Rgb{linear_byte(top[0]), linear_byte(top[1]), linear_byte(top[2])};
        }
        if (!(max_channel(most) > most_albedo + 1e-4f)) continue;
        if (++count <= 6) names += (names.empty() ? "" : ", ") + m.name;
    }
    if (count > 0)
        level.notes.push_back("reflectance over 0.95 is held at 0.95: " + names +
                              (count > 6 ? " and " + std::to_string(count - 6) + " more" : ""));
}

/// Hidden emitters are meant most often: what emits nothing is said to block only.
void note_dark_helpers(Level& level) {
    std::string names;
    std::size_t count = 0;
    for (const Surface& s : level.surfaces)
        if (s.part == Part::bake_only &&
            !(max_channel(level.materials[s.material].emission) * s.emission_gain > 0) && ++count <= 6)
            names += (names.empty() ? "" : ", ") + s.name;
    if (count > 0)
        level.notes.push_back("bake-only and without emission, so only in the way of light: " + names +
                              (count > 6 ? " and " + std::to_string(count - 6) + " more" : ""));
}

}  // namespace

fs::path scene_of(const fs::path& path) {
    if (path.extension() != ".toml") return path;
    const Sheet sheet(path);
    const std::string scene = sheet.scene();
    if (scene.empty())
        throw Error{.what = "names no scene",
                    .where = path.filename().string(),
                    .value = "",
                    .remedy = "Add scene = \"name.glb\" under [level]."};
    return referenced_file(path.parent_path(), scene, path.filename().string() + ": level.scene");
}

namespace {

/// `files`: where wanted, all that was read.
Level load(const fs::path& path, const std::vector<SheetChange>& changes, bool judged,
           std::vector<fs::path>* files = nullptr) {
    const std::string ending = path.extension().string();
    if (ending != ".toml" && ending != ".gltf" && ending != ".glb")
        throw Error{.what = "is no level",
                    .where = path.string(),
                    .value = ending,
                    .remedy = "Give a bake sheet (.toml), a .gltf or a .glb."};
    std::error_code bad;
    if (!fs::exists(path, bad))
        throw Error{.what = "there is no such file",
                    .where = path.string(),
                    .value = "",
                    .remedy = "Check the name."};
    const fs::path scene = scene_of(path);
    const GltfFile file = read_gltf(scene);
    if (files) {
        if (path != scene) files->push_back(path);
        files->push_back(scene);
        files->insert(files->end(), file.files.begin(), file.files.end());
    }
    Level level = read_scene(file);
    level.scene_hash = file.hash;
    level.name = path.stem().string();
    if (ending == ".toml" || !changes.empty()) {
        // A sheet that adds the first light must not first get the sky of a level without any.
        const Sheet sheet(path, changes, judged);
        sheet.apply(level);
        if (files) files->insert(files->end(), sheet.files().begin(), sheet.files().end());
    } else {
        keep_suns(level, 1);
    }
    note_bright_materials(level);
    note_dark_helpers(level);
    if (!has_light(level)) {
        level.sky.radiance = default_sky;
        level.notes.push_back("there is no light in the level: it gets an overcast sky of 1000 nit");
        level.remarks.push_back({.finding = "no-light", .name = level.name, .text = level.notes.back()});
    }
    complete_level(level);
    add_default_volume(level);
    check_level(level);
    if (!judged) {
        Job job;
        // Kept beside the level once there is a cache: nothing is written by looking at a level.
        const fs::path cache = default_cache(path);
        const bool kept = fs::is_directory(cache, bad);
        part_surfaces(level, job, kept ? open_store(cache, [](const std::string&) {}) : BakeStore{});
    }
    return level;
}

}  // namespace

Level load_level(const fs::path& path) {
    return load_level(path, {});
}

Level load_level(const fs::path& path, const std::vector<SheetChange>& changes) {
    return load(path, changes, false);
}

std::vector<fs::path> level_files(const fs::path& level_file) {
    std::vector<fs::path> files;
    load(level_file, {}, false, &files);
    std::sort(files.begin(), files.end());
    files.erase(std::unique(files.begin(), files.end()), files.end());
    return files;
}

Level load_level_to_check(const fs::path& path) {
    return load(path, {}, true);
}

std::vector<std::uint8_t> surfaces_named(const Level& level, const std::string& glob) {
    std::vector<std::uint8_t> named;
    for (const Surface& s : level.surfaces)
        named.push_back(glob_match(glob, s.name) || glob_match(glob, s.node) ? 1 : 0);
    if (std::find(named.begin(), named.end(), 1) == named.end())
        throw Error{.what = "no surface has such a name",
                    .where = level.name,
                    .value = glob,
                    .remedy = "`stasigraph survey` lists the surfaces; * and ? stand for any letters."};
    return named;
}

fs::path default_output(const fs::path& level_file) {
    return level_file.parent_path() / "baked" / level_file.stem();
}

fs::path unwrap_output(const fs::path& level_file) {
    return level_file.parent_path() / "unwrapped" / level_file.stem();
}

}  // namespace stasigraph
