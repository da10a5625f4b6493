// What surfaces reflect and send, what moves, and what reading the files had to say.

#include <algorithm>
#include <cmath>
#include <map>

#include "inspect/check_scene.hpp"

namespace stasigraph {

namespace {

/// Fresh snow reflects 0.9 of light, charcoal 0.02.
constexpr float most_reflected = 0.9f, least_reflected = 0.02f;
constexpr float most_glow = 1e6f;  ///< Nit; the sun's disc has 1.6e9, a lamp's filament a few million.
/// Nit; a dim emissive surface that says nothing of its strength has up to 1.
constexpr float forgotten_strength = 1;

/// Mean of an image as linear light, by up to 64 x 64 of its pixels.
Rgb mean_of(const Image& image) {
    Rgb sum;
    int count = 0;
    const int dx = std::max(1, image.width / 64), dy = std::max(1, image.height / 64);
    for (int y = dy / 2; y < image.height; y += dy)
        for (int x = dx / 2; x < image.width; x += dx) {
            const std::uint8_t* p = &image.rgba[4 * (static_cast<std::size_t>(y) * image.width + x)];
            sum += Rgb{linear_byte(p[0]), linear_byte(p[1]), linear_byte(p[2])};
            ++count;
        }
    return count > 0 ? sum * (1 / static_cast<float>(count)) : Rgb{1, 1, 1};
}

void check_reflectance(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    std::map<std::uint32_t, std::vector<std::uint32_t>> users;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
        if (level.surfaces[s].part != Part::moving && scene.facts[s].area > 0)
            users[level.surfaces[s].material].push_back(s);
    for (const auto& [index, surfaces] : users) {
        const Material& m = level.materials[index];
        if (m.metallic > 0.5f || max_channel(m.emission) > 0 || is_transmissive(m)) continue;
        const Rgb mean =
            m.base_color *
            (m.base_texture.image == none ? Rgb{1, 1, 1} : mean_of(level.images[m.base_texture.image]));
        const float share = luminance(mean);
        if (share <= most_reflected && share >= least_reflected) continue;
        const bool bright = share > most_reflected;
        std::vector<std::string> names{m.name};
        for (const std::uint32_t s : surfaces) names.push_back(level.surfaces[s].name);
        const std::uint32_t largest = *std::max_element(
            surfaces.begin(), surfaces.end(),
            [&](std::uint32_t a, std::uint32_t b) { return scene.facts[a].area < scene.facts[b].area; });
        const ShownSurface p = show_surface(scene, largest);
        out.push_back({.id = bright ? "albedo-bright" : "albedo-dark",
                       .severity = Severity::warning,
                       .names = std::move(names),
                       .what = "Material " + m.name + " reflects " +
                               short_text(100.0 * static_cast<double>(share)) +
                               (bright ? " % of light: it bounces on and on, and looks as if it glowed."
                                       : " % of light: no light will bounce off it, and it shows none."),
                       .remedy = bright ? "Fresh snow reflects 90 %, white paint 80: darken its base colour."
                                        : "Charcoal reflects 4 %, black paint 3: lighten its base colour.",
                       .measure = static_cast<double>(share),
                       .limit = static_cast<double>(bright ? most_reflected : least_reflected),
                       .unit = "of light reflected",
                       .places = surfaces.size(),
                       .at = p.at,
                       .facing = p.facing,
                       .size = p.size});
    }
}

void check_glow(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    const float texel = 1 / (level.lightmap.density * tier_options(level.quality).density_scale);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        if (!scene.glows(s) || surface.part == Part::moving || !(scene.facts[s].area > 0)) continue;
        const float nit = luminance(scene.material(s).emission) * surface.emission_gain;
        const ShownSurface p = show_surface(scene, s);
        const auto side = static_cast<float>(std::sqrt(scene.facts[s].area));
        if (side < texel)
            out.push_back({.id = "small-emitter",
                           .severity = Severity::warning,
                           .names = {surface.name},
                           .what = surface.name + " glows and is smaller than a texel of " +
                                   short_text(100.0 * static_cast<double>(texel)) +
                                   " cm: what it lights close by comes out as a blot.",
                           .remedy = "Put a lamp of the same lumens in its place, or bake at a higher tier.",
                           .measure = static_cast<double>(side),
                           .limit = static_cast<double>(texel),
                           .unit = "m across",
                           .at = p.at,
                           .facing = p.facing,
                           .size = p.size});
        if (nit > most_glow || nit <= forgotten_strength)
            out.push_back(
                {.id = "odd-unit",
                 .severity = nit > most_glow ? Severity::warning : Severity::hint,
                 .names = {surface.name},
                 .what = surface.name + " glows with " + short_text(static_cast<double>(nit)) +
                         " nit: a screen has 200, a frosted bulb 100,000.",
                 .remedy = "Give its material an emissive strength in nit, or its [[surface]] a gain.",
                 .measure = static_cast<double>(nit),
                 .unit = "nit",
                 .at = p.at,
                 .facing = p.facing,
                 .size = p.size});
    }
}

/// What is to be done about remarks, by the id of their finding.
struct Advice {
    const char* finding;
    Severity severity;
    const char* remedy;
};
constexpr Advice advice[] = {
    {"bad-vertices", Severity::warning, "Export the mesh again; clean it of broken vertices."},
    {"bad-normals", Severity::hint,
     "Recompute normals; they are made unit length here, which may not be meant."},
    {"no-area", Severity::hint, "Merge doubled vertices of the mesh."},
    {"bad-transform", Severity::warning, "Give the node a scale over 0 along every axis."},
    {"sheet-no-match", Severity::warning,
     "Mend the glob, or take the entry out; `survey --json` lists names."},
    {"many-suns", Severity::warning, "Delete all but one, or write suns = 2 under [level]."},
    {"no-light", Severity::error, "Add a [sky], a [[light]], or a material that glows."},
    {"page-size", Severity::error, "Use 512, 1024, 2048 or 4096."},
};

}  // namespace

void check_materials(const CheckScene& scene, Findings& out) {
    check_reflectance(scene, out);
    check_glow(scene, out);
}

void check_remarks(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    for (const Remark& r : level.remarks) {
        const auto known = std::find_if(std::begin(advice), std::end(advice),
                                        [&](const Advice& a) { return r.finding == a.finding; });
        if (known == std::end(advice)) continue;
        Finding f{.id = r.finding,
                  .severity = known->severity,
                  .names = {r.name},
                  .what = r.text,
                  .remedy = known->remedy};
        if (r.finding == "page-size") {
            f.measure = r.count;
            f.unit = "texels";
        }
        if (r.finding == "bad-vertices" || r.finding == "bad-normals" || r.finding == "no-area") {
            f.what = short_text(r.count) + (r.finding == "no-area" ? " " : " of the ") + r.text +
                     ", in mesh " + r.name;
            f.measure = r.count;
            f.unit = r.finding == "no-area" ? "triangles" : "vertices";
            for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
                if (level.surfaces[s].mesh != r.mesh) continue;
                if (level.surfaces[s].name != r.name) f.names.push_back(level.surfaces[s].name);
                if (f.at || !(scene.facts[s].area > 0)) continue;
                const ShownSurface p = show_surface(scene, s);
                f.at = p.at;
                f.facing = p.facing;
                f.size = p.size;
            }
        }
        out.push_back(std::move(f));
    }
}

void check_moving(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        if (!(scene.facts[s].area > 0)) continue;
        const bool still = surface.part != Part::moving;
        const ShownSurface p = show_surface(scene, s);
        Finding f{.names = {surface.name}, .at = p.at, .facing = p.facing, .size = p.size};
        if (surface.animated && still) {
            f.id = "animated-but-static";
            f.severity = Severity::error;
            f.what = surface.name + " is animated or skinned, and baked as static: its shadow stays behind.";
            f.remedy = "Give it part = \"moving\".";
            out.push_back(f);
        }
        if (!surface.animated && !still &&
            std::none_of(level.surfaces.begin(), level.surfaces.begin() + s,
                         [&](const Surface& other) { return other.node == surface.node; })) {
            f.id = "moving-without-animation";
            f.severity = Severity::hint;
            f.names = {surface.node};
            f.what = surface.node +
                     " is a moving part that no animation moves: it gets no lightmap, and "
                     "casts no baked shadow.";
            f.remedy = "Give it part = \"static\" unless the game moves it; then accept this.";
            out.push_back(f);
        }
        if (determinant(surface.to_world) < 0 && still) {
            f.id = "mirrored";
            f.severity = Severity::hint;
            f.what = surface.name +
                     " has a transform that mirrors: normal maps on it and its winding may "
                     "come out turned in a game.";
            f.remedy = "Apply the scale in the modelling program.";
            out.push_back(f);
        }
    }
}

}  // namespace stasigraph
