#include "bake/solve_layers.hpp"

#include <algorithm>
#include <cmath>

#include "bake/costs.hpp"
#include "bake/learn_guides.hpp"
#include "base/blob.hpp"
#include "base/hash.hpp"

namespace stasigraph {

namespace {

/// This many links tell roughly how much light there is, where noise is asked for.
constexpr std::uint32_t most_asked = 64;

void sum_skies(const Making& m, Job& job) {
    std::vector<LightWork*> works;
    for (const LayerToMake& c : m.columns)
        if (c.is_sky()) works.push_back(c.work);
    sum_first_skies(works, job);
}

/// Fills in the first term of the solve. The layer of a sky remembers what it has by links. `guided`: by
/// group, or empty.
LightField gather_sources(Making& m, const RowLengths& lengths, const std::vector<GuidedLinks>& guided,
                          Job& job) {
    const UnlitLevel& g = m.unlit;
    LightField field(g.texels.size(), m.size());
    for (const LayerToMake& c : m.columns)
        if (c.is_sky()) c.layer->sky.assign(g.texels.size(), Rgb{});
    sum_skies(m, job);
    g.links.for_rows(1024, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(g.recorded());
        for (std::size_t i = begin; i < end; ++i) {
            if (!g.judged.is_valid(i)) continue;  // whatever an invalid texel is lit by is inside geometry
            for (std::size_t c = 0; c < m.size(); ++c) {
                Layer& layer = m.layer(c);
                field.add(i, c, layer.sampled.light[i]);
                if (!layer.live.light.empty()) field.add(i, c, layer.live.light[i]);
                if (!m.sky(c)) continue;
                const std::uint32_t length = lengths.at(i, c);
                layer.sky[i] = gathered_sky_sum(*m.sky(c), g.recorded(),
                                                {i, m.columns[c].work->sky_sums[i].count, length},
                                                m.weights.at(i), m.columns[c].work->sky_sums[i])
                                   .sum *
                               (pi / static_cast<float>(length));
                if (!guided.empty())
                    layer.sky[i] += guided_sky(*m.sky(c), guided[c], parts, {i, 0, length}, m.weights.at(i));
                field.add(i, c, layer.sky[i]);
            }
        }
    });
    return field;
}

void tell_noise(const Making& m, const std::vector<float>& noise, const RowLengths& lengths) {
    const UnlitLevel& g = m.unlit;
    for (std::size_t c = 0; c < m.size(); ++c) {
        Layer& layer = m.layer(c);
        layer.log2_scale.assign(g.texels.size(), 0);
        double before = 0, after = 0, whole = 0;
        for (std::size_t i = 0; i < g.texels.size(); ++i) {
            if (!lengths.log2_scale.empty()) layer.log2_scale[i] = lengths.log2_scale[i * m.size() + c];
            const auto area = static_cast<double>(g.texels.area[i]),
                       here = static_cast<double>(noise[i * m.size() + c]);
            whole += area;
            before += area * here;
            after += area * here / std::sqrt(static_cast<double>(1u << layer.log2_scale[i]));
        }
        layer.noise_before = whole > 0 ? static_cast<float>(before / whole) : 0;
        layer.noise = whole > 0 ? static_cast<float>(after / whole) : 0;
    }
}

/// How noisy each group's light is on each row, and the rows that follow from it.
struct Asked {
    RowLengths lengths;
    std::vector<float> noise;
    std::vector<GuidedLinks> guided;  ///< By group; empty where none are asked for.
};

void save(const Making& m, const Asked& asked) {
    const BakeStore& store = m.unlit.store;
    if (!store.save) return;
    BlobWriter out;
    out.array(asked.lengths.log2_scale);
    out.array(asked.noise);
    out.array(m.floor);
    for (const GuidedLinks& guided : asked.guided) {
        out.array(guided.row);
        out.array(guided.source.guide);
        out.array(guided.source.guides.guides);
        out.array(guided.source.guides.cells);
    }
    store.save("asked-" + solve_key(m), out.parts());
}

/// Whether what the store has are rows of this many texels, and guides that rays can be sent by.
bool are_guides(const GuidedLinks& own, std::size_t texels) {
    const GuideSet& set = own.source.guides;
    const auto sane = [&](const DirectionGuide& g) {
        return g.count > 0 && g.first <= set.cells.size() && g.count <= set.cells.size() - g.first;
    };
    const auto can_be_sent_to = [](const GuidedCell& c) {
        return c.cell < DirectionGuide::cells && c.rays > 0 &&
               std::count(c.parts.begin(), c.parts.end(), 0) == 0;
    };
    return std::is_sorted(own.row.begin(), own.row.end()) && (own.row.empty() || own.row.back() < texels) &&
           std::all_of(own.source.guide.begin(), own.source.guide.end(),
                       [&](std::uint32_t g) { return g < set.guides.size(); }) &&
           std::all_of(set.guides.begin(), set.guides.end(), sane) &&
           std::all_of(set.cells.begin(), set.cells.end(), can_be_sent_to);
}

bool load(Making& m, Asked& asked) {
    const BakeStore& store = m.unlit.store;
    Blob blob;
    if (!store.load || !store.load("asked-" + solve_key(m), blob)) return false;
    const std::size_t count = m.unlit.texels.size() * m.size();
    BlobReader in(blob);
    std::vector<float> floor;
    in.array(asked.lengths.log2_scale, count);
    in.array(asked.noise, count);
    in.array(floor, m.size());
    std::vector<GuidedLinks> guided(m.size());
    for (GuidedLinks& own : guided) {
        in.array(own.row);
        in.array(own.source.guide, own.row.size());
        in.array(own.source.guides.guides);
        in.array(own.source.guides.cells);
        if (!are_guides(own, m.unlit.texels.size())) return false;
    }
    const std::uint32_t first = asked.lengths.first;
    const auto most = static_cast<std::uint32_t>(m.unlit.tier.most_links);
    if (!in.done() || std::any_of(asked.lengths.log2_scale.begin(), asked.lengths.log2_scale.end(),
                                  [&](std::uint8_t d) { return d > 16 || first << d > most; }))
        return false;
    m.floor = std::move(floor);
    asked.guided = std::move(guided);
    return true;
}

void save(const Making& m, const Solved& solved) {
    const BakeStore& store = m.unlit.store;
    if (!store.save) return;
    std::vector<int> bounces;
    for (const LayerToMake& c : m.columns) bounces.push_back(c.layer->bounces);
    BlobWriter out;
    out.array(solved.light.values);
    out.array(bounces);
    for (const LayerToMake& c : m.columns) out.array(c.layer->sky);
    store.save("solved-" + solve_key(m), out.parts());
}

bool load(const Making& m, Solved& solved) {
    const BakeStore& store = m.unlit.store;
    Blob blob;
    if (!store.load || !store.load("solved-" + solve_key(m), blob)) return false;
    const std::size_t count = m.unlit.texels.size();
    solved.light = LightField(count, m.size());
    std::vector<int> bounces;
    std::vector<std::vector<Rgb>> sky(m.size());
    BlobReader in(blob);
    in.array(solved.light.values, solved.light.values.size());
    in.array(bounces, m.size());
    for (std::size_t c = 0; c < m.size(); ++c) in.array(sky[c], m.sky(c) ? count : 0);
    if (!in.done()) return false;
    for (std::size_t c = 0; c < m.size(); ++c) {
        m.layer(c).bounces = bounces[c];
        m.layer(c).sky = std::move(sky[c]);
    }
    return true;
}

struct Noise {
    std::vector<float> noise, mean;
};
Noise noise_of(Making& m, const LightField& light, const NoiseQuestion& question, Job& job) {
    const UnlitLevel& g = m.unlit;
    NoisyLight noisy{.links = g.links,
                     .albedo = m.albedo,
                     .area = g.texels.area,
                     .light = light,
                     .floor = m.floor,
                     .sky = {},
                     .mean = {}};
    sum_skies(m, job);
    for (const LayerToMake& c : m.columns) noisy.sky.push_back(c.is_sky() ? &c.work->sky_sums : nullptr);
    std::vector<float> noise = estimate_noise(noisy, m.size(), question, job);
    m.floor = noisy.floor;
    return {std::move(noise), std::move(noisy.mean)};
}

/// Noise of a group as it is told: against what it is looked at with, where no set has an exposure.
void hold_against_whole(const Making& m, const LightField& light, std::vector<float>& noise) {
    const UnlitLevel& g = m.unlit;
    for (std::size_t c = 0; c < m.size(); ++c) {
        if (unseen_light_of(m.columns[c].work->lit, m.columns[c].group) > 0) continue;
        const float floor = looked_at_floor(light, c, g.texels.area);
        for (std::size_t i = 0; i < g.texels.size(); ++i) {
            const float here = luminance(light.get(i, c)), against = std::max(here, floor);
            if (against > 0) noise[i * m.size() + c] *= std::max(here, m.floor[c]) / against;
        }
    }
}

void trace(const Making& m, std::vector<GuidedLinks>& guided, Job& job) {
    std::size_t rows = 0;
    for (const GuidedLinks& own : guided) rows += own.size();
    job.begin(Stage::guided_links, rows);
    for (std::size_t c = 0; c < guided.size(); ++c) {
        trace_guided(m.unlit, m.unlit.judged.rows, guided[c], job);
        // Their directions are asked for once more where they met the sky, and then of a sky alone.
        if (!m.sky(c)) guided[c].source.receivers = {};
    }
}

}  // namespace

std::string solve_key(const Making& m) {
    Hasher h("solve");
    for (std::size_t c = 0; c < m.size(); ++c) h.text(m.layer(c).keys.light);
    return h.key();
}

Solved solve_layers(Making& m, Job& job) {
    UnlitLevel& g = m.unlit;
    const auto first = static_cast<std::uint32_t>(g.tier.first_links),
               most = static_cast<std::uint32_t>(g.tier.most_links);
    const NoiseQuestion question{m.quality.noise > 0 ? m.quality.noise : g.tier.noise, first, most};
    const std::size_t groups = m.size();
    Asked asked{{.first = first, .groups = groups, .log2_scale = {}}, {}, {}};
    job.begin(Stage::noise, 3 * bounce_units(0));
    const bool grow = most > first || first >= DirectionGuide::cells;
    if (grow) {
        if (!load(m, asked)) {
            // First with the first links and a few bounces, to see where the light is uncertain.
            const RowLengths few = {.first = std::min(first, most_asked), .groups = groups, .log2_scale = {}};
            const LightField light =
                solve_bounces({g.links, few, m.albedo}, gather_sources(m, asked.lengths, {}, job),
                              std::min(3, m.quality.bounces.value_or(3)), job)
                    .light;
            Noise found = noise_of(m, light, question, job);
            asked.noise = std::move(found.noise);
            // Where that is because few rays meet what is bright, more are sent there; what noise is left
            // then wants longer rows.
            const LearntFrom learnt = learn_from(m, light, first, question.noise, job);
            asked.guided = learn_guides(learnt, asked.noise, job);
            trace(m, asked.guided, job);
            renew_noise(learnt, asked.guided, found.mean, asked.noise, job);
            asked.lengths = row_lengths(g.texels, g.judged.states, asked.noise, question, job);
            hold_against_whole(m, light, asked.noise);
            save(m, asked);
        } else {
            trace(m, asked.guided, job);
        }
        std::vector<std::uint32_t> longest(g.judged.rows.size());
        for (std::size_t i = 0; i < longest.size(); ++i) longest[i] = asked.lengths.longest(i);
        job.begin(Stage::more_links, g.judged.rows.size());
        job.expect(Stage::more_links, cost_of_links(g, longest));
        g.extend(longest, job);
    }
    job.begin(Stage::bounces, settle_units);
    Solved solved{.light = {}, .lengths = std::move(asked.lengths), .guided = std::move(asked.guided)};
    const AllGuided guided{solved.guided, g.recorded()};
    if (!load(m, solved)) {
        const SolveKept kept{g.store, "solving-" + solve_key(m)};
        SolveResult result = solve_bounces(
            {g.links, solved.lengths, m.albedo, solved.guided.empty() ? nullptr : &guided},
            gather_sources(m, solved.lengths, solved.guided, job), m.quality.bounces, job, &kept);
        solved.light = std::move(result.light);
        for (std::size_t c = 0; c < groups; ++c) m.layer(c).bounces = result.bounces[c];
        save(m, solved);
        if (g.store.drop) g.store.drop(kept.name);
    }
    if (!grow) {
        asked.noise = noise_of(m, solved.light, question, job).noise;
        hold_against_whole(m, solved.light, asked.noise);
    }
    tell_noise(m, asked.noise, solved.lengths);
    for (std::size_t c = 0; c < groups; ++c)
        m.layer(c).guided_links = solved.guided.empty() ? 0 : solved.guided[c].links.count();
    return solved;
}

void forget_solved(const Making& m) {
    const BakeStore& store = m.unlit.store;
    if (!store.drop) return;
    store.drop("asked-" + solve_key(m));
    store.drop("solved-" + solve_key(m));
    store.drop("smoothed-" + solve_key(m));
}

}  // namespace stasigraph
