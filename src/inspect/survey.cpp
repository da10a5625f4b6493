#include "stasigraph/survey.hpp"

#include <algorithm>
#include <chrono>
#include <limits>

#include "bake/costs.hpp"
#include "bake/sources.hpp"
#include "chart/shares.hpp"
#include "level/reflection_rules.hpp"
#include "stasigraph/place.hpp"
#include "stasigraph/reflect.hpp"
#include "trace/scene_tree.hpp"
#include "trace/sight.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t sample_rows = 4096;

/// Looks which charts nobody can see, whether they are shrunk already or not.
void count_unseen(const Level& level, const Atlas& atlas, Job& job, Survey& s) {
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_still, job.threads());
    const Sight sight(level, tree->rays(), job);
    if (!sight.knows()) return;
    for (std::uint32_t i = 0; i < level.surfaces.size(); ++i) {
        const SurfaceUv& uv = atlas.surfaces[i];
        if (uv.page == none || atlas.layouts[uv.layout].given) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        std::vector<std::vector<std::uint32_t>> triangles(layout.charts.size());
        std::vector<double> area(layout.charts.size(), 0.0);
        for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const std::uint32_t* c = &layout.indices[3 * std::size_t{t}];
            triangles[layout.chart[t]].push_back(t);
            area[layout.chart[t]] +=
                0.5 * std::abs(static_cast<double>(
                          cross(layout.uv[c[1]] - layout.uv[c[0]], layout.uv[c[2]] - layout.uv[c[0]])));
        }
        for (std::size_t c = 0; c < area.size(); ++c) {
            const double full =
                area[c] / static_cast<double>(layout.charts[c].share * layout.charts[c].share);
            if (full < least_shrunk_area || sight.sees(i, triangles[c])) continue;
            ++s.unseen_charts;
            s.unseen_texels +=
                static_cast<std::size_t>(full * (1 - static_cast<double>(unseen_share * unseen_share)));
        }
    }
}

/// Seconds that some work takes: the least of a few runs, since what else the machine does only adds.
template <class F>
double least_seconds(F work) {
    constexpr int runs = 3;
    double least = std::numeric_limits<double>::max();
    for (int k = 0; k < runs; ++k) {
        const auto start = std::chrono::steady_clock::now();
        work();
        least =
            std::min(least, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    }
    return least;
}

/// Times the first links and the direct light of evenly spread texels, and scales up; what else a bake does
/// is to links as its plan says. Reflections are not counted.
double forecast(const Level& level, const TexelSet& texels, const TierOptions& tier, std::size_t probes,
                Job& job) {
    if (texels.size() == 0) return 0;
    const TextureSet textures(level);
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_in_bake, job.threads());
    const RayCaster& caster = tree->rays();
    const RowSource all = texel_rows(level, texels, level.quality.seed);
    RowSource some;
    const std::size_t step = std::max<std::size_t>(1, all.size() / sample_rows);
    for (std::size_t i = step / 2; i < all.size(); i += step) {
        some.receivers.push_back(all.receivers[i]);
        some.seeds.push_back(all.seeds[i]);
    }
    const std::vector<std::uint32_t> lengths(some.size(), static_cast<std::uint32_t>(tier.first_links));
    const double link_seconds = least_seconds([&] {
        Links links;
        extend_links({level, caster, texels}, {some, lengths}, links, job);
    });
    const SkyLight sky(level.sky);
    const RowSkyWeights weights{
        .open = {static_cast<float>(tier.light_samples), static_cast<float>(tier.first_links)},
        .sample_share = {}};
    const Footprints middles;
    const double direct_seconds = least_seconds([&] {
        for (std::uint32_t g = 0; g < level.groups.size(); ++g)
            for (const BakeRole role : {BakeRole::whole, BakeRole::bounce}) {
                const DirectLight light({level, textures, caster, sky}, g, role);
                light_rows({.light = light,
                            .rows = some,
                            .footprints = middles,
                            .effort = light_effort(tier, level.quality.noise),
                            .weights = weights,
                            .seed = g},
                           job);
            }
    });
    const double share = static_cast<double>(all.size()) / static_cast<double>(some.size());
    const double probe_rays = static_cast<double>(probes) * tier.probe_links /
                              (static_cast<double>(some.size()) * tier.first_links);
    double links_planned = 0, rest_planned = 0;
    for (const PlannedStage& stage : plan_of(level))
        if (stage.stage == Stage::links)
            links_planned = stage.cost;
        else if (stage.stage != Stage::direct_light && stage.stage != Stage::reflections)
            rest_planned += stage.cost;
    const double rest = links_planned > 0 ? rest_planned / links_planned : 0;
    return share * (link_seconds * (1 + rest) + direct_seconds) + link_seconds * probe_rays;
}

}  // namespace

Survey survey(const Level& level, Job& job) {
    const TierOptions tier = tier_options(level.quality);
    const Atlas atlas = unwrap(level, tier.density_scale, job);
    const TexelSet texels = place_texels(level, atlas, job);
    Survey s;
    for (const Mesh& mesh : level.meshes) s.own_triangles += mesh.triangle_count();
    for (std::uint32_t i = 0; i < level.surfaces.size(); ++i) {
        const Surface& surface = level.surfaces[i];
        const TexelGrid &front = texels.grids[2 * i], &back = texels.grids[2 * i + 1];
        s.triangles += level.meshes[surface.mesh]->triangle_count();
        Survey::SurfaceCost cost{.name = surface.name,
                                 .triangles = level.meshes[surface.mesh]->triangle_count(),
                                 .density = atlas.surfaces[i].density};
        for (std::uint32_t t = front.first_texel; t < front.first_texel + front.texel_count; ++t)
            cost.area += static_cast<double>(texels.area[t]);
        s.patches += back.texel_count;
        if (surface.part == Part::moving) {
            ++s.moving;
        } else if (atlas.surfaces[i].page == none) {
            ++s.patched;
            s.patches += front.texel_count;
        } else {
            ++s.lightmapped;
            cost.texels = front.texel_count;
            s.texels += cost.texels;
            s.area += cost.area;
        }
        s.surfaces.push_back(std::move(cost));
    }
    std::stable_sort(s.surfaces.begin(), s.surfaces.end(),
                     [](const auto& a, const auto& b) { return a.texels > b.texels; });
    for (std::uint32_t g = 0; g < level.groups.size(); ++g) {
        Survey::GroupCount count{.name = level.groups[g], .sky = level.sky.group == g};
        for (const Light& light : level.lights) count.lights += light.group == g ? 1 : 0;
        for (const Surface& surface : level.surfaces)
            count.emitters +=
                surface.group == g && max_channel(level.materials[surface.material].emission) > 0 ? 1 : 0;
        s.groups.push_back(std::move(count));
    }
    s.pages = atlas.pages;
    double page_texels = 0;
    for (int side : s.pages) page_texels += static_cast<double>(side) * side;
    if (page_texels > 0) s.coverage = static_cast<float>(static_cast<double>(s.texels) / page_texels);
    s.probes = level.placed ? level.placed->size() : count_candidates(level, job);
    const auto rows = static_cast<double>(s.texels + s.patches);
    s.memory = bake_memory(rows, static_cast<double>(level.groups.size()));
    s.output = page_texels * 8 * static_cast<double>(level.sets.size());
    count_unseen(level, atlas, job, s);
    s.seconds = forecast(level, texels, tier, s.probes, job);
    const auto sets = static_cast<double>(level.sets.size());
    for (const ReflectionProbe& p : place_reflections(level, job)) {
        ++s.reflections;
        s.mirrored += 8 * sets * reflection_texels(1, p.resolution);
        s.seconds += sets * capture_cost(1, p.resolution, level.quality.tier);
    }
    return s;
}

}  // namespace stasigraph
