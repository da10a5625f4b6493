#include "bake/learn_guides.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "bake/guide_shape.hpp"
#include "bake/texel_blocks.hpp"

namespace stasigraph {

namespace {

/// Links that bring this many times the light of their texel are kept one by one.
constexpr float is_bright = 2;
/// What brings this much is seldom met even in a tile: the whole region tells. Rows with less than this share
/// of the noise that one such link makes have none, nor any neighbour.
constexpr float is_rare = 16, rare_noise = 0.25f;
/// Guided rays of a row, of its first links. With half as many again a sixth fewer dots stay on the demo
/// level.
constexpr float most_rays = 1.0f / 4;
/// Of the variance asked for guided rays leave half, since it is not spread like a bell: what is seldom met
/// makes dots.
constexpr float asked_share = 0.5f;
/// Links of a row that go to each part, for each link of it.
constexpr float per_part = 1.0f / (DirectionGuide::wide * DirectionGuide::high);

/// What a link met, and through which glass.
struct MetLink {
    std::uint32_t word = absorbed_word;
    Rgb tint;
};

/// What a link brings of a group, by luminance: from texels, and from skies by direction, which is asked for
/// where the word is the sky.
template <class Direction>
float brought(const LearntFrom& from, std::size_t g, std::size_t row, const MetLink& link,
              Direction&& direction) {
    const auto& [word, tint] = link;
    const Making& m = from.making;
    if (meets_texel(word)) return from.sent[word * m.size() + g] * luminance(tint);
    const SkyLight* sky = m.sky(g);
    if (word != sky_word || !sky) return 0;
    return luminance(gathered_sky_at(*sky, m.unlit.judged.rows.receivers[row], direction(), tint,
                                     m.weights.at(row))) *
           pi;
}

/// One of the first links of a row.
struct FirstLink {
    std::uint32_t number = 0, word = 0, part = 0;
    Rgb tint;
};

/// Calls f(link, direction()) for those of a row that met something.
template <class F>
void for_first_links(const LearntFrom& from, std::uint32_t row, F f) {
    const RowSource& source = from.making.unlit.judged.rows;
    const Links& links = from.making.unlit.links;
    TintReader tints(links, row);
    const std::uint32_t* words = links.row(row);
    alignas(32) float x[direction_batch], y[direction_batch];
    std::array<Vec3, direction_batch> directions;
    for (std::uint32_t at = 0; at < from.first; at += direction_batch) {
        const std::uint32_t some = std::min(direction_batch, from.first - at);
        fill_unit_points({source, row}, numbers_from(at), some, x, y);
        bool made = false;
        for (std::uint32_t j = 0; j < some; ++j) {
            const std::uint32_t word = words[at + j];
            if (!meets_texel(word) && word != sky_word) continue;
            f(FirstLink{at + j, word, part_at(x[j], y[j]), tints.at(at + j)}, [&] {
                if (!made) row_directions(source, row, at, some, directions);
                made = true;
                return directions[j];
            });
        }
    }
}

/// What a link brings is `relative` times the light of its texel, one over which is `inverse`.
struct Brightness {
    float relative = 0, inverse = 0;
    std::uint32_t tile = 0;
};
template <class Direction>
BrightLink bright_link(const LearntFrom& from, const InBlock& of, const FirstLink& l, Direction&& direction,
                       const Brightness& brightness) {
    const std::uint32_t row = of.texel;
    const UnlitLevel& g = from.making.unlit;
    const Receiver& r = g.judged.rows.receivers[row];
    const bool sky = l.word == sky_word;
    const Vec3 to = sky ? direction() : g.texels.position[l.word],
               way = sky ? to : normalize(to - r.position);
    const std::uint32_t bits = combine_bits(g.judged.rows.seeds[row], l.number);
    return {.from = r.position,
            .to = to,
            .sky = sky,
            .cosine = dot(r.normal, way),
            .light = brightness.relative / brightness.inverse,
            .relative = brightness.relative,
            .chance = (static_cast<float>(bits >> 9) + 0.5f) / static_cast<float>(1u << 23),
            .tile = brightness.tile};
}

/// What is learnt of one group in one tile: guides, and the rows that have one.
struct LearntGroup {
    std::uint32_t group = 0;
    GuideSet guides;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> rows;
};

/// Of both halves: the moments of a block by group, and what was bright in a tile or a region.
using BlockMoments = std::vector<std::array<PartMoments, 2>>;
using BrightHalves = std::vector<std::array<BrightPlaces, 2>>;

/// What is rare in some tiles, by group.
struct RegionLearnt {
    BrightHalves bright;
    std::vector<LookedAt> tiles;
};

/// What the links of a block's texels bring.
BlockMoments moments_of(const LearntFrom& from, std::span<const InBlock> block,
                        const std::vector<LearntGroup>& groups, std::uint32_t tile, BrightHalves& bright) {
    const Making& m = from.making;
    BlockMoments parts(groups.size());
    std::vector<float> inverse(groups.size());  // of the light there
    for (const InBlock& at : block) {
        const std::uint32_t row = at.texel;
        for (std::size_t i = 0; i < groups.size(); ++i) {
            const std::uint32_t g = groups[i].group;
            const float here = std::max(luminance(from.light.get(row, g)), m.floor[g]);
            inverse[i] = here > 0 ? 1 / here : 0;
            parts[i][at.half].looked += static_cast<float>(from.first) * per_part;
            parts[i][at.half].light += here;
            parts[i][at.half].texels += 1;
        }
        for_first_links(from, row, [&](const FirstLink& l, auto&& direction) {
            for (std::size_t i = 0; i < inverse.size(); ++i) {
                const float v = inverse[i] * brought(from, groups[i].group, row, {l.word, l.tint}, direction);
                if (!(v > 0)) continue;
                PartMoments& to = parts[i][at.half];
                to.mean[l.part] += v;
                to.square[l.part] += v * v;
                if (v > is_bright)
                    bright[i][at.half].add(bright_link(from, at, l, direction, {v, inverse[i], tile}));
            }
        });
    }
    return parts;
}

/// The light of a group around a texel, of the texels of the other half.
float light_beside(const LearntFrom& from, std::uint32_t texel, std::uint32_t group) {
    constexpr int reach = 2;
    const UnlitLevel& g = from.making.unlit;
    int x = 0, y = 0;
    g.texels.place_in_chart(texel, x, y);
    float sum = 0, count = 0;
    g.texels.for_neighbours(texel, reach, [&](std::uint32_t n) {
        int u = 0, v = 0;
        g.texels.place_in_chart(n, u, v);
        if (!g.judged.is_valid(n) || (u + v) % 2 == (x + y) % 2) return;
        sum += luminance(from.light.get(n, group));
        count += 1;
    });
    return std::max(from.making.floor[group], count > 0 ? sum / count : std::numeric_limits<float>::max());
}

LookedAt looked_at(const LearntFrom& from, std::span<const InBlock> texels) {
    LookedAt out;
    for (const InBlock& at : texels) {
        out.middle = out.middle +
                     from.making.unlit.texels.position[at.texel] * (1 / static_cast<float>(texels.size()));
        out.links[at.half] += static_cast<float>(from.first) * per_part;
    }
    return out;
}

/// Learns guides; tile by tile, once the regions are known.
class Learning {
public:
    Learning(const LearntFrom& from, const std::vector<float>& noise)
        : from_(from),
          noise_(noise),
          blocks_(in_blocks(from.making.unlit.texels, from.making.unlit.judged.states)),
          regions_(blocks_.regions.size()),
          learnt_(blocks_.tiles.size()) {}

    std::vector<GuidedLinks> run(Job& job) {
        from_.making.unlit.caster();  // built here, not by many threads at once
        job.parallel(regions_.size(), 1, [&](std::size_t begin, std::size_t end) {
            for (std::size_t r = begin; r < end; ++r) regions_[r] = learn_region(blocks_.regions[r]);
        });
        job.parallel(learnt_.size(), 1, [&](std::size_t begin, std::size_t end) {
            for (std::size_t t = begin; t < end; ++t) learnt_[t] = learn_tile(blocks_.tiles[t]);
        });
        return together();
    }

private:
    std::span<const InBlock> texels_of(Stretch s) const { return {&blocks_.texels[s.begin], s.size()}; }

    RegionLearnt learn_region(const std::vector<std::uint32_t>& tiles) const {
        const Making& m = from_.making;
        const float noisy = rare_noise * is_rare / static_cast<float>(from_.first);
        RegionLearnt region{BrightHalves(m.size()), {}};
        std::vector<std::pair<std::size_t, float>> asked;  // groups, and one over the light of each
        for (const std::uint32_t t : tiles) {
            const TexelBlocks::Tile& tile = blocks_.tiles[t];
            region.tiles.push_back(looked_at(from_, texels_of(tile.whole())));
            for (const InBlock& at : texels_of(tile.whole())) {
                asked.clear();
                for (std::size_t g = 0; g < m.size(); ++g)
                    if (const float here = std::max(luminance(from_.light.get(at.texel, g)), m.floor[g]);
                        noise_[at.texel * m.size() + g] > noisy && here > 0)
                        asked.emplace_back(g, 1 / here);
                if (asked.empty()) continue;
                for_first_links(from_, at.texel, [&](const FirstLink& l, auto&& direction) {
                    for (const auto& [g, inverse] : asked)
                        if (const float v =
                                inverse * brought(from_, g, at.texel, {l.word, l.tint}, direction);
                            v > is_rare)
                            region.bright[g][at.half].add(
                                bright_link(from_, at, l, direction, {v, inverse, tile.number}));
                });
            }
        }
        for (auto& halves : region.bright)
            for (BrightPlaces& places : halves) places.settle();
        return region;
    }

    /// As one half of a block tells: rows that decided by their own links whether more are sent would be too
    /// dark together, like those that learn from themselves.
    bool noisy(Stretch block, std::size_t half, std::uint32_t group) const {
        float sum = 0, count = 0;
        for (const InBlock& at : texels_of(block)) {
            if (at.half != half) continue;
            const float here = noise_[at.texel * from_.making.size() + group];
            sum += here * here;
            count += 1;
        }
        return sum > variance_ * count;
    }

    std::vector<LearntGroup> learn_tile(const TexelBlocks::Tile& tile) const {
        std::vector<LearntGroup> groups;
        for (std::uint32_t g = 0; g < from_.making.size(); ++g)
            if (std::any_of(tile.blocks.begin(), tile.blocks.end(),
                            [&](Stretch block) { return noisy(block, 0, g) || noisy(block, 1, g); }))
                groups.push_back({g, {}, {}});
        if (groups.empty()) return groups;
        std::vector<BlockMoments> of_block;
        std::vector<LookedAt> looked;
        BrightHalves bright(groups.size());
        for (const Stretch block : tile.blocks) {
            of_block.push_back(moments_of(from_, texels_of(block), groups, tile.number, bright));
            looked.push_back(looked_at(from_, texels_of(block)));
        }
        const UnlitLevel& unlit = from_.making.unlit;
        const RegionLearnt& region = regions_[tile.region];
        BrightParts seen;
        for (std::size_t i = 0; i < groups.size(); ++i)
            for (const int half : {0, 1}) {
                const auto other = static_cast<std::size_t>(1 - half);
                bright[i][other].settle();
                const BrightAround around{.caster = unlit.caster(),
                                          .receivers = unlit.judged.rows.receivers,
                                          .block = blocks_.block_size(tile),
                                          .tile = tile.number,
                                          .half = 1 - half,
                                          .blocks = looked,
                                          .tiles = region.tiles,
                                          .in_tile = bright[i][other].all(),
                                          .in_region = region.bright[groups[i].group][other].all()};
                for (std::size_t b = 0; b < of_block.size(); ++b) {
                    std::vector<std::uint32_t> rows;
                    for (const InBlock& at : texels_of(tile.blocks[b]))
                        if (at.half == half) rows.push_back(at.texel);
                    if (!rows.empty() && noisy(tile.blocks[b], other, groups[i].group))
                        guide_rows(around, rows, of_block[b][i][other], groups[i], seen);
                }
            }
        return groups;
    }

    /// Guides for one half of a block, from what the other met: one for all rows, or where bright places are
    /// so near that each sees them elsewhere, one for each.
    void guide_rows(const BrightAround& around, const std::vector<std::uint32_t>& rows, PartMoments& block,
                    LearntGroup& to, BrightParts& seen) const {
        if (!(block.light > 0)) return;
        const float light = block.light / block.texels;
        block.average();
        const LearntParts of_block(block);
        const auto give = [&](const LearntParts& learnt, std::span<const std::uint32_t> some) {
            if (!learnt.guide(from_.first, variance_, most_rays, to.guides)) return;
            const auto number = static_cast<std::uint32_t>(to.guides.guides.size() - 1);
            for (const std::uint32_t r : some) to.rows.emplace_back(r, number);
        };
        const std::vector<NearBright> near = around.near(rows);
        if (near.empty()) return give(of_block, rows);
        LearntParts learnt = of_block;
        const auto look_from = [&](std::uint32_t row, float against) {
            seen.project(near, around.receivers[row], against);
            learnt.add(block, seen);
        };
        if (!around.turn(near, rows)) {
            look_from(rows[rows.size() / 2], light);
            return give(learnt, rows);
        }
        constexpr float darkest = 1e-6f;  // of the block
        for (const std::uint32_t& row : rows) {
            look_from(row, std::clamp(light_beside(from_, row, to.group), darkest * light, light));
            give(learnt, {&row, 1});
            learnt.restore(of_block, seen);
        }
    }

    /// Rows in order, whatever tiles they lie in.
    std::vector<GuidedLinks> together() const {
        std::vector<GuidedLinks> out(from_.making.size());
        std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> rows(out.size());
        for (const std::vector<LearntGroup>& tile : learnt_)
            for (const LearntGroup& of : tile) {
                GuideSet& set = out[of.group].source.guides;
                const auto first = static_cast<std::uint32_t>(set.guides.size());
                for (std::uint32_t k = 0; k < of.guides.guides.size(); ++k) set.add(of.guides.of(k));
                for (const auto& [row, guide] : of.rows) rows[of.group].emplace_back(row, first + guide);
            }
        for (std::size_t group = 0; group < out.size(); ++group) {
            std::sort(rows[group].begin(), rows[group].end());
            for (const auto& [row, guide] : rows[group]) {
                out[group].row.push_back(row);
                out[group].source.guide.push_back(guide);
            }
        }
        return out;
    }

    const LearntFrom& from_;
    const std::vector<float>& noise_;
    const float variance_ = asked_share * from_.aim * from_.aim;
    TexelBlocks blocks_;
    std::vector<RegionLearnt> regions_;
    std::vector<std::vector<LearntGroup>> learnt_;
};

}  // namespace

LearntFrom learn_from(const Making& m, const LightField& light, std::uint32_t first, float aim, Job& job) {
    LearntFrom from{m, light, first, aim, {}};
    from.sent.resize(light.rows * m.size());
    job.parallel(light.rows, 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t g = 0; g < m.size(); ++g)
                from.sent[i * m.size() + g] = luminance(light.get(i, g) * m.albedo[i]);
    });
    return from;
}

std::vector<GuidedLinks> learn_guides(const LearntFrom& from, const std::vector<float>& noise, Job& job) {
    return Learning(from, noise).run(job);
}

void trace_guided(UnlitLevel& g, const RowSource& rows, GuidedLinks& guided, Job& job) {
    constexpr std::uint32_t own_seed = 0x67756964u;
    std::vector<std::uint32_t> lengths;
    guided.source.receivers.clear();
    guided.source.seeds.clear();
    for (std::size_t i = 0; i < guided.size(); ++i) {
        guided.source.receivers.push_back(rows.receivers[guided.row[i]]);
        guided.source.seeds.push_back(combine_bits(rows.seeds[guided.row[i]], own_seed));
        lengths.push_back(guided.source.guides.rays(guided.source.guide[i]));
    }
    guided.number.assign(rows.size(), none);
    guided.first.assign(guided.size() + 1, 0);
    for (std::size_t i = 0; i < guided.size(); ++i) {
        guided.number[guided.row[i]] = static_cast<std::uint32_t>(i);
        guided.first[i + 1] = guided.first[i] + lengths[i];
    }
    guided.part.resize(guided.first.back());
    job.parallel(guided.size(), 256, [&](std::size_t begin, std::size_t end) {
        alignas(32) float x[direction_batch], y[direction_batch];
        for (std::size_t i = begin; i < end; ++i)
            for (std::uint32_t from = 0; from < lengths[i]; from += direction_batch) {
                const std::uint32_t some = std::min(direction_batch, lengths[i] - from);
                fill_unit_points({guided.source, i}, numbers_from(from), some, x, y);
                for (std::uint32_t k = 0; k < some; ++k)
                    guided.part[guided.first[i] + from + k] = part_at(x[k], y[k]);
            }
    });
    guided.links = Links(guided.size());
    record_links(g.traced(), {guided.source, lengths}, g.judged.states, guided.links, job);
}

void renew_noise(const LearntFrom& from, const std::vector<GuidedLinks>& guided,
                 const std::vector<float>& mean, std::vector<float>& noise, Job& job) {
    const Making& m = from.making;
    const std::size_t groups = m.size();
    const auto n = static_cast<float>(from.first);
    m.unlit.links.for_rows(256, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(m.unlit.recorded());
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t g = 0; g < groups; ++g) {
                const std::uint32_t at = guided[g].at(row);
                if (at == none) continue;
                // Of the evenly spread links of cells that have guided ones, which scatter by themselves.
                float count = 0, sum = 0, squares = 0;
                CellScatter scatter;
                for_guided(guided[g], at, parts, from.first, [&](const WeighedLink& l, auto&& direction) {
                    const float v = brought(from, g, row, {l.word, l.tint}, direction);
                    scatter.add(l.cell, v * l.weight);
                    if (!(l.plain > 0)) return;
                    count += 1;
                    sum += v;
                    squares += v * v;
                });
                float& here = noise[row * groups + g];
                const float against = std::max(luminance(from.light.get(row, g)), m.floor[g]),
                            all = mean[row * groups + g], error = here * against;
                if (!(against > 0)) continue;
                const float rest = n * all - sum,
                            rest_squares = n * (n * error * error + all * all) - squares;
                const float scattered =
                    n > count ? std::max(0.0f, rest_squares - rest * rest / (n - count)) / (n * n) : 0;
                here = std::sqrt(scattered + scatter.variance()) / against;
            }
    });
}

Rgb guided_sky(const SkyLight& sky, const GuidedLinks& guided, RowParts& parts, const LinkRange& counting,
               const SkyWeights& weights) {
    Rgb sum;
    const std::uint32_t at = guided.at(counting.row);
    if (at == none) return sum;
    const Receiver& receiver = parts.recorded().rows.receivers[counting.row];
    for_guided(guided, at, parts, counting.end, [&](const WeighedLink& l, auto&& direction) {
        if (l.word != sky_word) return;
        sum += gathered_sky_at(sky, receiver, direction(), l.tint, weights) * (l.weight - l.plain);
    });
    return sum * pi;
}

}  // namespace stasigraph
