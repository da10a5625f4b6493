#include "finish/denoise.hpp"

#include <algorithm>
#include <cmath>

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
/// A plane's slope is held by this share of the neighbourhood's own size: thin strips have none across.
constexpr float slope_hold = 0.01f;
constexpr int judged_steps = 3;  ///< How far around a texel the fits are judged.

/// What a fit did at each texel.
struct Fitted {
    LightField light;
    std::vector<float> kept;    ///< Sum of squared weights: the share of the noise that is left.
    std::vector<float> change;  ///< The same of the difference to the next narrower fit.
};

/// A texel's neighbours as seen from it: place in its tangent plane, distance against what is seen.
class Around {
public:
    void look(const TexelSet& t, const TexelGraph& graph, const DenoiseGuide& guide, std::uint32_t i) {
        near.collect(graph, i, fits[fit_count - 1].steps);
        const Frame frame(t.normal[i]);
        for (std::size_t k = 0; k < near.size(); ++k) {
            const std::uint32_t j = near[k];
            const Vec3 way = t.position[j] - t.position[i];
            x[k] = dot(way, frame.tangent);
            y[k] = dot(way, frame.bitangent);
            const float by = length(way) / std::min(guide.reach[i], guide.reach[j]);
            far[k] = by * by;
            area[k] = t.area[j];
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

std::vector<Fitted> fit_all(const TexelSet& texels, const TexelGraph& graph,
                            const std::vector<std::uint8_t>& wanted, const DenoiseGuide& guide,
                            const LightField& light, Job& job) {
    std::vector<Fitted> out(fit_count);
    for (Fitted& f : out) {
        f.light.rows = light.rows;
        f.light.stride = light.stride;
        f.light.values.resize(light.values.size());
        f.kept.resize(light.rows);
        f.change.resize(light.rows);
    }
    const std::size_t stride = light.stride;
    job.parallel(light.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        std::array<float, Neighbourhood::most> w, before;
        for (std::size_t i = begin; i < end; ++i) {
            if (!wanted[i]) continue;
            around.look(texels, graph, guide, static_cast<std::uint32_t>(i));
            before.fill(0);
            before[0] = 1;
            std::size_t last = 1;
            for (std::size_t f = 0; f < fit_count; ++f) {
                const std::size_t n = around.weigh(fits[f], w);
                float* to = &out[f].light.values[i * stride];
                float kept = 0, change = 0;
                for (std::size_t k = 0; k < n; ++k) {
                    const float* from = &light.values[static_cast<std::size_t>(around.near[k]) * stride];
                    if (std::abs(w[k]) > 1e-5f)
                        for (std::size_t c = 0; c < stride; ++c) to[c] += w[k] * from[c];
                    kept += w[k] * w[k];
                    const float d = w[k] - (k < last ? before[k] : 0.0f);
                    change += d * d;
                    before[k] = w[k];
                }
                last = n;
                for (std::size_t c = 0; c < stride; ++c) to[c] = std::max(0.0f, to[c]);
                out[f].kept[i] = kept;
                out[f].change[i] = change;
            }
        }
    });
    return out;
}

/// For each texel and group the fit whose error seems least; 0 is none.
FitChoice judge(const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                const DenoiseGuide& guide, const LightField& light, const std::vector<Fitted>& fitted,
                Job& job) {
    const std::size_t stride = light.stride, groups = guide.groups;
    FitChoice choice(light.rows * groups, 0);
    job.parallel(light.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Neighbourhood near;
        std::vector<float> squares(fit_count * stride), noise(fit_count * groups), variance(groups);
        for (std::size_t i = begin; i < end; ++i) {
            if (!wanted[i]) continue;
            near.collect(graph, static_cast<std::uint32_t>(i), judged_steps);
            std::fill(squares.begin(), squares.end(), 0.0f);
            std::fill(noise.begin(), noise.end(), 0.0f);
            std::fill(variance.begin(), variance.end(), 0.0f);
            for (std::size_t k = 0; k < near.size(); ++k) {
                const std::size_t j = near[k];
                const float* v = &guide.variance[j * groups];
                for (std::size_t g = 0; g < groups; ++g) variance[g] += v[g];
                const float* narrower = &light.values[j * stride];
                for (std::size_t f = 0; f < fit_count; ++f) {
                    const float* wider = &fitted[f].light.values[j * stride];
                    for (std::size_t c = 0; c < stride; ++c) {
                        const float d = wider[c] - narrower[c];
                        squares[f * stride + c] += d * d;
                    }
                    const float change = fitted[f].change[j];
                    for (std::size_t g = 0; g < groups; ++g) noise[f * groups + g] += change * v[g];
                    narrower = wider;
                }
            }
            const float each = 1 / static_cast<float>(near.size());
            for (std::size_t g = 0; g < groups; ++g) {
                const float own = variance[g] * each;
                float least = own, detail = 0;
                for (std::size_t f = 0; f < fit_count; ++f) {
                    const float* s = &squares[f * stride + 3 * g];
                    const float beyond = (s[0] + s[1] + s[2] - noise[f * groups + g]) * each;
                    detail += std::sqrt(std::max(0.0f, beyond));
                    const float error = detail * detail + fitted[f].kept[i] * own;
                    if (!(error < least)) continue;
                    least = error;
                    choice[i * groups + g] = static_cast<std::uint8_t>(f + 1);
                }
            }
        }
    });
    return choice;
}

}  // namespace

FitChoice denoise(const TexelSet& texels, const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                  const DenoiseGuide& guide, LightField& light, Job& job) {
    const std::vector<Fitted> fitted = fit_all(texels, graph, wanted, guide, light, job);
    FitChoice choice = judge(graph, wanted, guide, light, fitted, job);
    // Neighbours' choices count as well, so that no border shows where the choice changes.
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
    return choice;
}

void denoise_slopes(const TexelSet& texels, const TexelGraph& graph, const std::vector<std::uint8_t>& wanted,
                    const DenoiseGuide& guide, const FitChoice& choice, LightField& slopes, Job& job) {
    const std::size_t stride = slopes.stride, groups = guide.groups;
    LightField smooth = slopes;
    job.parallel(slopes.rows, texels_per_task, [&](std::size_t begin, std::size_t end) {
        Around around;
        Neighbourhood near;
        std::array<float, Neighbourhood::most> w;
        std::vector<float> share((fit_count + 1) * groups);
        for (std::size_t i = begin; i < end; ++i) {
            if (!wanted[i]) continue;
            near.collect(graph, static_cast<std::uint32_t>(i), 1);
            std::fill(share.begin(), share.end(), 0.0f);
            for (std::size_t k = 0; k < near.size(); ++k)
                for (std::size_t g = 0; g < groups; ++g)
                    share[choice[near[k] * groups + g] * groups + g] += 1 / static_cast<float>(near.size());
            float* to = &smooth.values[i * stride];
            for (std::size_t g = 0; g < groups; ++g)
                for (std::size_t c = 9 * g; c < 9 * g + 9; ++c) to[c] *= share[g];
            around.look(texels, graph, guide, static_cast<std::uint32_t>(i));
            for (std::size_t f = 0; f < fit_count; ++f) {
                const float* of_fit = &share[(f + 1) * groups];
                if (std::all_of(of_fit, of_fit + groups, [](float v) { return v == 0; })) continue;
                const std::size_t n = around.weigh(fits[f], w);
                for (std::size_t k = 0; k < n; ++k) {
                    if (!(std::abs(w[k]) > 1e-5f)) continue;
                    const float* from = &slopes.values[static_cast<std::size_t>(around.near[k]) * stride];
                    for (std::size_t g = 0; g < groups; ++g)
                        for (std::size_t c = 9 * g; of_fit[g] > 0 && c < 9 * g + 9; ++c)
                            to[c] += w[k] * of_fit[g] * from[c];
                }
            }
        }
    });
    slopes = std::move(smooth);
}

}  // namespace stasigraph
