#include "bake/probe_layers.hpp"

#include "probe/window.hpp"

namespace stasigraph {

void light_probe_layers(const Making& m, const LightField& light, Job& job) {
    const Ground& g = m.ground;
    const std::size_t groups = m.size();
    for (std::size_t c = 0; c < groups; ++c) {
        m.layer(c).probes = m.layer(c).at_probes;
        m.layer(c).probe_key = g.probe_key;
    }
    if (g.probe_rows.size() == 0) return;
    const auto count = static_cast<std::uint32_t>(g.tier.probe_links);
    const float share = 4 * pi / static_cast<float>(count);
    std::vector<Rgb> sent(g.texels.size() * groups);
    job.parallel(g.texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t c = 0; c < groups; ++c)
                sent[i * groups + c] = light.get(i, c) * m.albedo[i] * (share / pi);
    });
    job.parallel(g.probe_rows.size(), 16, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p) {
            TintReader tints(g.probe_links, p);
            for (std::uint32_t k = 0; k < count; ++k) {
                const std::uint32_t word = g.probe_links.row(p)[k];
                if (!meets_texel(word)) continue;
                const std::array<float, 9> basis = convolved_basis(row_direction(g.probe_rows, p, k));
                const Rgb tint = tints.at(k);
                for (std::size_t c = 0; c < groups; ++c) {
                    const Rgb from = sent[word * groups + c] * tint;
                    ShRgb& to = m.layer(c).probes[p];
                    for (std::size_t b = 0; b < 9; ++b) to[b] += from * basis[b];
                }
            }
            for (std::size_t c = 0; c < groups; ++c)
                if (m.sky(c))
                    gathered_sky(
                        *m.sky(c), g.probe_rows, g.probe_links, p, 0, count, m.columns[c].work->probe_weights,
                        [&](std::uint32_t, Vec3 w, Rgb e) { add_light(m.layer(c).probes[p], w, e * share); });
            for (std::size_t c = 0; c < groups; ++c)
                window_ringing(m.layer(c).probes[p], m.layer(c).at_probes[p]);
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
