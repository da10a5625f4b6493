#include "bake/guide_denoise.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr std::uint32_t most_looked_at = 128;
/// Rows are spread evenly, so that their mean varies less than their links scatter, the less the smoother
/// what they see: by how much less, the halves of a row tell.
constexpr int compared_steps = 3;  ///< Over this many steps around a texel halves and scatter are compared.
/// Texels to either side along a line, and how many of it have to be there.
constexpr int along = 3;
constexpr std::size_t fewest_on_line = 5;
/// A line runs along an edge where all but this many of its texels differ from those beside by this factor.
constexpr std::size_t other_than = 1;
constexpr float edge = 1.5f;
/// In spacings: the distance taken for a link that met nothing usable, and the least for any other.
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
/// `counting`: the links of the row that count for the group.
GuidedSpread guided_spread(const GuideSource& s, const HalfField& sent, std::size_t group,
                           const LinkRange& counting, RowParts& parts) {
    const std::size_t row = counting.row;
    const std::uint32_t length = counting.end;
    GuidedSpread out;
    if (s.guided.empty()) return out;
    const std::uint32_t at = s.guided[group].at(row);
    if (at == none) return out;
    CellScatter scatter[3];
    for_guided(s.guided[group], at, parts, length, [&](const WeighedLink& l, auto&& direction) {
        Rgb v;
        if (meets_texel(l.word))
            v = sent_of(sent, l.word, group) * l.tint;
        else if (l.word == sky_word && s.sky[group])
            v = gathered_sky_at(*s.sky[group], s.recorded.rows.receivers[row], direction(), l.tint,
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

/// What three channels of a row's links tell: sums of all n, of the first half, and of squares.
struct RowSpread {
    float scatter = 0, halves = 0;
};
RowSpread spread_of_row(const float* sum, const float* half, const float* squares, const GuidedSpread& guided,
                        float n) {
    float scatter = 0, difference = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        const float whole = sum[c] - guided.sum[c], first = half[c] - guided.half[c],
                    square = squares[c] - guided.squares[c];
        const float apart = (2 * first - whole) / n;
        scatter += std::max(0.0f, square - whole * whole / (n - guided.count)) / n;
        difference += apart * apart;
    }
    return {scatter / n + guided.variance, difference + guided.variance};
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
    s.recorded.links.for_rows(256, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(s.recorded);
        // Of the links so far, and of the first half of those that count for a group.
        std::vector<float> sum(stride), squares(stride), half(stride), part(stride), part_squares(stride);
        for (std::size_t i = begin; i < end; ++i) {
            if (!s.wanted[i]) continue;
            std::fill(sum.begin(), sum.end(), 0.0f);
            std::fill(squares.begin(), squares.end(), 0.0f);
            const std::uint32_t* words = s.recorded.links.row(i);
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
                gathered_skies(skies, s.recorded, {i, from, to}, s.weights.at(i),
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
                    const GuidedSpread guided = guided_spread(s, sent, g, {i, 0, length}, parts);
                    const RowSpread of_row = spread_of_row(&sum[3 * g], &half[3 * g], &squares[3 * g], guided,
                                                           static_cast<float>(length));
                    spread.scatter[i * groups + g] = of_row.scatter;
                    spread.halves[i * groups + g] = of_row.halves;
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

void temper_variance(const TexelGraph& graph, const TexelFlags& wanted, const std::vector<float>& halves,
                     DenoiseGuide& guide, Job& job) {
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

namespace {

/// Texels one after the other, with those beside them on both sides; none where there is none.
struct Line {
    static constexpr std::size_t length = 2 * along + 1;
    std::array<std::uint32_t, length + 2> on;  ///< With one more at each end.
    std::array<std::array<std::uint32_t, length>, 2> beside;
};

Line line_through(const TexelSet& texels, const TexelFlags& wanted, std::uint32_t i, int x, int y) {
    Line line;
    const auto at = [&](int u, int v) {
        const std::uint32_t n = u == 0 && v == 0 ? i : texels.neighbour(i, u, v);
        return n != none && wanted[n] ? n : none;
    };
    for (int k = -along - 1; k <= along + 1; ++k)
        line.on[static_cast<std::size_t>(k + along + 1)] = at(k * x, k * y);
    for (int k = -along; k <= along; ++k)
        for (const int side : {0, 1}) {
            const int s = side == 0 ? 1 : -1;
            line.beside[static_cast<std::size_t>(side)][static_cast<std::size_t>(k + along)] =
                at(k * x - s * y, k * y + s * x);
        }
    return line;
}

bool is_along_edge(const Line& line, const LightField& light, std::size_t g) {
    for (const auto& beside : line.beside) {
        std::size_t brighter = 0, darker = 0, count = 0;
        for (std::size_t k = 0; k < beside.size(); ++k) {
            if (line.on[k + 1] == none || beside[k] == none) continue;
            const float own = luminance(light.get(line.on[k + 1], g)),
                        other = luminance(light.get(beside[k], g));
            brighter += own > edge * other ? 1 : 0;
            darker += other > edge * own ? 1 : 0;
            ++count;
        }
        if (count >= fewest_on_line && std::max(brighter, darker) + other_than >= count) return true;
    }
    return false;
}

/// How much light differs along a line from what lies between neighbours, as a share of what variances tell;
/// 1 where too little is there.
float roughness(const Line& line, const LightField& light, const std::vector<float>& variance,
                std::size_t groups, std::size_t g) {
    float differ = 0, expected = 0;
    std::size_t count = 0;
    for (std::size_t k = 1; k + 1 < line.on.size(); ++k) {
        const std::uint32_t a = line.on[k - 1], n = line.on[k], b = line.on[k + 1];
        if (a == none || n == none || b == none) continue;
        const Rgb d = light.get(n, g) - (light.get(a, g) + light.get(b, g)) * 0.5f;
        differ += d.r * d.r + d.g * d.g + d.b * d.b;
        expected += variance[n * groups + g] + 0.25f * (variance[a * groups + g] + variance[b * groups + g]);
        ++count;
    }
    return count >= fewest_on_line && expected > 0 ? differ / expected : 1;
}

}  // namespace

void temper_by_lines(const TexelSet& texels, const TexelFlags& wanted, const LightField& light,
                     DenoiseGuide& guide, Job& job) {
    constexpr int ways[4][2] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}};
    const std::size_t groups = guide.groups;
    const std::vector<float> told = guide.variance;
    job.parallel(wanted.size(), 256, [&](std::size_t begin, std::size_t end) {
        for (auto i = static_cast<std::uint32_t>(begin); i < end; ++i) {
            if (!wanted[i]) continue;
            std::array<Line, 4> lines;
            for (std::size_t w = 0; w < lines.size(); ++w)
                lines[w] = line_through(texels, wanted, i, ways[w][0], ways[w][1]);
            for (std::size_t g = 0; g < groups; ++g) {
                float least = 1;
                for (const Line& line : lines)
                    if (told[i * groups + g] > 0 && is_along_edge(line, light, g))
                        least = std::min(least, roughness(line, light, told, groups, g));
                guide.variance[i * groups + g] = told[i * groups + g] * least;
            }
        }
    });
}

std::vector<float> measure_reach(const TexelSet& texels, const Links& links, const TexelFlags& wanted,
                                 std::uint32_t first, Job& job) {
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
