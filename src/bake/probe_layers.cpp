#include "bake/probe_layers.hpp"

#include <algorithm>
#include <cmath>

#include "bake/guide_probes.hpp"
#include "probe/window.hpp"
#include "runtime/half.hpp"

namespace stasigraph {

void carry_light(const Making& m, const LightField& light, Job& job) {
    const std::size_t texels = m.unlit.texels.size();
    for (std::size_t c = 0; c < m.size(); ++c) {
        Layer& layer = m.layer(c);
        float most = 0;
        for (std::size_t i = 0; i < texels; ++i) most = std::max(most, max_channel(light.get(i, c)));
        // A power of two, so that the same light is the same in any unit.
        layer.radiosity_unit = most > 0 ? std::exp2(std::ceil(std::log2(most / 32768))) : 1;
        layer.radiosity.resize(texels);
        const float share = 1 / layer.radiosity_unit;
        job.parallel(texels, 4096, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                const Rgb e = light.get(i, c) * share;
                layer.radiosity[i] = {runtime::to_half(e.r), runtime::to_half(e.g), runtime::to_half(e.b)};
            }
        });
    }
}

namespace {

/// A lamp is listed for what it gives within this many metres of a probe: about half way to the next ones.
constexpr float least_around = 0.25f, most_around = 4;

SentByTexels sent_by_texels(const std::vector<LayerToMake>& layers, const std::vector<Rgb>& albedo,
                            Job& job) {
    const std::size_t texels = layers[0].work->unlit.texels.size(), groups = layers.size();
    SentByTexels sent{std::vector<Rgb>(texels * groups), groups};
    job.parallel(texels, 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t c = 0; c < groups; ++c) {
                const Layer& layer = *layers[c].layer;
                const auto& e = layer.radiosity[i];
                sent.lux[i * groups + c] =
                    Rgb{runtime::from_half(e[0]), runtime::from_half(e[1]), runtime::from_half(e[2])} *
                    albedo[i] * layer.radiosity_unit;
            }
    });
    return sent;
}

/// What texels send of one layer, by its number there.
struct SentByLayer {
    const SentByTexels& sent;
    std::size_t number = 0;
};

/// What evenly spread links bring a probe.
void add_evenly(const std::vector<LayerToMake>& layers, const SentByTexels& sent, std::size_t p) {
    const UnlitLevel& g = layers[0].work->unlit;
    const auto count = static_cast<std::uint32_t>(g.tier.probe_links);
    const float share = 4 * pi / static_cast<float>(count);
    TintReader tints(g.probes.links, p);
    std::array<Vec3, direction_batch> ways;
    const std::uint32_t* words = g.probes.links.row(p);
    for (std::uint32_t k = 0; k < count; ++k) {
        if (k % direction_batch == 0)
            row_directions(g.probes.rows, p, k, std::min(direction_batch, count - k), ways);
        if (!meets_texel(words[k])) continue;
        const std::array<float, 9> basis = response(g.probes.basis, ways[k % direction_batch]);
        const Rgb tint = tints.at(k) * (share / pi);
        for (std::size_t c = 0; c < layers.size(); ++c) {
            const Rgb from = sent.at(words[k], c) * tint;
            ShRgb& to = layers[c].layer->probes[p];
            for (std::size_t b = 0; b < 9; ++b) to[b] += from * basis[b];
        }
    }
    for (const LayerToMake& l : layers)
        if (l.is_sky())
            gathered_sky(l.work->sky, g.probes.recorded(), {p, 0, count}, l.work->probe_weights,
                         [&](std::uint32_t, Vec3 w, Rgb e) {
                             add_light(l.layer->probes[p], w, e * share, g.probes.basis);
                         });
}

/// What guided links, and the weights that they change, make of that in one layer.
void add_guided(const LayerToMake& l, const SentByLayer& from_texels, const GuidedLinks& guided,
                std::size_t p, RowParts& parts) {
    const UnlitLevel& g = l.work->unlit;
    ShRgb& to = l.layer->probes[p];
    for_guided(guided, guided.at(p), parts, static_cast<std::uint32_t>(g.tier.probe_links),
               [&](const WeighedLink& link, auto&& direction) {
                   const float share = 4 * pi * (link.weight - link.plain);
                   if (meets_texel(link.word)) {
                       const Rgb from = from_texels.sent.at(link.word, from_texels.number);
                       if (max_channel(from) > 0)
                           add_light(to, direction(), from * link.tint * (share / pi), g.probes.basis);
                   } else if (link.word == sky_word && l.is_sky()) {
                       add_light(to, direction(),
                                 gathered_sky_at(l.work->sky, g.probes.rows.receivers[p], direction(),
                                                 link.tint, l.work->probe_weights) *
                                     share,
                                 g.probes.basis);
                   }
               });
}

/// Which lamps each probe of a layer lists; `told`: their light by probe, as coefficients.
std::vector<ListedLamp> list_lamps(const LayerToMake& l, const std::vector<Light>& lamps,
                                   std::vector<ShRgb>& told, Job& job) {
    const UnlitLevel& g = l.work->unlit;
    const std::size_t count = g.probes.rows.size();
    told.assign(count, {});
    const LampTeller teller(l.work->lit, lamps, l.group, g.caster());
    if (teller.empty()) return {};
    std::vector<std::vector<ListedLamp>> lists(count);
    job.parallel(count, 16, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p) {
            // Of a probe in or behind geometry nothing is asked.
            if (g.probes.net.front_share[p] < runtime::least_front_share) continue;
            const float mean = luminance(l.layer->probes[p][0]) * sh_basis({0, 1, 0})[0];
            told[p] = teller.tell(
                {static_cast<std::uint32_t>(p), g.probes.rows.receivers[p], g.probes.rows.seeds[p],
                 std::clamp(0.5f * g.probes.net.reach[p], least_around, most_around), mean},
                lists[p]);
        }
    });
    std::vector<ListedLamp> all;
    for (const std::vector<ListedLamp>& list : lists) all.insert(all.end(), list.begin(), list.end());
    return all;
}

/// Nit by opening as a lamp: what comes through in a layer, from texels and from the sky.
std::vector<Rgb> opening_radiance(const LayerToMake& l, const SentByTexels& sent, std::size_t number) {
    const OpeningSight& sight = l.work->unlit.probes.openings;
    const SkyLight* sky = l.is_sky() ? &l.work->sky : nullptr;
    std::vector<Rgb> out(sight.lamp.size());
    std::array<Vec3, direction_batch> ways;
    constexpr std::size_t parts = OpeningSight::parts;
    for (std::size_t side = 0; parts * side < out.size(); ++side) {
        std::array<Rgb, parts> sum;
        std::array<float, parts> count{};
        const runtime::Lamp& lamp = sight.lamp[parts * side];
        for (std::size_t row = side * OpeningSight::rows_a_side; row < (side + 1) * OpeningSight::rows_a_side;
             ++row) {
            TintReader tints(sight.links, row);
            const std::uint32_t *words = sight.links.row(row), links = sight.links.length(row);
            for (std::uint32_t k = 0; k < links; ++k) {
                if (k % direction_batch == 0)
                    row_directions(sight.rows, row, k, std::min(direction_batch, links - k), ways);
                const Vec3 way = ways[k % direction_batch];
                const std::size_t part = opening_part(lamp, way);
                const Rgb tint = tints.at(k);
                count[part] += 1;
                if (meets_texel(words[k]))
                    sum[part] += sent.at(words[k], number) * tint * (1 / pi);
                else if (words[k] == sky_word && sky)
                    sum[part] += sky->radiance(way) * tint;
            }
        }
        for (std::size_t part = 0; part < parts; ++part)
            if (count[part] > 0) out[parts * side + part] = sum[part] * (1 / count[part]);
    }
    return out;
}

/// Adds what comes through openings to what is told of each probe by itself.
void add_openings(const OpeningSight& sight, const std::vector<Rgb>& nit, std::vector<ShRgb>& told) {
    for (const OpeningSight::Seen& seen : sight.seen)
        for (std::size_t b = 0; b < 9; ++b) told[seen.probe][b] += nit[seen.lamp] * seen.light[b];
}

/// Light of a probe without the part that lamps and openings carry (`told`). `direct` is all that came
/// straight from sources, `lamps` what lamps carry of it. It is windowed last: light of an opening alone
/// rings, what remains does not.
ShRgb without(const ShRgb& light, const ShRgb& direct, const ShRgb& lamps, const ShRgb& told) {
    ShRgb rest, still;
    for (std::size_t b = 0; b < 9; ++b) {
        rest[b] = light[b] + told[b] * -1.0f;
        still[b] = direct[b] + lamps[b] * -1.0f;
    }
    window_ringing(rest, still);
    return rest;
}

}  // namespace

void light_probe_layers(const std::vector<LayerToMake>& layers, Job& job) {
    const UnlitLevel& g = layers[0].work->unlit;
    const std::vector<Rgb>& albedo = layers[0].work->albedo;
    for (const LayerToMake& l : layers) {
        l.layer->probes = l.layer->at_probes;
        l.layer->rest = l.layer->at_probes;
        l.layer->lamps.clear();
        l.layer->openings.clear();
        l.layer->probe_key = g.probes.key;
    }
    if (g.probes.rows.size() == 0) return;
    const SentByTexels sent = sent_by_texels(layers, albedo, job);
    const std::vector<GuidedLinks> guided = guide_probes(layers, sent, job);
    job.parallel(g.probes.rows.size(), 16, [&](std::size_t begin, std::size_t end) {
        RowParts parts(g.probes.recorded());
        for (std::size_t p = begin; p < end; ++p) {
            add_evenly(layers, sent, p);
            for (std::size_t c = 0; c < layers.size(); ++c)
                if (guided[c].at(p) != none) add_guided(layers[c], {sent, c}, guided[c], p, parts);
        }
    });
    if (g.probes.basis == LightBasis::sides) return;
    std::vector<Light> lamps;
    for (std::size_t c = 0; c < layers.size(); ++c) {
        const LayerToMake& l = layers[c];
        Layer& layer = *l.layer;
        std::vector<ShRgb> told;
        // Of a series every step has a level of its own.
        if (c == 0 || l.work != layers[c - 1].work) lamps = lamps_of(l.work->lit, g.textures);
        layer.lamps = list_lamps(l, lamps, told, job);
        layer.openings = opening_radiance(l, sent, c);
        const std::vector<ShRgb> lamps_told = told;
        add_openings(g.probes.openings, layer.openings, told);
        job.parallel(layer.probes.size(), 256, [&](std::size_t begin, std::size_t end) {
            for (std::size_t p = begin; p < end; ++p) {
                layer.rest[p] = without(layer.probes[p], layer.at_probes[p], lamps_told[p], told[p]);
                window_ringing(layer.probes[p], layer.at_probes[p]);
            }
        });
    }
}

namespace {

/// Each set's sum of layers.
std::vector<ProbeLight> mix(const Level& lit, const std::vector<Layer>& layers, std::size_t probes,
                            const std::vector<ShRgb> Layer::*light) {
    std::vector<ProbeLight> out(lit.sets.size(), ProbeLight(probes));
    for (std::size_t s = 0; s < lit.sets.size(); ++s)
        for (std::size_t g = 0; g < layers.size(); ++g)
            for (std::size_t p = 0; p < probes; ++p)
                for (std::size_t b = 0; b < 9; ++b)
                    out[s][p][b] += (layers[g].*light)[p][b] * lit.sets[s].gain(g);
    return out;
}

}  // namespace

std::vector<ProbeLight> mix_probes(const Level& lit, const std::vector<Layer>& layers, std::size_t probes) {
    return mix(lit, layers, probes, &Layer::probes);
}

std::vector<Rgb> mix_openings(const Level& lit, std::uint32_t set, const std::vector<Layer>& layers,
                              const OpeningSight& openings) {
    std::vector<Rgb> out(openings.lamp.size());
    for (std::size_t g = 0; g < layers.size(); ++g)
        for (std::size_t o = 0; o < layers[g].openings.size(); ++o)
            out[o] += layers[g].openings[o] * lit.sets[set].gain(g);
    return out;
}

std::vector<ProbeLamps> mix_lamps(const Level& lit, const std::vector<Layer>& layers,
                                  const UnlitLevel& unlit) {
    const OpeningSight& openings = unlit.probes.openings;
    const std::size_t probes = unlit.probes.net.size();
    const std::vector<Light> lamps = lamps_of(lit, unlit.textures);
    std::vector<ProbeLamps> out(lit.sets.size());
    std::vector<ProbeLight> rest = mix(lit, layers, probes, &Layer::rest);
    for (std::uint32_t s = 0; s < lit.sets.size(); ++s) {
        ProbeLamps& set = out[s];
        set.rest = std::move(rest[s]);
        std::vector<ListedLamp> listed;
        for (std::size_t g = 0; g < layers.size(); ++g)
            if (max_channel(lit.sets[s].gain(g)) > 0)
                listed.insert(listed.end(), layers[g].lamps.begin(), layers[g].lamps.end());
        // Openings are numbered after all lamps.
        const auto lights = static_cast<std::uint32_t>(lamps.size());
        const std::vector<Rgb> through = mix_openings(lit, s, layers, openings);
        for (const OpeningSight::Seen& seen : openings.seen)
            if (max_channel(through[seen.lamp]) > 0)
                listed.push_back({seen.probe, lights + seen.lamp, seen.seen});
        std::sort(listed.begin(), listed.end(), [](const ListedLamp& a, const ListedLamp& b) {
            return a.probe < b.probe || (a.probe == b.probe && a.light < b.light);
        });
        std::vector<std::uint32_t> number(lights + through.size(), none);
        for (const ListedLamp& l : listed) number[l.light] = 0;
        for (std::uint32_t i = 0; i < number.size(); ++i) {
            if (number[i] == none) continue;
            number[i] = static_cast<std::uint32_t>(set.lamp.size());
            if (i < lights) {
                add_lamp(set, lamps[i], lit.profiles);
                set.color.back() = lamps[i].color * lit.sets[s].gain(lamps[i].group);
            } else {
                set.lamp.push_back(openings.lamp[i - lights]);
                set.color.push_back(through[i - lights]);
                set.name.push_back(opening_name(i - lights));
            }
        }
        set.first.assign(probes + 1, 0);
        for (const ListedLamp& l : listed) {
            ++set.first[l.probe + 1];
            set.entry.push_back(number[l.light] << 16 | l.seen);
        }
        for (std::size_t p = 0; p < probes; ++p) set.first[p + 1] += set.first[p];
    }
    return out;
}

}  // namespace stasigraph
