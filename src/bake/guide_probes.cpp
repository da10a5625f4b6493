#include "bake/guide_probes.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "bake/guide_shape.hpp"
#include "bake/learn_guides.hpp"

namespace stasigraph {

namespace {

/// Links of a probe from which on guides are worth their time.
constexpr int least_links = 1024;
/// Pilot links of a probe, of those that count: as many do no better.
constexpr int pilot_share = 4;
/// Links that bring this many times the light of their probe are kept one by one, this many of a block.
constexpr float bright_at_probe = 4;
constexpr std::size_t most_kept = 512;
/// Metres of the blocks whose probes learn from one another, and from those of the blocks beside.
constexpr float block_size = 6;
/// How many bright places a probe looks for at most.
constexpr std::ptrdiff_t most_places = 256;
/// Probes aim for half the noise of texels, since anything that moves through the light shows every step. The
/// aim is for each facing, which has twice the noise of the mean over all; guided rays leave half of its
/// variance, and there are at most as many of them as evenly spread ones.
constexpr float of_texels_noise = 0.5f, share_left = 1.0f / 8, most_of_row = 1;
/// Of a group's typical light (its mean as weighed by itself). A probe with less counts as having that much:
/// otherwise nine in ten rays go where nobody sees the group.
constexpr float least_light = 0.01f;
/// The share of a probe's links that goes to each part.
constexpr float links_to_part = 1.0f / (DirectionGuide::wide * DirectionGuide::high);

using Block = std::array<int, 3>;

Block block_at(Vec3 p) {
    const auto at = [](float v) { return static_cast<int>(std::floor(v / block_size)); };
    return {at(p.x), at(p.y), at(p.z)};
}

/// What is met at one place counts less so far away.
float counts_at(float distance) {
    const float d = distance / (2 * block_size), s = 1 + d * d;
    return 1 / (s * std::sqrt(s));
}

/// What the probes of a block met.
struct Met {
    std::vector<std::uint32_t> probes;
    BrightPlaces bright;
};

/// Links that guides are learnt from, and that count for nothing else: a probe whose own links decided where
/// more are sent would count what it met by chance for less than that is worth.
struct Pilot {
    RowSource rows;
    Links links;
    std::uint32_t length = 0;
    // Of each link, one row after the other: metres, as extend_links() tells them, and where it went.
    std::vector<float> distances;
    std::vector<Vec3> directions;
    std::vector<std::uint16_t> parts;

    Pilot(UnlitLevel& g, Job& job)
        : rows(g.probes.rows), length(static_cast<std::uint32_t>(g.tier.probe_links / pilot_share)) {
        constexpr std::uint32_t own_seed = 0x70696c6fu;
        for (std::uint32_t& seed : rows.seeds) seed = combine_bits(seed, own_seed);
        const std::vector<std::uint32_t> lengths(rows.size(), length);
        record_links(g.traced(), {.rows = rows, .lengths = lengths, .distances = &distances}, g.judged.states,
                     links, job);
        directions.resize(rows.size() * length);
        parts.resize(directions.size());
        job.parallel(rows.size(), 16, [&](std::size_t begin, std::size_t end) {
            alignas(32) float x[direction_batch], y[direction_batch];
            for (std::size_t p = begin; p < end; ++p)
                for (std::uint32_t k = 0; k < length; k += direction_batch) {
                    const std::uint32_t some = std::min(direction_batch, length - k);
                    fill_unit_points({rows, p}, numbers_from(k), some, x, y);
                    for (std::uint32_t i = 0; i < some; ++i) {
                        directions[p * length + k + i] = sphere_direction({x[i], y[i]});
                        parts[p * length + k + i] = part_at(x[i], y[i]);
                    }
                }
        });
    }
};

/// The guides of one layer.
class ProbeGuides {
public:
    ProbeGuides(const LayerToMake& layer, std::size_t number, const SentByTexels& sent, const Pilot& pilot)
        : unlit_(layer.work->unlit),
          layer_(layer),
          number_(number),
          sent_(sent),
          pilot_(pilot),
          light_(pilot.rows.size()) {}

    GuidedLinks learn(Job& job) {
        const std::size_t probes = light_.size();
        measure_light(job);
        for (std::uint32_t p = 0; p < probes; ++p)
            if (light_[p] > 0)
                met_.try_emplace(block_at(place(p)), Met{{}, BrightPlaces(most_kept)})
                    .first->second.probes.push_back(p);
        std::vector<Met*> all;
        for (auto& [where, met] : met_) all.push_back(&met);
        job.parallel(all.size(), 1, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) keep_bright(*all[i]);
        });
        std::vector<GuideSet> guides(probes);
        job.parallel(probes, 16, [&](std::size_t begin, std::size_t end) {
            BrightParts seen;
            for (std::size_t p = begin; p < end; ++p)
                if (light_[p] > 0) guide(static_cast<std::uint32_t>(p), seen, guides[p]);
        });
        GuidedLinks out;
        for (std::uint32_t p = 0; p < probes; ++p) {
            if (guides[p].guides.empty()) continue;
            out.row.push_back(p);
            out.source.guide.push_back(static_cast<std::uint32_t>(out.source.guides.guides.size()));
            out.source.guides.add(guides[p].of(0));
        }
        return out;
    }

private:
    Vec3 place(std::uint32_t p) const { return pilot_.rows.receivers[p].position; }

    /// Calls f(link, lux, word) for all pilot links of a probe that bring something; `link` among all of
    /// them.
    template <class F>
    void for_links(std::uint32_t p, F f) const {
        TintReader tints(pilot_.links, p);
        const std::uint32_t* words = pilot_.links.row(p);
        for (std::uint32_t k = 0; k < pilot_.length; ++k) {
            const std::size_t link = p * std::size_t{pilot_.length} + k;
            const Rgb tint = tints.at(k);
            float lux = 0;
            if (meets_texel(words[k]))
                lux = luminance(sent_.at(words[k], number_) * tint);
            else if (words[k] == sky_word && layer_.is_sky())
                lux = pi *
                      luminance(gathered_sky_at(layer_.work->sky, pilot_.rows.receivers[p],
                                                pilot_.directions[link], tint, layer_.work->probe_weights));
            if (lux > 0) f(link, lux, words[k]);
        }
    }

    /// Told for each probe, and nowhere less than what can be seen of the group.
    void measure_light(Job& job) {
        job.parallel(light_.size(), 16, [&](std::size_t begin, std::size_t end) {
            for (std::size_t p = begin; p < end; ++p) light_[p] = light_at(static_cast<std::uint32_t>(p));
        });
        double sum = 0, squares = 0;
        for (const double lux : light_) {
            sum += lux;
            squares += lux * lux;
        }
        if (!(sum > 0)) return;
        const float least = std::max(unseen_light_of(layer_.work->lit, layer_.group),
                                     least_light * static_cast<float>(squares / sum));
        for (float& lux : light_) lux = std::max(lux, least);
    }

    /// All light there, direct light included: lux on the mean of all facings, times four.
    float light_at(std::uint32_t p) const {
        constexpr float order_0 = 0.28209479f;  // of the basis
        float sum = 0;
        for_links(p, [&](std::size_t, float lux, std::uint32_t) { sum += lux; });
        return sum / static_cast<float>(pilot_.length) +
               luminance(layer_.layer->at_probes[p][0]) / (4 * pi * order_0);
    }

    void keep_bright(Met& met) const {
        for (const std::uint32_t p : met.probes)
            for_links(p, [&](std::size_t link, float lux, std::uint32_t word) {
                if (!(lux > bright_at_probe * light_[p])) return;
                const bool sky = word == sky_word;
                const Vec3 way = pilot_.directions[link];
                const std::uint32_t bits =
                    combine_bits(pilot_.rows.seeds[p], static_cast<std::uint32_t>(link % pilot_.length));
                // Where the link went, not the middle of its texel: that may lie behind an edge.
                const float far = std::abs(pilot_.distances[link]);
                met.bright.add({.from = place(p),
                                .to = sky ? way : place(p) + way * far,
                                .sky = sky,
                                .light = lux,
                                .relative = lux / light_[p],
                                .chance = (static_cast<float>(bits >> 9) + 0.5f) / (1u << 23)});
            });
        met.bright.settle();
    }

    bool sees(Vec3 from, Vec3 to) const {
        const Vec3 way = to - from;
        const float far = length(way);
        return !(far > 0) || !unlit_.caster().blocked({from, way * (1 / far), far * 0.99f});
    }

    /// Bright places in sight of a probe that bring it most.
    std::vector<NearBright> near(std::uint32_t p) const {
        const Receiver& at = pilot_.rows.receivers[p];
        const Block block = block_at(at.position);
        float looked = 0;
        std::vector<NearBright> some, out;
        for (int x = -1; x <= 1; ++x)
            for (int y = -1; y <= 1; ++y)
                for (int z = -1; z <= 1; ++z) {
                    const auto met = met_.find({block[0] + x, block[1] + y, block[2] + z});
                    if (met == met_.end()) continue;
                    for (const std::uint32_t q : met->second.probes)
                        looked += counts_at(length(place(q) - at.position));
                    for (const BrightPlace& b : met->second.bright.all())
                        some.push_back({&b, counts_at(length(b.from - at.position))});
                }
        looked *= static_cast<float>(pilot_.length) * links_to_part;
        std::vector<std::pair<float, std::uint32_t>> rank;
        for (std::uint32_t i = 0; i < some.size(); ++i) {
            Vec3 way;
            some[i].weight /= looked;
            rank.emplace_back(-some[i].weight * some[i].place->square * some[i].place->larger(at, way), i);
        }
        const auto most = rank.begin() + std::min(most_places, std::ssize(rank));
        std::partial_sort(rank.begin(), most, rank.end());
        for (auto r = rank.begin(); r != most; ++r)
            if (const NearBright& n = some[r->second]; n.place->far || sees(at.position, n.place->at))
                out.push_back(n);
        return out;
    }

    void guide(std::uint32_t p, BrightParts& seen, GuideSet& to) const {
        const float inverse = 1 / light_[p];
        PartMoments own;
        own.looked = static_cast<float>(pilot_.length) * links_to_part;
        for_links(p, [&](std::size_t link, float lux, std::uint32_t) {
            const float v = lux * inverse;
            own.mean[pilot_.parts[link]] += v;
            own.square[pilot_.parts[link]] += v * v;
        });
        own.average();
        LearntParts learnt(own);
        const std::vector<NearBright> places = near(p);
        if (!places.empty()) {
            seen.project(places, pilot_.rows.receivers[p], light_[p]);
            learnt.add(own, seen);
        }
        const float aim = of_texels_noise * unlit_.tier.noise;
        learnt.guide(static_cast<std::uint32_t>(unlit_.tier.probe_links), share_left * aim * aim, most_of_row,
                     to);
    }

    UnlitLevel& unlit_;
    const LayerToMake& layer_;
    std::size_t number_;
    const SentByTexels& sent_;
    const Pilot& pilot_;
    std::vector<float> light_;
    std::map<Block, Met> met_;
};

}  // namespace

std::vector<GuidedLinks> guide_probes(const std::vector<LayerToMake>& layers, const SentByTexels& sent,
                                      Job& job) {
    std::vector<GuidedLinks> out(layers.size());
    UnlitLevel& g = layers[0].work->unlit;
    if (g.tier.probe_links < least_links || g.probes.rows.size() == 0) return out;
    const Pilot pilot(g, job);
    for (std::size_t c = 0; c < layers.size(); ++c) {
        out[c] = ProbeGuides(layers[c], c, sent, pilot).learn(job);
        if (!out[c].empty()) trace_guided(g, g.probes.rows, out[c], job);
    }
    return out;
}

}  // namespace stasigraph
