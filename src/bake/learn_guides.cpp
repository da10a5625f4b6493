#include "bake/learn_guides.hpp"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "finish/texel_graph.hpp"

namespace stasigraph {

namespace {

/// Light that comes the same way is told of by texels of one place and facing, whatever charts they are of:
/// by blocks of so many texels to each side; and by tiles of so many blocks, of what those meet too seldom.
constexpr float block_side = 8;
constexpr int tile_blocks = 4;
/// Facings are told apart by squares of a cube's face; an odd number, so that walls that stand upright have
/// the middle of one.
constexpr int facings = 5;
/// Of what brings most of a cell's light a block should have met so much to be trusted as much as its tile.
constexpr float enough_met = 8;
/// Cells are guided that make this many times the variance of the mean cell, and as many times their share of
/// what is allowed: rays that all cells want are longer rows.
constexpr float over_mean = 8, over_share = 2;
/// Of the variance asked for guided rays leave half, since it is not spread like a bell: what is seldom met
/// makes dots. Half of that, where the rest makes as much.
constexpr float asked_share = 0.5f, least_share = 0.5f;
/// Guided rays of a row, of its first links; and of them in one cell. With twice as many noon keeps 7 % fewer
/// dots on the demo level.
constexpr float most_rays = 3.0f / 8, most_in_cell = 1.0f / 4;

int facing_of(Vec3 n) {
    const float size[3] = {std::abs(n.x), std::abs(n.y), std::abs(n.z)}, own[3] = {n.x, n.y, n.z};
    const int axis = size[0] >= size[1] && size[0] >= size[2] ? 0 : size[1] >= size[2] ? 1 : 2;
    const auto square = [&](int k) {
        const float at = own[(axis + k) % 3] / std::max(size[axis], 1e-6f);
        return std::clamp(static_cast<int>((at + 1) * 0.5f * facings), 0, facings - 1);
    };
    return ((axis * 2 + (own[axis] < 0 ? 1 : 0)) * facings + square(1)) * facings + square(2);
}

/// A texel's place among the blocks.
struct InBlock {
    using Key = std::tuple<float, int, int, int, int>;  // spacing, facing, place
    Key tile, block;
    std::uint32_t texel;
    std::uint8_t half;
};

std::vector<InBlock> in_blocks(const TexelSet& texels, const std::vector<std::uint8_t>& valid) {
    // Surfaces lie on whole metres: cells do not end there.
    constexpr float off = 0.37f;
    const std::vector<float> spacing = grid_spacing(texels);
    std::vector<InBlock> all;
    all.reserve(texels.size());
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        if (!valid[i]) continue;
        int x = 0, y = 0;
        texels.place_in_chart(i, x, y);
        const float apart = spacing[texels.grid[i]], side = block_side * apart;
        const int facing = facing_of(texels.normal[i]);
        const auto cell = [&](float at) {
            constexpr float far = 1e9f;  // what is beyond shares a cell
            return static_cast<int>(std::clamp(std::floor(at / side + off), -far, far));
        };
        const auto tile = [&](float at) {
            return static_cast<int>(std::floor(static_cast<float>(cell(at)) / tile_blocks));
        };
        const Vec3 p = texels.position[i];
        all.push_back({{apart, facing, tile(p.x), tile(p.y), tile(p.z)},
                       {apart, facing, cell(p.x), cell(p.y), cell(p.z)},
                       i,
                       static_cast<std::uint8_t>((x + y) % 2)});
    }
    std::sort(all.begin(), all.end(), [](const InBlock& a, const InBlock& b) {
        return std::tie(a.tile, a.block, a.texel) < std::tie(b.tile, b.block, b.texel);
    });
    return all;
}

/// What a link brings of a group, by luminance: from texels, and from skies by direction, which is asked for
/// where the word is the sky.
template <class Direction>
float brought(const LearntFrom& from, std::size_t g, std::size_t row, std::uint32_t word, Rgb tint,
              Direction&& direction) {
    const Making& m = from.making;
    if (meets_texel(word)) return from.sent[word * m.size() + g] * luminance(tint);
    const SkyLight* sky = m.sky(g);
    if (word != sky_word || !sky) return 0;
    return luminance(
               gathered_sky_at(*sky, m.ground.rows.receivers[row], direction(), tint, m.weights.at(row))) *
           pi;
}

constexpr std::uint32_t wide = DirectionGuide::wide, high = DirectionGuide::high;

using OfParts = std::array<float, wide * high>;

/// What links bring to each part, relative to the light there: sums of it and of its square, over so many
/// links to each part; or means.
struct PartMoments {
    OfParts mean{}, square{};
    float looked = 0;
    static std::uint32_t part_of(float x, float y) {
        return static_cast<std::uint32_t>(x * wide) + wide * static_cast<std::uint32_t>(y * high);
    }
    void add(const PartMoments& o) {
        for (std::size_t p = 0; p < mean.size(); ++p) {
            mean[p] += o.mean[p];
            square[p] += o.square[p];
        }
        looked += o.looked;
    }
    /// From sums to means.
    void average() {
        if (!(looked > 0)) return;
        for (float& v : mean) v /= looked;
        for (float& v : square) v /= looked;
    }
};

/// A guide and the parts of its cells.
struct OwnGuide {
    DirectionGuide guide;
    std::vector<DirectionGuide::Parts> parts;
};

/// What few rays met in one part lies in the next one for another texel of the block.
OfParts spread_out(const OfParts& own) {
    OfParts out;
    for (std::uint32_t y = 0; y < high; ++y)
        for (std::uint32_t x = 0; x < wide; ++x) {
            float around = 0, count = 0;
            for (std::uint32_t v = y > 0 ? y - 1 : 0; v <= std::min(high - 1, y + 1); ++v)
                for (std::uint32_t u = x > 0 ? x - 1 : 0; u <= std::min(wide - 1, x + 1); ++u) {
                    around += own[v * wide + u];
                    count += 1;
                }
            out[y * wide + x] = 0.5f * (own[y * wide + x] + around / count);
        }
    return out;
}

/// Calls f for the parts of a cell.
template <class F>
void for_parts(std::uint32_t cell, F f) {
    constexpr std::uint32_t side = DirectionGuide::part_side;
    const std::uint32_t corner =
        cell / DirectionGuide::columns * side * wide + cell % DirectionGuide::columns * side;
    for (std::uint32_t p = 0; p < DirectionGuide::parts; ++p) f(p, corner + p / side * wide + p % side);
}

/// What a block and its tile tell together; squares are spread out, those of the tile farther, since from
/// elsewhere in it the same thing is seen in another direction. What one block should meet often enough it
/// tells alone.
struct Learnt {
    OfParts mean, square;
};
Learnt mix(const PartMoments& block, const PartMoments& tile, const OfParts& tile_spread) {
    Learnt out{block.mean, spread_out(block.square)};
    for (std::uint32_t c = 0; c < DirectionGuide::cells; ++c) {
        float mean = 0, square = 0;
        for_parts(c, [&](std::uint32_t, std::uint32_t at) {
            mean += tile.mean[at];
            square += tile.square[at];
        });
        if (!(square > 0)) continue;
        const float share = enough_met / (enough_met + block.looked * mean * mean / square);
        for_parts(c, [&](std::uint32_t, std::uint32_t at) {
            out.mean[at] += share * (tile.mean[at] - out.mean[at]);
            out.square[at] += share * (tile_spread[at] - out.square[at]);
        });
    }
    return out;
}

/// What is known of a cell: how much a ray of it scatters, spread evenly and by its parts as they are
/// weighed.
struct CellNoise {
    float evenly = 0, guided = 0;  ///< Variances.
    DirectionGuide::Parts parts{};
};
CellNoise noise_of_cell(const Learnt& learnt, std::uint32_t cell) {
    constexpr std::uint32_t parts = DirectionGuide::parts;
    constexpr float at_least = 0.25f;  // of a cell's rays are spread evenly
    float mean = 0, square = 0, roots = 0, of[parts], root[parts];
    for_parts(cell, [&](std::uint32_t p, std::uint32_t at) {
        of[p] = learnt.square[at];
        root[p] = std::sqrt(of[p]);
        mean += learnt.mean[at] / parts;
        square += of[p] / parts;
        roots += root[p] / parts;
    });
    CellNoise out;
    out.evenly = std::max(0.0f, square - mean * mean);
    if (!(roots > 0)) return out;
    float under_guide = 0;
    for (std::uint32_t p = 0; p < parts; ++p) {
        const float dense = at_least + (1 - at_least) * root[p] / roots;
        out.parts[p] = static_cast<std::uint8_t>(std::clamp(std::lround(15 * dense), 1l, 255l));
        under_guide += of[p] / dense / parts;
    }
    out.guided = std::max(under_guide - mean * mean, 0.1f * under_guide);
    return out;
}

/// A guide from what parts bring; without rays where that is not worth any. `first`: evenly spread rays there
/// are anyway.
OwnGuide guide_from(const Learnt& learnt, std::uint32_t first, float variance) {
    constexpr float share = 1.0f / DirectionGuide::cells;
    std::array<CellNoise, DirectionGuide::cells> cells;
    const auto n = static_cast<float>(first);
    const float in_cell = n * share;
    // Cells that make more than their share of what is allowed are guided; the rest stays as it is.
    float rest = 0, roots = 0, mean = 0;
    for (std::uint32_t c = 0; c < cells.size(); ++c) {
        cells[c] = noise_of_cell(learnt, c);
        mean += share * cells[c].evenly;
    }
    const float least = std::max(over_share * variance * share, over_mean * mean * share * share / in_cell);
    for (std::uint32_t c = 0; c < cells.size(); ++c) {
        const float here = share * share * cells[c].evenly / in_cell;
        if (here > least)
            roots += share * std::sqrt(cells[c].guided);
        else
            rest += here;
    }
    const float scale = roots / std::max(least_share * variance, variance - rest);
    float sum = 0;
    std::array<float, DirectionGuide::cells> wanted{};
    for (std::size_t c = 0; c < cells.size(); ++c) {
        if (!(share * share * cells[c].evenly / in_cell > least)) continue;
        wanted[c] = std::max(1.0f, scale * share * std::sqrt(cells[c].guided));
        sum += wanted[c];
    }
    OwnGuide out;
    const float most = most_rays * n, fewer = sum > most ? most / sum : 1;
    for (std::size_t c = 0; c < cells.size(); ++c) {
        out.guide.rays[c] =
            static_cast<std::uint8_t>(std::lround(std::min({most_in_cell * n, 255.0f, wanted[c] * fewer})));
        if (out.guide.rays[c] > 0) out.parts.push_back(cells[c].parts);
    }
    return out;
}

/// The texels of one block, or of a tile: [begin, end) among all in blocks.
struct Stretch {
    std::size_t begin = 0, end = 0;
    std::size_t size() const { return end - begin; }
};

/// What is learnt of one tile: for each group that is too noisy there, guides of the two halves of each
/// block.
struct LearntTile {
    std::vector<Stretch> blocks;
    struct OfGroup {
        std::uint32_t group = 0;
        std::vector<std::array<OwnGuide, 2>> guide;  ///< By block.
    };
    std::vector<OfGroup> groups;
    Stretch whole() const { return {blocks.front().begin, blocks.back().end}; }
};

/// The moments of some groups, of both halves of a block.
using BlockMoments = std::vector<std::array<PartMoments, 2>>;

/// What the links of a block's texels bring.
BlockMoments moments_of(const LearntFrom& from, const std::vector<InBlock>& all, Stretch block,
                        const std::vector<LearntTile::OfGroup>& groups) {
    const Making& m = from.making;
    const RowSource& source = m.ground.rows;
    const Links& links = m.ground.links;
    BlockMoments parts(groups.size());
    std::vector<float> inverse(groups.size());  // of the light there
    for (std::size_t k = block.begin; k < block.end; ++k) {
        const std::uint32_t row = all[k].texel;
        for (std::size_t i = 0; i < groups.size(); ++i) {
            const std::uint32_t g = groups[i].group;
            const float here = std::max(luminance(from.light.get(row, g)), m.floor[g]);
            inverse[i] = here > 0 ? 1 / here : 0;
            parts[i][all[k].half].looked += static_cast<float>(from.first) / (wide * high);
        }
        TintReader tints(links, row);
        const std::uint32_t* words = links.row(row);
        alignas(32) float x[direction_batch], y[direction_batch];
        std::array<Vec3, direction_batch> directions;
        for (std::uint32_t at = 0; at < from.first; at += direction_batch) {
            const std::uint32_t some = std::min(direction_batch, from.first - at);
            fill_unit_points(source, row, numbers_from(at), some, x, y);
            bool made = false;
            for (std::uint32_t j = 0; j < some; ++j) {
                const std::uint32_t word = words[at + j];
                if (!meets_texel(word) && word != sky_word) continue;
                const Rgb tint = tints.at(at + j);
                const std::uint32_t part = PartMoments::part_of(x[j], y[j]);
                for (std::size_t i = 0; i < inverse.size(); ++i) {
                    const float v = inverse[i] * brought(from, groups[i].group, row, word, tint, [&] {
                                        if (!made) row_directions(source, row, at, some, directions);
                                        made = true;
                                        return directions[j];
                                    });
                    if (!(v > 0)) continue;
                    PartMoments& to = parts[i][all[k].half];
                    to.mean[part] += v;
                    to.square[part] += v * v;
                }
            }
        }
    }
    return parts;
}

void learn(const LearntFrom& from, const std::vector<InBlock>& all, const std::vector<float>& noise,
           LearntTile& tile) {
    const std::size_t groups = from.making.size();
    const float variance = asked_share * from.aim * from.aim;
    const auto noisy = [&](Stretch texels, std::uint32_t g) {
        float sum = 0;
        for (std::size_t k = texels.begin; k < texels.end; ++k) {
            const float here = noise[all[k].texel * groups + g];
            sum += here * here;
        }
        return sum > variance * static_cast<float>(texels.size());
    };
    for (std::uint32_t g = 0; g < groups; ++g)
        if (noisy(tile.whole(), g) || std::any_of(tile.blocks.begin(), tile.blocks.end(),
                                                  [&](Stretch block) { return noisy(block, g); }))
            tile.groups.push_back({g, {}});
    if (tile.groups.empty()) return;
    std::vector<BlockMoments> of_block;
    BlockMoments of_tile(tile.groups.size());
    for (const Stretch block : tile.blocks) {
        of_block.push_back(moments_of(from, all, block, tile.groups));
        for (std::size_t i = 0; i < of_tile.size(); ++i)
            for (int half = 0; half < 2; ++half) of_tile[i][half].add(of_block.back()[i][half]);
    }
    for (std::size_t i = 0; i < of_tile.size(); ++i) {
        tile.groups[i].guide.resize(tile.blocks.size());
        for (int half = 0; half < 2; ++half) {
            PartMoments& other = of_tile[i][1 - half];
            other.average();
            const OfParts spread = spread_out(spread_out(other.square));
            for (std::size_t b = 0; b < of_block.size(); ++b) {
                PartMoments& own = of_block[b][i][1 - half];
                own.average();
                tile.groups[i].guide[b][half] = guide_from(mix(own, other, spread), from.first, variance);
            }
        }
    }
}

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
    const Ground& g = from.making.ground;
    const std::vector<InBlock> all = in_blocks(g.texels, g.valid);
    std::vector<LearntTile> tiles;
    for (std::size_t k = 0; k < all.size();) {
        Stretch block{k, k};
        while (block.end < all.size() && all[block.end].block == all[k].block) ++block.end;
        if (k == 0 || all[k].tile != all[k - 1].tile) tiles.emplace_back();
        tiles.back().blocks.push_back(block);
        k = block.end;
    }
    job.parallel(tiles.size(), 1, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) learn(from, all, noise, tiles[t]);
    });
    std::vector<GuidedLinks> out(from.making.size());
    // Rows in order, whatever blocks they lie in.
    std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> rows(out.size());
    for (const LearntTile& tile : tiles)
        for (const LearntTile::OfGroup& of : tile.groups)
            for (std::size_t b = 0; b < tile.blocks.size(); ++b)
                for (const std::uint8_t half : {0, 1}) {
                    const OwnGuide& own = of.guide[b][half];
                    if (own.parts.empty()) continue;
                    GuideSet& set = out[of.group].source.guides;
                    for (std::size_t k = tile.blocks[b].begin; k < tile.blocks[b].end; ++k)
                        if (all[k].half == half)
                            rows[of.group].emplace_back(all[k].texel,
                                                        static_cast<std::uint32_t>(set.guides.size()));
                    set.guides.push_back(own.guide);
                    set.guides.back().first = static_cast<std::uint32_t>(set.parts.size());
                    set.parts.insert(set.parts.end(), own.parts.begin(), own.parts.end());
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

void trace_guided(Ground& g, const RowSource& rows, GuidedLinks& guided, Job& job) {
    constexpr std::uint32_t own_seed = 0x67756964u;
    std::vector<std::uint32_t> lengths;
    guided.source.receivers.clear();
    guided.source.seeds.clear();
    for (std::size_t i = 0; i < guided.size(); ++i) {
        guided.source.receivers.push_back(rows.receivers[guided.row[i]]);
        guided.source.seeds.push_back(combine_bits(rows.seeds[guided.row[i]], own_seed));
        lengths.push_back(guided.source.guides.guides[guided.source.guide[i]].count());
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
                fill_unit_points(guided.source, i, numbers_from(from), some, x, y);
                for (std::uint32_t k = 0; k < some; ++k)
                    guided.part[guided.first[i] + from + k] = part_at(x[k], y[k]);
            }
    });
    guided.links = Links(guided.size());
    const std::vector<std::uint8_t> open(guided.size(), 1);
    for (std::size_t p = 0; p < guided.links.pieces.size(); ++p) {
        extend_piece(g.level, g.caster(), g.texels, guided.source, lengths, p, guided.links, job);
        lead_past_buried(g.caster(), g.texels, guided.source, open, g.valid, p, guided.links, job);
    }
}

void renew_noise(const LearntFrom& from, const std::vector<GuidedLinks>& guided,
                 const std::vector<float>& mean, std::vector<float>& noise, Job& job) {
    const Making& m = from.making;
    const std::size_t groups = m.size();
    const auto n = static_cast<float>(from.first);
    m.ground.links.for_rows(256, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(m.ground.rows);
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t g = 0; g < groups; ++g) {
                const std::uint32_t at = guided[g].at(row);
                if (at == none) continue;
                // Of the evenly spread links of cells that have guided ones, which scatter by themselves.
                float count = 0, sum = 0, squares = 0;
                CellScatter scatter;
                for_guided(guided[g], at, m.ground.links, m.ground.rows, parts, from.first, false,
                           [&](const WeighedLink& l, auto&& direction) {
                               const float v = brought(from, g, row, l.word, l.tint, direction);
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

Rgb guided_sky(const SkyLight& sky, const GuidedLinks& guided, const Links& links, const RowSource& rows,
               RowParts& parts, std::size_t row, std::uint32_t length, const SkyWeights& weights) {
    Rgb sum;
    const std::uint32_t at = guided.at(row);
    if (at == none) return sum;
    for_guided(guided, at, links, rows, parts, length, false, [&](const WeighedLink& l, auto&& direction) {
        if (l.word != sky_word) return;
        sum += gathered_sky_at(sky, rows.receivers[row], direction(), l.tint, weights) * (l.weight - l.plain);
    });
    return sum * pi;
}

}  // namespace stasigraph
