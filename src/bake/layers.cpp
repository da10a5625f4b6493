#include "bake/layers.hpp"

#include <algorithm>

#include "bake/costs.hpp"
#include "bake/direct_layers.hpp"
#include "bake/guide_denoise.hpp"
#include "bake/look_again.hpp"
#include "bake/probe_layers.hpp"
#include "bake/room_noise.hpp"
#include "bake/set_pages.hpp"
#include "bake/solve_layers.hpp"
#include "bake/unit_light.hpp"
#include "base/blob.hpp"

namespace stasigraph {

namespace {

/// A texel whose standard error, channels summed, is below this share of the light that counts as unseen is
/// not smoothed. With 0.05 noon keeps 6 % more error on the demo level; 0 takes a third longer for 1 % less.
constexpr float unseen_error = 0.02f;

LightField gradients_by_links(const Making& m, const LightField& light, const RowLengths& lengths, Job& job) {
    const UnlitLevel& g = m.unlit;
    HalfField sent;
    reflect(light, m.albedo, sent, job);
    LightField field = link_gradients(g.recorded(), lengths, g.pages.gradient_rows, sent, job);
    for (std::size_t column = 0; column < m.size(); ++column) {
        if (!m.sky(column)) continue;
        job.parallel(g.pages.gradient_rows.texel.size(), 1024, [&](std::size_t begin, std::size_t end) {
            for (std::size_t row = begin; row < end; ++row) {
                const std::uint32_t i = g.pages.gradient_rows.texel[row], length = lengths.at(i, column);
                const float share = pi / static_cast<float>(length);
                IrradianceGradient sum;
                gathered_sky(*m.sky(column), g.recorded(), {i, 0, length}, m.weights.at(i),
                             [&](std::uint32_t, Vec3 w, Rgb e) {
                                 sum += gradient_along(e * share,
                                                       gathered_gradient(g.judged.rows.receivers[i], w));
                             });
                add_gradient(field, row, column, sum);
            }
        });
    }
    return field;
}

/// What is smoothed already, for a bake that is stopped.
void save_smoothed(const Making& m, const LightField& light, const LightField& gradients, std::size_t done) {
    if (!m.unlit.store.save) return;
    BlobWriter out;
    out.number(done);
    out.array(light.values);
    out.array(gradients.values);
    m.unlit.store.save("smoothed-" + solve_key(m), out.parts());
}

/// Leaves everything as it is where there is nothing.
void load_smoothed(const Making& m, LightField& light, LightField& gradients, std::size_t& done) {
    Blob blob;
    if (!m.unlit.store.load || !m.unlit.store.load("smoothed-" + solve_key(m), blob)) return;
    BlobReader in(blob);
    const std::uint64_t groups = in.number();
    LightField kept_light = light, kept_gradients = gradients;
    in.array(kept_light.values, light.values.size());
    in.array(kept_gradients.values, gradients.values.size());
    if (!in.done() || groups >= m.size() || groups % groups_smoothed_at_once != 0) return;
    light = std::move(kept_light);
    gradients = std::move(kept_gradients);
    done = static_cast<std::size_t>(groups);
}

/// Light by links, smoothed where that lowers its error, and looked at again where it stands out.
void smooth(const Making& m, const Solved& solved, LightField& by_links, LightField& gradients, Job& job) {
    const UnlitLevel& g = m.unlit;
    const std::size_t groups = m.size();
    job.parallel(g.texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t c = 0; g.judged.is_valid(i) && c < groups; ++c) {
                by_links.add(i, c, m.layer(c).sampled.light[i] * -1.0f);
                if (!m.layer(c).live.light.empty()) by_links.add(i, c, m.layer(c).live.light[i] * -1.0f);
            }
    });
    const TexelFlags wanted = g.lightmapped();
    std::vector<const SkyLight*> skies;
    for (std::size_t c = 0; c < groups; ++c) skies.push_back(m.sky(c));
    DenoiseGuide guide = guide_denoise({.texels = g.texels,
                                        .recorded = g.recorded(),
                                        .lengths = solved.lengths,
                                        .wanted = wanted,
                                        .graph = g.judged.graph,
                                        .reach = m.unlit.reach(job),
                                        .albedo = m.albedo,
                                        .light = solved.light,
                                        .by_links = by_links,
                                        .weights = m.weights,
                                        .sky = skies,
                                        .guided = solved.guided},
                                       job);
    guide.strength = g.tier.smoothing;
    for (const float floor : m.floor) guide.unseen.push_back(unseen_error * floor);
    SmoothingSteps steps;
    load_smoothed(m, by_links, gradients, steps.done);
    steps.after = [&](std::size_t done) {
        if (done < groups) save_smoothed(m, by_links, gradients, done);
    };
    const bool some = !g.pages.gradient_rows.empty();
    denoise({g.texels, g.judged.graph, wanted}, guide,
            {by_links, some ? &g.pages.gradient_rows : nullptr, some ? &gradients : nullptr}, job, steps);
    look_again(m, solved, wanted, by_links, job);
}

/// The solved light as it is shown: what came by links smoothed, while directly sampled light keeps its
/// shadow edges; and its gradients. Direct light that stays live is left out.
void show(const Making& m, const Solved& solved, Job& job) {
    const UnlitLevel& g = m.unlit;
    const GradientRows& rows = g.pages.gradient_rows;
    LightField by_links = solved.light, gradients;
    const auto take = [](Rgb e, Rgb off) {
        return Rgb{std::max(0.0f, e.r - off.r), std::max(0.0f, e.g - off.g), std::max(0.0f, e.b - off.b)};
    };
    if (!rows.empty()) gradients = gradients_by_links(m, solved.light, solved.lengths, job);
    const bool smoothed = m.quality.denoise == Denoise::automatic;
    if (smoothed) smooth(m, solved, by_links, gradients, job);
    for (std::size_t c = 0; c < m.size(); ++c) {
        Layer& layer = m.layer(c);
        layer.shown.assign(g.texels.size(), Rgb{});
        job.parallel(g.texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                layer.shown[i] = by_links.get(i, c);
                if (!g.judged.is_valid(i)) continue;
                if (smoothed)
                    layer.shown[i] += layer.sampled.light[i];
                else if (!layer.live.light.empty())
                    layer.shown[i] = take(layer.shown[i], layer.live.light[i]);
            }
        });
        layer.gradients = LightField(rows.texel.size(), 3);
        job.parallel(rows.texel.size(), 4096, [&](std::size_t begin, std::size_t end) {
            for (std::size_t row = begin; row < end; ++row) {
                add_gradient(layer.gradients, row, 0, gradient_at(gradients, row, c));
                add_gradient(layer.gradients, row, 0, layer.sampled.gradient[row]);
            }
        });
    }
}

std::string layer_blob(const Layer& l) {
    return "layer-" + l.keys.light;
}
/// What texels send, for probes that come later.
std::string radiosity_blob(const Layer& l) {
    return "radiosity-" + l.keys.light;
}
/// Its light at probes, for where those stand.
std::string probes_blob(const UnlitLevel& g, const Layer& l) {
    Hasher h("layer at probes");
    h.text(l.keys.light);
    h.text(g.probes.key);
    return "layer-probes-" + h.key();
}

void save_probes(const UnlitLevel& g, const Layer& l) {
    if (!g.store.save || g.probes.net.size() == 0) return;
    BlobWriter out;
    out.array(l.probes);
    out.array(l.rest);
    out.array(l.lamps);
    out.array(l.openings);
    g.store.save(probes_blob(g, l), out.parts());
}

bool load_probes(const UnlitLevel& g, Layer& l) {
    l.probes.clear();
    l.rest.clear();
    l.lamps.clear();
    l.openings.clear();
    if (g.probes.net.size() > 0) {
        Blob blob;
        if (!g.store.load || !g.store.load(probes_blob(g, l), blob)) return false;
        BlobReader in(blob);
        in.array(l.probes, g.probes.net.size());
        in.array(l.rest, g.probes.net.size());
        in.array(l.lamps);
        in.array(l.openings, g.probes.openings.lamp.size());
        if (!in.done()) return false;
    }
    l.probe_key = g.probes.key;
    return true;
}

bool load_radiosity(const UnlitLevel& g, Layer& l) {
    Blob blob;
    if (!g.store.load || !g.store.load(radiosity_blob(l), blob)) return false;
    BlobReader in(blob);
    std::vector<float> unit;
    in.array(unit, 1);
    in.array(l.radiosity, g.texels.size());
    if (!in.done()) return false;
    l.radiosity_unit = unit[0];
    return true;
}

void save_layer(const UnlitLevel& g, const Layer& l) {
    if (!g.store.save) return;
    BlobWriter out;
    const std::vector<float> noise{l.noise_before, l.noise};
    out.array(noise);
    out.number(static_cast<std::uint64_t>(l.bounces));
    out.number(l.guided_links);
    out.array(l.log2_scale);
    out.array(l.shown);
    out.array(l.checked);
    out.array(l.gradients.values);
    for (const PageImage& page : l.pages) {
        out.array(page.texels);
        out.array(page.state);
    }
    out.array(l.at_seams);
    g.store.save(layer_blob(l), out.parts());
    BlobWriter radiosity;
    const std::vector<float> unit{l.radiosity_unit};
    radiosity.array(unit);
    radiosity.array(l.radiosity);
    g.store.save(radiosity_blob(l), radiosity.parts());
    save_probes(g, l);
}

bool load(const UnlitLevel& g, Layer& l) {
    Blob blob;
    if (!g.store.load || !g.store.load(layer_blob(l), blob)) return false;
    BlobReader in(blob);
    std::vector<float> noise;
    in.array(noise, 2);
    l.bounces = static_cast<int>(in.number());
    l.guided_links = in.number();
    in.array(l.log2_scale, g.texels.size());
    in.array(l.shown, g.texels.size());
    in.array(l.checked);
    l.gradients = LightField(g.pages.gradient_rows.texel.size(), 3);
    in.array(l.gradients.values, l.gradients.values.size());
    l.pages.clear();
    for (const PagePlan& plan : g.pages.plans) {
        PageImage& page = l.pages.emplace_back();
        page.side = plan.side;
        const auto texels = static_cast<std::size_t>(plan.side) * static_cast<std::size_t>(plan.side);
        in.array(page.texels, texels);
        in.array(page.state, texels);
    }
    in.array(l.at_seams, g.pages.seams.texels.size());
    if (!in.done() || (!l.checked.empty() && l.checked.size() != checked_texels(g).size())) return false;
    l.noise_before = noise[0];
    l.noise = noise[1];
    return true;
}

/// The layer of a group without light, as the sun of a series is at night.
void stay_dark(const UnlitLevel& g, Layer& l) {
    l.sampled = {};
    l.sampled.light.resize(g.texels.size());
    l.live = {};
    l.at_probes.assign(g.probes.net.size(), {});
    l.log2_scale.assign(g.texels.size(), 0);
    l.sky.clear();
    l.shown.assign(g.texels.size(), Rgb{});
    l.checked.clear();
    l.gradients = LightField(g.pages.gradient_rows.texel.size(), 3);
    l.radiosity.assign(g.texels.size(), {});
    l.probes = l.rest = l.at_probes;
    l.lamps.clear();
    l.openings.clear();
    l.probe_key = g.probes.key;
    l.noise_before = l.noise = 0;
    l.bounces = 0;
    l.guided_links = 0;
}

}  // namespace

std::size_t light_layers(const std::vector<LayerToMake>& wanted, Job& job) {
    std::vector<LayerToMake> make, dark, probes_alone;
    for (const LayerToMake& w : wanted) {
        const UnlitLevel& g = w.work->unlit;
        if (load(g, *w.layer)) {
            if (load_probes(g, *w.layer)) continue;
            if (load_radiosity(g, *w.layer)) {
                probes_alone.push_back(w);
                continue;
            }
        }
        (max_channel(group_strength(w.work->lit, w.group)) > 0 ? make : dark).push_back(w);
    }
    const auto let_go = [](const LayerToMake& w) { w.layer->radiosity = {}; };
    if (!probes_alone.empty()) {
        // Probes stand elsewhere: texels have their light already.
        light_direct(probes_alone, job);
        job.begin(Stage::probes, probes_alone.size());
        light_probe_layers(probes_alone, job);
        for (const LayerToMake& w : probes_alone) {
            save_probes(w.work->unlit, *w.layer);
            let_go(w);
        }
    }
    for (const LayerToMake& w : dark) {
        stay_dark(w.work->unlit, *w.layer);
        make_layer_pages(w.work->unlit, w.work->lit, *w.layer, job);
        save_layer(w.work->unlit, *w.layer);
        let_go(w);
    }
    if (make.empty()) return dark.size();
    expect_layers(make[0].work->unlit, make[0].work->lit, make.size(), job);
    light_direct(make, job);
    Making making(make);
    Solved solved = solve_layers(making, job);
    job.begin(Stage::denoise, denoise_units(making.unlit.texels.size(), make.size()));
    show(making, solved, job);
    check_noise(making, solved, job);
    solved.guided = {};
    carry_light(making, solved.light, job);
    if (making.unlit.probes.rows.size() > 0) job.begin(Stage::probes, make.size());
    light_probe_layers(make, job);
    job.begin(Stage::pages, make.size());
    job.parallel(make.size(), 1, [&](std::size_t c, std::size_t) {
        make_layer_pages(making.unlit, make[c].work->lit, *make[c].layer, job);
        job.advance(1);
    });
    for (const LayerToMake& w : make) {
        save_layer(making.unlit, *w.layer);
        let_go(w);
    }
    forget_solved(making);
    return make.size() + dark.size();
}

}  // namespace stasigraph
