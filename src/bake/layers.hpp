#pragma once
// Layers: all light of one group on an unlit level, ready to be mixed into sets. A layer depends on its own
// group, on what surfaces reflect and on the unlit level, never on other groups: so one changes alone.

#include "bake/keys.hpp"
#include "bake/sources.hpp"
#include "bake/unlit_level.hpp"
#include "probe/lamps.hpp"

namespace stasigraph {

struct Layer {
    LayerKeys keys;
    std::string probe_key;  ///< Of the probes that `probes` is for.

    // As sampled directly, by texel.
    DirectTexels sampled;
    DirectTexels live;  ///< Lights of which bounces alone are baked; empty where there are none.
    std::vector<ShRgb> at_probes;

    // As solved.
    std::vector<std::uint8_t> log2_scale;  ///< Of the first length, by texel: how many links count.
    std::vector<Rgb> sky;  ///< What links bring from the sky, by texel; empty for other groups.
    /// All of its light as solved, live direct light included, by texel: halves, times `radiosity_unit`. It
    /// is what probes take in; in memory while they do.
    std::vector<std::array<std::uint16_t, 3>> radiosity;
    float radiosity_unit = 1;
    std::vector<Rgb> shown;  ///< All of it, smoothed, without direct light that stays live.
    /// At the texels of checked_texels() by how much it is more than other rays say, two times with others.
    /// Empty where that is not known.
    std::vector<std::array<Rgb, 2>> checked;
    LightField gradients;          ///< Of the same, over the unlit level's gradient_rows rows.
    std::vector<PageImage> pages;  ///< Seams fitted; beyond the margins still empty.
    std::vector<Rgb> at_seams;     ///< Before they were fitted, by texel of the seam plan.
    std::vector<ShRgb> probes;
    std::vector<ShRgb> rest;        ///< Of the same, without what lamps tell by themselves;
    std::vector<ListedLamp> lamps;  ///< and those, by probe;
    std::vector<Rgb> openings;      ///< nit of the unlit level's openings, which `rest` is without as well.
    float noise_before = 0,
          noise = 0;  ///< Relative, by area; with the first links and with those that count.
    int bounces = 0;
    std::size_t guided_links = 0;  ///< Of all its rows.
};

/// A level as it is lit, on an unlit level. Steps of a series are several of these.
struct LightWork {
    UnlitLevel& unlit;
    const Level& lit;
    const std::vector<Rgb>& albedo;  ///< What every texel reflects.
    SkyLight sky;
    RowSkyWeights weights;
    SkyWeights probe_weights;
    std::vector<SkySum> sky_sums;

    LightWork(UnlitLevel& g, const Level& l, const std::vector<Rgb>& reflected);
    LightWork(const LightWork&) = delete;
    LightWork& operator=(const LightWork&) = delete;
};

/// Fills in what the first links of each texel bring from the sky (`sky_sums`) where a work lacks it, for all
/// of them side by side.
void sum_first_skies(const std::vector<LightWork*>& works, Job& job);

/// One group of a work, and the layer that is made of it.
struct LayerToMake {
    LightWork* work = nullptr;
    std::uint32_t group = 0;
    Layer* layer = nullptr;  ///< Its keys are filled in; direct light that it holds is not made again.

    bool is_sky() const { return work->lit.sky.group == group; }
};

/// Brings from the store those layers that are there, and makes the others: their direct light, then the
/// solve of all of them at once. All works have one unlit level, one albedo and one quality. Returns how many
/// it made.
std::size_t light_layers(const std::vector<LayerToMake>& wanted, Job& job);

}  // namespace stasigraph
