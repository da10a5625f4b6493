#include "common.hpp"

int main(int argc, char** argv) {
    const int usage = cli::run_tool(argc, argv, [](const cli::Command& tool) {
        tool.footer(
            "Each command has --help with an example. First steps:\n"
            "  stasigraph start hall.glb\n  stasigraph bake hall.toml --tier glance\n"
            "  stasigraph view hall.toml --camera main");
        cli::add_start(tool);
        cli::add_survey(tool);
        cli::add_check(tool);
        cli::add_unwrap(tool);
        cli::add_place(tool);
        cli::add_bake(tool);
        cli::add_status(tool);
        cli::add_meter(tool);
        cli::add_view(tool);
        cli::add_compare(tool);
        cli::add_vary(tool);
        cli::add_report(tool);
        cli::add_pack(tool);
        cli::add_play(tool);
    });
    return usage != 0 ? usage : cli::exit_status();
}
