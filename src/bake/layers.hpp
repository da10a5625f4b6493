#pragma once
// Layers: all light of one group on a ground, ready to be mixed into sets. A layer depends on its own group,
// on what surfaces reflect and on the ground, never on other groups: so one changes alone.

#include "bake/ground.hpp"
#include "bake/keys.hpp"
#include "bake/sources.hpp"

namespace stasigraph {

struct Layer {
    LayerKeys keys;
    std::string probe_key;  ///< Of the probes that `probes` is for.

    // As sampled explicitly, by texel.
    DirectTexels sampled;
    DirectTexels live;  ///< Lights of which bounces alone are baked; empty where there are none.
    std::vector<ShRgb> at_probes;

    // As solved.
    std::vector<std::uint8_t> doublings;  ///< Of the first length, by texel: how many links count.
    std::vector<Rgb> sky;          ///< What links bring from the sky, by texel; empty for other groups.
    std::vector<Rgb> shown;        ///< All of it, smoothed, without direct light that stays live.
    LightField slopes;             ///< Of the same, over the ground's sloped rows.
    std::vector<PageImage> pages;  ///< Seams fitted; beyond the margins still empty.
    std::vector<Rgb> at_seams;     ///< Before they were fitted, by texel of the seam plan.
    std::vector<ShRgb> probes;
    float noise_before = 0,
          noise = 0;  ///< Relative, by area; with the first links and with those that count.
    int bounces = 0;
};

/// What a light() call works with.
struct LightWork {
    Ground& ground;
    const Level& lit;
    SkyLight sky;
    RowSkyWeights weights;
    SkyWeights probe_weights;
    std::vector<Rgb> albedo;
    std::vector<SkySum> sky_sums;

    LightWork(Ground& g, const Level& l, Job& job);
    /// What the first links of each texel bring from the sky; made when first asked for.
    const std::vector<SkySum>& first_sky(Job& job);
    LightWork(const LightWork&) = delete;
    LightWork& operator=(const LightWork&) = delete;
};

/// Brings from the store those of the groups whose layer is there, and makes the others: their direct light,
/// where `layers` (by group; keys filled in) does not hold it, then the solve of all of them at once. Returns
/// how many it made.
std::size_t light_layers(LightWork& work, const std::vector<std::uint32_t>& groups,
                         std::vector<Layer>& layers, Job& job);

/// Light of every probe under each set.
std::vector<ProbeLight> mix_probes(const Level& lit, const std::vector<Layer>& layers, std::size_t probes);

}  // namespace stasigraph
