#include "bake/solve_layers.hpp"

#include <algorithm>
#include <cmath>

#include "bake/costs.hpp"
#include "base/blob.hpp"
#include "base/hash.hpp"

namespace stasigraph {

namespace {

/// So many links tell roughly how much light there is, where noise is asked for.
constexpr std::uint32_t most_asked = 64;

/// Fills in the first term of the solve. The sky's layer remembers what it has by links.
LightField gather_sources(Making& m, const RowLengths& lengths, Job& job) {
    const Ground& g = m.work.ground;
    LightField field(g.texels.size(), m.groups.size());
    std::vector<Rgb>* sky = m.sky_column == none ? nullptr : &m.layer(m.sky_column).sky;
    if (sky) sky->assign(g.texels.size(), Rgb{});
    if (sky) m.work.first_sky(job);
    job.parallel(g.texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!g.valid[i]) continue;  // whatever a buried texel is lit by is inside geometry
            for (std::size_t c = 0; c < m.groups.size(); ++c) {
                const Layer& layer = m.layer(c);
                field.add(i, c, layer.sampled.light[i]);
                if (!layer.live.light.empty()) field.add(i, c, layer.live.light[i]);
            }
            if (!sky) continue;
            const std::uint32_t length = lengths.at(i, m.sky_column);
            (*sky)[i] = gathered_sky_sum(m.work.sky, g.rows, g.links, i, length, m.work.weights.at(i),
                                         m.work.first_sky(job)[i])
                            .sum *
                        (pi / static_cast<float>(length));
            field.add(i, m.sky_column, (*sky)[i]);
        }
    });
    return field;
}

void tell_noise(const Making& m, const std::vector<float>& noise, const RowLengths& lengths) {
    const Ground& g = m.work.ground;
    for (std::size_t c = 0; c < m.groups.size(); ++c) {
        Layer& layer = m.layer(c);
        layer.doublings.assign(g.texels.size(), 0);
        double before = 0, after = 0, whole = 0;
        for (std::size_t i = 0; i < g.texels.size(); ++i) {
            if (!lengths.doublings.empty()) layer.doublings[i] = lengths.doublings[i * m.groups.size() + c];
            const auto area = static_cast<double>(g.texels.area[i]),
                       here = static_cast<double>(noise[i * m.groups.size() + c]);
            whole += area;
            before += area * here;
            after += area * here / std::sqrt(static_cast<double>(1u << layer.doublings[i]));
        }
        layer.noise_before = whole > 0 ? static_cast<float>(before / whole) : 0;
        layer.noise = whole > 0 ? static_cast<float>(after / whole) : 0;
    }
}

std::string solve_key(const Making& m) {
    Hasher h("solve");
    for (std::size_t c = 0; c < m.groups.size(); ++c) h.text(m.layer(c).keys.light);
    return h.key();
}

/// How noisy each group's light is on each row, and the rows that follow from it.
struct Asked {
    RowLengths lengths;
    std::vector<float> noise;
};

void save(const Making& m, const Asked& asked) {
    const BakeStore& store = m.work.ground.store;
    if (!store.save) return;
    BlobWriter out;
    out.array(asked.lengths.doublings);
    out.array(asked.noise);
    out.array(m.floor);
    store.save("asked-" + solve_key(m), out.parts());
}

bool load(Making& m, Asked& asked) {
    const BakeStore& store = m.work.ground.store;
    Blob blob;
    if (!store.load || !store.load("asked-" + solve_key(m), blob)) return false;
    const std::size_t count = m.work.ground.texels.size() * m.groups.size();
    BlobReader in(blob);
    std::vector<float> floor;
    in.array(asked.lengths.doublings, count);
    in.array(asked.noise, count);
    in.array(floor, m.groups.size());
    const std::uint32_t first = asked.lengths.first;
    const auto most = static_cast<std::uint32_t>(m.work.ground.tier.most_links);
    if (!in.done() || std::any_of(asked.lengths.doublings.begin(), asked.lengths.doublings.end(),
                                  [&](std::uint8_t d) { return d > 16 || first << d > most; }))
        return false;
    m.floor = std::move(floor);
    return true;
}

void save(const Making& m, const Solved& solved) {
    const BakeStore& store = m.work.ground.store;
    if (!store.save) return;
    std::vector<int> bounces;
    for (std::size_t c = 0; c < m.groups.size(); ++c) bounces.push_back(m.layer(c).bounces);
    const std::vector<Rgb> none_seen;
    BlobWriter out;
    out.array(solved.light.values);
    out.array(bounces);
    out.array(m.sky_column == none ? none_seen : m.layer(m.sky_column).sky);
    store.save("solved-" + solve_key(m), out.parts());
}

bool load(const Making& m, Solved& solved) {
    const BakeStore& store = m.work.ground.store;
    Blob blob;
    if (!store.load || !store.load("solved-" + solve_key(m), blob)) return false;
    const std::size_t count = m.work.ground.texels.size();
    solved.light = LightField(count, m.groups.size());
    std::vector<int> bounces;
    std::vector<Rgb> sky;
    BlobReader in(blob);
    in.array(solved.light.values, solved.light.values.size());
    in.array(bounces, m.groups.size());
    in.array(sky, m.sky_column == none ? 0 : count);
    if (!in.done()) return false;
    for (std::size_t c = 0; c < m.groups.size(); ++c) m.layer(c).bounces = bounces[c];
    if (m.sky_column != none) m.layer(m.sky_column).sky = std::move(sky);
    return true;
}

std::vector<float> noise_of(Making& m, const LightField& light, const NoiseQuestion& question, Job& job) {
    const Ground& g = m.work.ground;
    NoisyLight noisy{.links = g.links,
                     .albedo = m.work.albedo,
                     .area = g.texels.area,
                     .light = light,
                     .floor = m.floor,
                     .sky = m.sky_column == none ? m.work.sky_sums : m.work.first_sky(job),
                     .sky_column = m.sky_column};
    std::vector<float> noise = estimate_noise(noisy, m.groups.size(), question, job);
    m.floor = noisy.floor;
    return noise;
}

}  // namespace

Solved solve_layers(Making& m, Job& job) {
    Ground& g = m.work.ground;
    const Level& lit = m.work.lit;
    const auto first = static_cast<std::uint32_t>(g.tier.first_links),
               most = static_cast<std::uint32_t>(g.tier.most_links);
    const NoiseQuestion question{lit.quality.noise > 0 ? lit.quality.noise : g.tier.noise, first, most};
    const std::size_t groups = m.groups.size();
    Asked asked{{.first = first, .groups = groups, .doublings = {}}, {}};
    job.begin("noise", 3 * bounce_units(0));
    if (most > first) {
        if (!load(m, asked)) {
            // First with the first links and a few bounces, to see where the light is uncertain.
            const RowLengths few = {.first = std::min(first, most_asked), .groups = groups, .doublings = {}};
            asked.noise =
                noise_of(m,
                         solve_bounces(g.links, few, m.work.albedo, gather_sources(m, asked.lengths, job),
                                       std::min(3, lit.quality.bounces.value_or(3)), job)
                             .light,
                         question, job);
            asked.lengths = row_lengths(g.texels, g.valid, asked.noise, groups, question, job);
            save(m, asked);
        }
        std::vector<std::uint32_t> longest(g.rows.size());
        for (std::size_t i = 0; i < longest.size(); ++i) longest[i] = asked.lengths.longest(i);
        job.begin("more links", g.rows.size());
        job.expect("more links", cost_of_links(g, longest));
        g.extend(longest, job);
    }
    job.begin("bounces", settle_units);
    Solved solved{.light = {}, .lengths = std::move(asked.lengths)};
    if (!load(m, solved)) {
        SolveResult result = solve_bounces(g.links, solved.lengths, m.work.albedo,
                                           gather_sources(m, solved.lengths, job), lit.quality.bounces, job);
        solved.light = std::move(result.light);
        for (std::size_t c = 0; c < groups; ++c) m.layer(c).bounces = result.bounces[c];
        save(m, solved);
    }
    if (most == first) asked.noise = noise_of(m, solved.light, question, job);
    tell_noise(m, asked.noise, solved.lengths);
    return solved;
}

void forget_solved(const Making& m) {
    const BakeStore& store = m.work.ground.store;
    if (!store.drop) return;
    store.drop("asked-" + solve_key(m));
    store.drop("solved-" + solve_key(m));
}

}  // namespace stasigraph
