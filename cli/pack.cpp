#include "common.hpp"
#include "stasigraph/game.hpp"
#include "stasigraph/game_file.hpp"

namespace cli {

using namespace stasigraph;

namespace pack_command {

namespace {

struct Options {
    Common common;
    fs::path out, file;
    std::string pixels = "half";
};

/// By chunk, in the order of the file; those under a hundredth of it together.
void print(const runtime::Game& game, double whole) {
    double rest = 0;
    for (std::uint32_t i = 0; i < game.chunk_count(); ++i) {
        const runtime::ChunkInfo c = game.chunk(i);
        const auto size = static_cast<double>(c.size);
        if (size < 0.01 * whole)
            rest += size;
        else
            say("  {:<10} {:>10} {:>5.1f} %\n", c.tag, bytes_text(size), 100 * size / whole);
    }
    say("  {:<10} {:>10} {:>5.1f} %\n", "others", bytes_text(rest), 100 * rest / whole);
}

int surfaces_in(const runtime::Game& game, std::uint32_t zone) {
    int count = 0;
    for (std::uint32_t s = 0; s < game.surface_count(); ++s) count += game.surface(s).zone == zone;
    return count;
}
int probes_in(const runtime::Game& game, std::uint32_t zone) {
    int count = 0;
    for (std::uint32_t p = 0; p < game.probe_count(); ++p) count += game.probe_zone(p) == zone;
    return count;
}

void run(Options& o, Job& job) {
    if (o.out.empty()) o.out = default_output(o.common.level);
    if (o.file.empty()) o.file = o.out / "game.sgl";
    check_target(o.file, o.common.level);
    const BakedLevel b = load_baked(o.common, load(o.common), o.out, "");
    pack_bake(b, o.out, o.file, {.pixels = o.pixels == "rgb9e5" ? GamePixels::rgb9e5 : GamePixels::half},
              job);
    runtime::Game game;
    game.open(o.file.c_str());
    const auto whole = static_cast<double>(fs::file_size(o.file));
    if (o.common.json) {
        Json j = {{"file", o.file.string()}, {"bytes", whole}, {"pixels", o.pixels}, {"stale", b.bake.stale}};
        for (std::uint32_t i = 0; i < game.chunk_count(); ++i)
            j["chunks"].push_back({{"tag", game.chunk(i).tag}, {"bytes", game.chunk(i).size}});
        j["zones"] = Json::array();
        for (std::uint32_t z = 0; z < game.zone_count(); ++z)
            j["zones"].push_back({{"name", game.zone_name(z)},
                                  {"surfaces", surfaces_in(game, z)},
                                  {"probes", probes_in(game, z)}});
        say("{}\n", j.dump(1));
        return;
    }
    say("wrote {}, {}{}\n", o.file.string(), bytes_text(whole),
        o.file == o.out / "game.sgl" ? "; a bake keeps it up to date from now on" : "");
    say("{} sets, {} pages, {} probes, {} reflection probes, {} surfaces\n", game.set_count(),
        game.page_count(), game.probe_count(), game.reflection_count(), game.surface_count());
    print(game, whole);
    for (std::uint32_t z = 0; z < game.zone_count(); ++z)
        say("  zone {}: {} surfaces, {} probes\n", game.zone_name(z), surfaces_in(game, z),
            probes_in(game, z));
    for (std::uint32_t l = 0; l < game.layer_count(); ++l)
        say("  layer {}\n", game.group_name(game.layer(l).group));
    for (std::uint32_t i = 0; i < game.series_count(); ++i)
        say("  series {}: {} sets\n", game.series_name(i), game.series_length(i));
}

}  // namespace

}  // namespace pack_command

void add_pack(const Command& app) {
    using namespace pack_command;
    auto o = std::make_shared<Options>();
    const Command c = app.add_subcommand("pack", "a bake as one file that a game maps into memory");
    add_common(c, o->common, "stasigraph pack observatory.toml --pixels rgb9e5");
    c.add_option("--pixels", o->pixels, "half: four half floats a texel; rgb9e5: half the bytes")
        .check(one_of({"half", "rgb9e5"}));
    add_tier(c, o->common);
    c.add_option("--out", o->out, "the folder of the bake; `baked/LEVEL` beside it unless given");
    c.add_option("--file", o->file, "the file to write; game.sgl in that folder unless given");
    c.callback([o] { guarded(o->common, [&](Job& job) { run(*o, job); }); });
}

}  // namespace cli
