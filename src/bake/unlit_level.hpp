#pragma once
// A level as far as no light is concerned: its texels, what each one's rays meet, and where it goes on pages.

#include <optional>

#include "bake/edit.hpp"
#include "bake/judged_texels.hpp"
#include "bake/kept_links.hpp"
#include "bake/recorded_probes.hpp"
#include "finish/seams.hpp"
#include "stasigraph/bake_store.hpp"
#include "transport/link_gradients.hpp"

namespace stasigraph {

/// What pages show of texels, and how.
struct ShownTexels {
    std::vector<PagePlan> plans;
    SeamPlan seams;
    GradientRows gradient_rows;  ///< Texels whose gradients pages show, and those they are smoothed with.
    std::vector<Vec3> shading_normals;  ///< By the materials' maps; empty where pages do not show them.
};

/// Made once for many light() calls, or read back from a store.
class UnlitLevel {
public:
    /// Brings what it can from the store, and leaves there what it had to make.
    UnlitLevel(Level level, const Atlas* previous, BakeStore store, Job& job);
    UnlitLevel(const UnlitLevel&) = delete;
    UnlitLevel& operator=(const UnlitLevel&) = delete;

    Level level;
    TierOptions tier;
    TextureSet textures;
    Atlas atlas;
    TexelSet texels;
    std::string key;
    std::string asked_key;  ///< probe_key() of the level; RecordedProbes::key is of the probes there are.
    BakeStore store;

    std::vector<Footprint> footprint;
    JudgedTexels judged;
    Links links;
    ShownTexels pages;
    RecordedProbes probes;
    std::size_t traced = 0;  ///< Links, since this was made.
    std::optional<Edit>
        edit;  ///< What this was made from, where that was an unlit level of an earlier level.
    std::vector<std::uint8_t> other;  ///< After an edit: texels that light is sampled for in another way.

    /// Probes at other places: their links are traced, or brought from the store. `distances`, where given,
    /// receives what extend_links() tells of every ray.
    void set_probes(const std::vector<ProbePlace>& places, Job& job, std::vector<float>* distances = nullptr);

    /// Which texels a page shows.
    std::vector<std::uint8_t> lightmapped() const;
    /// Built when rays are first asked for.
    const RayCaster& caster() const;
    /// How near the things are that each texel sees: measure_reach(), of the texels that pages show.
    const std::vector<float>& reach(Job& job);
    /// Something of every texel that the store keeps; false, and anything in the array, where it does not.
    /// The same of any length.
    bool load_list(const std::string& name, std::vector<std::uint8_t>& list) const;
    template <class T>
    bool load_array(const std::string& name, std::vector<T>& of_texels) const;
    template <class T>
    void save_array(const std::string& name, const std::vector<T>& of_texels) const;
    /// Traces what rows lack to have at least `lengths[row]` links, and keeps them.
    void extend(const std::vector<std::uint32_t>& lengths, Job& job);

private:
    void plan_memory(Job& job);
    void record(Job& job);
    /// The first links that judge of every row: all of them traced, or those alone that an edit touched.
    /// `open`: texels that need rays.
    void record_links(const std::vector<std::uint8_t>& open, Job& job);
    bool record_edited(std::uint32_t judging, const std::vector<std::uint8_t>& open, Job& job);
    /// After an edit: what leads past invalid texels elsewhere now.
    void find_misled(Job& job);
    void find_other();
    void record_probes(Job& job, std::vector<float>& distances, bool placing);
    void record_openings(Job& job);
    void plan_gradients(Job& job);
    void save_links();

    mutable std::optional<RayCaster> caster_;
    unsigned threads_;                              ///< That build its tree.
    std::optional<std::vector<Opening>> openings_;  ///< Of the level, once they are asked for.
    std::vector<float> reach_;
    std::vector<SurfaceMark> marks_;
    std::uint64_t links_in_memory_ = 0;
    // Of an edit, while it is taken over.
    JudgedTexels before_;
    std::vector<Vec3> positions_before_;
    std::vector<std::uint8_t> kept_;
    LinkMarks again_;
};

/// Base colour by texel as it reflects light in bounces, under the level's bounce gain and saturation.
std::vector<Rgb> reflectance(const UnlitLevel& unlit, const Level& lit, const std::string& colors, Job& job);

/// Whether rays see the same of two materials.
bool same_passage(const Material& a, const Material& b);

}  // namespace stasigraph
