#include <algorithm>

#include "codec/images.hpp"
#include "results/result_folder.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// What a bake wrote, part by part, by its manifest.
struct Loading {
    const ResultFiles& result;
    const Manifest& manifest;
    const Atlas& atlas;

    std::string where(const std::string& name) const { return result.place(name).string(); }

    BakedSet set(const ManifestSet& entry) const {
        BakedSet set{.name = entry.name, .pages = {}, .directional = {}, .probes = {}};
        for (std::size_t p = 0; p < entry.lightmaps.size(); ++p) {
            const std::string& file = entry.lightmaps[p].file;
            set.pages.push_back(
                {atlas.pages[p], read_scaled_exr(result.read(file), where(file), atlas.pages[p]), {}});
        }
        for (std::size_t p = 0; p < entry.directional.size(); ++p) {
            const std::string& file = entry.directional[p].file;
            const LayeredImage image =
                read_layered_exr(result.read(file), where(file), atlas.pages[p], directional_layers);
            DirectionalPage& page = set.directional.emplace_back();
            page.side = image.width;
            page.texels.resize(image.values.size() / 3);
            for (std::size_t i = 0; i < image.values.size(); ++i) page.texels[i / 3][i % 3] = image.values[i];
        }
        // Of other places where the probes changed and another set alone was baked.
        if (entry.mirror_places == manifest.mirror_places)
            for (const ManifestMirror& mirror : entry.mirrors)
                set.reflections.push_back(reflection_of(result.read(mirror.file), where(mirror.file)));
        return set;
    }

    Image map_of_page(const std::string& file, std::uint32_t page) const {
        Image image = decode_image(result.read(file), where(file));
        if (image.width != atlas.pages[page] || image.height != atlas.pages[page])
            throw Error{.what = "has not the size of its page",
                        .where = where(file),
                        .value = std::to_string(image.width) + " x " + std::to_string(image.height),
                        .remedy = "Run `stasigraph bake --rebake`."};
        return image;
    }

    void visibility(SavedBake& saved) const {
        for (const ManifestVisibility& map : manifest.visibility) {
            saved.visibility.resize(atlas.pages.size());
            VisibilityPage& page = saved.visibility[map.page];
            page.side = atlas.pages[map.page];
            page.lights = map.lights;
            const Image image = map_of_page(map.file, map.page);
            for (std::size_t i = 0; i < image.rgba.size(); i += 4)
                page.texels.push_back(
                    {image.rgba[i], image.rgba[i + 1], image.rgba[i + 2], image.rgba[i + 3]});
        }
    }

    void occlusion(SavedBake& saved) const {
        for (std::uint32_t p = 0; p < manifest.occlusion.size(); ++p) {
            const Image image = map_of_page(manifest.occlusion[p], p);
            OcclusionPage& page = saved.occlusion.emplace_back();
            page.side = atlas.pages[p];
            for (std::size_t i = 0; i < image.rgba.size(); i += 4)
                page.texels.push_back(static_cast<float>(image.rgba[i]) / 255);
        }
    }
};

/// Each set says what it was made from: a bake of one set leaves the others as they were.
void tell_stale(const BakeStatus& status, const std::string& set, SavedBake& saved) {
    for (const ResultStatus& part : status.results) {
        if (!part.stale || part.set != set) continue;
        saved.stale = true;
        for (const std::string& why : part.because)
            if (std::find(saved.because.begin(), saved.because.end(), why) == saved.because.end())
                saved.because.push_back(why);
    }
}

SavedBake read_bake(const ResultFiles& result, const fs::path& folder, const Level& level,
                    const std::string& only) {
    const Manifest& manifest = result.manifest();
    if (manifest.version != manifest_version)
        throw Error{.what = "has a version this program does not read",
                    .where = "manifest.json",
                    .value = "",
                    .remedy = "Bake again."};
    SavedBake saved;
    const std::string charts = result.place(manifest.charts).string();
    saved.atlas = atlas_of(result.read(manifest.charts), charts);
    saved.tier = manifest.settings.tier;
    if (manifest.atlas_hash != atlas_hash(saved.atlas) || manifest.pages != saved.atlas.pages)
        throw Error{.what = "the charts are not those the lightmaps were made for",
                    .where = charts,
                    .value = "",
                    .remedy = "Run `stasigraph bake --rebake`."};
    saved.stale = !fit_atlas(level, saved.atlas);
    const BakeStatus status = bake_status(folder, level);
    const Loading loading{result, manifest, saved.atlas};
    std::string names;
    for (const ManifestSet& entry : manifest.sets) {
        names += (names.empty() ? "" : ", ") + entry.name;
        if (!only.empty() && entry.name != only) continue;
        tell_stale(status, entry.name, saved);
        saved.sets.push_back(loading.set(entry));
    }
    if (saved.sets.empty())
        throw Error{.what = "there is no such bake set",
                    .where = "--set",
                    .value = only,
                    .remedy = "The bake has: " + names + "."};
    loading.visibility(saved);
    loading.occlusion(saved);
    if (manifest.probes)
        unpack_probes(result.read("probes.bin"), loading.where("probes.bin"), saved.probes, saved.sets);
    saved.reflections = manifest.mirrors;
    for (const BakedSet& set : saved.sets)
        if (set.reflections.size() != saved.reflections.size()) saved.reflections = {};
    // Where the volumes changed and another set alone was baked, this one has no probes until it is, too.
    for (const BakedSet& set : saved.sets)
        if (set.probes.size() != saved.probes.size()) saved.probes = {};
    return saved;
}

}  // namespace

std::optional<Tier> baked_tier(const fs::path& folder) {
    try {
        return tier_named(ResultFiles(folder).manifest().settings.tier);
    } catch (const Error&) {
        // None, or one that says nothing.
    }
    return {};
}

SavedBake load_bake(const fs::path& folder, const Level& level, const std::string& only) {
    return read_result(folder,
                       [&](const ResultFiles& result) { return read_bake(result, folder, level, only); });
}

}  // namespace stasigraph
