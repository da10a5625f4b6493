#pragma once
// A level as far as no light is concerned: its texels, what each one's rays meet, and where it goes on pages.

#include <memory>
#include <optional>

#include "bake/edit.hpp"
#include "bake/judged_texels.hpp"
#include "bake/kept_links.hpp"
#include "bake/recorded_probes.hpp"
#include "bake/shown_texels.hpp"
#include "stasigraph/bake_store.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

/// What the stages before any light come to, one value each. Made by make_unlit_level(), once for many
/// light() calls; the store it is made with has each of them by key.
struct UnlitLevel {
    UnlitLevel(Level level, BakeStore store, unsigned threads);
    UnlitLevel(const UnlitLevel&) = delete;
    UnlitLevel& operator=(const UnlitLevel&) = delete;

    Level level;
    TierOptions tier;
    TextureSet textures;
    BakeStore store;

    Atlas atlas;
    TexelSet texels;
    std::vector<Footprint> footprint;
    std::string key;
    std::string asked_key;  ///< probe_key() of the level; RecordedProbes::key is of the probes there are.
    JudgedTexels judged;
    Links links;
    ShownTexels pages;
    RecordedProbes probes;

    std::size_t links_traced = 0;
    std::optional<Edit>
        edit;          ///< What this was made from, where that was an unlit level of an earlier level.
    TexelFlags other;  ///< After an edit: texels that light is sampled for in another way.

    /// The scene's tree, asked for when rays first are.
    const RayCaster& caster() const;
    TracedLevel traced() const { return {level, caster(), texels}; }
    RecordedRows recorded() const { return {judged.rows, links}; }
    TexelFlags lightmapped() const;
    /// How near the things are that each texel sees: measure_reach(), of the texels that pages show.
    const std::vector<float>& reach(Job& job);

    /// Traces what rows lack to have at least `lengths[row]` links, and keeps them.
    void extend(const std::vector<std::uint32_t>& lengths, Job& job);
    /// Probes at other places: their links are traced, or brought from the store. `distances`, where given,
    /// receives what trace_probes() tells of every ray.
    void set_probes(const std::vector<ProbePlace>& places, Job& job, std::vector<float>* distances = nullptr);

private:
    mutable std::shared_ptr<const SceneTree> tree_;
    unsigned threads_;                              ///< That build it.
    std::optional<std::vector<Opening>> openings_;  ///< Of the level, once they are asked for.
    std::vector<float> reach_;
};

/// Brings what it can from the store, and leaves there what it had to make. `previous`: charts that stay
/// where they can; or null.
std::unique_ptr<UnlitLevel> make_unlit_level(Level level, const Atlas* previous, BakeStore store, Job& job);

/// Base colour by texel as it reflects light in bounces, under the level's bounce gain and saturation.
std::vector<Rgb> reflectance(const UnlitLevel& unlit, const Level& lit, const std::string& colors, Job& job);

/// Whether rays see the same of two materials.
bool same_passage(const Material& a, const Material& b);

}  // namespace stasigraph
