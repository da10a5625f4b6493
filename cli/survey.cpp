#include "common.hpp"

namespace cli {

using namespace stasigraph;

namespace survey_command {

namespace {

Json to_json(const Level& level, const Survey& s) {
    Json j = {
        {"surfaces", {{"lightmapped", s.lightmapped}, {"patches_only", s.patched}, {"moving", s.moving}}},
        {"triangles", s.triangles},
        {"parts",
         {{"surfaces_cut", level.parts.cut},
          {"parts", level.parts.parts},
          {"two_sided", level.parts.two_sided},
          {"triangles_added", level.parts.triangles},
          {"triangles_covered", level.parts.covered},
          {"covered_m2", level.parts.covered_area},
          {"left_whole", level.parts.whole}}},
        {"triangles_without_instances", s.own_triangles},
        {"area_m2", s.area},
        {"texels", s.texels},
        {"patches", s.patches},
        {"probes", s.probes},
        {"reflections", s.reflections},
        {"reflection_bytes", s.mirrored},
        {"pages", s.pages},
        {"coverage", s.coverage},
        {"unseen", {{"charts", s.unseen_charts}, {"texels_saved", s.unseen_texels}}},
        {"memory_bytes", s.memory},
        {"lightmap_bytes", s.output},
        {"forecast_seconds", s.seconds}};
    for (const auto& g : s.groups)
        j["groups"].push_back(
            {{"name", g.name}, {"lights", g.lights}, {"emissive_surfaces", g.emitters}, {"sky", g.sky}});
    for (const auto& c : s.surfaces)
        j["by_surface"].push_back({{"name", c.name},
                                   {"texels", c.texels},
                                   {"triangles", c.triangles},
                                   {"area_m2", c.area},
                                   {"density", c.density}});
    for (const SettingValue& v : settings_of(level)) j["settings"].push_back(setting_json(v));
    return j;
}

void print(const Level& level, const Survey& s) {
    say("{}, tier {}\n", level.name, tier_name(level.quality.tier));
    say("  surfaces   {} with lightmaps, {} that only bounce, {} moving; {} triangles ({} without "
        "instances)\n",
        s.lightmapped, s.patched, s.moving, s.triangles, s.own_triangles);
    const PartFigures& p = level.parts;
    if (p.parts + p.covered > 0)
        say("  parts      {} surfaces cut into {} more along walls, {} for a second side; {} triangles more "
            "({:.1f} %); {:.0f} m2 covered\n",
            p.cut, p.parts, p.two_sided, p.triangles,
            100.0 * static_cast<double>(p.triangles) /
                static_cast<double>(
                    std::max<std::size_t>(1, s.triangles - std::min(s.triangles, p.triangles))),
            p.covered_area);
    std::string pages;
    for (int side : s.pages) pages += (pages.empty() ? "" : ", ") + std::to_string(side);
    say("  lightmaps  {} texels on {} page{} of {}; {:.0f} % covered; {:.0f} m2; {} in the game\n",
        count_text(static_cast<double>(s.texels)), s.pages.size(), s.pages.size() == 1 ? "" : "s",
        pages.empty() ? "-" : pages, s.coverage * 100, s.area, bytes_text(s.output));
    if (s.unseen_charts > 0)
        say("  unseen     {} charts that nobody can see: unseen = \"shrink\" {} {} texels ({:.1f} %)\n",
            s.unseen_charts, level.lightmap.shrink_unseen ? "saves" : "would save",
            count_text(static_cast<double>(s.unseen_texels)),
            100.0 * static_cast<double>(s.unseen_texels) /
                static_cast<double>(s.texels + (level.lightmap.shrink_unseen ? s.unseen_texels : 0)));
    const bool thinned = level.probes.tolerance > 0 || level.probes.budget > 0;
    say("  bounce     {} patches; probes: {}{}\n", count_text(static_cast<double>(s.patches)), s.probes,
        thinned && !level.placed ? " before they are thinned" : "");
    if (s.reflections > 0)
        say("  mirrors    {} reflection probes; {} in the game\n", s.reflections, bytes_text(s.mirrored));
    for (const auto& g : s.groups)
        say("  group      {:<14} {} lights, {} emissive surfaces{}\n", g.name, g.lights, g.emitters,
            g.sky ? ", the sky" : "");
    say("  a bake     about {} and {} of memory\n\n", seconds_text(s.seconds), bytes_text(s.memory));
    say("  {:<32} {:>9} {:>9} {:>9} {:>8}\n", "costliest surfaces", "texels", "share", "m2", "per m");
    std::size_t shown = 0;
    for (const auto& c : s.surfaces) {
        if (c.texels == 0 || ++shown > 12) break;
        say("  {:<32} {:>9} {:>8.1f}% {:>9.1f} {:>8.1f}\n", c.name, c.texels,
            100.0 * static_cast<double>(c.texels) / static_cast<double>(s.texels), c.area, c.density);
    }
}

}  // namespace

}  // namespace survey_command

void add_survey(const Command& app) {
    using namespace survey_command;
    auto o = std::make_shared<Common>();
    const Command c = app.add_subcommand("survey", "what is in the level and what its bake will cost");
    add_common(c, *o, "stasigraph survey observatory.toml");
    c.add_option("--tier", o->tier, "glance, proof or final; the sheet's unless given")
        .check(one_of({"glance", "proof", "final"}));
    c.callback([o] {
        guarded(*o, [&](Job& job) {
            Level level = load(*o);
            if (!o->tier.empty()) level.quality.tier = *tier_named(o->tier);
            const Survey s = survey(level, job);
            if (o->json) {
                Json j = to_json(level, s);
                j["tier"] = tier_name(level.quality.tier);
                say("{}\n", j.dump(1));
            } else {
                print(level, s);
            }
        });
    });
}

}  // namespace cli
