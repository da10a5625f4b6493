#include "bake/guide_denoise.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr std::uint32_t most_looked_at = 128;
/// Rows are spread evenly, so that their mean varies less than their links scatter, the less the smoother
/// what they see: by how much less, the halves of a row tell.
constexpr int compared_steps = 3;  ///< Over so many steps around a texel halves and scatter are compared.
/// Texels to either side along a line, and how many of it have to be there.
constexpr int along = 3;
constexpr float fewest_on_line = 4;
/// The least of four directions is by chance less than the mean; by so much they are raised.
constexpr float of_four = 1.5f;
/// A link that met nothing usable tells of something this many spacings away; nearer than the second: that.
constexpr float absorbed_distance = 0.4f, least_distance = 0.08f;
constexpr float open_reach = 1e3f;  ///< Metres; of texels that see the sky alone.

/// For each texel and group, all channels summed: the variance of its light if its links were independent,
/// and the same as its two halves have it.
struct Spread {
    std::vector<float> scatter, halves;
};

/// What guided links change of what is known of a texel's light: the links of their cells are told apart from
/// the others, and scatter by themselves.
struct GuidedSpread {
    float sum[3] = {}, half[3] = {},
          squares[3] = {};  ///< Of the links to leave out, in their first half too.
    float count = 0, variance = 0;
};
GuidedSpread guided_spread(const GuideSource& s, const HalfField& sent, std::size_t group, std::size_t row,
                           std::uint32_t length, RowParts& parts) {
    GuidedSpread out;
    if (s.guided.empty()) return out;
    const std::uint32_t at = s.guided[group].at(row);
    if (at == none) return out;
    CellScatter scatter[3];
    for_guided(s.guided[group], at, s.links, s.rows, parts, length, false,
               [&](const WeighedLink& l, auto&& direction) {
                   Rgb v;
                   if (meets_texel(l.word))
                       v = sent_of(sent, l.word, group) * l.tint;
                   else if (l.word == sky_word && s.sky[group])
                       v = gathered_sky_at(*s.sky[group], s.rows.receivers[row], direction(), l.tint,
                                           s.weights.at(row)) *
                           pi;
                   const float of[3] = {v.r, v.g, v.b};
                   for (std::size_t c = 0; c < 3; ++c) {
                       scatter[c].add(l.cell, of[c] * l.weight);
                       if (!(l.plain > 0)) continue;
                       out.sum[c] += of[c];
                       out.half[c] += l.number < length / 2 ? of[c] : 0;
                       out.squares[c] += of[c] * of[c];
                   }
                   out.count += l.plain > 0 ? 1 : 0;
               });
    for (const CellScatter& c : scatter) out.variance += c.variance();
    return out;
}

Spread spread_of(const GuideSource& s, Job& job) {
    const std::size_t count = s.texels.size(), groups = s.lengths.groups, stride = s.light.stride;
    Spread spread{std::vector<float>(count * groups, 0.0f), std::vector<float>(count * groups, 0.0f)};
    HalfField sent;
    reflect(s.light, s.albedo, sent, job);
    std::vector<const SkyLight*> skies;
    std::vector<std::size_t> column;
    for (std::size_t g = 0; g < groups; ++g)
        if (s.sky[g]) {
            skies.push_back(s.sky[g]);
            column.push_back(g);
        }
    s.links.for_rows(256, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(s.rows);
        // Of the links so far, and of the first half of those that count for a group.
        std::vector<float> sum(stride), squares(stride), half(stride), part(stride), part_squares(stride);
        for (std::size_t i = begin; i < end; ++i) {
            if (!s.wanted[i]) continue;
            std::fill(sum.begin(), sum.end(), 0.0f);
            std::fill(squares.begin(), squares.end(), 0.0f);
            const std::uint32_t* words = s.links.row(i);
            const std::uint32_t longest = s.lengths.longest(i);
            // All of a row, since what one of its last links met makes it as noisy as what the first did; and
            // no more than count for a group, so that it depends on no other.
            std::uint32_t from = 0;
            for (std::uint32_t to = s.lengths.first / 2; to <= longest;
                 from = to, to = to < s.lengths.first ? s.lengths.first : 2 * to) {
                link_moments(words + from, to - from, sent, part, part_squares);
                for (std::size_t c = 0; c < stride; ++c) {
                    sum[c] += part[c];
                    squares[c] += part_squares[c];
                }
                gathered_skies(skies, s.rows, s.links, i, from, to, s.weights.at(i),
                               [&](std::size_t n, std::uint32_t, Vec3, Rgb e) {
                                   const std::size_t at = 3 * column[n];
                                   const float v[3] = {e.r * pi, e.g * pi, e.b * pi};
                                   for (std::size_t c = 0; c < 3; ++c) {
                                       sum[at + c] += v[c];
                                       squares[at + c] += v[c] * v[c];
                                   }
                               });
                for (std::size_t g = 0; g < groups; ++g) {
                    const std::uint32_t length = s.lengths.at(i, g);
                    if (length / 2 == to)
                        for (std::size_t c = 3 * g; c < 3 * g + 3; ++c) half[c] = sum[c];
                    if (length != to) continue;
                    const auto n = static_cast<float>(length);
                    const GuidedSpread guided = guided_spread(s, sent, g, i, length, parts);
                    float scatter = 0, difference = 0;
                    for (std::size_t c = 0; c < 3; ++c) {
                        const float whole = sum[3 * g + c] - guided.sum[c],
                                    first = half[3 * g + c] - guided.half[c],
                                    square = squares[3 * g + c] - guided.squares[c];
                        const float apart = (2 * first - whole) / n;
                        scatter += std::max(0.0f, square - whole * whole / (n - guided.count)) / n;
                        difference += apart * apart;
                    }
                    spread.scatter[i * groups + g] = scatter / n + guided.variance;
                    spread.halves[i * groups + g] = difference + guided.variance;
                }
            }
        }
        job.advance((end - begin) * groups);
    });
    return spread;
}

/// Harmonic mean distance to what a texel's links met.
float reach_of(const TexelSet& texels, const Links& links, std::uint32_t n, std::size_t i, float spacing) {
    float near = 0;
    for (std::uint32_t k = 0; k < n; ++k) {
        const std::uint32_t word = links.row(i)[k];
        if (!meets_texel(word) && word != sky_word)
            near += 1 / (absorbed_distance * spacing);
        else if (word != sky_word)
            near +=
                1 / std::max(least_distance * spacing, length(texels.position[word] - texels.position[i]));
    }
    return near > 0 ? std::min(open_reach, static_cast<float>(n) / near) : open_reach;
}

}  // namespace

void temper_variance(const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                     const std::vector<float>& halves, DenoiseGuide& guide, Job& job) {
    const std::size_t groups = guide.groups;
    const std::vector<float> scatter = guide.variance;
    job.parallel(wanted.size(), 256, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        std::vector<float> scattered(groups), apart(groups);
        for (std::size_t i = begin; i < end; ++i) {
            if (!wanted[i]) continue;
            near.collect(graph, static_cast<std::uint32_t>(i), compared_steps);
            std::fill(scattered.begin(), scattered.end(), 0.0f);
            std::fill(apart.begin(), apart.end(), 0.0f);
            for (std::size_t k = 0; k < near.size(); ++k)
                for (std::size_t g = 0; g < groups; ++g) {
                    scattered[g] += scatter[near[k] * groups + g];
                    apart[g] += halves[near[k] * groups + g];
                }
            for (std::size_t g = 0; g < groups; ++g)
                if (scattered[g] > 0)
                    guide.variance[i * groups + g] *= std::min(1.0f, apart[g] / scattered[g]);
        }
    });
}

void temper_by_lines(const TexelSet& texels, const std::vector<std::uint8_t>& wanted, const LightField& light,
                     DenoiseGuide& guide, Job& job) {
    constexpr int ways[4][2] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}};
    const std::size_t groups = guide.groups;
    const std::vector<float> told = guide.variance;
    job.parallel(wanted.size(), 256, [&](std::size_t begin, std::size_t end) {
        for (auto i = static_cast<std::uint32_t>(begin); i < end; ++i) {
            if (!wanted[i]) continue;
            std::array<std::array<std::uint32_t, 2 * along + 3>, 4> line;
            for (std::size_t w = 0; w < 4; ++w)
                for (int k = -along - 1; k <= along + 1; ++k) {
                    const std::uint32_t n = k == 0 ? i : texels.neighbour(i, k * ways[w][0], k * ways[w][1]);
                    line[w][static_cast<std::size_t>(k + along + 1)] = n != none && wanted[n] ? n : none;
                }
            for (std::size_t g = 0; g < groups; ++g) {
                const float own = told[i * groups + g];
                if (!(own > 0)) continue;
                float least = 1;
                for (const auto& on : line) {
                    float differ = 0, expected = 0, count = 0;
                    for (std::size_t k = 1; k + 1 < on.size(); ++k) {
                        if (on[k - 1] == none || on[k] == none || on[k + 1] == none) continue;
                        const Rgb d =
                            light.get(on[k], g) - (light.get(on[k - 1], g) + light.get(on[k + 1], g)) * 0.5f;
                        differ += d.r * d.r + d.g * d.g + d.b * d.b;
                        expected += told[on[k] * groups + g] +
                                    0.25f * (told[on[k - 1] * groups + g] + told[on[k + 1] * groups + g]);
                        count += 1;
                    }
                    if (count < fewest_on_line || !(expected > 0)) continue;
                    // As if two more had differed as expected.
                    least = std::min(least, of_four * (differ / expected * count + 2) / (count + 2));
                }
                guide.variance[i * groups + g] = own * least;
            }
        }
    });
}

std::vector<float> measure_reach(const TexelSet& texels, const Links& links,
                                 const std::vector<std::uint8_t>& wanted, std::uint32_t first, Job& job) {
    std::vector<float> reach(texels.size(), open_reach);
    const std::vector<float> spacing = grid_spacing(texels);
    const std::uint32_t n = std::min(first, most_looked_at);
    job.parallel(reach.size(), 256, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            if (wanted[i]) reach[i] = reach_of(texels, links, n, i, spacing[texels.grid[i]]);
    });
    return reach;
}

DenoiseGuide guide_denoise(const GuideSource& s, Job& job) {
    Spread spread = spread_of(s, job);
    DenoiseGuide guide{.reach = s.reach, .variance = std::move(spread.scatter), .groups = s.lengths.groups};
    temper_variance(s.graph, s.wanted, spread.halves, guide, job);
    temper_by_lines(s.texels, s.wanted, s.by_links, guide, job);
    return guide;
}

}  // namespace stasigraph
