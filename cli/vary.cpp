#include <algorithm>
#include <chrono>
#include <cmath>

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace vary_command {

namespace {

struct Options {
    Common common;
    fs::path folder, file, cache;
    std::string what, camera, set, tier, ev = "auto", show = "game";
    int width = 1280;
};

/// "0.5,1,[1, 0, 0]" into its values: commas within brackets part nothing.
std::vector<std::string> values_of(const std::string& list) {
    std::vector<std::string> values(1);
    int depth = 0;
    for (const char c : list) {
        depth += c == '[' || c == '{' ? 1 : c == ']' || c == '}' ? -1 : 0;
        if (c == ',' && depth == 0)
            values.emplace_back();
        else
            values.back() += c;
    }
    return values;
}

/// What one value came to.
struct Tried {
    std::string value;
    double seconds = 0;
    std::size_t traced = 0, layers_made = 0, layers = 0;
    double mean = 0, dark = 0, middle = 0,
           bright = 0;  ///< Lux on what the picture shows; 5, 50 and 95 % are under it.
    float noise = 0;
    Picture picture;
    std::optional<float> exposure;
};

/// `light`: the camera's view of light on white, nit: lux over pi.
void measure(const Picture& light_on_white, Tried& t) {
    std::vector<float> light;
    double sum = 0;
    for (const Rgb c : light_on_white.pixels) {
        light.push_back(luminance(c) * pi);
        sum += static_cast<double>(light.back());
    }
    if (light.empty()) return;
    t.mean = sum / static_cast<double>(light.size());
    const auto at = [&](double share) {
        const auto k = static_cast<std::ptrdiff_t>(share * static_cast<double>(light.size() - 1));
        std::nth_element(light.begin(), light.begin() + k, light.end());
        return static_cast<double>(light[static_cast<std::size_t>(k)]);
    };
    t.dark = at(0.05);
    t.middle = at(0.5);
    t.bright = at(0.95);
}

std::string lux_text(double v) {
    return v < 10 ? fmt::format("{:.2g}", v) : fmt::format("{:.0f}", v);
}

std::vector<std::string> lines_of(const Tried& t) {
    const std::string rays =
        t.traced > 0 ? count_text(static_cast<double>(t.traced)) + " links traced" : "no link traced";
    return {fmt::format("mean {} lux in the picture; 5 % under {}, half under {}, 95 % under {}",
                        lux_text(t.mean), lux_text(t.dark), lux_text(t.middle), lux_text(t.bright)),
            fmt::format("noise {:.1f} %; {}; {}, {} of {} groups lit", static_cast<double>(t.noise) * 100,
                        seconds_text(t.seconds), rays, t.layers_made, t.layers)};
}

/// Bakes one level after the other, with what they share.
class Trials {
public:
    Trials(const Options& o, Job& job)
        : o_(o),
          job_(job),
          store_(open_store(o.cache.empty() ? default_cache(o.common.level) : o.cache,
                            [&](const std::string& text) { job.note(text); })) {}

    Tried run(const std::string& key, const std::string& value, int width, int height) {
        Tried t{.value = value, .picture = {}, .exposure = {}};
        std::vector<SheetChange> changes{{key, value}};
        if (!o_.tier.empty() && key != "tier" && key != "quality.tier")
            changes.insert(changes.begin(), {"tier", o_.tier});
        Level level = load_level(o_.common.level, changes);
        complete_level(level);
        if (has_probes(level)) level.placed = load_places(default_output(o_.common.level), level);
        const std::uint32_t wanted = set_index(level, o_.set);
        const auto start = std::chrono::steady_clock::now();
        Baker& baker = baker_for(level);
        const std::vector<ReflectionProbe> mirrors =
            o_.show == "game" ? place_reflections(level, job_, store_) : std::vector<ReflectionProbe>{};
        const Baked baked = light_and_capture(baker, level, mirrors, job_, store_, {wanted}).baked;
        t.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        t.traced = baked.figures.traced - std::exchange(traced_, baked.figures.traced);
        t.layers_made = baked.figures.layers_made;
        t.layers = baked.figures.layers;
        t.noise = baked.figures.noise_left();
        const Level shown = as_in_set(level, wanted);
        t.picture = view(
            shown, baker.atlas(),
            {&baked.sets[0], &baked.probes, &baked.visibility, &baked.occlusion, &baked.reflections},
            camera_of(level),
            {.width = width, .height = height, .show = o_.show == "light" ? Show::light : Show::lit}, job_);
        measure(
            view(shown, baker.atlas(),
                 {&baked.sets[0], &baked.probes, &baked.visibility, &baked.occlusion, {}}, camera_of(level),
                 {.width = 160, .height = 100, .samples = 1, .show = Show::light}, job_),
            t);
        t.exposure = level.sets[wanted].exposure;
        return t;
    }

private:
    /// The last one, where the level differs in light alone; else a new one.
    Baker& baker_for(const Level& level) {
        const std::string ground = inputs_of(level).keys.ground;
        if (!bakers_.empty() && ground == ground_ && level.quality.tier == bakers_[0].level().quality.tier &&
            level.quality.links == bakers_[0].level().quality.links)
            return bakers_[0];
        const fs::path folder = o_.folder.empty() ? default_output(o_.common.level) : o_.folder;
        const Atlas earlier = earlier_atlas(level, atlas_folders(o_.common, folder), job_);
        bakers_.clear();
        bakers_.emplace_back(level, job_, earlier.surfaces.empty() ? nullptr : &earlier, store_);
        ground_ = ground;
        traced_ = 0;
        return bakers_[0];
    }

    Camera camera_of(const Level& level) const { return choose_camera(level, o_.camera); }

    const Options& o_;
    Job& job_;
    BakeStore store_;
    std::vector<Baker> bakers_;
    std::string ground_;
    std::size_t traced_ = 0;
};

void run(const Options& o, Job& job) {
    const std::size_t equals = o.what.find('=');
    const std::string key = o.what.substr(0, equals);
    const std::vector<std::string> values = values_of(o.what.substr(equals + 1));
    const ContactLayout layout = contact_layout(values.size(), o.width, 2);
    Trials trials(o, job);
    std::vector<Tried> tried;
    for (const std::string& value : values)
        tried.push_back(trials.run(key, value, layout.picture_width, layout.picture_height));
    // One exposure for all, or nothing could be compared: that of the value in the middle.
    const Tried& middle = tried[tried.size() / 2];
    const float ev = o.ev != "auto"    ? std::stof(o.ev)
                     : middle.exposure ? *middle.exposure
                                       : auto_exposure(middle.picture);
    std::vector<ContactPicture> pictures;
    Json list = Json::array();
    for (const Tried& t : tried) {
        pictures.push_back(
            {key + " = " + t.value, lines_of(t), t.picture.width, t.picture.height, tone_map(t.picture, ev)});
        list.push_back({{"value", t.value},
                        {"seconds", t.seconds},
                        {"links_traced", t.traced},
                        {"layers_made", t.layers_made},
                        {"noise", t.noise},
                        {"mean_lux", t.mean},
                        {"lux_5_50_95_percent", {t.dark, t.middle, t.bright}}});
        if (!o.common.json) say("{:<12} {}\n{:<12} {}\n", t.value, lines_of(t)[0], "", lines_of(t)[1]);
    }
    const fs::path file = o.file.empty() ? fs::path("vary-" + key + ".png") : o.file;
    check_target(file, o.common.level);
    const Level level = load_level(o.common.level);
    const std::string set = level.sets[set_index(level, o.set)].name;
    write_contact_sheet(file,
                        fmt::format("{}: {}, set {}, camera {}, exposure EV {:.1f}", level.name, key, set,
                                    choose_camera(level, o.camera).name, static_cast<double>(ev)),
                        layout, pictures);
    if (o.common.json)
        say("{}\n",
            Json{{"file", file.string()}, {"what", key}, {"set", set}, {"exposure_ev", ev}, {"tried", list}}
                .dump(1));
    else
        say("wrote {}\n", file.string());
}

}  // namespace

}  // namespace vary_command

void add_vary(const Command& app) {
    using namespace vary_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("vary", "one setting over several values, as one labelled sheet of pictures");
    add_common(c, o->common,
               "stasigraph vary observatory.toml --what light.sun.gain=0.5,1,2,4 --camera terrace");
    c.add_option(
         "--what", o->what,
         "KEY=VALUE,VALUE,...: any key of the sheet, as light.NAME.gain, sky.lux, set.NAME.gain.GROUP or "
         "quality.bounces; bounces, tier, noise and density alone will do")
        .required();
    c.add_option("--camera", o->camera, "a camera of the level; the first unless given");
    c.add_option("--set", o->set, "the bake set; the first unless given");
    c.add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        .check(one_of({"glance", "proof", "final"}));
    c.add_option("--show", o->show, "game: as the player sees it; light: on white")
        .check(one_of({"game", "light"}));
    c.add_option("--exposure", o->ev,
                 "exposure value at ISO 100 of all pictures, or auto: that of the middle one");
    c.add_option("--width", o->width, "of the sheet, pixels").check(range(320, 8192));
    c.add_option("--file", o->file, "the picture to write; named by the key unless given");
    c.add_option("--cache", o->cache,
                 "where links and layers are kept; `.stasigraph` beside the level unless given");
    c.add_option("--out", o->folder,
                 "the folder of a bake whose charts are kept; `baked/LEVEL` beside it unless given");
    c.callback([o] {
        const std::size_t equals = o->what.find('=');
        if (equals == std::string::npos || equals == 0 || equals + 1 == o->what.size())
            throw UsageError{"--what", "needs KEY=VALUE,VALUE,..., not \"" + o->what + "\""};
        if (values_of(o->what.substr(equals + 1)).size() > 36)
            throw UsageError{"--what", "has more than 36 values"};
        float ev = 0;
        char rest = 0;
        if (o->ev != "auto" && (std::sscanf(o->ev.c_str(), "%f%c", &ev, &rest) != 1 || !std::isfinite(ev)))
            throw UsageError{"--exposure", "needs a number or auto, not \"" + o->ev + "\""};
        guarded(o->common, [&](Job& job) { run(*o, job); });
    });
}

}  // namespace cli
