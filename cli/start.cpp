#include "common.hpp"

namespace cli {

using namespace stasigraph;

void add_start(const Command& app) {
    struct Options {
        Common common;
        fs::path out;
        bool force = false;
    };
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("start", "write a commented bake sheet for a scene");
    add_common(c, o->common, "stasigraph start observatory.glb");
    c.add_option("--out", o->out, "the sheet to write; the scene's name with .toml unless given");
    c.renamed("--force", "--overwrite");
    c.add_flag("--overwrite", o->force, "overwrite a sheet that is there");
    c.callback([o] {
        guarded(o->common, [&](Job&) {
            if (o->common.level.extension() == ".toml")
                throw Error{.what = "is a bake sheet already",
                            .where = o->common.level.string(),
                            .value = "",
                            .remedy = "Give the .gltf or .glb."};
            const Level level = load(o->common);
            fs::path out = o->out.empty() ? fs::path(o->common.level).replace_extension(".toml") : o->out;
            if (fs::exists(out) && !o->force)
                throw Error{.what = "is there already and is left as it is",
                            .where = out.string(),
                            .value = "",
                            .remedy = "Use --overwrite to overwrite it, or --out for another name."};
            const fs::path folder = fs::absolute(out).parent_path();
            write_text(out,
                       starter_sheet(
                           level, fs::absolute(o->common.level).lexically_relative(folder).generic_string()));
            if (o->common.json)
                say("{}\n", Json({{"sheet", out.string()}}).dump());
            else
                say("wrote {}\nNext: stasigraph bake {} --tier glance\n", out.string(), out.string());
        });
    });
}

}  // namespace cli
