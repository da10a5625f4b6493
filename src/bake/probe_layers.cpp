#include "bake/probe_layers.hpp"

#include <algorithm>
#include <cmath>

#include "probe/window.hpp"
#include "runtime/half.hpp"

namespace stasigraph {

void carry_light(const Making& m, const LightField& light, Job& job) {
    const std::size_t texels = m.ground.texels.size();
    for (std::size_t c = 0; c < m.size(); ++c) {
        Layer& layer = m.layer(c);
        float most = 0;
        for (std::size_t i = 0; i < texels; ++i) most = std::max(most, max_channel(light.get(i, c)));
        // A power of two, so that the same light is the same in any unit.
        layer.carried_unit = most > 0 ? std::exp2(std::ceil(std::log2(most / 32768))) : 1;
        layer.carried.resize(texels);
        const float share = 1 / layer.carried_unit;
        job.parallel(texels, 4096, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                const Rgb e = light.get(i, c) * share;
                layer.carried[i] = {runtime::to_half(e.r), runtime::to_half(e.g), runtime::to_half(e.b)};
            }
        });
    }
}

void light_probe_layers(const std::vector<LayerToMake>& layers, Job& job) {
    const Ground& g = layers[0].work->ground;
    const std::vector<Rgb>& albedo = layers[0].work->albedo;
    const std::size_t groups = layers.size();
    const auto layer = [&](std::size_t c) -> Layer& { return *layers[c].layer; };
    for (std::size_t c = 0; c < groups; ++c) {
        layer(c).probes = layer(c).at_probes;
        layer(c).probe_key = g.probe_key;
    }
    if (g.probe_rows.size() == 0) return;
    const auto count = static_cast<std::uint32_t>(g.tier.probe_links);
    const float share = 4 * pi / static_cast<float>(count);
    std::vector<Rgb> sent(g.texels.size() * groups);
    job.parallel(g.texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t c = 0; c < groups; ++c) {
                const auto& e = layer(c).carried[i];
                sent[i * groups + c] =
                    Rgb{runtime::from_half(e[0]), runtime::from_half(e[1]), runtime::from_half(e[2])} *
                    albedo[i] * (layer(c).carried_unit * share / pi);
            }
    });
    job.parallel(g.probe_rows.size(), 16, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p) {
            TintReader tints(g.probe_links, p);
            std::array<Vec3, direction_batch> ways;
            for (std::uint32_t k = 0; k < count; ++k) {
                if (k % direction_batch == 0)
                    row_directions(g.probe_rows, p, k, std::min(direction_batch, count - k), ways);
                const std::uint32_t word = g.probe_links.row(p)[k];
                if (!meets_texel(word)) continue;
                const std::array<float, 9> basis = convolved_basis(ways[k % direction_batch]);
                const Rgb tint = tints.at(k);
                for (std::size_t c = 0; c < groups; ++c) {
                    const Rgb from = sent[word * groups + c] * tint;
                    ShRgb& to = layer(c).probes[p];
                    for (std::size_t b = 0; b < 9; ++b) to[b] += from * basis[b];
                }
            }
            for (std::size_t c = 0; c < groups; ++c) {
                ShRgb& to = layer(c).probes[p];
                if (layers[c].is_sky())
                    gathered_sky(layers[c].work->sky, g.probe_rows, g.probe_links, p, 0, count,
                                 layers[c].work->probe_weights,
                                 [&](std::uint32_t, Vec3 w, Rgb e) { add_light(to, w, e * share); });
                window_ringing(to, layer(c).at_probes[p]);
            }
        }
    });
}

std::vector<ProbeLight> mix_probes(const Level& lit, const std::vector<Layer>& layers, std::size_t probes) {
    std::vector<ProbeLight> out(lit.sets.size(), ProbeLight(probes));
    for (std::size_t s = 0; s < lit.sets.size(); ++s)
        for (std::size_t g = 0; g < layers.size(); ++g)
            for (std::size_t p = 0; p < probes; ++p)
                for (std::size_t b = 0; b < 9; ++b)
                    out[s][p][b] += layers[g].probes[p][b] * lit.sets[s].gain(g);
    return out;
}

}  // namespace stasigraph
