#include "stasigraph/report.hpp"
#include "common.hpp"

namespace cli {

using namespace stasigraph;

void add_report(const Command& app) {
    struct Options {
        Common common;
        ReportOptions settings;
        fs::path file = "report.html";
        std::string size = "960x600";
    };
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("report", "one page about the level and its bake, to look at and to send");
    add_common(c, o->common, "stasigraph report observatory.toml --file observatory.html");
    c.add_option("--file", o->file, "the page to write; report.html unless given");
    c.add_option("--size", o->size, "WIDTHxHEIGHT of its pictures in pixels");
    c.add_option("--probe-places", o->settings.probe_places,
                 "places at which light between probes is held against exact light; 0 for none")
        .check(range(0, 4096));
    add_tier(c, o->common);
    c.add_option("--out", o->settings.folder, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.callback([o] {
        char rest = 0;
        if (std::sscanf(o->size.c_str(), "%dx%d%c", &o->settings.width, &o->settings.height, &rest) != 2)
            throw UsageError{"--size", "needs WIDTHxHEIGHT, not \"" + o->size + "\""};
        guarded(o->common, [&](Job& job) {
            o->settings.tier = tier_named(o->common.tier);
            check_target(o->file, o->common.level);
            const ReportFigures f = write_report(o->file, o->common.level, o->settings, job);
            if (o->common.json)
                say("{}\n", Json{{"file", o->file.string()},
                                 {"cameras", f.cameras},
                                 {"pictures", f.pictures},
                                 {"findings", f.findings},
                                 {"pages", f.pages},
                                 {"bytes", f.bytes}}
                                .dump(1));
            else
                say("wrote {}: {} pictures from {} cameras, {} pages, {} findings, {}\n", o->file.string(),
                    f.pictures, f.cameras, f.pages, f.findings, bytes_text(static_cast<double>(f.bytes)));
        });
    });
}

}  // namespace cli
