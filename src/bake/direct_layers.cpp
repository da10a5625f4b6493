#include "bake/direct_layers.hpp"

#include <algorithm>
#include <memory>
#include <optional>

#include "bake/costs.hpp"
#include "bake/room_noise.hpp"
#include "base/blob.hpp"
#include "base/hash.hpp"

namespace stasigraph {

namespace {

/// The lights of a group.
struct GroupLights {
    std::uint32_t group = 0;
    std::unique_ptr<DirectLight> whole, bounce;
    std::size_t units = 1;  ///< Of the job's stage, for each row.

    GroupLights(const LightWork& w, std::uint32_t number) : group(number) {
        const UnlitLevel& g = w.unlit;
        for (const BakeRole role : {BakeRole::whole, BakeRole::bounce})
            (role == BakeRole::whole ? whole : bounce) =
                std::make_unique<DirectLight>(LitScene{w.lit, g.textures, g.caster(), w.sky}, group, role);
    }
};

/// Texels over which shadows are averaged. Over one, every slanting edge of high contrast is a saw once it is
/// filtered linearly; a box of two has nothing left at the frequency that saws are made of, half of a
/// texel's, and none of the next.
constexpr float straight_edges = 2;
/// The share of the noise asked for that direct light may have. It is never smoothed, since it would lose
/// more of its shapes than of its noise.
constexpr float direct_share = 0.5f;
/// Times a texel's, the samples of a light at a probe.
constexpr int probe_light_samples = 8;

std::uint32_t group_seed(const Level& level, std::uint32_t group) {
    std::uint32_t h = 0x67726f75u;
    for (const char c : level.groups[group]) h = combine_bits(h, static_cast<unsigned char>(c));
    return h;
}

/// Luminance of the sky that the first links of each texel see, lux.
std::vector<float> sky_by_links(LightWork& w, Job& job) {
    sum_first_skies({&w}, job);
    const std::vector<SkySum>& sky = w.sky_sums;
    std::vector<float> out(sky.size());
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = luminance(sky[i].sum) * (pi / static_cast<float>(w.unlit.tier.first_links));
    return out;
}

/// What a store holds of a group's light, over the texels of one unlit level.
struct KeptDirect {
    DirectTexels sampled, live;
    std::vector<std::uint32_t> gradient_texel;
};

void write(BlobWriter& out, const DirectTexels& d, const std::vector<float>& least) {
    out.array(d.light);
    out.array(d.gradient);
    out.array(d.pilot);
    out.array(d.refinement);
    out.array(d.longer);
    out.array(d.met);
    out.array(d.known);
    out.array(d.checked);
    out.array(least);
}

bool read(BlobReader& in, std::size_t texels, DirectTexels& d) {
    std::vector<float> least;
    in.array(d.light);
    in.array(d.gradient);
    in.array(d.pilot);
    in.array(d.refinement);
    in.array(d.longer);
    in.array(d.met);
    in.array(d.known);
    in.array(d.checked);
    in.array(least, 1);
    if (in.good()) d.least = least[0];
    const auto fits = [&](std::size_t n) { return n == 0 || n == texels; };
    return in.good() && fits(d.light.size()) && fits(d.pilot.size()) &&
           d.refinement.size() == d.pilot.size() && d.longer.size() == d.pilot.size() &&
           d.met.size() == d.pilot.size() && d.known.size() == d.pilot.size();
}

void save(const UnlitLevel& g, const Layer& layer) {
    if (!g.store.save) return;
    const std::vector<float> least[2] = {{layer.sampled.least}, {layer.live.least}};
    BlobWriter out;
    write(out, layer.sampled, least[0]);
    write(out, layer.live, least[1]);
    out.array(g.pages.gradient_rows.texel);
    g.store.save("direct-" + layer.keys.direct, out.parts());
}

bool load(const BakeStore& store, const std::string& key, std::size_t texels, KeptDirect& kept) {
    Blob blob;
    if (!store.load || !store.load("direct-" + key, blob)) return false;
    BlobReader in(blob);
    if (!read(in, texels, kept.sampled) || !read(in, texels, kept.live)) return false;
    in.array(kept.gradient_texel, kept.sampled.gradient.size());
    return in.done() && kept.sampled.light.size() == texels &&
           std::is_sorted(kept.gradient_texel.begin(), kept.gradient_texel.end());
}

/// Whether a source of the group is a surface that an edit moved.
bool moved_source(const Level& lit, const Edit& edit, std::uint32_t group) {
    for (std::size_t s = 0; s < lit.surfaces.size(); ++s)
        if (edit.changed[s] && lit.surfaces[s].group == group) return true;
    return false;
}

/// What the group's light was before the edit that the unlit level was made by, if it is of any use.
std::optional<KeptDirect> before_edit(const LightWork& w, std::uint32_t group) {
    const UnlitLevel& g = w.unlit;
    KeptDirect kept;
    if (!g.edit || moved_source(w.lit, *g.edit, group) ||
        !load(g.store, layer_keys(w.lit, group, g.edit->before, {}).direct, g.edit->texels_before, kept))
        return {};
    return kept;
}

/// How the group's lights of one role are sampled on texels.
DirectPass texel_pass(const LightWork& w, const GroupLights& lights, BakeRole role, std::size_t units) {
    const UnlitLevel& g = w.unlit;
    const std::uint32_t seed = group_seed(w.lit, lights.group);
    const bool whole = role == BakeRole::whole;
    LightEffort effort = light_effort(g.tier, w.lit.quality.noise);
    effort.error *= direct_share;
    return {.light = whole ? *lights.whole : *lights.bounce,
            .rows = g.judged.rows,
            .footprints = g.judged.footprints,
            .width = w.lit.quality.edges == Edges::straight ? straight_edges : 1,
            .effort = effort,
            .weights = w.weights,
            .seed = whole ? seed : mix_bits(seed),
            .floor = unseen_light_of(w.lit, lights.group),
            .gradients = !whole || g.pages.gradient_rows.empty() ? nullptr : &g.pages.gradient_rows,
            .units = units};
}

void sample_texels(LightWork& w, const GroupLights& lights, Layer& layer, Job& job) {
    const UnlitLevel& g = w.unlit;
    const std::optional<KeptDirect> kept = before_edit(w, lights.group);
    const auto before = [&](const DirectTexels KeptDirect::*which) {
        std::optional<DirectBefore> from;
        if (kept && ((*kept).*which).pilot.size() == g.edit->texels_before)
            from.emplace(DirectBefore{(*kept).*which, kept->gradient_texel, *g.edit, g.other});
        return from;
    };
    const std::optional<DirectBefore> sampled = before(&KeptDirect::sampled),
                                      lived = before(&KeptDirect::live);
    const bool both = !lights.bounce->empty();
    const KeptParts keep_sampled{g.store, "sampling-" + layer.keys.direct},
        keep_lived{g.store, "sampling-live-" + layer.keys.direct};
    const std::vector<float> nothing, sky = lights.group == w.lit.sky.group ? sky_by_links(w, job) : nothing;
    layer.sampled =
        light_texels(texel_pass(w, lights, BakeRole::whole, both ? lights.units / 2 : lights.units),
                     {g.texels, g.judged.states, sky}, job, sampled ? &*sampled : nullptr, &keep_sampled);
    layer.sampled.checked = light_again(texel_pass(w, lights, BakeRole::whole, 1), checked_texels(g), job);
    layer.live = {};
    if (both)
        layer.live =
            light_texels(texel_pass(w, lights, BakeRole::bounce, lights.units / 2),
                         {g.texels, g.judged.states, nothing}, job, lived ? &*lived : nullptr, &keep_lived);
}

std::string probe_blob(const std::string& direct, const std::string& probes) {
    Hasher h("direct at probes");
    h.text(direct);
    h.text(probes);
    return "lit-probes-" + h.key();
}

bool load_probes(const BakeStore& store, const std::string& name, std::size_t count,
                 std::vector<ShRgb>& at_probes) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    in.array(at_probes, count);
    return in.done();
}

void sample_probes(LightWork& w, const GroupLights& lights, Layer& layer, Job& job) {
    const UnlitLevel& g = w.unlit;
    const DirectLight& light = *lights.whole;
    const std::uint32_t group = lights.group;
    const std::uint32_t seed = group_seed(w.lit, group);
    // Probes are few, and take light from all around.
    LightEffort effort = light_effort(g.tier, w.lit.quality.noise);
    effort.samples = probe_light_samples * g.tier.light_samples;
    effort.cut = 2 * g.tier.light_cut;
    ProbePass pass{.light = light,
                   .rows = g.probes.rows,
                   .effort = effort,
                   .weights = w.probe_weights,
                   .seed = seed,
                   .wanted = RowFlags(g.probes.net.size(), true),
                   .basis = g.probes.basis};
    layer.at_probes.clear();
    if (g.edit && g.level.placed && !moved_source(w.lit, *g.edit, group) &&
        load_probes(g.store,
                    probe_blob(layer_keys(w.lit, group, g.edit->before, {}).direct,
                               placed_key(w.lit, *g.level.placed, g.edit->before)),
                    g.probes.net.size(), layer.at_probes))
        for (std::size_t p = 0; p < pass.wanted.size(); ++p) {
            const Receiver& r = g.probes.rows.receivers[p];
            const bool again = std::any_of(g.edit->boxes.begin(), g.edit->boxes.end(), [&](const Box& box) {
                return light.passes(r, 0, box) ||
                       light.sky_passes(r, 0, effort.samples, combine_bits(g.probes.rows.seeds[p], seed),
                                        box);
            });
            pass.wanted.set(p, again);
        }
    layer.at_probes.resize(g.probes.net.size());
    light_probes(pass, layer.at_probes, job);
}

bool load_direct(const LightWork& w, Layer& layer) {
    const UnlitLevel& g = w.unlit;
    if (layer.sampled.light.size() != g.texels.size()) {
        KeptDirect kept;
        if (!load(g.store, layer.keys.direct, g.texels.size(), kept)) return false;
        const std::size_t checked = kept.sampled.checked.size();
        if (checked > 0 && checked != checked_texels(g).size()) return false;
        layer.sampled = std::move(kept.sampled);
        layer.live = std::move(kept.live);
    }
    return g.probes.net.size() == 0 || layer.at_probes.size() == g.probes.net.size() ||
           load_probes(g.store, probe_blob(layer.keys.direct, g.probes.key), g.probes.net.size(),
                       layer.at_probes);
}

}  // namespace

LightWork::LightWork(UnlitLevel& g, const Level& l, const std::vector<Rgb>& reflected)
    : unlit(g), lit(l), albedo(reflected), sky(l.sky) {
    const auto count = [](int n) { return static_cast<float>(n); };
    // By the tier's own number of links, so that any other number shows the same light by links.
    const TierOptions own = tier_options(l.quality.tier);
    weights.open = {count(own.light_samples), count(own.first_links)};
    weights.sample_share = g.judged.sky_sample_share;
    probe_weights = {count(probe_light_samples * g.tier.light_samples), count(g.tier.probe_links)};
}

void sum_first_skies(const std::vector<LightWork*>& works, Job& job) {
    std::vector<LightWork*> lacking;
    std::vector<const SkyLight*> skies;
    for (LightWork* w : works)
        if (w->sky_sums.empty() && std::find(lacking.begin(), lacking.end(), w) == lacking.end()) {
            lacking.push_back(w);
            skies.push_back(&w->sky);
        }
    if (lacking.empty()) return;
    const UnlitLevel& g = lacking[0]->unlit;
    const auto first = static_cast<std::uint32_t>(g.tier.first_links);
    for (LightWork* w : lacking) w->sky_sums.assign(g.texels.size(), {});
    g.links.for_rows(1024, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!g.judged.is_valid(i)) continue;
            if (skies.size() == 1) {
                lacking[0]->sky_sums[i] =
                    gathered_sky_sum(*skies[0], g.recorded(), {i, 0, first}, lacking[0]->weights.at(i));
                continue;
            }
            for (LightWork* w : lacking) w->sky_sums[i].count = first;
            gathered_skies(skies, g.recorded(), {i, 0, first}, lacking[0]->weights.at(i),
                           [&](std::size_t s, std::uint32_t, Vec3, Rgb e) {
                               SkySum& sum = lacking[s]->sky_sums[i];
                               sum.sum += e;
                               sum.square += luminance(e) * luminance(e);
                           });
        }
    });
}

void light_direct(const std::vector<LayerToMake>& wanted, Job& job) {
    const UnlitLevel& g = wanted[0].work->unlit;
    // Groups differ by a hundred times in what they cost: a few rows of each tell.
    std::vector<GroupLights> lights;
    std::vector<LayerToMake> lit;
    std::vector<double> seconds;
    for (const LayerToMake& m : wanted) {
        if (load_direct(*m.work, *m.layer)) continue;
        lit.push_back(m);
        const GroupLights& l = lights.emplace_back(*m.work, m.group);
        seconds.push_back(0);
        for (const BakeRole role : {BakeRole::whole, BakeRole::bounce})
            seconds.back() += seconds_a_row(texel_pass(*m.work, l, role, 1), g.judged.states, job);
    }
    double whole = 0;
    std::size_t units = 0;
    for (std::size_t k = 0; k < lights.size(); ++k) {
        lights[k].units = 2 + static_cast<std::size_t>(seconds[k] * 1e7);
        units += lights[k].units;
        whole += seconds[k];
    }
    expect_direct(g, whole, job);
    job.begin(Stage::direct_light, units * g.texels.size());
    std::vector<LightWork*> skies;
    for (const LayerToMake& m : lit)
        if (m.is_sky()) skies.push_back(m.work);
    sum_first_skies(skies, job);
    for (std::size_t k = 0; k < lights.size(); ++k) {
        LightWork& w = *lit[k].work;
        Layer& layer = *lit[k].layer;
        if (layer.sampled.light.size() != g.texels.size()) {
            sample_texels(w, lights[k], layer, job);
            save(g, layer);
            if (g.store.drop)
                for (const char* name : {"sampling-", "sampling-live-"})
                    g.store.drop(name + layer.keys.direct);
        } else {
            job.advance(lights[k].units * g.texels.size());
        }
        if (g.probes.net.size() == 0 || layer.at_probes.size() == g.probes.net.size()) continue;
        sample_probes(w, lights[k], layer, job);
        if (!g.store.save) continue;
        BlobWriter out;
        out.array(layer.at_probes);
        g.store.save(probe_blob(layer.keys.direct, g.probes.key), out.parts());
    }
}

}  // namespace stasigraph
