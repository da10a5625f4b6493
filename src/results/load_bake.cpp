#include <algorithm>

#include "codec/images.hpp"
#include "results/result_folder.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

SavedBake read_bake(const ResultFiles& result, const fs::path& folder, const Level& level,
                    const std::string& only) {
    const Json& manifest = result.manifest();
    const JsonPlace root(manifest, "manifest.json:");
    const auto where = [&](const std::string& name) { return result.place(name).string(); };
    if (root["version"].count(0) != manifest_version)
        throw Error{.what = "has a version this program does not read",
                    .where = "manifest.json",
                    .value = "",
                    .remedy = "Bake again."};
    const std::string charts = root["charts"].text("");
    SavedBake saved;
    saved.atlas = atlas_of(result.read(charts), where(charts));
    saved.tier = root["settings"]["tier"].text("");
    if (root["atlas_hash"].text("") != atlas_hash(saved.atlas))
        throw Error{.what = "the charts are not those the lightmaps were made for",
                    .where = where(charts),
                    .value = "",
                    .remedy = "Run `stasigraph bake --rebake`."};
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
        for (const ResultStatus& part : status.results) {
            if (!part.stale || part.set != set.name) continue;
            saved.stale = true;
            for (const std::string& why : part.because)
                if (std::find(saved.because.begin(), saved.because.end(), why) == saved.because.end())
                    saved.because.push_back(why);
        }
        const JsonPlace maps = sets[s]["lightmaps"];
        if (maps.size() != atlas.pages.size()) maps.fail("has not one file for each page");
        for (std::size_t p = 0; p < maps.size(); ++p) {
            const std::string file = maps[p]["file"].text("");
            set.pages.push_back(
                {atlas.pages[p], read_scaled_exr(result.read(file), where(file), atlas.pages[p]), {}});
        }
        const JsonPlace directional = sets[s]["directional"];
        if (directional && directional.size() != atlas.pages.size())
            directional.fail("has not one file for each page");
        for (std::size_t p = 0; p < directional.size(); ++p) {
            const std::string file = directional[p]["file"].text("");
            const LayeredImage image =
                read_layered_exr(result.read(file), where(file), atlas.pages[p], directional_layers);
            DirectionalPage& page = set.directional.emplace_back();
            page.side = image.width;
            page.texels.resize(image.values.size() / 3);
            for (std::size_t i = 0; i < image.values.size(); ++i) page.texels[i / 3][i % 3] = image.values[i];
        }
        // Of other places where the probes changed and another set alone was baked.
        if (sets[s]["reflections"] &&
            sets[s]["reflection_places"].text("") == root["reflection_places"].text("-"))
            for (std::size_t r = 0; r < sets[s]["reflections"].size(); ++r) {
                const std::string file = sets[s]["reflections"][r]["file"].text("");
                set.reflections.push_back(reflection_of(result.read(file), where(file)));
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
        const std::string file = maps[m]["file"].text("");
        const Image image = decode_image(result.read(file), where(file));
        if (image.width != page.side || image.height != page.side)
            maps[m]["file"].fail("has not the size of its page");
        for (std::size_t i = 0; i < image.rgba.size(); i += 4)
            page.texels.push_back({image.rgba[i], image.rgba[i + 1], image.rgba[i + 2], image.rgba[i + 3]});
    }
    const JsonPlace open = root["occlusion"]["files"];
    if (open && open.size() != atlas.pages.size()) open.fail("has not one file for each page");
    for (std::size_t p = 0; p < open.size(); ++p) {
        const std::string file = open[p].text("");
        const Image image = decode_image(result.read(file), where(file));
        OcclusionPage& page = saved.occlusion.emplace_back();
        page.side = atlas.pages[p];
        if (image.width != page.side || image.height != page.side)
            open[p].fail("has not the size of its page");
        for (std::size_t i = 0; i < image.rgba.size(); i += 4)
            page.texels.push_back(static_cast<float>(image.rgba[i]) / 255);
    }
    if (root["probes"])
        unpack_probes(result.read("probes.bin"), where("probes.bin"), saved.probes, saved.sets);
    if (root["reflections"]) saved.reflections = reflections_of(root["reflections"]);
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
        const ResultFiles result(folder);
        return tier_named(JsonPlace(result.manifest(), "manifest.json:")["settings"]["tier"].text(""));
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
