#include "stasigraph/play.hpp"

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace play_command {

namespace {

struct Options {
    Common common;
    fs::path out, to;
    double until = -1, fps = 0;
};

Json played_json(const fs::path& to, const PlayedFolder& played) {
    const PlayResult& r = played.result;
    Json frames = Json::array();
    for (const PlayedFrame& f : played.frames)
        frames.push_back({{"file", f.file},
                          {"at_s", f.at},
                          {"zone", f.zone},
                          {"shows", f.shows},
                          {"exposure_ev", f.exposure}});
    Json j = {{"folder", to.string()},
              {"frames", frames},
              {"advance_us", {{"mean", r.advance_mean}, {"most", r.advance_most}}},
              {"sample_us", r.sample_mean},
              {"light", Json::array()}};
    for (const PlayMoment& m : r.moments)
        j["light"].push_back(
            {{"at_s", m.at}, {"place", vec(m.place)}, {"lux", rgb(m.light)}, {"zone", m.zone}});
    return j;
}

void tell(const fs::path& to, const PlayResult& r) {
    std::string zone = "?";
    for (const PlayMoment& m : r.moments) {
        if (m.zone == zone) continue;
        zone = m.zone;
        say("  {:5.1f} s  {:<14} {:10.4g} lux on the figure\n", m.at, zone.empty() ? "in no zone" : zone,
            luminance(m.light));
    }
    say("the runtime took {:.1f} us a frame, {:.0f} at most (pages composited), and {:.2f} us a lookup\n",
        r.advance_mean, r.advance_most, r.sample_mean);
    say("wrote {} frames, sheet.png and light.png to {}\n", r.frames, to.string());
}

void run(Options& o, Job& job) {
    PlayScript script = load_play(o.common.level);
    if (o.until >= 0) script.until = o.until;
    if (o.fps > 0) script.fps = static_cast<float>(o.fps);
    Common level_of = o.common;
    level_of.level = script.level;
    const fs::path folder = o.out.empty() ? default_output(script.level) : o.out;
    const BakedLevel b = load_baked(level_of, load(level_of), folder, "");
    const fs::path to = o.to.empty() ? folder / "play" / o.common.level.stem() : o.to;
    left_behind() =
        "the frames drawn so far are in " + to.string() + "; the same command draws all of them again";
    const PlayedFolder played = play_to_folder(
        {.script = std::move(script), .name = o.common.level.stem().string(), .folder = folder, .to = to}, b,
        job);
    if (o.common.json)
        say("{}\n", played_json(to, played).dump(1));
    else
        tell(to, played.result);
}

}  // namespace

}  // namespace play_command

void add_play(const Command& app) {
    using namespace play_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("play", "a walk through the level while sets change, frame by frame");
    add_common(c, o->common, "stasigraph play walk.toml --until 12 --fps 4",
               "a script of a walk (TOML), which names the level");
    c.add_option("--until", o->until, "seconds; to the last step unless given").check(range(0.0, 3600.0));
    c.add_option("--fps", o->fps, "frames drawn a second; the script's unless given")
        .check(range(0.01, 120.0));
    add_tier(c, o->common);
    c.add_option("--out", o->out, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.add_option("--to", o->to, "the folder for frames; play/NAME in that of the bake unless given");
    c.callback([o] { guarded(o->common, [&](Job& job) { run(*o, job); }); });
}

}  // namespace cli
