#pragma once
// What the rows of a level receive straight from its sources: the first term of the solve.

#include <chrono>

#include "bake/edit.hpp"
#include "bake/footprint.hpp"
#include "light/direct.hpp"
#include "transport/link_gradients.hpp"

namespace stasigraph {

/// How the sky is shared out on each row between direct samples and links: direct samples get the
/// less the less of the sky a row's neighbours see, since few of them get through a window, and those bright.
/// Never by the row's own links, so that the mean stays right.
struct RowSkyWeights {
    SkyWeights open;           ///< Of a row that sees all of it.
    std::vector<float> sample_share;  ///< For each row, in [0, 1]; empty: 1.
    SkyWeights at(std::size_t row) const {
        return {sample_share.empty() ? open.light_samples : open.light_samples * sample_share[row], open.gather_samples};
    }
};
std::vector<float> find_sky_sample_share(const TexelSet& texels, const TexelStates& states, const Links& links,
                                         Job& job);

/// One group's light on the texels of a level, as it is to be sampled.
struct DirectPass {
    const DirectLight& light;
    const RowSource& rows;
    const Footprints& footprints;  ///< Shadows are averaged over them,
    float width = 1;               ///< of this many texels.
    LightEffort effort;
    const RowSkyWeights& weights;
    std::uint32_t seed = 0;
    float floor =
        0;  ///< Lux below which noise is not seen; 0: a twentieth of the group's own mean where it lights.
    const GradientRows* gradients = nullptr;  ///< The texels whose gradients are wanted as well.
    std::size_t units = 1;              ///< Of the job's stage, for each row.
};
/// Every row's light with the same effort, lux.
std::vector<Rgb> light_rows(const DirectPass& pass, Job& job);
/// Seconds that rows spread over all of them take with the effort asked for, for each row.
double seconds_a_row(const DirectPass& pass, const TexelStates& states, Job& job);

/// The texels of the level that are sampled. Borrowed.
struct LitTexels {
    const TexelSet& texels;
    const TexelStates& states;
    const std::vector<float>& besides;  ///< Luminance in lux that other techniques add on each, or empty.
};

struct DirectTexels {
    std::vector<Rgb> light;    ///< Lux; invalid texels stay black.
    std::vector<IrradianceGradient> gradient;  ///< By row of those asked for.
    // How it was found, so that an edit samples only what it touches.
    std::vector<float> pilot, refinement;  ///< Luminance; below 0 where there was no refinement.
    std::vector<std::uint8_t> longer;    ///< Times a pilot's rays of a long refinement.
    std::vector<SourcesMet> met, known;  ///< What of the sources both met; what a long refinement knew.
    std::vector<std::array<Rgb, 2>> checked;  ///< The light at some texels by two other samplings.
    float least = 0;                          ///< Below it noise counted as unseen.
    /// Texels that an edit did not touch but that were sampled again, because decisions about them changed.
    std::size_t again = 0;
};
/// The light of some texels, sampled twice, with rays that light_texels() does not use.
std::vector<std::array<Rgb, 2>> light_again(const DirectPass& pass, const std::vector<std::uint32_t>& texels,
                                            Job& job);

/// Where a pass keeps what it has so far, for a bake that is stopped.
struct KeptParts {
    const BakeStore& store;
    std::string name;
    std::chrono::milliseconds every{4000};
};
/// What was sampled before an edit, and what of it holds no more.
struct DirectBefore {
    const DirectTexels& texels;
    const std::vector<std::uint32_t>& gradient_texel;  ///< Of each of its gradients.
    const Edit& edit;
    const TexelFlags& other;  ///< Texels that are sampled in another way now.
};
/// With more rays where it is noisy, as in penumbrae: until the relative standard error meets effort.error or
/// sixteen times the effort is spent, 64 times where there are eight sources at most; none to sources that all
/// around saw whole, or not at all. `before`, where given, saves the rays that cannot have changed; the result
/// is the same. `kept`, where given: every so often what is done is saved, and a later call goes on from
/// there.
DirectTexels light_texels(const DirectPass& pass, const LitTexels& texels, Job& job,
                          const DirectBefore* before = nullptr, const KeptParts* kept = nullptr);

/// What a link that met the sky brings of it, nit: weighed against direct sampling and tinted by what it
/// passed.
inline Rgb gathered_sky_at(const SkyLight& sky, const Receiver& r, Vec3 direction, Rgb tint,
                           const SkyWeights& weights) {
    const std::size_t cell = sky.cell_of(direction);
    const float share =
        sky.sampled() ? weights.gathered_weight(sky.density_in(cell), r.gather_density(direction)) : 1.0f;
    return sky.radiance_in(cell) * tint * share;
}

/// Calls add(k, direction, radiance) for every one of some links that met the sky: its radiance in nit,
/// weighed against direct sampling and tinted by what it passed.
template <class Add>
void gathered_sky(const SkyLight& sky, const RecordedRows& recorded, const LinkRange& range,
                  const SkyWeights& weights, Add&& add) {
    TintReader tints(recorded.links, range.row);
    const Receiver& r = recorded.rows.receivers[range.row];
    for_sky_links(recorded, range, [&](std::uint32_t k, Vec3 w) {
        add(k, w, gathered_sky_at(sky, r, w, tints.at(k), weights));
    });
}

/// The same for several skies along the same links: add(number of the sky, k, direction, radiance).
template <class Add>
void gathered_skies(std::span<const SkyLight* const> skies, const RecordedRows& recorded,
                    const LinkRange& range, const SkyWeights& weights, Add&& add) {
    if (skies.empty()) return;
    TintReader tints(recorded.links, range.row);
    const Receiver& r = recorded.rows.receivers[range.row];
    for_sky_links(recorded, range, [&](std::uint32_t k, Vec3 w) {
        const float gathered = r.gather_density(w);
        const Rgb tint = tints.at(k);
        std::size_t cell = skies[0]->cell_of(w);
        for (std::size_t s = 0; s < skies.size(); ++s) {
            const SkyLight& sky = *skies[s];
            if (s > 0 && !sky.has_cells_of(*skies[s - 1])) cell = sky.cell_of(w);
            const float share =
                sky.sampled() ? weights.gathered_weight(sky.density_in(cell), gathered) : 1.0f;
            add(s, k, w, sky.radiance_in(cell) * tint * share);
        }
    });
}

/// The same summed up over a row's first links.
struct SkySum {
    Rgb sum;           ///< Nit.
    float square = 0;  ///< Of luminance, summed.
    std::uint32_t count = 0;
};
/// Of the links before range.end, given the sum of those before range.begin.
SkySum gathered_sky_sum(const SkyLight& sky, const RecordedRows& recorded, const LinkRange& range,
                        const SkyWeights& weights, SkySum before = {});

/// Lux below which noise is not seen under an exposure value at ISO 100: four stops under what a grey card
/// needs to be middle grey.
float unseen_light(float exposure);

struct NoiseQuestion {
    float noise = 0.04f;  ///< Relative standard error aimed for.
    std::uint32_t first = 64, most = 256;
};

/// The light of some groups as their noise is asked for. Borrows all of it.
struct NoisyLight {
    const Links& links;
    const std::vector<Rgb>& albedo;
    const std::vector<float>& area;
    const LightField& light;   ///< With the first links.
    std::vector<float> floor;  ///< By group: lux below which noise is not seen; 0: by group_floor().
    /// Of groups that are a sky: what the first links bring of it, by texel; null for others.
    std::vector<const std::vector<SkySum>*> sky;
    std::vector<float> mean;  ///< Filled in: what the first links bring, `groups` a row, luminance in lux.
};

/// Lux that a group's light counts as where it is less: four stops under a thousandth of its typical light (the
/// mean as weighed by itself). As little as that, since a viewer's eye adapts to a room where the sun brings a
/// hundredth of what it brings outside.
float group_floor(const LightField& light, std::size_t group, const std::vector<float>& area);
/// The same for one picture of everything: four stops under the mean logarithm, by area, of the light where it
/// is over that thousandth.
float looked_at_floor(const LightField& light, std::size_t group, const std::vector<float>& area);

/// The relative standard error of each row and group (`groups` a row) with the first links, against its light
/// or the floor, which is filled in where it was 0. Every group is judged alone, so that no mix of them, in a
/// game either, has more noise than they have.
std::vector<float> estimate_noise(NoisyLight& light, std::size_t groups, const NoiseQuestion& question,
                                  Job& job);

/// How many links bring each row under the noise asked for: powers of two times the first length. Decided by
/// the noise of the texels around a row and never by its own: a row that missed a bright spot by chance would
/// think itself quiet and stay short, and all such rows together would be too dark.
RowLengths row_lengths(const TexelSet& texels, const TexelStates& states, const std::vector<float>& noise,
                       const NoiseQuestion& question, Job& job);

}  // namespace stasigraph
