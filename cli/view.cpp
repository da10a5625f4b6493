#include "common.hpp"
#include "stasigraph/gallery.hpp"

namespace cli {

using namespace stasigraph;

namespace view_command {

namespace {

struct Options {
    Common common;
    fs::path folder, file;
    CameraOptions camera;
    std::string set, show = "game", size = "1280x800", probes = "on", reflections = "on";
    std::string ev = "auto", legend = "on", lux, against;
    float lux_low = 0, lux_high = 0;
    int samples = 4;
    bool linear = false, net = false;
};

std::string known_questions() {
    std::string all;
    for (const Question& q : questions()) all += (all.empty() ? "" : ", ") + std::string(q.name);
    return all;
}

void run(const Options& o, ViewOptions settings, Job& job) {
    check_target(o.file, o.common.level);
    settings.samples = o.samples;
    settings.probe_light = o.probes == "on";
    settings.net = o.net;
    settings.mirror = o.reflections == "on";
    Gallery gallery(o.common.level, o.folder, {}, tier_named(o.common.tier));
    tell(o.common, gallery.level());
    const Camera camera = camera_of(o.camera, gallery.level());
    ShowRequest request{.what = o.show,
                        .camera = camera,
                        .settings = settings,
                        .set = o.set,
                        .exposure = {},
                        .lux_low = o.lux_low,
                        .lux_high = o.lux_high,
                        .against = o.against,
                        .legend = o.legend == "on"};
    if (o.ev != "auto") request.exposure = std::stof(o.ev);
    const ShownPicture shown = gallery.show(request, job);
    if (shown.stale && !o.common.quiet) warn_stale(gallery.bake(shown.set));
    if (!o.common.quiet && settings.probe_light && o.show == "game" &&
        gallery.bake(shown.set).probes.size() == 0)
        warn_unlit(gallery.level());
    const fs::path file =
        !o.file.empty() ? o.file
                        : fs::path(camera.name + (shown.set.empty() ? "" : "-" + shown.set) +
                                   (o.show == "game" ? "" : "-" + o.show) + (o.linear ? ".exr" : ".png"));
    check_target(file, o.common.level);
    const int width = shown.picture.width, height = shown.picture.height;
    if (o.linear)
        write_exr(file, width, height, shown.picture.pixels);
    else
        write_png(file, width, height, shown.rgb);
    if (o.common.json) {
        Json j = {
            {"file", file.string()}, {"camera", camera.name}, {"show", o.show}, {"size", {width, height}}};
        if (!shown.set.empty()) {
            j["set"] = shown.set;
            j["stale"] = shown.stale;
            j["tier"] = tier_name(gallery.level().quality.tier);
        }
        if (shown.exposure) j["exposure_ev"] = *shown.exposure;
        for (const LegendLine& l : shown.legend) j["legend"].push_back(l.text);
        say("{}\n", j.dump(1));
        return;
    }
    say("wrote {}{}\n", file.string(),
        shown.exposure
            ? fmt::format(" (set {} at {}, {} EV {:.1f})", shown.set, tier_name(gallery.level().quality.tier),
                          shown.metered ? "automatic exposure" : "exposure", *shown.exposure)
            : "");
}

}  // namespace

}  // namespace view_command

void add_view(const Command& app) {
    using namespace view_command;
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("view", "a picture of the level from a camera");
    add_common(c, o->common, "stasigraph view observatory.toml --camera dome --set noon --file dome.png");
    add_camera(c, o->camera);
    add_tier(c, o->common);
    c.add_option("--show", o->show, "what the picture answers: " + known_questions())
        .check([](const std::string& name) {
            for (const Question& q : questions())
                if (name == q.name) return std::string();
            if (name == "lit") return std::string("lit is called game now");
            if (name == "validity") return std::string("validity is called filled now");
            return "there is no \"" + name + "\"; there are: " + known_questions();
        });
    c.add_option("--legend", o->legend, "on writes into the picture what its colours mean")
        .check(one_of({"on", "off"}));
    c.add_option("--lux", o->lux, "with --show lux: the ends of the scale, LOW,HIGH");
    c.add_option("--against", o->against, "with --show dots: the name of a kept bake that has converged");
    c.add_flag("--tetrahedra", o->net, "with --show probes: the tetrahedra between them as well");
    c.renamed("--net", "--tetrahedra");
    c.add_option("--set", o->set, "the bake set; the first unless given");
    c.add_option("--exposure", o->ev, "exposure value at ISO 100, or auto: the set's own, else metered");
    c.add_option("--size", o->size, "WIDTHxHEIGHT in pixels");
    c.add_option("--samples", o->samples, "samples a pixel where colours change")
        .check(one_of({"1", "4", "9", "16", "25"}));
    c.add_option("--probes", o->probes, "on lights what has no lightmap by probes, off draws it unlit")
        .check(one_of({"on", "off"}));
    c.add_option("--reflections", o->reflections,
                 "off shows shiny surfaces without what reflection probes captured")
        .check(one_of({"on", "off"}));
    c.add_flag("--linear", o->linear, "write linear light as EXR");
    c.add_option("--file", o->file, "the picture to write; named by camera and set unless given");
    c.add_option("--out", o->folder, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.callback([o] {
        ViewOptions settings;
        char rest = 0;
        if (std::sscanf(o->size.c_str(), "%dx%d%c", &settings.width, &settings.height, &rest) != 2)
            throw UsageError{"--size", "needs WIDTHxHEIGHT, not \"" + o->size + "\""};
        if (o->ev != "auto") {
            float ev = 0;
            if (std::sscanf(o->ev.c_str(), "%f%c", &ev, &rest) != 1 || !std::isfinite(ev))
                throw UsageError{"--exposure", "needs a number or auto, not \"" + o->ev + "\""};
        }
        if (!o->lux.empty() &&
            (std::sscanf(o->lux.c_str(), "%f,%f%c", &o->lux_low, &o->lux_high, &rest) != 2 ||
             !(o->lux_low > 0 && o->lux_high > o->lux_low && o->lux_high < 1e9f)))
            throw UsageError{"--lux", "needs LOW,HIGH over 0, not \"" + o->lux + "\""};
        check_camera(o->camera);
        guarded(o->common, [&](Job& job) { run(*o, settings, job); });
    });
}

}  // namespace cli
