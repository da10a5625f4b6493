#include <algorithm>
#include <utility>

#include "bake/guide_denoise.hpp"
#include "bake/occlusion.hpp"
#include "bake/open_places.hpp"
#include "bake/set_pages.hpp"
#include "bake/shared_texels.hpp"
#include "bake/sources.hpp"
#include "bake/visibility.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/bake.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// Times a texel's, the samples of a light at a probe.
constexpr int probe_light_samples = 8;

/// Everything a group's explicit samples depend on besides geometry.
struct GroupSources {
    std::vector<Light> lights;
    std::vector<Profile> profiles;
    std::vector<std::pair<std::uint32_t, Rgb>> emitters;
    std::optional<Sky> sky;
    float noise = 0, floor = 0;
    friend bool operator==(const GroupSources&, const GroupSources&) = default;
};

/// Lux of a group below which its noise is not seen under any set; 0 where a set that shows it is metered, since
/// its light is not known yet.
float unseen_light_of(const Level& level, std::uint32_t group) {
    float least = 0;
    for (const BakeSet& set : level.sets) {
        if (!(set.gains[group] > 0)) continue;
        if (!set.exposure) return 0;
        const float here = unseen_light(*set.exposure) / set.gains[group];
        least = least > 0 ? std::min(least, here) : here;
    }
    return least;
}

GroupSources sources_of(const Level& level, std::uint32_t group) {
    GroupSources s{.noise = level.quality.noise, .floor = unseen_light_of(level, group)};
    for (const Light& light : level.lights)
        if (light.group == group && light.role != BakeRole::live) s.lights.push_back(light);
    for (const Light& light : s.lights)
        if (light.profile != none) s.profiles = level.profiles;
    if (level.sky.group == group && level.sky.kind != SkyKind::constant) s.sky = level.sky;
    for (std::uint32_t i = 0; i < level.surfaces.size(); ++i)
        if (level.surfaces[i].group == group && level.surfaces[i].part != Part::moving)
            s.emitters.push_back(
                {i, level.materials[level.surfaces[i].material].emission * level.surfaces[i].emission_gain});
    return s;
}

std::uint32_t group_seed(const Level& level, std::uint32_t group) {
    std::uint32_t h = 0x67726f75u;
    for (const char c : level.groups[group]) h = combine_bits(h, static_cast<unsigned char>(c));
    return h;
}

/// What rays saw of materials when the links were recorded.
bool same_passage(const Material& a, const Material& b) {
    if (lets_through(a) != lets_through(b) || a.double_sided != b.double_sided) return false;
    return !lets_through(a) ||
           (a.alpha_mode == b.alpha_mode && a.alpha == b.alpha && a.alpha_cutoff == b.alpha_cutoff &&
            tints(a) == tints(b) &&
            (!tints(a) || (a.transmission == b.transmission && a.base_color == b.base_color)));
}

/// The sources of a level as one light() call sees them.
struct Sources {
    const Level& level;
    SkyLight sky;
    RowSkyWeights weights;
    SkyWeights probe_weights;
    // By group; the second are the lights of which bounces alone are baked.
    std::vector<DirectLight> whole, bounce;

    Sources(const Level& l, const TextureSet& textures, const RayCaster& caster, const TierSettings& tier,
            const std::vector<float>& explicit_worth)
        : level(l), sky(l.sky) {
        const auto count = [](int n) { return static_cast<float>(n); };
        // By the tier's own number of links, so that any other number shows the same light by links.
        const TierSettings own = tier_settings(l.quality.tier);
        weights.open = {count(own.light_samples), count(own.first_links)};
        weights.worth = explicit_worth;
        probe_weights = {count(probe_light_samples * tier.light_samples), count(tier.probe_links)};
        for (std::uint32_t g = 0; g < l.groups.size(); ++g) {
            whole.emplace_back(l, textures, caster, sky, g, BakeRole::whole);
            bounce.emplace_back(l, textures, caster, sky, g, BakeRole::bounce);
        }
    }
    Sources(const Sources&) = delete;
    Sources& operator=(const Sources&) = delete;
};

Footprint footprint_of(const Level& level, const TexelSet& texels, std::uint32_t i) {
    const Mesh& mesh = level.meshes[level.surfaces[texels.grid[i] / 2].mesh];
    if (mesh.uv0.empty()) return {};
    const UvTriangle& uv = texels.uv_of(i);
    const float turn = cross(uv.ab, uv.ac);
    if (!(std::abs(turn) > 1e-12f)) return {};
    const Vec2 corner = mesh_uv(mesh, texels.triangle[i], 0, 0);
    const Vec2 b = mesh_uv(mesh, texels.triangle[i], 1, 0) - corner,
               c = mesh_uv(mesh, texels.triangle[i], 0, 1) - corner;
    // The inverse of the map from barycentrics to texels, then on to the texture's UVs.
    return {b * (uv.ac.y / turn) - c * (uv.ab.y / turn), c * (uv.ab.x / turn) - b * (uv.ac.x / turn)};
}

/// What the normal maps of materials make of the texels' normals, on average.
std::vector<Vec3> bent_normals(const Level& level, const TextureSet& textures, const TexelSet& texels,
                               const std::vector<Footprint>& footprint, Job& job) {
    std::vector<Vec3> out(texels.size());
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const float side = texels.grid[i] % 2 == 1 ? -1.0f : 1.0f;
            out[i] = textures.mapped_normal(level, level.surfaces[texels.grid[i] / 2], texels.triangle[i],
                                            texels.barycentric[i], footprint[i], texels.normal[i] * side,
                                            texels.face_normal[i] * side) *
                     side;
        }
    });
    return out;
}

}  // namespace

struct Baker::State {
    Level level;
    TierSettings tier;
    TextureSet textures;
    RayCaster caster;
    Atlas atlas;
    TexelSet texels;
    std::vector<Footprint> footprint;
    Footprints footprints;
    RowSource rows, probe_rows;
    Links links, probe_links;
    std::vector<std::uint8_t> valid;
    std::vector<std::uint8_t> hidden;  ///< Valid, but nothing can look at them: pages are filled there.
    std::size_t moved = 0;
    std::vector<SharedPair> shared;
    std::vector<float> explicit_worth;  ///< Of explicit samples of the sky, for each row.
    SlopeRows sloped;  ///< Texels whose slopes pages show, and those they are smoothed with.
    std::vector<Vec3> bent;  ///< Normals by the materials' maps; empty where pages do not show them.
    std::vector<PagePlan> plans;
    SeamPlan seams;
    ProbeNet probes;

    /// Explicit samples of a group, kept while its sources stay the same.
    struct GroupCache {
        std::string name;
        GroupSources sources;
        std::vector<Rgb> texels;
        std::vector<Slope> slopes;  ///< By row of `sloped`.
        std::vector<Rgb> bounce;    ///< Of lights whose direct light stays live; empty where there are none.
        std::vector<ShRgb> probes;
    };
    std::vector<GroupCache> cache;
    VisibilityCache visibility;
    OcclusionSettings occlusion_of;  ///< What `occlusion` was made for.
    Denoise occlusion_smoothed = Denoise::off;
    std::vector<OcclusionPage> occlusion;
    std::optional<TexelGraph> graph;  ///< Made when first wanted.

    // The last light() call: as solved, without what comes by links from surfaces, as it is shown, and the
    // slopes of that.
    LightField light, direct, shown, slopes;
    std::vector<BakeSet> sets;

    State(Level l, Job& job, const Atlas* previous);
    std::vector<Rgb> albedo(const Level& lit, Job& job) const;
    std::vector<GroupCache> light_groups(const Sources& sources, Job& job);
    std::vector<float> sky_by_links(const Sources& sources, Job& job) const;
    void finish_light(const Sources& sources, const std::vector<Rgb>& albedo,
                      const std::vector<std::uint32_t>& lengths, Job& job);
    LightField slopes_by_links(const Sources& sources, const std::vector<Rgb>& albedo,
                               const std::vector<std::uint32_t>& lengths, Job& job) const;
    LightField gather_sources(const Sources& sources, const std::vector<std::uint32_t>& lengths,
                              Job& job) const;
    std::vector<std::uint8_t> lightmapped() const;
    const std::vector<OcclusionPage>& occlude(const Level& lit, Job& job);
    std::vector<ProbeLight> solve_probes(const Sources& sources, const std::vector<Rgb>& albedo,
                                         Job& job) const;
    /// A group's share of `field` that goes into the lightmap: without the direct light that stays live.
    Rgb baked_part(const LightField& field, std::size_t texel, std::size_t group) const {
        const Rgb e = field.get(texel, group);
        if (cache[group].bounce.empty() || !valid[texel]) return e;
        const Rgb live = cache[group].bounce[texel];
        return {std::max(0.0f, e.r - live.r), std::max(0.0f, e.g - live.g), std::max(0.0f, e.b - live.b)};
    }
    BakeFigures figures(const std::vector<float>& noise, const std::vector<std::uint32_t>& row_length,
                        int bounces) const;
};

Baker::State::State(Level l, Job& job, const Atlas* previous)
    : level(std::move(l)),
      tier(tier_settings(level.quality)),
      textures(level),
      caster(level, textures, [](const Surface& s) { return s.part != Part::moving; }),
      atlas(unwrap(level, tier.density_scale, job, previous)),
      texels(place_texels(level, atlas, job)) {
    rows = texel_rows(level, texels, level.quality.seed);
    lift_receivers(level, texels, caster, rows, job);
    const auto first = static_cast<std::uint32_t>(tier.first_links);
    job.begin("links", rows.size());
    extend_links(level, caster, texels, rows, std::vector<std::uint32_t>(rows.size(), first), links, job);
    valid = find_valid(links);
    moved = move_to_open(level, caster, texels, rows, links, valid, job);
    lead_past_buried(caster, texels, rows, valid, valid, links, job);
    shared = find_shared(texels, lightmapped(), caster, job);
    hidden = find_hidden(texels, lightmapped(), links, shared);
    footprints = Footprints(texels, valid, caster, job);
    explicit_worth = explicit_sky_worth(texels, valid, links, job);
    std::vector<std::uint8_t> on_pages = valid;
    for (std::size_t i = 0; i < hidden.size(); ++i) on_pages[i] &= hidden[i] ? 0 : 1;
    plans = plan_pages(atlas, texels, on_pages, job);
    seams = plan_seams(level, atlas, plans, job);

    probes = place_lattices(level.volumes);
    probe_rows = stasigraph::probe_rows(probes, level.quality.seed);
    std::vector<float> distances;
    job.begin("probe links", probes.size());
    extend_links(level, caster, texels, probe_rows,
                 std::vector<std::uint32_t>(probes.size(), static_cast<std::uint32_t>(tier.probe_links)),
                 probe_links, job, &distances);
    measure_probes(probe_rows, probe_links, distances, probes, job);
    lead_past_buried(caster, texels, probe_rows, std::vector<std::uint8_t>(probe_rows.size(), 1), valid,
                     probe_links, job);

    footprint.resize(texels.size());
    for (std::uint32_t i = 0; i < texels.size(); ++i) footprint[i] = footprint_of(level, texels, i);
    const bool directional = level.lightmap.shape == LightmapShape::directional;
    if (!directional && !has_normal_maps(level)) return;
    std::vector<std::uint8_t> shown_slopes = lightmapped();
    if (!directional) {
        bent = bent_normals(level, textures, texels, footprint, job);
        for (std::size_t i = 0; i < bent.size(); ++i)
            if (bent[i] == texels.normal[i]) shown_slopes[i] = 0;
        graph = connect_texels(texels, lightmapped(), caster, job);
        sloped = SlopeRows(shown_slopes, grown(*graph, shown_slopes, smoothing_steps));
    } else {
        sloped = SlopeRows(shown_slopes, shown_slopes);
    }
}

std::vector<Rgb> Baker::State::albedo(const Level& lit, Job& job) const {
    std::vector<Rgb> out(texels.size());
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Surface& s = lit.surfaces[texels.grid[i] / 2];
            out[i] = textures.mean_albedo(lit, s, texels.triangle[i], texels.barycentric[i], footprint[i]);
        }
    });
    return out;
}

std::vector<Baker::State::GroupCache> Baker::State::light_groups(const Sources& sources, Job& job) {
    const Level& lit = sources.level;
    const LightEffort effort = light_effort(tier, lit.quality.noise);
    // Probes are few, and take light from all around.
    LightEffort for_probes = effort;
    for_probes.samples = probe_light_samples * tier.light_samples;
    for_probes.cut = 2 * tier.light_cut;
    std::vector<GroupCache> result;
    job.begin("direct light", rows.size() * lit.groups.size());
    for (std::uint32_t g = 0; g < lit.groups.size(); ++g) {
        GroupSources now = sources_of(lit, g);
        const auto kept = std::find_if(cache.begin(), cache.end(), [&](const GroupCache& c) {
            return c.name == lit.groups[g] && c.sources == now;
        });
        if (kept != cache.end()) {
            result.push_back(std::move(*kept));
            kept->name.clear();
            job.advance(rows.size());
            continue;
        }
        const std::uint32_t seed = group_seed(lit, g);
        const float floor = now.floor;
        GroupCache& fresh = result.emplace_back(GroupCache{lit.groups[g], std::move(now), {}, {}, {}, {}});
        const DirectPass pass{.light = sources.whole[g],
                        .rows = rows,
                        .footprints = footprints,
                        .effort = effort,
                        .weights = sources.weights,
                        .seed = seed,
                        .floor = floor,
                        .slopes = sloped.empty() ? nullptr : &sloped};
        DirectTexels whole =
            light_texels(pass, texels, valid,
                         g == lit.sky.group ? sky_by_links(sources, job) : std::vector<float>{}, job);
        fresh.texels = std::move(whole.light);
        fresh.slopes = std::move(whole.slope);
        if (!sources.bounce[g].empty()) {
            const DirectPass bounce{.light = sources.bounce[g],
                                    .rows = rows,
                                    .footprints = footprints,
                                    .effort = effort,
                                    .weights = sources.weights,
                                    .seed = mix_bits(seed),
                                    .floor = floor};
            fresh.bounce = light_texels(bounce, texels, valid, {}, job).light;
        }
        fresh.probes =
            light_probes(sources.whole[g], probe_rows, for_probes, sources.probe_weights, seed, job);
    }
    return result;
}

/// Luminance of the sky that the first links of each texel see, lux.
std::vector<float> Baker::State::sky_by_links(const Sources& sources, Job& job) const {
    std::vector<float> out(texels.size());
    const auto first = static_cast<std::uint32_t>(tier.first_links);
    job.parallel(texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (valid[i])
                out[i] =
                    luminance(gathered_sky_sum(sources.sky, rows, links, i, first, sources.weights.at(i))) *
                    (pi / static_cast<float>(first));
    });
    return out;
}

LightField Baker::State::gather_sources(const Sources& sources, const std::vector<std::uint32_t>& lengths,
                                        Job& job) const {
    const Level& lit = sources.level;
    LightField field(texels.size(), lit.groups.size());
    job.parallel(texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!valid[i]) continue;  // whatever a buried texel is lit by is inside geometry
            for (std::uint32_t g = 0; g < lit.groups.size(); ++g) {
                field.add(i, g, cache[g].texels[i]);
                if (!cache[g].bounce.empty()) field.add(i, g, cache[g].bounce[i]);
            }
            if (lit.sky.group == none) continue;
            field.add(i, lit.sky.group,
                      gathered_sky_sum(sources.sky, rows, links, i, lengths[i], sources.weights.at(i)) *
                          (pi / static_cast<float>(lengths[i])));
        }
    });
    return field;
}

/// Which texels a page shows.
std::vector<std::uint8_t> Baker::State::lightmapped() const {
    std::vector<std::uint8_t> wanted(texels.size());
    for (std::size_t i = 0; i < texels.size(); ++i)
        wanted[i] =
            valid[i] && (hidden.empty() || !hidden[i]) && texels.grid[i] % 2 == 0 && atlas.surfaces[texels.grid[i] / 2].page != none ? 1 : 0;
    return wanted;
}

const std::vector<OcclusionPage>& Baker::State::occlude(const Level& lit, Job& job) {
    if (occlusion_of == lit.occlusion && occlusion_smoothed == lit.quality.denoise) return occlusion;
    occlusion.clear();
    occlusion_of = lit.occlusion;
    occlusion_smoothed = lit.quality.denoise;
    if (!(lit.occlusion.reach > 0)) return occlusion;
    job.begin("occlusion", 1);
    const std::vector<std::uint8_t> wanted = lightmapped();
    const bool smooth = lit.quality.denoise == Denoise::automatic;
    if (smooth && !graph) graph = connect_texels(texels, wanted, caster, job);
    const std::vector<float> open = measure_openness({.texels = texels,
                                                      .rows = rows,
                                                      .caster = caster,
                                                      .wanted = wanted,
                                                      .graph = smooth ? &*graph : nullptr,
                                                      .reach = lit.occlusion.reach,
                                                      .rays = tier.occlusion_rays},
                                                     job);
    std::vector<PageImage> pages = finish_pages(
        plans, [&](std::size_t i) { return Rgb{open[i], open[i], open[i]}; }, job);
    for (std::size_t p = 0; p < pages.size(); ++p) {
        fill_rest(plans[p], pages[p]);
        OcclusionPage& page = occlusion.emplace_back();
        page.side = pages[p].side;
        for (const Rgb& c : pages[p].texels) page.texels.push_back(c.r);
    }
    return occlusion;
}

/// The solved light as it is shown: what came by links smoothed, while explicit light keeps its shadow edges;
/// and its slopes.
void Baker::State::finish_light(const Sources& sources, const std::vector<Rgb>& albedo,
                                const std::vector<std::uint32_t>& lengths, Job& job) {
    const std::size_t groups = sources.level.groups.size();
    const bool smooth = sources.level.quality.denoise == Denoise::automatic;
    shown = light;
    slopes = {};
    if (!smooth && sloped.empty()) return;
    const std::vector<std::uint8_t> wanted = lightmapped();
    if (!sloped.empty()) slopes = slopes_by_links(sources, albedo, lengths, job);
    const auto each_explicit = [&](float sign, LightField& field) {
        job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                for (std::size_t g = 0; valid[i] && g < groups; ++g) {
                    field.add(i, g, cache[g].texels[i] * sign);
                    if (!cache[g].bounce.empty()) field.add(i, g, cache[g].bounce[i] * sign);
                }
        });
    };
    if (smooth) {
        if (!graph) graph = connect_texels(texels, wanted, caster, job);
        each_explicit(-1, shown);
        DenoiseGuide guide = guide_denoise({.texels = texels,
                                                  .rows = rows,
                                                  .links = links,
                                                  .lengths = lengths,
                                                  .wanted = wanted,
                                                  .graph = *graph,
                                                  .albedo = albedo,
                                                  .light = light,
                                                  .groups = groups,
                                                  .sky = sources.sky,
                                                  .weights = sources.weights,
                                                  .sky_group = sources.level.sky.group},
                                                 job);
        guide.strength = tier.smoothing;
        const SlopesToSmooth to_smooth{sloped, slopes};
        denoise(texels, *graph, wanted, guide, shown, sloped.empty() ? nullptr : &to_smooth, job);
        each_explicit(1, shown);
    }
    job.parallel(sloped.texel.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t g = 0; g < groups; ++g) add_slope(slopes, row, g, cache[g].slopes[row]);
    });
}

LightField Baker::State::slopes_by_links(const Sources& sources, const std::vector<Rgb>& albedo,
                                         const std::vector<std::uint32_t>& lengths, Job& job) const {
    HalfField sent;
    reflect(light, albedo, sent, job);
    LightField field = link_slopes(links, lengths, rows, sloped, sent, sources.level.groups.size(), job);
    const std::uint32_t sky = sources.level.sky.group;
    job.parallel(sky == none ? 0 : sloped.texel.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row) {
            const std::uint32_t i = sloped.texel[row];
            const float share = pi / static_cast<float>(lengths[i]);
            Slope sum;
            gathered_sky(sources.sky, rows, links, i, lengths[i], sources.weights.at(i),
                         [&](std::uint32_t, Vec3 w, Rgb e) {
                             sum += slope_along(e * share, gathered_slope(rows.receivers[i], w));
                         });
            add_slope(field, row, sky, sum);
        }
    });
    return field;
}

std::vector<ProbeLight> Baker::State::solve_probes(const Sources& sources, const std::vector<Rgb>& albedo,
                                                   Job& job) const {
    const Level& lit = sources.level;
    const auto count = static_cast<std::uint32_t>(tier.probe_links);
    const float share = 4 * pi / static_cast<float>(count);
    const std::size_t set_count = lit.sets.size();
    std::vector<ProbeLight> result(set_count, ProbeLight(probe_rows.size()));
    if (probe_rows.size() == 0) return result;
    // What each texel sends under each set, side by side, so that one pass over the links serves all sets.
    std::vector<Rgb> sent(texels.size() * set_count);
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t s = 0; s < set_count; ++s) {
                Rgb e;
                for (std::size_t g = 0; g < lit.groups.size(); ++g)
                    e += light.get(i, g) * lit.sets[s].gains[g];
                sent[i * set_count + s] = e * albedo[i] * (share / pi);
            }
    });
    job.parallel(probe_rows.size(), 16, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p) {
            TintReader tints(probe_links, p);
            for (std::uint32_t k = 0; k < count; ++k) {
                const std::uint32_t word = probe_links.words[probe_links.first[p] + k];
                if (word == absorbed_word || word == sky_word) continue;
                const std::array<float, 9> basis = convolved_basis(row_direction(probe_rows, p, k));
                const Rgb tint = tints.at(k);
                for (std::size_t s = 0; s < set_count; ++s) {
                    const Rgb from = sent[word * set_count + s] * tint;
                    for (int c = 0; c < 9; ++c) result[s][p][c] += from * basis[c];
                }
            }
            if (lit.sky.group != none)
                gathered_sky(sources.sky, probe_rows, probe_links, p, count, sources.probe_weights,
                             [&](std::uint32_t, Vec3 w, Rgb e) {
                                 for (std::size_t s = 0; s < set_count; ++s)
                                     add_light(result[s][p], w,
                                               e * (share * lit.sets[s].gains[lit.sky.group]));
                             });
            for (std::size_t s = 0; s < set_count; ++s)
                for (std::size_t g = 0; g < lit.groups.size(); ++g)
                    for (int c = 0; c < 9; ++c)
                        result[s][p][c] += cache[g].probes[p][c] * lit.sets[s].gains[g];
        }
    });
    return result;
}

Baker::Baker(Level level, Job& job, const Atlas* previous) {
    complete_level(level);
    check_level(level);
    job.plan({{"sight", 1},
              {"unwrap", 3},
              {"pack", 2},
              {"texels", 3},
              {"links", 40},
              {"probe links", 4},
              {"direct light", 15},
              {"more links", 25},
              {"bounces", 8},
              {"denoise", 4},
              {"occlusion", level.occlusion.reach > 0 ? 4.0f : 0.0f},
              {"finish", 2}});
    state_ = new State(std::move(level), job, previous);
}
Baker::~Baker() {
    delete state_;
}
Baker::Baker(Baker&& other) noexcept : state_(std::exchange(other.state_, nullptr)) {}

const Atlas& Baker::atlas() const noexcept {
    return state_->atlas;
}
const Level& Baker::level() const noexcept {
    return state_->level;
}

Baked Baker::light(const Level& wanted, Job& job) {
    State& s = *state_;
    Level lit = wanted;
    complete_level(lit);
    check_level(lit);
    if (lit.surfaces.size() != s.level.surfaces.size() || lit.meshes.size() != s.level.meshes.size() ||
        lit.quality.tier != s.level.quality.tier || lit.quality.links != s.level.quality.links ||
        lit.quality.seed != s.level.quality.seed || !(lit.lightmap == s.level.lightmap))
        throw Error{
            .what = "the level's geometry or lightmap settings are not those the links were recorded for",
            .where = lit.name,
            .value = "",
            .remedy = "Make a new Baker."};
    for (std::size_t m = 0; m < lit.materials.size() && m < s.level.materials.size(); ++m)
        if (!same_passage(lit.materials[m], s.level.materials[m]) ||
            lit.materials[m].normal_texture.image != s.level.materials[m].normal_texture.image ||
            lit.materials[m].normal_scale != s.level.materials[m].normal_scale)
            throw Error{.what = "what a material lets through, or its normal map, is not what the links were "
                                "recorded with",
                        .where = lit.materials[m].name,
                        .value = "",
                        .remedy = "Make a new Baker."};
    // First of all, since too many lights on a page end the bake.
    const std::vector<VisibilityPage>& visibility =
        s.visibility.pages(lit, s.caster, s.rows, s.plans, s.tier.light_samples, job);
    const Sources sources(lit, s.textures, s.caster, s.tier, s.explicit_worth);
    const std::vector<Rgb> albedo = s.albedo(lit, job);
    s.cache = s.light_groups(sources, job);

    // First with the first links and a few bounces, to see where the light is uncertain.
    const auto first = static_cast<std::uint32_t>(s.tier.first_links),
               most = static_cast<std::uint32_t>(s.tier.most_links);
    const NoiseQuestion question{lit.quality.noise > 0 ? lit.quality.noise : s.tier.noise, first, most};
    const auto noise_of = [&](const LightField& field) {
        return estimate_noise(lit, s.rows, s.links, sources.sky, sources.weights, albedo, field,
                              s.texels.area, question, job);
    };
    const std::vector<std::uint32_t> short_rows(s.rows.size(), first);
    std::vector<float> noise;
    std::vector<std::uint32_t> lengths = short_rows;
    job.begin("more links", s.rows.size());
    if (most > first) {
        const LightField short_light = s.gather_sources(sources, short_rows, job);
        noise = noise_of(solve_bounces(s.links, short_rows, albedo, short_light,
                                       std::min(3, lit.quality.bounces.value_or(3)), job)
                             .light);
        lengths = row_lengths(s.texels, s.valid, noise, question, job);
        extend_links(s.level, s.caster, s.texels, s.rows, lengths, s.links, job);
        lead_past_buried(s.caster, s.texels, s.rows, s.valid, s.valid, s.links, job);
    }
    s.direct = s.gather_sources(sources, lengths, job);
    job.begin("bounces", 24);
    SolveResult solved = solve_bounces(s.links, lengths, albedo, s.direct, lit.quality.bounces, job);
    s.light = std::move(solved.light);
    if (most == first) noise = noise_of(s.light);
    s.sets = lit.sets;
    job.begin("denoise", 1);
    s.finish_light(sources, albedo, lengths, job);

    const std::vector<OcclusionPage>& occlusion = s.occlude(lit, job);
    job.begin("finish", lit.sets.size());
    Baked baked{.sets = {},
                .visibility = visibility,
                .occlusion = occlusion,
                .probes = s.probes,
                .shared = {},
                .figures = {}};
    std::vector<ProbeLight> probe_light = s.solve_probes(sources, albedo, job);
    AllPages pages = make_pages({.level = lit,
                                 .texels = s.texels,
                                 .plans = s.plans,
                                 .seams = s.seams,
                                 .light = [&](std::size_t i, std::size_t g) { return s.baked_part(s.shown, i, g); },
                                 .sloped = s.sloped,
                                 .slopes = s.slopes,
                                 .bent = s.bent},
                                job);
    for (std::size_t i = 0; i < lit.sets.size(); ++i)
        baked.sets.push_back({lit.sets[i].name, std::move(pages.sets[i].pages),
                              std::move(pages.sets[i].directional), std::move(probe_light[i])});
    baked.shared = shared_texels({.level = lit,
                                  .atlas = s.atlas,
                                  .texels = s.texels,
                                  .light = [&](std::size_t i, std::size_t g) { return s.baked_part(s.shown, i, g); }},
                                 s.shared);
    job.finish();
    baked.figures = s.figures(noise, lengths, solved.bounces);
    baked.figures.seam_before = static_cast<float>(pages.seam_before);
    baked.figures.seam = static_cast<float>(pages.seam);
    return baked;
}

BakeFigures Baker::State::figures(const std::vector<float>& noise,
                                  const std::vector<std::uint32_t>& row_length, int bounces) const {
    const State& s = *this;
    BakeFigures f;
    const auto first = static_cast<float>(s.tier.first_links);
    double lengths = 0, before = 0, after = 0, whole = 0;
    for (std::size_t i = 0; i < s.texels.size(); ++i) {
        const std::uint32_t g = s.texels.grid[i];
        const bool exported = g % 2 == 0 && s.atlas.surfaces[g / 2].page != none;
        (exported ? f.texels : f.patches) += 1;
        f.buried += s.valid[i] ? 0 : 1;
        f.hidden += s.hidden[i] ? 1 : 0;
        lengths += row_length[i];
        const auto area = static_cast<double>(s.texels.area[i]);
        if (exported) f.area += area;
        whole += area;
        before += area * static_cast<double>(noise[i]);
        after += area * static_cast<double>(noise[i] * std::sqrt(first / static_cast<float>(row_length[i])));
    }
    f.moved = s.moved;
    f.links = s.links.words.size();
    f.probes = s.probes.size();
    for (float v : s.probes.validity) f.buried_probes += v < 0.7f ? 1 : 0;
    f.bounces = bounces;
    if (!s.texels.position.empty())
        f.mean_links = static_cast<float>(lengths / static_cast<double>(s.texels.size()));
    if (whole > 0) {
        f.noise_before = static_cast<float>(before / whole);
        f.noise = static_cast<float>(after / whole);
    }
    return f;
}

std::vector<TexelLight> Baker::texels(std::uint32_t set) const {
    const State& s = *state_;
    std::vector<TexelLight> out(s.texels.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::uint32_t g = s.texels.grid[i];
        out[i] = {.position = s.texels.position[i],
                  .normal = s.texels.normal[i],
                  .face_normal = s.texels.face_normal[i],
                  .area = s.texels.area[i],
                  .surface = g / 2,
                  .valid = s.valid[i] != 0,
                  .exported = g % 2 == 0 && s.atlas.surfaces[g / 2].page != none && !s.hidden[i],
                  .direct = {},
                  .sampled = {},
                  .total = {}};
        for (std::size_t group = 0; group < s.sets[set].gains.size(); ++group) {
            out[i].direct += s.baked_part(s.direct, i, group) * s.sets[set].gains[group];
            if (s.valid[i]) out[i].sampled += s.cache[group].texels[i] * s.sets[set].gains[group];
            out[i].total += s.baked_part(s.shown, i, group) * s.sets[set].gains[group];
        }
    }
    return out;
}

Baked bake(const Level& level, Atlas& atlas, Job& job) {
    Baker baker(level, job, atlas.surfaces.empty() ? nullptr : &atlas);
    atlas = baker.atlas();
    return baker.light(baker.level(), job);
}

}  // namespace stasigraph
