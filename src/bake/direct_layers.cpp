#include "bake/direct_layers.hpp"

#include <memory>

#include "base/blob.hpp"
#include "base/hash.hpp"

namespace stasigraph {

namespace {

/// Times a texel's, the samples of a light at a probe.
constexpr int probe_light_samples = 8;

std::uint32_t group_seed(const Level& level, std::uint32_t group) {
    std::uint32_t h = 0x67726f75u;
    for (const char c : level.groups[group]) h = combine_bits(h, static_cast<unsigned char>(c));
    return h;
}

/// Luminance of the sky that the first links of each texel see, lux.
std::vector<float> sky_by_links(const LightWork& w, Job& job) {
    const Ground& g = w.ground;
    std::vector<float> out(g.texels.size());
    const auto first = static_cast<std::uint32_t>(g.tier.first_links);
    job.parallel(out.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (g.valid[i])
                out[i] = luminance(gathered_sky_sum(w.sky, g.rows, g.links, i, first, w.weights.at(i))) *
                         (pi / static_cast<float>(first));
    });
    return out;
}

/// The lights of a group; made when a ray is first wanted.
class Lights {
public:
    Lights(const LightWork& work, std::uint32_t group) : work_(work), group_(group) {}
    const DirectLight& of(BakeRole role) {
        auto& light = role == BakeRole::whole ? whole_ : bounce_;
        if (!light)
            light = std::make_unique<DirectLight>(work_.lit, work_.ground.textures, work_.ground.caster(),
                                                  work_.sky, group_, role);
        return *light;
    }

private:
    const LightWork& work_;
    std::uint32_t group_;
    std::unique_ptr<DirectLight> whole_, bounce_;
};

void sample_texels(LightWork& w, std::uint32_t group, Lights& lights, Layer& layer, Job& job) {
    Ground& g = w.ground;
    const std::uint32_t seed = group_seed(w.lit, group);
    DirectPass pass{.light = lights.of(BakeRole::whole),
                    .rows = g.rows,
                    .footprints = g.footprints,
                    .effort = light_effort(g.tier, w.lit.quality.noise),
                    .weights = w.weights,
                    .seed = seed,
                    .floor = unseen_light_of(w.lit, group),
                    .slopes = g.sloped.empty() ? nullptr : &g.sloped};
    layer.sampled = light_texels(pass, g.texels, g.valid,
                                 group == w.lit.sky.group ? sky_by_links(w, job) : std::vector<float>{}, job);
    layer.live.clear();
    const DirectLight& live = lights.of(BakeRole::bounce);
    if (live.empty()) return;
    const DirectPass bounce{.light = live,
                            .rows = g.rows,
                            .footprints = g.footprints,
                            .effort = pass.effort,
                            .weights = w.weights,
                            .seed = mix_bits(seed),
                            .floor = pass.floor};
    layer.live = light_texels(bounce, g.texels, g.valid, {}, job).light;
}

void sample_probes(LightWork& w, std::uint32_t group, Lights& lights, Layer& layer, Job& job) {
    // Probes are few, and take light from all around.
    LightEffort effort = light_effort(w.ground.tier, w.lit.quality.noise);
    effort.samples = probe_light_samples * w.ground.tier.light_samples;
    effort.cut = 2 * w.ground.tier.light_cut;
    layer.at_probes = light_probes(lights.of(BakeRole::whole), w.ground.probe_rows, effort, w.probe_weights,
                                   group_seed(w.lit, group), job);
}

bool load_texels(const Ground& g, Layer& layer) {
    std::vector<std::uint8_t> bytes;
    if (!g.store.load || !g.store.load("direct-" + layer.keys.direct, bytes)) return false;
    BlobReader in(bytes);
    in.array(layer.sampled.light, g.texels.size());
    in.array(layer.sampled.slope, g.sloped.texel.size());
    in.array(layer.live);
    return in.done() && (layer.live.empty() || layer.live.size() == g.texels.size());
}

std::string probe_blob(const Ground& g, const Layer& layer) {
    Hasher h("direct at probes");
    h.text(layer.keys.direct);
    h.text(g.probe_key);
    return "lit-probes-" + h.key();
}

bool load_probes(const Ground& g, const std::string& name, Layer& layer) {
    std::vector<std::uint8_t> bytes;
    if (!g.store.load || !g.store.load(name, bytes)) return false;
    BlobReader in(bytes);
    in.array(layer.at_probes, g.probes.size());
    return in.done();
}

}  // namespace

LightWork::LightWork(Ground& g, const Level& l, Job& job)
    : ground(g), lit(l), sky(l.sky), albedo(reflectance(g, l, job)) {
    const auto count = [](int n) { return static_cast<float>(n); };
    // By the tier's own number of links, so that any other number shows the same light by links.
    const TierSettings own = tier_settings(l.quality.tier);
    weights.open = {count(own.light_samples), count(own.first_links)};
    weights.worth = g.explicit_worth;
    probe_weights = {count(probe_light_samples * g.tier.light_samples), count(g.tier.probe_links)};
}

void light_direct(LightWork& w, std::uint32_t group, Layer& layer, Job& job) {
    const Ground& g = w.ground;
    Lights lights(w, group);
    if (layer.sampled.light.size() != g.texels.size() && !load_texels(g, layer)) {
        sample_texels(w, group, lights, layer, job);
        if (g.store.save) {
            BlobWriter out;
            out.array(layer.sampled.light);
            out.array(layer.sampled.slope);
            out.array(layer.live);
            g.store.save("direct-" + layer.keys.direct, out.parts());
        }
    }
    const std::string probes = probe_blob(g, layer);
    if (g.probes.size() > 0 && layer.at_probes.size() != g.probes.size() && !load_probes(g, probes, layer)) {
        sample_probes(w, group, lights, layer, job);
        if (g.store.save) {
            BlobWriter out;
            out.array(layer.at_probes);
            g.store.save(probes, out.parts());
        }
    }
}

}  // namespace stasigraph
