#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

std::string point_text(Vec3 p) {
    return "[" + to_text(p.x) + ", " + to_text(p.y) + ", " + to_text(p.z) + "]";
}

/// The volume that a level gets by default, for the artist to change; one as an example where it gets none.
std::string probe_entries(const Level& level) {
    const auto at = std::find_if(level.volumes.begin(), level.volumes.end(),
                                 [](const Volume& v) { return v.by_default; });
    const bool own = at != level.volumes.end();
    const Volume v = own ? *at : box_volume("level", {-10, 0, -10}, {10, 4, 10}, 2);
    const std::string key = own ? "" : "# ";
    // Outwards to whole centimetres.
    const auto lower = [](float x) { return std::floor(x * 100) / 100; };
    const auto upper = [](float x) { return std::ceil(x * 100) / 100; };
    const auto [low, high] = bounds_of(v);
    const ProbeOptions options = own ? level.probes : ProbeOptions{.tolerance = 0.05f, .budget = 4000};
    return "\n" + key + "[[volume]]          # where probes light what moves" +
           (own ? ": all of the level, wherever one can stand or fly" : "") +
           "\n# shape = \"box\"      # also \"sphere\" and \"capsule\"\n" + key + "name    = \"" + v.name +
           "\"\n" + key + "low     = " + point_text({lower(low.x), lower(low.y), lower(low.z)}) + "\n" + key +
           "high    = " + point_text({upper(high.x), upper(high.y), upper(high.z)}) + "\n" + key +
           "fill    = [\"explore\", \"walkable\"] # lattice | walkable | explore | objects | light, freely "
           "combined\n" +
           key +
           "seeds   = \"floors\"  # where exploring starts: wherever one can stand, or [[0.0, 1.5, 0.0]]; "
           "the "
           "cameras unless given\n" +
           key + "spacing = " + to_text(v.spacing) +
           "       # metres\n# floor   = \"ground*\" # nothing beneath these\n\n" + key +
           "[probes]            # fewer of them where the light between them is known all the same\n" + key +
           "tolerance = " + to_text(options.tolerance) + "   # of perceptual lightness\n" + key +
           "budget    = " + std::to_string(options.budget) + "   # probes, at most\n";
}

}  // namespace

std::string starter_sheet(const Level& level, const std::string& scene_file) {
    std::string t =
        "# Bake sheet of " + level.name +
        ". Every key is optional; lines with # show what is possible.\n\n"
        "[level]\nscene = \"" +
        scene_file +
        "\"\n\n"
        "[lightmap]\n"
        "density = 16.0      # texels per metre\n"
        "page    = 1024      # texels, a power of two\n"
        "margin  = 4         # texels kept free around each chart\n"
        "# mips_safe = 3     # or: a margin with which pages can be halved three times\n"
        "# pages = 1         # at most so many; the density gives way, evenly\n"
        "# block = 4         # no two charts in one block of a compressed texture\n"
        "# stretch_limit = 1.5 # lower: more even texels, more seams\n"
        "# unseen = \"shrink\" # what nobody can see from the volumes gets least\n\n"
        "[quality]\n"
        "tier    = \"proof\"   # glance | proof | final\n"
        "bounces = \"settle\"  # or a whole number; 0 is direct light only\n"
        "# noise = 0.02      # relative error aimed for; the tier's own when left out\n"
        "# links = 512       # gather rays of every texel, instead of as many as the noise asks for\n"
        "# denoise = \"off\"   # bounced light is smoothed where that brings it nearer the truth\n"
        "# edges = \"sharp\"   # of hard shadows: a texel wide, with a saw, instead of straight over two\n\n"
        "[sky]\n";
    const Rgb sky = level.sky.radiance;
    t += "radiance = [" + to_text(sky.r) + ", " + to_text(sky.g) + ", " + to_text(sky.b) +
         "]   # nit; an open field gets pi times this in lux\n"
         "# image = \"sky.exr\"      # instead: a latitude-longitude picture; turn = 40, gain = 1.0\n"
         "# sun   = \"from image\"   # its bright disc becomes the sun\n"
         "# type  = \"clear\"        # instead: a CIE standard sky that follows the sun; lux = 15000\n\n";
    t += "# Light groups of this level:";
    for (const std::string& g : level.groups) t += " \"" + g + "\"";
    t += "\n";
    bool sun = false;
    for (const Light& light : level.lights)
        if (light.kind == LightKind::sun && !sun) {
            sun = true;
            t += "\n[[light]]\nmatch = \"" + light.name +
                 "\"\n# azimuth   = 210     # degrees clockwise from north (-Z)\n# elevation = 35\n# lux     "
                 "  = 100000\n# kelvin    = 5600\n";
        }
    if (!sun)
        t += "\n# [[light]]           # a sun, if the level wants one\n# name = \"sun\"\n# kind = \"sun\"\n# "
             "lux  = 100000\n# azimuth   = 210     # degrees clockwise from north (-Z)\n# elevation = 35\n";
    for (const Light& light : level.lights)
        if (light.kind != LightKind::sun) {
            t += "\n# [[light]]           # one entry changes every light whose name matches\n# match  = \"" +
                 light.name +
                 "\"\n# group  = \"night lamps\"\n# kelvin = 2700\n# gain   = 1.5\n# radius = 0.05       # "
                 "metres; larger is softer\n";
            break;
        }
    t += "\n# [[surface]]\n# match   = \"" + level.surfaces.front().node +
         "\"\n# density = 0.5       # times the level's density\n# unwrap  = \"make\"    # auto | keep | "
         "make: the UVs it brings along, or new ones\n# lit_by  = \"probes\"  # lightmap | probes "
         "| nothing\n"
         "\n# [[light]]           # a new lamp at every node of a name; also point, spot, disc and tube\n# "
         "name   = "
         "\"panel\"\n# kind   = \"rectangle\"\n# node   = \"panel_*\"\n# width  = 0.6\n# height = 1.2\n# "
         "lumens = 3000    "
         "  # or nit; points and spots also profile = \"lamp.ies\"\n# bake   = \"bounce\"  # whole | bounce "
         "(the game adds the "
         "direct light) | realtime\n"
         "\n# [[set]]             # what the game switches between; groups not named have a gain of 1\n# "
         "name = \"night\"\n# gain = { ";
    for (std::size_t g = 0; g < level.groups.size(); ++g)
        t += (g ? ", \"" : "\"") + level.groups[g] + "\" = 1.0";
    t += " }\n" + probe_entries(level) +
         "\n# [[reflection]]      # what shiny things mirror\n# name   = \"play\"\n# fill   = [\"rooms\", "
         "\"ground\"] # rooms | water | ground, freely combined; or by hand: low, high, capture\n# volume = "
         "\"level\"\n"
         "\n# [[zone]]            # what switches together in the game; walls part what only looks in\n# "
         "name = "
         "\"hall\"\n# low  = [-5.0, 0.0, -5.0]\n# high = [5.0, 4.0, 5.0]\n"
         "\n# [[camera]]\n# name   = \"main\"\n# eye    = [0.0, 1.7, 8.0]\n# toward = [0.0, 1.5, 0.0]\n# fov "
         "   = 50           # degrees, vertical\n";
    return t;
}

}  // namespace stasigraph
