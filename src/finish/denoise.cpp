#include "finish/denoise.hpp"

#include <algorithm>
#include <cmath>

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t texels_per_task = 256;

/// One way to fit: over so many steps along the graph, by a constant or a plane. Weights fall off over
/// `narrow` times the distance to what is seen, and to 1/e where 1 - the cosine between the normals is
/// `turn`.
struct Fit {
    int steps;
    float narrow, turn;
    bool plane;
};
/// From the narrowest to the widest. A plane over few texels costs more noise than it saves error.
constexpr Fit fits[] = {{2, 0.15f, 0.02f, false},
                        {4, 0.4f, 0.02f, true},
                        {6, 1, 0.04f, true},
                        {8, 3, 0.08f, true},
                        {8, 10, 0.16f, true}};
constexpr std::size_t fit_count = std::size(fits);
static_assert(fits[fit_count - 1].steps == smoothing_steps);
/// A plane's slope is held by this share of the neighbourhood's own size: thin strips have none across.
constexpr float slope_hold = 0.01f;
constexpr int judged_steps = 3;  ///< How far around a texel the fits are judged.
/// Two texels may have the same light while their difference over its noise, squared and as root mean square
/// over n groups, is under the first plus the second over the root of n (one group alone is noisy); beyond it
/// they count for less, the faster the larger the third. Lower: rows that met a bright spot stay alone. Higher:
/// light seeps over edges that nothing else tells of. Chosen on the demo level (ten groups) and on the room of
/// tests/quality_test.cpp (one): 2 for both gave the room 9 % more error than 3.
constexpr float like_until = 1, like_until_few = 3.5f, unlike_fall = 2;
constexpr float least_variance = 1e-12f;  ///< Lux squared; so that none is a number, too.

/// Which fit was taken where: `groups` values a texel, 0 for none.
using FitChoice = std::vector<std::uint8_t>;

/// What a fit did at each texel.
struct Fitted {
    LightField light;
    std::vector<float> self;  ///< A texel's own weight: the share of its noise that it still has.
};

/// What is smoothed, and by what.
struct Input {
    const TexelSet& texels;
    const TexelGraph& graph;
    const std::vector<std::uint8_t>& wanted;
    const DenoiseGuide& guide;
    const LightField& light;
    /// By which texels are compared, `lanes` of eight groups for each: light, channels summed, and variance.
    std::size_t lanes = 0;
    std::vector<float> grey, expected;

    /// How much the light of one texel says of another's, in (0, 1].
    float likeness(std::size_t i, std::size_t j) const {
        const std::size_t stride = 8 * lanes;
        Lane apart{}, count{};
        for (std::size_t l = 0; l < stride; l += 8) {
            Lane a, b, va, vb;
            __builtin_memcpy(&a, &grey[i * stride + l], sizeof a);
            __builtin_memcpy(&b, &grey[j * stride + l], sizeof b);
            __builtin_memcpy(&va, &expected[i * stride + l], sizeof va);
            __builtin_memcpy(&vb, &expected[j * stride + l], sizeof vb);
            const Lane d = a - b, v = va + vb, q = d * d / (v + least_variance);
            apart += q * q;
            count += v > 0 ? Lane{} + 1 : Lane{};
        }
        float sum = 0, n = 0;
        for (int k = 0; k < 8; ++k) {
            sum += apart[k];
            n += count[k];
        }
        if (!(n > 0)) return 1;
        const float fall = 1 + unlike_fall * std::max(0.0f, std::sqrt(sum / n) - like_until - like_until_few / std::sqrt(n));
        return 1 / (fall * fall);
    }
};

/// Fills in what texels are compared by. The variance is the larger of a texel's own and of the geometric mean
/// around it: a row that met a bright spot knows of it, one that missed it learns from its neighbours, and a
/// few noisy ones beyond an edge do not make a quiet one noisy.
void prepare_likeness(Input& in, Job& job) {
    const std::size_t groups = in.guide.groups, stride = (groups + 7) / 8 * 8, count = in.wanted.size();
    const std::vector<float>& variance = in.guide.variance;
    in.lanes = stride / 8;
    in.grey.assign(count * stride, 0.0f);
    in.expected.assign(count * stride, 0.0f);
    std::vector<float> log_variance(variance.size());
    job.parallel(count, texels_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin * groups; k < end * groups; ++k)
            log_variance[k] = std::log(std::max(variance[k], least_variance));
    });
    job.parallel(count, texels_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            for (std::size_t g = 0; g < groups; ++g) {
                const Rgb e = in.light.get(i, g);
                in.grey[i * stride + g] = e.r + e.g + e.b;
                float sum = log_variance[i * groups + g], around = 1;
                for (const std::uint32_t n : in.graph.beside[i]) {
                    if (n == none) break;
                    sum += log_variance[n * groups + g];
                    around += 1;
                }
                // Channels vary together: the variance of their sum is that of each one, summed, times this.
                const float squares = e.r * e.r + e.g * e.g + e.b * e.b,
                            together = squares > 0 ? in.grey[i * stride + g] * in.grey[i * stride + g] / squares : 1;
                in.expected[i * stride + g] =
                    together * std::max(variance[i * groups + g], std::exp(sum / around));
            }
        }
    });
}

/// A texel's neighbours as seen from it: place in its tangent plane, distance against what is seen.
class Around {
public:
    void look(const Input& in, std::uint32_t i) {
        const TexelSet& t = in.texels;
        near.collect(in.graph, i, fits[fit_count - 1].steps);
        const Frame frame(t.normal[i]);
        for (std::size_t k = 0; k < near.size(); ++k) {
            const std::uint32_t j = near[k];
            const Vec3 way = t.position[j] - t.position[i];
            x[k] = dot(way, frame.tangent);
            y[k] = dot(way, frame.bitangent);
            const float by = length(way) / std::min(in.guide.reach[i], in.guide.reach[j]);
            far[k] = by * by;
            area[k] = t.area[j] * in.likeness(i, j);
            turned[k] = 1 - dot(t.normal[i], t.normal[j]);
        }
    }
    /// Weights that add up to 1; returns how many neighbours have one.
    std::size_t weigh(const Fit& fit, std::array<float, Neighbourhood::most>& w) const {
        float sum = 0, sx = 0, sy = 0, sxx = 0, syy = 0, sxy = 0;
        const float wide = 0.125f / (fit.narrow * fit.narrow), bent = 0.25f / fit.turn;
        std::size_t n = 0;
        for (; n < near.size() && near.step(n) <= fit.steps; ++n) {
            const float fall = 1 + far[n] * wide + turned[n] * bent;
            w[n] = area[n] / (fall * fall * fall * fall);
            sum += w[n];
            sx += w[n] * x[n];
            sy += w[n] * y[n];
            sxx += w[n] * x[n] * x[n];
            syy += w[n] * y[n] * y[n];
            sxy += w[n] * x[n] * y[n];
        }
        const float mx = sx / sum, my = sy / sum;
        float ax = 0, ay = 0;
        if (fit.plane) {
            float cxx = sxx / sum - mx * mx, cyy = syy / sum - my * my;
            const float cxy = sxy / sum - mx * my, hold = slope_hold * (cxx + cyy) + 1e-12f;
            cxx += hold;
            cyy += hold;
            const float det = cxx * cyy - cxy * cxy;
            if (det > 1e-30f) {
                ax = (cyy * mx - cxy * my) / det;
                ay = (cxx * my - cxy * mx) / det;
            }
        }
        for (std::size_t k = 0; k < n; ++k) w[k] *= (1 - ax * (x[k] - mx) - ay * (y[k] - my)) / sum;
        return n;
    }

    Neighbourhood near;

private:
    std::array<float, Neighbourhood::most> x{}, y{}, far{}, area{}, turned{};
};

std::vector<Fitted> fit_all(const Input& in, Job& job) {
    const LightField& light = in.light;
    std::vector<Fitted> out(fit_count);
    for (Fitted& f : out) {
        f.light.rows = light.rows;
        f.light.stride = light.stride;
        f.light.values.resize(light.values.size());
        f.self.resize(light.rows);
    }
    const std::size_t stride = light.stride;
    job.parallel(light.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        std::array<float, Neighbourhood::most> w;
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            around.look(in, static_cast<std::uint32_t>(i));
            for (std::size_t f = 0; f < fit_count; ++f) {
                const std::size_t n = around.weigh(fits[f], w);
                // In blocks that stay in registers over all neighbours.
                for (std::size_t c = 0; c < stride; c += 8) {
                    Lane sum{};
                    for (std::size_t k = 0; k < n; ++k) {
                        Lane from;
                        __builtin_memcpy(&from, &light.values[static_cast<std::size_t>(around.near[k]) * stride + c], sizeof from);
                        sum += from * w[k];
                    }
                    sum = sum > 0 ? sum : Lane{};
                    __builtin_memcpy(&out[f].light.values[i * stride + c], &sum, sizeof sum);
                }
                out[f].self[i] = w[0];
            }
        }
    });
    return out;
}

/// For each texel and group the fit whose error seems least; 0 is none. All errors of a group are compared with
/// what the light's own noise, the same for all of them, adds.
FitChoice judge(const Input& in, const std::vector<Fitted>& fitted, Job& job) {
    const std::size_t stride = in.light.stride, groups = in.guide.groups;
    FitChoice choice(in.light.rows * groups, 0);
    job.parallel(in.light.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        std::vector<float> change(fit_count * stride), error((fit_count + 1) * groups);
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            near.collect(in.graph, static_cast<std::uint32_t>(i), judged_steps);
            std::fill(change.begin(), change.end(), 0.0f);
            std::fill(error.begin(), error.end(), 0.0f);
            for (std::size_t k = 0; k < near.size(); ++k) {
                const std::size_t j = near[k];
                const float like = in.likeness(i, j), noisy = 2 * in.guide.strength * like;
                const float *variance = &in.guide.variance[j * groups], *own = &in.light.values[j * stride];
                for (std::size_t g = 0; g < groups; ++g) error[g] += noisy * variance[g];
                for (std::size_t f = 0; f < fit_count; ++f) {
                    const float *fit = &fitted[f].light.values[j * stride], self = noisy * fitted[f].self[j];
                    float *changed = &change[f * stride], *of_fit = &error[(f + 1) * groups];
                    for (std::size_t c = 0; c < stride; ++c) {
                        const float d = fit[c] - own[c];
                        changed[c] += like * d * d;
                    }
                    for (std::size_t g = 0; g < groups; ++g) of_fit[g] += self * variance[g];
                }
            }
            for (std::size_t f = 0; f < fit_count; ++f)
                for (std::size_t c = 0; c < 3 * groups; ++c) error[(f + 1) * groups + c / 3] += change[f * stride + c];
            for (std::size_t g = 0; g < groups; ++g) {
                std::size_t best = 0;
                for (std::size_t f = 1; f <= fit_count; ++f)
                    if (error[f * groups + g] < error[best * groups + g]) best = f;
                choice[i * groups + g] = static_cast<std::uint8_t>(best);
            }
        }
    });
    return choice;
}

void smooth_slopes(const Input& in, const FitChoice& choice, const SlopesToSmooth& to_smooth, Job& job) {
    const LightField& slopes = to_smooth.slopes;
    const std::size_t stride = slopes.stride, groups = in.guide.groups;
    LightField smooth = slopes;
    job.parallel(slopes.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        Neighbourhood near;
        std::array<float, Neighbourhood::most> w;
        std::vector<float> share((fit_count + 1) * groups);
        for (std::size_t row = begin; row < end; ++row) {
            const std::uint32_t i = to_smooth.rows.texel[row];
            if (!in.wanted[i] || !to_smooth.rows.shown[row]) continue;
            near.collect(in.graph, i, 1);
            std::fill(share.begin(), share.end(), 0.0f);
            for (std::size_t k = 0; k < near.size(); ++k)
                for (std::size_t g = 0; g < groups; ++g)
                    share[choice[near[k] * groups + g] * groups + g] += 1 / static_cast<float>(near.size());
            float* to = &smooth.values[row * stride];
            for (std::size_t g = 0; g < groups; ++g)
                for (std::size_t c = 9 * g; c < 9 * g + 9; ++c) to[c] *= share[g];
            around.look(in, i);
            for (std::size_t f = 0; f < fit_count; ++f) {
                const float* of_fit = &share[(f + 1) * groups];
                if (std::all_of(of_fit, of_fit + groups, [](float v) { return v == 0; })) continue;
                const std::size_t n = around.weigh(fits[f], w);
                for (std::size_t k = 0; k < n; ++k) {
                    const std::uint32_t beside = to_smooth.rows.of(around.near[k]);
                    if (!(std::abs(w[k]) > 1e-5f) || beside == none) continue;
                    const float* from = &slopes.values[static_cast<std::size_t>(beside) * stride];
                    for (std::size_t g = 0; g < groups; ++g)
                        for (std::size_t c = 9 * g; of_fit[g] > 0 && c < 9 * g + 9; ++c)
                            to[c] += w[k] * of_fit[g] * from[c];
                }
            }
        }
    });
    to_smooth.slopes = std::move(smooth);
}

}  // namespace

void denoise(const TexelSet& texels, const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
             const DenoiseGuide& guide, LightField& light, const SlopesToSmooth* slopes, Job& job) {
    Input in{texels, graph, wanted, guide, light, 0, {}, {}};
    prepare_likeness(in, job);
    const std::vector<Fitted> fitted = fit_all(in, job);
    const FitChoice choice = judge(in, fitted, job);
    if (slopes) smooth_slopes(in, choice, *slopes, job);
    // Neighbours' choices count as well, so that no border shows where the choice changes. A texel looks at its
    // own light alone here, so that it can be replaced in place.
    const std::size_t stride = light.stride, groups = guide.groups;
    job.parallel(light.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        for (std::size_t i = begin; i < end; ++i) {
            if (!wanted[i]) continue;
            near.collect(graph, static_cast<std::uint32_t>(i), 1);
            const float each = 1 / static_cast<float>(near.size());
            for (std::size_t g = 0; g < groups; ++g) {
                float* to = &light.values[i * stride + 3 * g];
                float sum[3] = {};
                for (std::size_t k = 0; k < near.size(); ++k) {
                    const std::uint8_t f = choice[near[k] * groups + g];
                    const float* from = f == 0 ? to : &fitted[f - 1].light.values[i * stride + 3 * g];
                    for (int c = 0; c < 3; ++c) sum[c] += from[c];
                }
                for (int c = 0; c < 3; ++c) to[c] = sum[c] * each;
            }
        }
    });
}

}  // namespace stasigraph
