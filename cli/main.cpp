#include "common.hpp"

int main(int argc, char** argv) {
    CLI::App app{"Bakes the static light of a level into lightmaps and probes."};
    app.name("stasigraph");
    app.set_version_flag("--version", "stasigraph " STASIGRAPH_VERSION);
    app.require_subcommand(1);
    app.footer(
        "Each command has --help with an example. First steps:\n"
        "  stasigraph start hall.glb\n  stasigraph bake hall.toml --tier glance\n  stasigraph view hall.toml "
        "--camera main");
    cli::add_start(app);
    cli::add_survey(app);
    cli::add_check(app);
    cli::add_unwrap(app);
    cli::add_place(app);
    cli::add_bake(app);
    cli::add_status(app);
    cli::add_meter(app);
    cli::add_view(app);
    cli::add_compare(app);
    cli::add_vary(app);
    cli::add_report(app);
    cli::add_pack(app);
    cli::add_play(app);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    return cli::exit_status();
}
