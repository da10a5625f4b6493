#pragma once
// The bake: links, direct light, bounces, probes, and one finished result for each bake set.

#include <array>
#include <functional>
#include <string>
#include <vector>

#include "stasigraph/atlas.hpp"
#include "stasigraph/bake_store.hpp"
#include "stasigraph/probes.hpp"

namespace stasigraph {

/// Irradiance of one page in lux, rows from the top; margins filled.
struct PageImage {
    int side = 0;
    std::vector<Rgb> texels;
    std::vector<std::uint8_t> state;  ///< 0 empty, 1 valid, 2 invalid (inside geometry), 3 filled margin.
};

/// How light on a page changes with the normal: of the order-1 spherical harmonics of irradiance, the three
/// coefficients of order 1 for each texel and channel, lux: 1-1 (y), 10 (z), 11 (x) of world coordinates,
/// real orthonormal and cosine-convolved as in probes. The one of order 0 is left to the flat page, which is
/// their value on the surface's own normal: so both agree everywhere, also where filtering blends the two
/// sides of an edge. Rows from the top; margins filled.
struct DirectionalPage {
    int side = 0;
    std::vector<std::array<Rgb, 3>> texels;
};
/// Lux on a unit normal near the surface's own (interpolated, unit length); 0 where the sum is less.
Rgb directional_irradiance(Rgb flat, const std::array<Rgb, 3>& order1, Vec3 own, Vec3 normal);

/// How much of a layer a set shows, by channel.
struct LayerShare {
    std::string layer;  ///< BakedLayer::key.
    Rgb gain;           ///< Times the layer's light at unit strength.
};

struct BakedSet {
    std::string name;
    std::vector<PageImage> pages;
    std::vector<DirectionalPage> directional;  ///< By page; empty unless the shape is directional.
    ProbeLight probes;
    std::vector<ReflectionMap> reflections = {};  ///< By reflection probe; of light_and_capture().
    std::vector<LayerShare> layers = {};          ///< What it is mixed of, apart from what it does not show.
    ProbeLamps lamps = {};                        ///< That its probes tell by themselves.
};

/// How much of each light of which the bounces alone are baked reaches a page: 255 is all of it, 0 is shadow.
/// The game multiplies its own direct light by it. Rows from the top; margins filled.
struct VisibilityPage {
    int side = 0;
    std::vector<std::string> lights;                  ///< Names, at most four: what each channel is of.
    std::vector<std::array<std::uint8_t, 4>> texels;  ///< Empty where no such light reaches the page.
};

/// How open the surroundings of each texel are, 0 to 1: over cosine-distributed directions the mean of 1
/// where nothing is met within reach and of (distance / reach)^2 where something is. Rows from the top;
/// margins filled.
struct OcclusionPage {
    int side = 0;
    std::vector<float> texels;
};

/// The noisiest room of a set: the error that is left in what is shown, as other rays tell at up to 4096
/// places: root of the mean square, relative to the light of each texel or a quarter of what is typical of
/// the room, whichever is more, and never to less than is seen at the set's exposure or a thousandth of the
/// set's mean light. Rooms are zones; surfaces, in levels that have no zones. A room with fewer than 48 of
/// those places is not told of.
struct RoomNoise {
    std::string set, room;
    float noise = 0;
};

/// What a bake came to.
struct BakeFigures {
    std::size_t texels = 0, patches = 0;
    std::size_t invalid = 0;  ///< Inside geometry; filled from their neighbours.
    std::size_t hidden = 0;   ///< Beyond a wall, where nothing can look; filled from the other side.
    std::size_t moved = 0;    ///< Their middle is inside geometry; sampled in the part that is not.
    std::size_t links = 0;    ///< Recorded for texels and patches.
    std::size_t traced = 0;   ///< Of them, by this Baker; the others came from a store.
    /// Texels and patches that an edit did not touch and whose light was sampled again all the same, since
    /// what lies around them tells of more noise or less.
    std::size_t sampled_again = 0;
    std::size_t layers = 0, layers_made = 0;  ///< Light groups; those that were solved in this call.
    std::size_t probes = 0, invalid_probes = 0;
    int bounces = 0;
    double area = 0;                  ///< Square metres of lightmapped surface.
    float mean_links = 0;             ///< Links a row uses under this light,
    std::size_t guided_links = 0;     ///< and those of single groups beside them, of all rows.
    float seam_before = 0, seam = 0;  ///< Mean jump of light over seams, share of the light there, worst set;
                                      ///< before and after they were fitted.
    float noise_before = 0, noise = 0;  ///< Estimated, area-weighted mean over texels of the worst light
                                        ///< group; with the first links and with those used.
    std::vector<RoomNoise> rooms;       ///< By set; none where bounces are limited.

    /// What is left in the noisiest room of all sets; where that is not known, `noise`.
    float noise_left() const {
        float most = rooms.empty() ? noise : 0;
        for (const RoomNoise& r : rooms) most = r.noise > most ? r.noise : most;
        return most;
    }
};

struct Baked {
    std::vector<BakedSet> sets;
    std::vector<VisibilityPage> visibility;  ///< By page; empty where every light is baked whole or live.
    std::vector<OcclusionPage> occlusion;    ///< By page; empty unless the level asks for it.
    ProbeNet probes;
    std::vector<ReflectionProbe> reflections = {};  ///< Of capture_reflections().
    BakeFigures figures;
};

/// A layer: all light of one group at unit strength, as it can be shown by itself.
struct BakedLayer {
    std::string key;        ///< A hash of all that its light depends on.
    const Level& level;     ///< At unit strength; one of its sets, of the same name, shows this group alone.
    const BakedSet& light;  ///< Pages and probes in that set, lux; no reflections, no shares of layers.
    const Baked& baked;     ///< Its probes and what belongs to no set.
};
/// Gets to see layers while a level is lit, one after the other. What is borrowed lasts as long as the call.
struct LayerTaker {
    std::function<bool(const std::string& key)> wants;
    std::function<void(const BakedLayer& layer)> take;
};

/// A texel's place and its light as solved, before margins, seams and normal maps: for tests, benches and
/// statistics.
struct TexelLight {
    Vec3 position, normal, face_normal;
    float area = 0;  ///< Square metres.
    std::uint32_t surface = 0;
    bool valid = false, exported = false;  ///< exported: a page shows it.
    /// Lux, under one set: before any bounce; the part of that which did not come by links; all of it,
    /// smoothed where the level asks for it.
    Rgb direct, sampled, total;
};

/// A level unwrapped and its links recorded, ready to be lit again and again.
///
/// Threads: one call at a time.
/// Owner:   keeps its own copy of the level.
/// Cost:    construction traces the first links; light() traces what the light's noise wants beyond them,
///          once. With a store neither traces again what an earlier run left there.
/// Memory:  while it works 380 bytes a texel and 186 a texel and group, as measured; and 4 bytes a link,
/// which
///          with a store are where its blobs are: the files of open_store() are mapped.
class Baker {
public:
    /// `previous`: as for unwrap(); looked at during the call only. `store`: what is kept between runs. Of a
    /// level whose geometry changed since the last one in the store, only links and direct light that the
    /// change touches are traced and sampled again; the result is the same as without a store.
    Baker(Level level, Job& job, const Atlas* previous = nullptr, BakeStore store = {});
    ~Baker();
    Baker(Baker&&) noexcept;
    Baker& operator=(Baker&&) noexcept;
    Baker(const Baker&) = delete;
    Baker& operator=(const Baker&) = delete;

    const Atlas& atlas() const noexcept;
    const Level& level() const noexcept;

    /// Lights the level. `lit` may differ from the level this was made with in lights, sky, groups, sets,
    /// bounces, noise and material colours, not in geometry, UVs, tier, links or seed; throws Error when it
    /// does. Only groups whose light changed since the last call are solved again, and only those whose
    /// sources changed are sampled again. The result depends on `lit` alone, never on the calls before.
    /// `only`: the sets to be mixed, by their places in the level, ascending; empty for all. `layers` is
    /// shown those that these sets show anything of, as far as it wants them.
    Baked light(const Level& lit, Job& job, const std::vector<std::uint32_t>& only = {},
                const LayerTaker& layers = {});

    /// Whether light() takes this level.
    bool takes(const Level& lit) const;

    /// Every texel under one set of the last light(); not of a series' step. Throws Error where layers came
    /// from a store, which does not keep direct light apart.
    std::vector<TexelLight> texels(std::uint32_t set) const;

    struct State;

private:
    State* state_ = nullptr;  // owned; kept plain so that this header needs no <memory>
};

/// Tells the job of all stages of a bake of this level to come, from placing probes on, so that the time left
/// is known from the first. A Baker does so itself where nobody did.
void plan_bake(const Level& level, Job& job);

/// Baker and light() in one call. `atlas`: in, an earlier atlas whose places unchanged surfaces keep, or an
/// empty one; out, the atlas of this bake.
Baked bake(const Level& level, Atlas& atlas, Job& job, BakeStore store = {},
           const std::vector<std::uint32_t>& only = {});

}  // namespace stasigraph
