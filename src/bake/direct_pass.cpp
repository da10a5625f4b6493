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

Rgb light_of(const DirectLight& light, const RowSource& rows, std::size_t i, const LightEffort& effort,
             const RowSkyWeights& weights, const Footprints& footprints, std::uint32_t seed,
             DirectLight::Scratch& scratch) {
    const Receiver& r = rows.receivers[i];
    const std::uint32_t own = combine_bits(rows.seeds[i], seed);
    Rgb sum;
    light.gather(
        r, effort, weights.at(i), own, scratch,
        [&](std::uint32_t k) { return footprints.offset(i, sobol_point_beside(own, k)); },
        [&](Vec3 w, Rgb e) { sum += e * r.weight(w); });
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
    if (light.empty()) {
        job.advance(rows.size());
        return out;
    }
    job.parallel(rows.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t i = begin; i < end; ++i)
            out[i] = light_of(light, rows, i, effort, weights, {}, seed, scratch);
        job.advance(end - begin);
    });
    return out;
}

std::vector<Rgb> light_texels(const DirectLight& light, const TexelSet& texels, const RowSource& rows,
                              const Footprints& footprints, const std::vector<std::uint8_t>& valid,
                              const std::vector<float>& besides, const LightEffort& effort,
                              const RowSkyWeights& weights, std::uint32_t seed, Job& job) {
    std::vector<Rgb> out(rows.size());
    if (light.empty()) {
        job.advance(rows.size());
        return out;
    }
    LightEffort glance = effort;
    glance.spread = true;
    glance.samples = std::max(1, effort.samples / glances);
    glance.cut = std::max(1, effort.cut / glances);
    const auto pass = [&](auto&& each) {
        job.parallel(rows.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
            DirectLight::Scratch scratch;
            for (std::size_t i = begin; i < end; ++i)
                if (valid[i]) each(i, scratch);
            job.advance((end - begin) / 4);
        });
    };
    Field field{texels, valid, std::vector<float>(rows.size()), std::vector<float>(rows.size())};
    pass([&](std::size_t i, DirectLight::Scratch& scratch) {
        out[i] = light_of(light, rows, i, glance, weights, footprints, seed, scratch);
        field.mean[i] = luminance(out[i]);
    });
    const LightEffort looking = times(glance, look);
    std::vector<Rgb> second(rows.size());
    std::vector<std::uint8_t> looked(rows.size());
    pass([&](std::size_t i, DirectLight::Scratch& scratch) {
        looked[i] = field.worth_a_look(i) ? 1 : 0;
        if (looked[i])
            second[i] = light_of(light, rows, i, looking, weights, footprints, mix_bits(seed ^ 1u), scratch);
    });
    pass([&](std::size_t i, DirectLight::Scratch&) {
        if (looked[i]) {
            field.difference[i] = luminance(out[i]) - luminance(second[i]);
            out[i] = (out[i] + second[i] * worth(look)) * (1 / (1 + worth(look)));
        }
        field.mean[i] = luminance(out[i]) + (besides.empty() ? 0 : besides[i]);
    });
    const float least = field.floor();
    if (!(least > 0)) return out;
    pass([&](std::size_t i, DirectLight::Scratch& scratch) {
        const int n = looked[i] ? field.wanted(i, least, effort.error) : 0;
        if (n == 0) return;
        const Rgb c =
            light_of(light, rows, i, times(glance, n), weights, footprints, mix_bits(seed ^ 2u), scratch);
        const float before = 1 + worth(look), now = worth(n);
        out[i] = (out[i] * before + c * now) * (1 / (before + now));
    });
    return out;
}

}  // namespace stasigraph
