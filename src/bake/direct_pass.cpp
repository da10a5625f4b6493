// The direct pass: a glance at every texel, a look at those around which a glance found light, and a long
// look where glance and look differ.

#include <algorithm>
#include <cmath>
#include <iterator>

#include "bake/sources.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 256;

/// A glance is a quarter of the effort asked for; a look is worth two of them, and a long look so many.
constexpr int glances = 4, look = 2, long_look[] = {3, 9, 27};
/// Noise in the dark is not seen beside what is bright: light below this share of its mean over the lit
/// texels counts as that much.
constexpr double dark_share = 0.05;
constexpr int reach = 2;  ///< Texels to every side that tell what a texel needs.
/// Twice the rays lower the variance by more than half, since they are spread evenly and the lamps told apart
/// better; estimates are weighed by that.
constexpr float gain = 1.3f;
constexpr int few = 8;  ///< With fewer neighbours than that a texel is looked at anyway.

/// What an estimate from so many glances' worth of rays weighs; one over its variance, that of a glance is 1.
float worth(int n) {
    return std::pow(static_cast<float>(n), gain);
}

LightEffort times(const LightEffort& e, int factor) {
    return {.samples = std::min(e.samples * factor, 256),
            .cut = std::min(e.cut * factor, 1024),
            .error = e.error / std::sqrt(static_cast<float>(factor)),
            .spread = e.spread,
            .faint = std::min(1.0f, e.faint * static_cast<float>(factor))};
}

/// Light and, where asked for, its slope.
struct Estimate {
    Rgb light;
    Slope slope;
};

Estimate light_of(const DirectPass& pass, std::size_t i, const LightEffort& effort, std::uint32_t seed,
                  DirectLight::Scratch& scratch) {
    const Receiver& r = pass.rows.receivers[i];
    const std::uint32_t own = combine_bits(pass.rows.seeds[i], seed);
    const bool sloped = pass.slopes && pass.slopes->of(i) != none;
    Estimate sum;
    pass.light.gather(
        r, effort, pass.weights.at(i), own, scratch,
        [&](std::uint32_t k) { return pass.footprints.offset(i, sobol_point_beside(own, k)); },
        [&](Vec3 w, Rgb e) {
            sum.light += e * r.weight(w);
            if (sloped) sum.slope += slope_along(e, slope_of(r.normal, w));
        });
    return sum;
}

/// What decides about a texel is only ever what its neighbours found, never what it found itself: one whose
/// rays all missed a lamp would think itself done, and all such texels together would be too dark.
struct Field {
    const TexelSet& texels;
    const std::vector<std::uint8_t>& valid;
    std::vector<float> mean, difference;  ///< Luminance; of glance and look.

    bool worth_a_look(std::size_t i) const {
        int count = 0;
        bool lit = false;
        texels.for_neighbours(static_cast<std::uint32_t>(i), reach, [&](std::uint32_t n) {
            if (!valid[n]) return;
            ++count;
            lit = lit || mean[n] > 0;
        });
        return lit || count < few;
    }

    float floor() const {
        double sum = 0, lit = 0;
        for (std::size_t i = 0; i < mean.size(); ++i) {
            if (!(mean[i] > 0)) continue;
            sum += static_cast<double>(mean[i] * texels.area[i]);
            lit += static_cast<double>(texels.area[i]);
        }
        return lit > 0 ? static_cast<float>(dark_share * sum / lit) : 0;
    }

    /// How many glances' worth of a long look a texel needs; 0: none.
    int wanted(std::size_t i, float least, float noise) const {
        float square = 0, light = 0, count = 0;
        texels.for_neighbours(static_cast<std::uint32_t>(i), reach, [&](std::uint32_t n) {
            if (!valid[n]) return;
            square += difference[n] * difference[n];
            light += mean[n];
            count += 1;
        });
        if (!(count > 0)) return 0;
        // With a variance of v for one glance, the difference has v + v / worth, both together v / (1 +
        // worth).
        const float both = 1 + worth(look), together = worth(look) / (both * both);
        const float allowed = std::max(light / count, least) * noise;
        const float over = square / count * together / (allowed * allowed);
        if (!(over > 1)) return 0;
        for (const int n : long_look)
            if (over <= (both + static_cast<float>(n)) / both) return n;
        return long_look[std::size(long_look) - 1];
    }
};

}  // namespace

std::vector<Rgb> light_rows(const DirectLight& light, const RowSource& rows, const LightEffort& effort,
                            const RowSkyWeights& weights, std::uint32_t seed, Job& job) {
    std::vector<Rgb> out(rows.size());
    const Footprints middles;
    const DirectPass pass{
        .light = light, .rows = rows, .footprints = middles, .effort = effort, .weights = weights};
    job.parallel(light.empty() ? 0 : rows.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t i = begin; i < end; ++i) out[i] = light_of(pass, i, effort, seed, scratch).light;
        job.advance(end - begin);
    });
    return out;
}

DirectTexels light_texels(const DirectPass& pass, const TexelSet& texels,
                          const std::vector<std::uint8_t>& valid, const std::vector<float>& besides,
                          Job& job) {
    const std::size_t count = pass.rows.size();
    DirectTexels out{std::vector<Rgb>(count),
                     std::vector<Slope>(pass.slopes ? pass.slopes->texel.size() : 0)};
    if (pass.light.empty()) {
        job.advance(count);
        return out;
    }
    LightEffort glance = pass.effort;
    glance.spread = true;
    glance.samples = std::max(1, pass.effort.samples / glances);
    glance.cut = std::max(1, pass.effort.cut / glances);
    const auto each_texel = [&](auto&& each) {
        job.parallel(count, rows_per_task, [&](std::size_t begin, std::size_t end) {
            DirectLight::Scratch scratch;
            for (std::size_t i = begin; i < end; ++i)
                if (valid[i]) each(i, scratch);
            job.advance((end - begin) / 4);
        });
    };
    // Takes another estimate into a texel's light, by what both weigh.
    const auto add = [&](std::size_t i, const Estimate& e, float before, float now) {
        const float share = now / (before + now);
        out.light[i] = out.light[i] * (1 - share) + e.light * share;
        const std::uint32_t row = pass.slopes ? pass.slopes->of(i) : none;
        if (row != none) out.slope[row] = out.slope[row] * (1 - share) + e.slope * share;
    };
    Field field{texels, valid, std::vector<float>(count), std::vector<float>(count)};
    each_texel([&](std::size_t i, DirectLight::Scratch& scratch) {
        add(i, light_of(pass, i, glance, pass.seed, scratch), 0, 1);
        field.mean[i] = luminance(out.light[i]);
    });
    const LightEffort looking = times(glance, look);
    std::vector<std::uint8_t> looked(count);
    each_texel([&](std::size_t i, DirectLight::Scratch& scratch) {
        looked[i] = field.worth_a_look(i) ? 1 : 0;
        if (!looked[i]) return;
        const Estimate second = light_of(pass, i, looking, mix_bits(pass.seed ^ 1u), scratch);
        field.difference[i] = field.mean[i] - luminance(second.light);
        add(i, second, 1, worth(look));
    });
    each_texel([&](std::size_t i, DirectLight::Scratch&) {
        field.mean[i] = luminance(out.light[i]) + (besides.empty() ? 0 : besides[i]);
    });
    const float least = pass.floor > 0 ? pass.floor : field.floor();
    if (!(least > 0)) return out;
    each_texel([&](std::size_t i, DirectLight::Scratch& scratch) {
        const int n = looked[i] ? field.wanted(i, least, pass.effort.error) : 0;
        if (n > 0)
            add(i, light_of(pass, i, times(glance, n), mix_bits(pass.seed ^ 2u), scratch), 1 + worth(look),
                worth(n));
    });
    return out;
}

}  // namespace stasigraph
