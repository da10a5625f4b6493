// What texels there are, where, and what for.

#include <algorithm>
#include <cmath>
#include <map>

#include "chart/given_uv.hpp"
#include "inspect/check_scene.hpp"

namespace stasigraph {

namespace {

constexpr double dear_share = 0.5;  ///< Of all texels, by one surface.
constexpr double unseen_share = 0.01;
constexpr double worth_a_word = 262144;  ///< Texels; levels with fewer have nothing to save.
constexpr float density_ratio = 4;
constexpr float reach = 0.02f;       ///< Metres over which surfaces count as touching.
constexpr int most_margin_part = 8;  ///< Of a page's side, one part of this many.

void check_costs(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    double all = 0;
    std::size_t mapped = 0;
    std::uint32_t dearest = 0;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const double own = scene.facts[s].texels();
        all += own;
        mapped += own > 0 ? 1 : 0;
        if (own > scene.facts[dearest].texels()) dearest = s;
    }
    if (all < worth_a_word) return;
    const auto finding = [&](std::uint32_t s, const char* id, const std::string& what, std::string remedy) {
        const auto points = scene.points(s, 1, 1, 1);
        out.push_back({.id = id,
                       .severity = Severity::warning,
                       .names = {level.surfaces[s].name},
                       .what = what,
                       .remedy = std::move(remedy),
                       .measure = scene.facts[s].texels() / all,
                       .unit = "of all texels",
                       .at = points.empty() ? scene.facts[s].box.middle() : points[0].at,
                       .facing = points.empty() ? Vec3{} : points[0].normal,
                       .size = std::clamp(2 * length(scene.facts[s].box.half()), 0.2f, 20.0f)});
    };
    const double most = scene.facts[dearest].texels();
    if (mapped > 2 && most > dear_share * all) {
        const double fair = std::sqrt((all - most) / most / 2);
        finding(dearest, "costly-surface",
                level.surfaces[dearest].name + " has " + short_text(100 * most / all) +
                    " % of all texels, more than everything else together.",
                "Give it density = " +
                    short_text(static_cast<double>(level.surfaces[dearest].density) * std::min(fair, 0.5)) +
                    " in a [[surface]], if nobody looks at it closely.");
        out.back().limit = dear_share;
    }
    if (!scene.looks.known) return;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
        if (scene.facts[s].texels() > unseen_share * all && !scene.seen(s)) {
            finding(s, "unseen-surface",
                    "Nobody can see " + level.surfaces[s].name + " from any volume or camera, and it has " +
                        short_text(100 * scene.facts[s].texels() / all) + " % of all texels.",
                    "Write unseen = \"shrink\" under [lightmap], or give it lit_by = \"nothing\".");
            out.back().limit = unseen_share;
        }
}

void check_pages(const CheckScene& scene, Findings& out) {
    const LightmapOptions& map = scene.level.lightmap;
    if (map.margin * most_margin_part <= map.page) return;
    int wanted = map.page;
    while (wanted < map.margin * most_margin_part) wanted *= 2;
    out.push_back({.id = "page-margin",
                   .severity = Severity::warning,
                   .names = {"[lightmap]"},
                   .what = "A margin of " + std::to_string(map.margin) + " texels on pages of " +
                           std::to_string(map.page) + " leaves little for charts.",
                   .remedy = "Use page = " + std::to_string(wanted) +
                             ", or a smaller margin (mips_safe one lower halves it).",
                   .measure = static_cast<double>(map.margin) / map.page,
                   .limit = 1.0 / most_margin_part,
                   .unit = "of a page's side"});
}

/// Looks over the edges of a surface for others that continue it.
void check_density(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    struct Jump {
        std::size_t places = 0;
        SurfacePoint at;
    };
    std::map<std::pair<std::uint32_t, std::uint32_t>, Jump> jumps;
    std::vector<std::vector<std::pair<std::uint32_t, SurfacePoint>>> found(level.surfaces.size());
    scene.job.parallel(found.size(), 1, [&](std::size_t i, std::size_t) {
        const auto s = static_cast<std::uint32_t>(i);
        if (!(scene.facts[s].density > 0)) return;
        const auto count = static_cast<std::uint32_t>(level.meshes[level.surfaces[s].mesh]->triangle_count());
        for (std::uint32_t t = 0; t < count; ++t) {
            const RayCaster::Corners c = scene.corners(s, t);
            const Vec3 p[3] = {c.a, c.b, c.c};
            for (int k = 0; k < 3; ++k) {
                const Vec3 a = p[k], b = p[(k + 1) % 3], along = normalize(b - a);
                // Away from the triangle, in its plane.
                Vec3 aside = normalize(cross(along, c.normal));
                if (dot(aside, p[(k + 2) % 3] - a) > 0) aside = -aside;
                for (const float u : {0.25f, 0.5f, 0.75f}) {
                    const Vec3 at = a + (b - a) * u + aside * (2 * reach);
                    const Hit hit = scene.caster.closest({at + c.normal * reach, -c.normal, 2 * reach});
                    if (hit.surface == none || hit.surface == s || hit.back) continue;
                    const float other = scene.facts[hit.surface].density, own = scene.facts[s].density;
                    if (!(other > 0) || !(own > density_ratio * other)) continue;
                    const RayCaster::Corners h = scene.corners(hit.surface, hit.triangle);
                    if (dot(h.normal, c.normal) > 0.9f)
                        found[s].push_back({hit.surface, {at - aside * (2 * reach), c.normal, s, t}});
                }
            }
        }
    });
    for (std::uint32_t s = 0; s < found.size(); ++s)
        for (const auto& [other, p] : found[s])
            if (Jump& jump = jumps[{s, other}]; jump.places++ == 0) jump.at = p;
    for (const auto& [key, jump] : jumps) {
        const float fine = scene.facts[key.first].density, coarse = scene.facts[key.second].density;
        const std::string a = level.surfaces[key.first].name, b = level.surfaces[key.second].name;
        out.push_back(
            {.id = "density-jump",
             .severity = Severity::warning,
             .names = {a, b},
             .what = a + " has " + short_text(static_cast<double>(fine)) + " texels per metre, and " + b +
                     ", which continues it, " + short_text(static_cast<double>(coarse)) +
                     ": shadows change their sharpness at the joint.",
             .remedy = "Bring their densities within " + short_text(static_cast<double>(density_ratio)) +
                       " times, or put the joint where nobody looks.",
             .measure = static_cast<double>(fine / coarse),
             .limit = static_cast<double>(density_ratio),
             .unit = "times",
             .places = jump.places,
             .at = jump.at.at,
             .facing = jump.at.normal,
             .size = 1});
    }
}

}  // namespace

void check_texels(const CheckScene& scene, Findings& out) {
    check_costs(scene, out);
    check_pages(scene, out);
    check_density(scene, out);
}

void check_given_uvs(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    std::vector<Finding> found(level.surfaces.size());
    std::vector<std::uint8_t> any(found.size(), 0);
    scene.job.parallel(found.size(), 1, [&](std::size_t i, std::size_t) {
        const auto s = static_cast<std::uint32_t>(i);
        const Surface& surface = level.surfaces[s];
        const Mesh& mesh = level.meshes[surface.mesh];
        if (mesh.uv1.empty() || surface.unwrap == UnwrapMode::make || !(scene.facts[s].density > 0)) return;
        const MeshGraph graph =
            make_graph(mesh, shape_of(surface.to_world, static_cast<double>(scene.facts[s].density)));
        const GivenUv given = judge_given_uv(mesh, graph, level.lightmap.margin,
                                             level.lightmap.page - 2 * level.lightmap.margin);
        if (given.flaw == UvFlaw::sound) return;
        const bool kept = surface.unwrap == UnwrapMode::keep && given.flaw != UvFlaw::range;
        const RayCaster::Corners c = scene.corners(s, given.triangle);
        any[i] = 1;
        found[i] = {.id = given.flaw == UvFlaw::range     ? "uv-range"
                          : given.flaw == UvFlaw::overlap ? "uv-overlap"
                                                          : "uv-margin",
                    .severity = kept && given.flaw == UvFlaw::overlap ? Severity::error : Severity::warning,
                    .names = {surface.name},
                    .what = "The lightmap UVs that came with " + surface.name +
                            " are unsound: " + (given.fault.empty() ? given.warning : given.fault) + ".",
                    .remedy = kept ? "Mend them, or write unwrap = \"auto\" for new ones."
                                   : "Mend them; as it is, new ones are made in their place.",
                    .at = (c.a + c.b + c.c) * (1.0f / 3),
                    .facing = c.normal,
                    .size = std::clamp(length(scene.facts[s].box.half()), 0.2f, 4.0f)};
    });
    for (std::size_t i = 0; i < found.size(); ++i)
        if (any[i]) out.push_back(std::move(found[i]));
}

}  // namespace stasigraph
