#include <algorithm>
#include <cmath>

#include "common.hpp"
#include "stasigraph/survey.hpp"
#include "stasigraph/vary.hpp"

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

std::string lux_text(double v) {
    return v < 10 ? fmt::format("{:.2g}", v) : fmt::format("{:.0f}", v);
}

std::vector<std::string> lines_of(const TriedValue& t) {
    const std::string rays =
        t.traced > 0 ? count_text(static_cast<double>(t.traced)) + " links traced" : "no link traced";
    return {fmt::format("mean {} lux in the picture; 5 % under {}, half under {}, 95 % under {}",
                        lux_text(t.mean), lux_text(t.dark), lux_text(t.middle), lux_text(t.bright)),
            fmt::format("noise {:.1f} %; {}; {}, {} of {} groups lit", static_cast<double>(t.noise) * 100,
                        seconds_text(t.seconds), rays, t.layers_made, t.layers)};
}

std::string value_text(const SettingValue& v) {
    std::string text = v.text;
    for (const double number : v.numbers) text += (text.empty() ? "" : ", ") + fmt::format("{:.6g}", number);
    return text.empty() ? "not set" : text;
}

/// "1.5; from 0 to 4", "flat; flat or directional", "settle; from 0 to 1000 or settle".
std::string setting_text(const SettingValue& v) {
    std::string could = v.low < v.high ? fmt::format("from {:.6g} to {:.6g}", v.low, v.high) : "";
    for (std::size_t i = 0; i < v.words.size(); ++i)
        could += (could.empty() ? "" : i + 1 == v.words.size() ? " or " : ", ") + v.words[i];
    return value_text(v) + (v.unit.empty() || v.numbers.empty() ? "" : " " + v.unit) +
           (could.empty() ? "" : "; " + could);
}

/// Every setting with its value and range.
void list_settings(const Options& o) {
    Json list = Json::array();
    for (const SettingValue& v : settings_of(load(o.common))) {
        if (o.common.json)
            list.push_back(setting_json(v));
        else
            say("{:<36} {}\n", v.key, setting_text(v));
    }
    if (o.common.json) say("{}\n", list.dump(1));
}

/// What one setting is and may be, for who named it without values; empty where that cannot be told.
std::string hint_for(const Options& o, const std::string& key) {
    try {
        for (const SettingValue& v : settings_of(load_level(o.common.level)))
            if (v.key == key || v.key == "quality." + key || v.key == "lightmap." + key)
                return "; " + v.key + " is " + setting_text(v);
    } catch (const Error&) {
        // What is wrong with the level is told when it is baked.
    }
    return "; `--what all` lists every setting with its range";
}

void run(const Options& o, Job& job) {
    const std::size_t equals = o.what.find('=');
    const std::string key = o.what.substr(0, equals);
    const std::vector<std::string> values = values_of(o.what.substr(equals + 1));
    const ContactLayout layout = contact_layout(values.size(), o.width, 2);
    const std::vector<TriedValue> tried = vary({.level_file = o.common.level,
                                                .folder = o.folder,
                                                .cache = o.cache,
                                                .key = key,
                                                .values = values,
                                                .set = o.set,
                                                .camera = o.camera,
                                                .tier = tier_named(o.tier),
                                                .on_white = o.show == "light",
                                                .width = layout.picture_width,
                                                .height = layout.picture_height},
                                               job);
    // One exposure for all, or nothing could be compared: that of the value in the middle.
    const TriedValue& middle = tried[tried.size() / 2];
    const float ev = o.ev != "auto"    ? std::stof(o.ev)
                     : middle.exposure ? *middle.exposure
                                       : auto_exposure(middle.picture);
    std::vector<ContactPicture> pictures;
    Json list = Json::array();
    for (const TriedValue& t : tried) {
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
                                    camera_named(level, o.camera).name, static_cast<double>(ev)),
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
         "quality.bounces; keys of quality and lightmap, as density, alone will do. \"all\" lists settings, "
         "their "
         "values and ranges")
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
        if (o->what == "all") {
            guarded(o->common, [&](Job&) { list_settings(*o); });
            return;
        }
        if (equals == std::string::npos || equals == 0 || equals + 1 == o->what.size())
            throw UsageError{"--what", "needs KEY=VALUE,VALUE,..., not \"" + o->what + "\"" +
                                           hint_for(*o, o->what.substr(0, equals))};
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
