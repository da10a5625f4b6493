// A walk played into a folder: frames, a contact sheet and a plot.

#include <algorithm>
#include <cstdio>

#include "stasigraph/bake_folder.hpp"
#include "stasigraph/baked_level.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Frames of the contact sheet.
constexpr int most_shown = 12;

/// What the game would load: of this bake and this sheet.
void bring_up_to_date(const PlayRequest& request, const BakedLevel& b, const fs::path& game, Job& job) {
    if (!fs::exists(game))
        save_game(game, {b.level, b.bake.atlas}, b.bake);
    else if (fs::last_write_time(game) < std::max(fs::last_write_time(request.script.level),
                                                  fs::last_write_time(request.folder / "manifest.json")))
        refresh_game(request.script.level, request.folder, b.level.quality.tier, job);
}

}  // namespace

PlayedFolder play_to_folder(const PlayRequest& request, const BakedLevel& b, Job& job) {
    const PlayScript& script = request.script;
    const fs::path game = request.folder / "game.sgl";
    bring_up_to_date(request, b, game, job);
    if (b.bake.probes.size() == 0)
        job.note(
            "the bake has no probes, so nothing lights the figure: add a [[volume]] to the sheet, and bake");
    fs::create_directories(request.to);
    const int all = static_cast<int>(script.until * static_cast<double>(script.fps) + 1e-6) + 1,
              shown = std::min(all, most_shown);
    const ContactLayout layout = contact_layout(static_cast<std::size_t>(shown), 1280, 1);
    std::vector<ContactPicture> pictures;
    PlayedFolder out;
    const auto take = [&](PlayFrame&& f) {
        char name[32];
        std::snprintf(name, sizeof name, "frame-%04d.png", f.number + 1);
        write_png(request.to / name, f.picture.width, f.picture.height, tone_map(f.picture, f.exposure));
        const auto number = static_cast<int>(pictures.size());
        if (number < shown && f.number == (shown == 1 ? 0 : number * (all - 1) / (shown - 1)))
            pictures.push_back(play_thumbnail(f, layout));
        out.frames.push_back(
            {.file = name, .at = f.at, .zone = f.zone, .shows = f.shows, .exposure = f.exposure});
    };
    out.result = play(script, {b.level, b.bake, game}, take, job);
    char length[48];
    std::snprintf(length, sizeof length, ": %.1f s, %d frames", script.until, out.result.frames);
    const std::string title = request.name + length;
    write_contact_sheet(request.to / "sheet.png", title, layout, pictures);
    write_play_plot(request.to / "light.png", title, script, out.result.moments);
    return out;
}

}  // namespace stasigraph
