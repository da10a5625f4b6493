#include "finish/denoise.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t texels_per_task = 256;

/// One way to fit: over this many steps along the graph, by a constant or a plane. Weights fall off over
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
/// Two texels may have the same light while their difference over its noise, squared, is under the first;
/// beyond it they count for less, the faster the larger the second. Lower: rows that met a bright spot stay
/// alone. Higher: light seeps over edges that nothing else tells of. Chosen on the demo level and on the room
/// of tests/quality_test.cpp.
constexpr float like_until = 4.5f, unlike_fall = 2;
constexpr float least_variance = 1e-30f;  ///< Avoids 0 / 0, and is small whatever the unit of light.

/// A texel's light of one group and the variance it is compared by.
struct Sample {
    float light[3];
    float expected;
    float grey() const { return light[0] + light[1] + light[2]; }
};
/// What a fit made of it, and its own weight in that: the share of its noise that it still has.
struct Fitted {
    float light[3];
    float self;
};

/// What is smoothed, and by what: some of the groups, `groups` entries a texel.
struct Input {
    const TexelSet& texels;
    const TexelGraph& graph;
    const TexelFlags& wanted;
    const DenoiseGuide& guide;
    std::size_t first = 0, groups = 0;
    std::vector<Sample> sample;
    std::vector<std::uint8_t> noisy;  ///< Worth smoothing.

    float variance(std::size_t i, std::size_t g) const {
        return guide.variance[i * guide.groups + first + g];
    }
};

/// How much the light of one texel says of another's, in (0, 1].
inline float likeness(float grey, float expected, float other_grey, float other_expected) {
    const float d = grey - other_grey, v = expected + other_expected;
    const float apart = v > 0 ? d * d / (v + least_variance) : 0;
    const float fall = 1 + unlike_fall * std::max(0.0f, apart - like_until);
    return 1 / (fall * fall);
}

/// The variance texels are compared by is the larger of a texel's own and of the mean with those beside it: a
/// row that met a bright spot knows of it, one that missed it learns from its neighbours. (Their geometric
/// mean, which one row that met nothing makes nothing, leaves a third more texels off by a fifth under the
/// sun of the demo level.)
Input prepare(Input in, const LightField& light, Job& job) {
    const std::size_t groups = in.groups, count = in.wanted.size();
    in.sample.resize(count * groups);
    in.noisy.assign(count * groups, 0);
    job.parallel(count, texels_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            for (std::size_t g = 0; g < groups; ++g) {
                const Rgb e = light.get(i, in.first + g);
                const auto grey_of = [&](std::uint32_t n) {
                    const Rgb there = light.get(n, in.first + g);
                    return there.r + there.g + there.b;
                };
                // What a row may have missed, others beside it have: but for one on either side of an edge.
                constexpr float nothing = std::numeric_limits<float>::max();
                float least = nothing, second = nothing;
                for (const std::uint32_t n : in.graph.beside[i]) {
                    if (n == none) break;
                    const float there = grey_of(n);
                    second = std::min(second, std::max(least, there));
                    least = std::min(least, there);
                }
                const float own = std::max(e.r + e.g + e.b, second < nothing ? second : 0);
                float sum = in.variance(i, g), around = 1;
                for (const std::uint32_t n : in.graph.beside[i]) {
                    if (n == none) break;
                    const float there = grey_of(n);
                    sum += in.variance(n, g) * (there > own ? own / there : 1);
                    around += 1;
                }
                // Channels vary together: the variance of their sum is that of each one, summed, times this.
                const float grey = e.r + e.g + e.b, squares = e.r * e.r + e.g * e.g + e.b * e.b,
                            together = squares > 0 ? grey * grey / squares : 1,
                            expected = together * std::max(in.variance(i, g), sum / around),
                            unseen = in.guide.unseen.empty() ? 0 : in.guide.unseen[in.first + g];
                in.sample[i * groups + g] = {{e.r, e.g, e.b}, expected};
                in.noisy[i * groups + g] = expected > std::max(unseen * unseen, 2 * least_variance) ? 1 : 0;
            }
        }
    });
    return in;
}

using Weights = std::array<float, Neighbourhood::most>;

/// A texel's neighbours as seen from it: place in its tangent plane, and by their place alone their weight in
/// each fit. The same for all groups.
class Around {
public:
    void look(const Input& in, std::uint32_t i) {
        const TexelSet& t = in.texels;
        near.collect(in.graph, i, smoothing_steps);
        const Frame frame(t.normal[i]);
        Weights far, turned, area;
        for (std::size_t k = 0; k < near.size(); ++k) {
            const std::uint32_t j = near[k];
            const Vec3 way = t.position[j] - t.position[i];
            x_[k] = dot(way, frame.tangent);
            y_[k] = dot(way, frame.bitangent);
            const float reach = std::min(in.guide.reach[i], in.guide.reach[j]);
            far[k] = dot(way, way) / (reach * reach);
            area[k] = t.area[j];
            turned[k] = 1 - dot(t.normal[i], t.normal[j]);
        }
        for (std::size_t f = 0; f < fit_count; ++f) {
            const float wide = 0.125f / (fits[f].narrow * fits[f].narrow), bent = 0.25f / fits[f].turn;
            std::size_t n = 0;
            while (n < near.size() && near.step(n) <= fits[f].steps) ++n;
            reached_[f] = n;
            for (std::size_t k = 0; k < n; ++k) {
                const float fall = 1 + far[k] * wide + turned[k] * bent;
                place_[f][k] = area[k] / (fall * fall * fall * fall);
            }
        }
    }
    /// Brings in the light of one group.
    void look_at(const Input& in, std::uint32_t i, std::size_t g) {
        const Sample own = in.sample[i * in.groups + g];
        const float grey = own.grey();
        Weights other, expected;
        for (std::size_t k = 0; k < near.size(); ++k) {
            const Sample& s = in.sample[near[k] * in.groups + g];
            for (int c = 0; c < 3; ++c) light_[c][k] = s.light[c];
            other[k] = s.grey();
            expected[k] = s.expected;
        }
        for (std::size_t k = 0; k < near.size(); ++k)
            like_[k] = likeness(grey, own.expected, other[k], expected[k]);
    }
    /// Weights of a fit that add up to 1; returns how many neighbours have one.
    std::size_t weigh(std::size_t f, Weights& w) const {
        const std::size_t n = reached_[f];
        Lane sums[6] = {};
        const auto add = [&](std::size_t k) {
            Lane at, x, y;
            __builtin_memcpy(&at, &w[k], sizeof at);
            __builtin_memcpy(&x, &x_[k], sizeof x);
            __builtin_memcpy(&y, &y_[k], sizeof y);
            const Lane wx = at * x, wy = at * y;
            sums[0] += at;
            sums[1] += wx;
            sums[2] += wy;
            sums[3] += wx * x;
            sums[4] += wy * y;
            sums[5] += wx * y;
        };
        for (std::size_t k = 0; k < (n + 7) / 8 * 8; ++k) w[k] = k < n ? place_[f][k] * like_[k] : 0;
        for (std::size_t k = 0; k < n; k += 8) add(k);
        const auto total = [&](int i) {
            const Lane& l = sums[i];
            return ((l[0] + l[4]) + (l[2] + l[6])) + ((l[1] + l[5]) + (l[3] + l[7]));
        };
        const float sum = total(0), mx = total(1) / sum, my = total(2) / sum;
        float ax = 0, ay = 0;
        if (fits[f].plane) {
            float cxx = total(3) / sum - mx * mx, cyy = total(4) / sum - my * my;
            const float cxy = total(5) / sum - mx * my, hold = slope_hold * (cxx + cyy) + 1e-12f;
            cxx += hold;
            cyy += hold;
            const float det = cxx * cyy - cxy * cxy;
            if (det > 1e-30f) {
                ax = (cyy * mx - cxy * my) / det;
                ay = (cxx * my - cxy * mx) / det;
            }
        }
        const float share = 1 / sum;
        for (std::size_t k = 0; k < n; ++k) w[k] *= (1 - ax * (x_[k] - mx) - ay * (y_[k] - my)) * share;
        return n;
    }
    Fitted fit(std::size_t f, Weights& w) const {
        const std::size_t n = weigh(f, w);
        Lane sum[3] = {};
        for (std::size_t k = 0; k < n; k += 8) {
            Lane weight;
            __builtin_memcpy(&weight, &w[k], sizeof weight);
            for (int c = 0; c < 3; ++c) {
                Lane v;
                __builtin_memcpy(&v, &light_[c][k], sizeof v);
                sum[c] += weight * v;
            }
        }
        Fitted out{{}, w[0]};
        for (int c = 0; c < 3; ++c) {
            const Lane& l = sum[c];
            out.light[c] = std::max(0.0f, ((l[0] + l[4]) + (l[2] + l[6])) + ((l[1] + l[5]) + (l[3] + l[7])));
        }
        return out;
    }

    Neighbourhood near;

private:
    // All of them as long as whole lanes, and zero where never written.
    Weights x_{}, y_{}, like_{};
    std::array<Weights, 3> light_{};
    std::array<Weights, fit_count> place_{};
    std::array<std::size_t, fit_count> reached_{};
};
static_assert(Neighbourhood::most % 8 == 0);

/// Which fit was taken where: `groups` values a texel, 0 for none.
using FitChoice = std::vector<std::uint8_t>;
/// By fit, then by texel and group.
using AllFitted = std::array<std::vector<Fitted>, fit_count>;

AllFitted fit_all(const Input& in, Job& job) {
    AllFitted out;
    for (std::vector<Fitted>& f : out) f.resize(in.sample.size());
    job.parallel(in.wanted.size(), texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        Weights w{};
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            bool looked = false;
            for (std::size_t g = 0; g < in.groups; ++g) {
                const std::size_t at = i * in.groups + g;
                if (!in.noisy[at]) {
                    const float* own = in.sample[at].light;
                    for (std::vector<Fitted>& f : out) f[at] = {{own[0], own[1], own[2]}, 1};
                    continue;
                }
                if (!looked) around.look(in, static_cast<std::uint32_t>(i));
                looked = true;
                around.look_at(in, static_cast<std::uint32_t>(i), g);
                for (std::size_t f = 0; f < fit_count; ++f) out[f][at] = around.fit(f, w);
            }
        }
        job.advance((end - begin) * in.groups * 2);
    });
    return out;
}

/// For each texel and group the fit whose error seems least; 0 is none. All errors are compared with what the
/// light's own noise, the same for all of them, adds.
FitChoice judge(const Input& in, const AllFitted& fitted, Job& job) {
    FitChoice choice(in.sample.size(), 0);
    job.parallel(in.wanted.size(), texels_per_task, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint8_t* noisy = &in.noisy[i * in.groups];
            if (std::find(noisy, noisy + in.groups, 1) == noisy + in.groups) continue;
            near.collect(in.graph, static_cast<std::uint32_t>(i), judged_steps);
            for (std::size_t g = 0; g < in.groups; ++g) {
                if (!noisy[g]) continue;
                const Sample& own = in.sample[i * in.groups + g];
                float error[fit_count + 1] = {};
                for (std::size_t k = 0; k < near.size(); ++k) {
                    const std::size_t at = near[k] * in.groups + g;
                    const Sample& there = in.sample[at];
                    const float like = likeness(own.grey(), own.expected, there.grey(), there.expected),
                                noise = 2 * in.guide.strength * like * in.variance(near[k], g);
                    error[0] += noise;
                    for (std::size_t f = 0; f < fit_count; ++f) {
                        const Fitted& fit = fitted[f][at];
                        const float r = fit.light[0] - there.light[0], gr = fit.light[1] - there.light[1],
                                    b = fit.light[2] - there.light[2];
                        error[f + 1] += like * (r * r + gr * gr + b * b) + noise * fit.self;
                    }
                }
                choice[i * in.groups + g] =
                    static_cast<std::uint8_t>(std::min_element(error, error + fit_count + 1) - error);
            }
        }
    });
    return choice;
}

/// `from` are the gradients as they came, of all groups.
void smooth_gradients(const Input& in, const FitChoice& choice, const LightField& from,
                      const SmoothedLight& smoothed, Job& job) {
    const GradientRows& rows = *smoothed.rows;
    LightField& gradients = *smoothed.gradients;
    const std::size_t stride = gradients.stride;
    job.parallel(gradients.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        Neighbourhood near;
        Weights w{};
        for (std::size_t row = begin; row < end; ++row) {
            const std::uint32_t i = rows.texel[row];
            if (!in.wanted[i] || !rows.shown[row]) continue;
            near.collect(in.graph, i, 1);
            bool looked = false;
            for (std::size_t g = 0; g < in.groups; ++g) {
                std::array<float, fit_count + 1> share{};
                for (std::size_t k = 0; k < near.size(); ++k)
                    share[choice[near[k] * in.groups + g]] += 1 / static_cast<float>(near.size());
                const std::size_t column = 9 * (in.first + g);
                float* to = &gradients.values[row * stride + column];
                for (std::size_t c = 0; c < 9; ++c) to[c] *= share[0];
                for (std::size_t f = 0; f < fit_count; ++f) {
                    if (!(share[f + 1] > 0)) continue;
                    if (!looked) around.look(in, i);
                    looked = true;
                    around.look_at(in, i, g);
                    const std::size_t n = around.weigh(f, w);
                    for (std::size_t k = 0; k < n; ++k) {
                        const std::uint32_t beside = rows.of(around.near[k]);
                        if (!(std::abs(w[k]) > 1e-5f) || beside == none) continue;
                        const float* there = &from.values[static_cast<std::size_t>(beside) * stride + column];
                        for (std::size_t c = 0; c < 9; ++c) to[c] += w[k] * share[f + 1] * there[c];
                    }
                }
            }
        }
    });
}

/// Neighbours' choices count as well, so that no border shows where the choice changes.
void take_fits(const Input& in, const FitChoice& choice, const AllFitted& fitted, LightField& light,
               Job& job) {
    job.parallel(in.wanted.size(), texels_per_task, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        for (std::size_t i = begin; i < end; ++i) {
            if (!in.wanted[i]) continue;
            near.collect(in.graph, static_cast<std::uint32_t>(i), 1);
            const float each = 1 / static_cast<float>(near.size());
            for (std::size_t g = 0; g < in.groups; ++g) {
                const std::size_t at = i * in.groups + g;
                float sum[3] = {};
                for (std::size_t k = 0; k < near.size(); ++k) {
                    const std::uint8_t f = choice[near[k] * in.groups + g];
                    const float* from = f == 0 ? in.sample[at].light : fitted[f - 1][at].light;
                    for (int c = 0; c < 3; ++c) sum[c] += from[c];
                }
                float* to = &light.values[i * light.stride + 3 * (in.first + g)];
                for (int c = 0; c < 3; ++c) to[c] = sum[c] * each;
            }
        }
    });
}

}  // namespace

void denoise(const SmoothedTexels& texels, const DenoiseGuide& guide, const SmoothedLight& smoothed, Job& job,
             const SmoothingSteps& steps) {
    const LightField gradients_before = smoothed.gradients ? *smoothed.gradients : LightField{};
    for (std::size_t first = steps.done; first < guide.groups; first += groups_smoothed_at_once) {
        const Input in = prepare({.texels = texels.texels,
                                  .graph = texels.graph,
                                  .wanted = texels.wanted,
                                  .guide = guide,
                                  .first = first,
                                  .groups = std::min(groups_smoothed_at_once, guide.groups - first),
                                  .sample = {},
                                  .noisy = {}},
                                 smoothed.light, job);
        const AllFitted fitted = fit_all(in, job);
        const FitChoice choice = judge(in, fitted, job);
        if (smoothed.gradients) smooth_gradients(in, choice, gradients_before, smoothed, job);
        take_fits(in, choice, fitted, smoothed.light, job);
        if (steps.after) steps.after(first + in.groups);
    }
}

}  // namespace stasigraph
