#include "stasigraph/place_folder.hpp"

#include "stasigraph/error.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Against exact light, of a bake at glance.
std::vector<RoomProbes> judge(Level level, const PlacedProbes& placed, const BakeStore& store, Job& job) {
    constexpr std::size_t places_a_room = 100;
    level.quality.tier = Tier::glance;
    level.placed = placed.places;
    Atlas atlas;
    const Baked baked = bake(level, atlas, job, store);
    return judge_probes(level, atlas, baked, places_a_room, job);
}

}  // namespace

PlaceOutcome place_in_folder(const PlaceRequest& request, const Level& level, Job& job) {
    if (!has_probes(level) && !has_reflections(level))
        throw Error{.what = "asks for no probes",
                    .where = request.level_file.string(),
                    .value = "",
                    .remedy = "Add a [[volume]], a [[probe]] or a [[reflection]] to the sheet."};
    const fs::path folder = request.folder.empty() ? default_output(request.level_file) : request.folder,
                   cache = request.cache.empty() ? default_cache(request.level_file) : request.cache;
    check_writable(folder);
    const FolderLock lock(folder);
    check_output(folder, level, request.level_file);
    const BakeStore store = open_store(cache, [&](const std::string& text) { job.note(text); });
    PlaceOutcome out;
    out.reflections = place_reflections(level, job, store);
    if (has_probes(level)) {
        const std::vector<ProbePlace> before =
            request.only.empty() ? std::vector<ProbePlace>{} : load_earlier_places(folder, level);
        out.probes = place_probes(level, job, store, request.only, before);
        save_places(folder, level, out.probes);
        out.file = folder / "places.json";
        if (request.exact && !out.probes.places.empty()) out.rooms = judge(level, out.probes, store, job);
    }
    job.finish();
    return out;
}

}  // namespace stasigraph
