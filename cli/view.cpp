#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace {

struct Options {
    Common common;
    fs::path folder, file;
    CameraOptions camera;
    std::string set, show = "lit", size = "1280x800", probes = "on", reflections = "on";
    std::string ev = "auto";
    int samples = 4;
    bool linear = false, net = false;
};

Show show_from(const std::string& name) {
    return name == "light"         ? Show::light
           : name == "albedo"      ? Show::albedo
           : name == "charts"      ? Show::charts
           : name == "density"     ? Show::density
           : name == "occlusion"   ? Show::occlusion
           : name == "probes"      ? Show::probes
           : name == "reflections" ? Show::reflections
           : name == "zones"       ? Show::zones
                                   : Show::lit;
}

std::vector<LegendLine> zone_legend(const Level& level, const ZoneLinks& links) {
    std::vector<LegendLine> out;
    const auto count = [](const std::vector<std::uint32_t>& of, std::uint32_t zone) {
        return std::count(of.begin(), of.end(), zone);
    };
    const auto line = [&](const std::string& name, std::uint32_t z) {
        std::string text =
            fmt::format("{}: {} surfaces, {} probes", name, count(links.surface, z), count(links.probe, z));
        if (z != none && links.walled_off[z] > 0)
            text += fmt::format(" ({} more behind walls)", links.walled_off[z]);
        out.push_back({text, zone_color(z)});
    };
    for (std::uint32_t z = 0; z < level.zones.size(); ++z) line(level.zones[z].name, z);
    line("in no zone", none);
    return out;
}

void run(const Options& o, ViewSettings settings, Job& job) {
    settings.show = show_from(o.show);
    settings.samples = o.samples;
    settings.moving = o.probes == "on";
    settings.net = o.net;
    settings.mirror = o.reflections == "on";
    const bool marks = settings.show == Show::probes || settings.show == Show::reflections;
    const bool needs_light = settings.show == Show::lit || settings.show == Show::light || marks;
    const fs::path folder = o.folder.empty() ? default_output(o.common.level) : o.folder;
    BakedLevel b;
    std::optional<float> ev;
    if (o.ev != "auto") ev = std::stof(o.ev);
    if (needs_light || settings.show == Show::occlusion) {
        const Level names = load_level(o.common.level);
        const BakeSet& set = names.sets[set_index(names, o.set)];
        b = load_baked(o.common, folder, set.name);
        if (!ev) ev = set.exposure;
    } else {
        b.level = load(o.common);
        const Atlas earlier = earlier_atlas(b.level, atlas_folders(o.common, folder), job);
        b.bake.atlas = unwrap(b.level, tier_settings(b.level.quality.tier).density_scale, job,
                              earlier.surfaces.empty() ? nullptr : &earlier);
    }
    const Camera camera = camera_of(o.camera, b.level);
    ZoneLinks zones;
    if (settings.show == Show::zones) {
        if (fs::exists(folder / "manifest.json")) b.bake = load_baked(o.common, folder, "").bake;
        zones = link_zones(b.level, b.bake.probes.position, b.bake.reflections, job);
    }
    const ViewLight light{needs_light ? &b.bake.sets[0] : nullptr,
                          &b.bake.probes,
                          &b.bake.visibility,
                          &b.bake.occlusion,
                          &b.bake.reflections,
                          &zones};
    const Level shown = needs_light ? as_in_set(b.level, set_index(b.level, b.bake.sets[0].name)) : b.level;
    const Picture picture = view(shown, b.bake.atlas, light, camera, settings, job);
    const std::string set = needs_light ? b.bake.sets[0].name : "";
    const fs::path file =
        !o.file.empty() ? o.file
                        : fs::path(camera.name + (set.empty() ? "" : "-" + set) +
                                   (o.show == "lit" ? "" : "-" + o.show) + (o.linear ? ".exr" : ".png"));
    const bool metered = !ev;
    if (!needs_light)
        ev.reset();
    else if (metered)
        ev = auto_exposure(picture) + (marks ? 1.2f : 0);  // what is around is dimmed
    if (o.linear) {
        write_exr(file, picture.width, picture.height, picture.pixels);
    } else {
        std::vector<std::uint8_t> pixels = tone_map(picture, ev);
        if (settings.show == Show::zones)
            draw_legend(picture.width, picture.height, zone_legend(b.level, zones), pixels);
        write_png(file, picture.width, picture.height, pixels);
    }
    if (o.common.json) {
        Json j = {{"file", file.string()},
                  {"camera", camera.name},
                  {"show", o.show},
                  {"size", {picture.width, picture.height}}};
        if (needs_light) {
            j["set"] = set;
            j["exposure_ev"] = *ev;
            j["stale"] = b.bake.stale;
        }
        if (settings.show == Show::zones)
            for (const LegendLine& l : zone_legend(b.level, zones)) j["legend"].push_back(l.text);
        say("{}\n", j.dump(1));
        return;
    }
    say("wrote {}{}\n", file.string(),
        ev ? fmt::format(" (set {}, {} EV {:.1f})", set, metered ? "automatic exposure" : "exposure", *ev)
           : "");
}

}  // namespace

void add_view(CLI::App& app) {
    auto o = std::make_shared<Options>();
    CLI::App* c = app.add_subcommand("view", "a picture of the level from a camera");
    add_common(*c, o->common, "stasigraph view observatory.toml --camera dome --set noon --file dome.png");
    add_camera(*c, o->camera);
    c->add_option("--show", o->show,
                  "lit, light, albedo, charts, density, occlusion, probes, reflections or zones")
        ->check(CLI::IsMember(
            {"lit", "light", "albedo", "charts", "density", "occlusion", "probes", "reflections", "zones"}));
    c->add_flag("--net", o->net, "with --show probes: the tetrahedra between them as well");
    c->add_option("--set", o->set, "the bake set; the first unless given");
    c->add_option("--exposure", o->ev, "exposure value at ISO 100, or auto: the set's own, else metered");
    c->add_option("--size", o->size, "WIDTHxHEIGHT in pixels");
    c->add_option("--samples", o->samples, "samples a pixel where colours change")
        ->check(CLI::IsMember({1, 4, 9, 16, 25}));
    c->add_option("--probes", o->probes, "on draws moving things lit by probes, off leaves them out")
        ->check(CLI::IsMember({"on", "off"}));
    c->add_option("--reflections", o->reflections,
                  "off shows shiny surfaces without what reflection probes captured")
        ->check(CLI::IsMember({"on", "off"}));
    c->add_flag("--linear", o->linear, "write linear light as EXR");
    c->add_option("--file", o->file, "the picture to write; named by camera and set unless given");
    c->add_option("--out", o->folder, "the folder of the bake; `baked` beside the level unless given");
    c->callback([o] {
        ViewSettings settings;
        char rest = 0;
        if (std::sscanf(o->size.c_str(), "%dx%d%c", &settings.width, &settings.height, &rest) != 2)
            throw CLI::ValidationError("--size", "needs WIDTHxHEIGHT, not \"" + o->size + "\"");
        if (o->ev != "auto") {
            float ev = 0;
            if (std::sscanf(o->ev.c_str(), "%f%c", &ev, &rest) != 1 || !std::isfinite(ev))
                throw CLI::ValidationError("--exposure", "needs a number or auto, not \"" + o->ev + "\"");
        }
        check_camera(o->camera);
        guarded(o->common, [&](Job& job) { run(*o, settings, job); });
    });
}

}  // namespace cli
