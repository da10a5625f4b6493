#include <chrono>

#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace {

Json shared_json(const std::vector<SharedTexels>& shared) {
    Json list = Json::array();
    for (const SharedTexels& t : shared)
        list.push_back({{"surface", t.surface},
                        {"texels", t.texels},
                        {"at", vec(t.at)},
                        {"set", t.set},
                        {"lux", {t.dark, t.bright}},
                        {"wall_m", t.wall},
                        {"density_that_parts", t.density},
                        {"thickness_that_parts_m", t.thickness}});
    return list;
}

/// Where texels are too large for a wall, and what would part both sides.
void say_shared(const std::vector<SharedTexels>& shared) {
    constexpr std::size_t most = 5;
    for (std::size_t i = 0; i < std::min(shared.size(), most); ++i) {
        const SharedTexels& t = shared[i];
        const std::string wall = t.wall > 0 ? fmt::format("a wall of {:.3g} m", t.wall) : "a sheet",
                          remedy = t.wall > 0
                                       ? fmt::format("{:.0f} texels per metre, or {:.2g} m of wall, part them",
                                                     std::ceil(t.density), t.thickness)
                                       : fmt::format("end the surface at it, make it {:.2g} m thick, or use {:.0f} texels "
                                                     "per metre to keep that within 5 cm of it",
                                                     t.thickness, std::ceil(t.density));
        say("{}: {} texels on either side of {} share light, most at {:.2f}, {:.2f}, {:.2f} ({:.3g} and {:.3g} "
            "lux, set {}); {}\n",
            t.surface, t.texels, wall, t.at.x, t.at.y, t.at.z, t.dark, t.bright, t.set, remedy);
    }
    if (shared.size() > most)
        say("{} more surfaces share light across walls; --json lists them\n", shared.size() - most);
}

}  // namespace

void add_bake(CLI::App& app) {
    struct Options {
        Common common;
        fs::path out;
        std::string tier, bounces;
        std::vector<std::string> sets;
        float noise = 0;
        bool repack = false;
    };
    auto o = std::make_shared<Options>();
    CLI::App* c = app.add_subcommand("bake", "bake lightmaps and probes for every set");
    add_common(*c, o->common, "stasigraph bake observatory.toml --tier glance");
    c->add_option("--out", o->out, "the folder to write; `baked` beside the level unless given");
    c->add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        ->check(CLI::IsMember({"glance", "proof", "final"}));
    c->add_option("--bounces", o->bounces, "a whole number, or settle; the sheet's unless given");
    c->add_option("--noise", o->noise,
                  "relative standard error to aim for; the sheet's or the tier's unless given")
        ->check(CLI::Range(0.001, 1.0));
    c->add_option("--set", o->sets, "write only this set; may be repeated");
    c->add_flag("--repack", o->repack,
                "pack the pages afresh, instead of keeping the places of what is unchanged");
    c->callback([o] {
        if (!o->bounces.empty() && o->bounces != "settle" &&
            (o->bounces.size() > 4 || o->bounces.find_first_not_of("0123456789") != std::string::npos))
            throw CLI::ValidationError("--bounces",
                                       "needs a whole number or settle, not \"" + o->bounces + "\"");
        guarded(o->common, [&](Job& job) {
            const auto start = std::chrono::steady_clock::now();
            Level level = load(o->common);
            if (!o->tier.empty())
                level.quality.tier = o->tier == "glance"  ? Tier::glance
                                     : o->tier == "final" ? Tier::final
                                                          : Tier::proof;
            if (o->bounces == "settle")
                level.quality.bounces.reset();
            else if (!o->bounces.empty())
                level.quality.bounces = std::stoi(o->bounces);
            if (o->noise > 0) level.quality.noise = o->noise;
            for (const std::string& set : o->sets) set_index(level, set);
            const fs::path out = o->out.empty() ? default_output(o->common.level) : o->out;
            check_writable(out);
            Atlas atlas;
            if (!o->repack) atlas = earlier_atlas(level, atlas_folders(o->common, out), job);
            const Baked baked = bake(level, atlas, job,
                                     open_store(default_cache(o->common.level),
                                                [&](const std::string& text) { job.note(text); }));
            const auto times = job.times();
            const std::vector<fs::path> files = save_bake(out, o->common.level, level, atlas, baked, o->sets);
            const double seconds =
                std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
            const BakeFigures& f = baked.figures;
            if (o->common.json) {
                Json j = {{"out", out.string()},        {"seconds", seconds},
                          {"texels", f.texels},         {"patches", f.patches},
                          {"buried_texels", f.buried},  {"moved_texels", f.moved}, {"hidden_texels", f.hidden},
                          {"links", f.links},
                          {"mean_links", f.mean_links}, {"noise", f.noise},
                          {"bounces", f.bounces},       {"area_m2", f.area},
                          {"seam_jump", f.seam},        {"seam_jump_before", f.seam_before},
                          {"probes", f.probes},         {"buried_probes", f.buried_probes},
                          {"pages", atlas.pages}};
                for (const auto& t : times) j["stages"].push_back({{"name", t.name}, {"seconds", t.seconds}});
                j["shared_texels"] = shared_json(baked.shared);
                for (const auto& p : files) j["files"].push_back(p.string());
                say("{}\n", j.dump(1));
                return;
            }
            say("{} texels and {} patches, {:.1f} million links ({:.0f} a texel), noise about {:.1f} %, {} "
                "bounces\n",
                count_text(static_cast<double>(f.texels)), count_text(static_cast<double>(f.patches)),
                static_cast<double>(f.links) / 1e6, f.mean_links, f.noise * 100, f.bounces);
            if (f.buried + f.hidden + f.moved > 0)
                say("{} texels lie inside geometry and {} beyond a wall where nothing can look: filled from their "
                    "neighbours; {} lie inside in part and were sampled in the rest\n",
                    count_text(static_cast<double>(f.buried)), count_text(static_cast<double>(f.hidden)),
                    count_text(static_cast<double>(f.moved)));
            say_shared(baked.shared);
            say("light jumps by {:.1f} % over seams, {:.1f} % before they were fitted\n", f.seam * 100,
                f.seam_before * 100);
            if (f.probes > 0)
                say("{} probes, {} of them inside geometry and unused\n", f.probes, f.buried_probes);
            if (!o->common.quiet) {
                std::string stages;
                for (const auto& t : times)
                    stages +=
                        fmt::format("{}{} {}", stages.empty() ? "" : ", ", t.name, seconds_text(t.seconds));
                say("time: {}\n", stages);
            }
            say("wrote {} files to {} in {}\n", files.size(), out.string(), seconds_text(seconds));
        });
    });
}

}  // namespace cli
