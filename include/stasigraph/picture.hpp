#pragma once
// Pictures of a level under a bake, and the light meter.

#include <optional>
#include <string>
#include <vector>

#include "stasigraph/bake.hpp"
#include "stasigraph/link_zones.hpp"

namespace stasigraph {

/// What view() draws. `lit`: the level as the player sees it; `light`: baked light on white; `albedo`;
/// `charts`: each chart in a colour of its own; `density`: a checker of texels, coloured from too coarse
/// (warm) to too fine (cool); `occlusion`: how open the surroundings are, white where nothing is near;
/// `probes`: the level dimmed, and in it each probe as a ball lit by what it holds, unused ones crossed out
/// in red; `reflections`: likewise each reflection probe as a ball that mirrors what it captured, and the
/// edges of what it reaches; `zones`: surfaces and probes in the colours of the zones they belong to;
/// `plain`: colours of surfaces without light, shaded so that forms read; `marks`: what TexelMarks say;
/// `lux`: how much light falls on surfaces, in false colour; `groups`: whose light that is.
enum class Show : std::uint8_t {
    lit,
    light,
    albedo,
    charts,
    density,
    occlusion,
    probes,
    reflections,
    zones,
    plain,
    marks,
    lux,
    groups
};

struct ViewOptions {
    int width = 1280, height = 800;  ///< Pixels. Range [8, 8192].
    /// Of a pixel at a surface's edge, or beside one whose colour differs; others get one. A square number.
    /// Range [1, 64].
    int samples = 4;
    Show show = Show::lit;
    bool moving = true;  ///< Draw moving things.
    /// Backs of single-sided faces are black, as a bake has them, where a game culls them.
    bool black_backs = false;
    /// What has no lightmap is lit by probes; else it is unlit: its colour, as an even light shows it that
    /// suits the exposure.
    bool probe_light = true;
    bool net = false;    ///< With Show::probes: the edges of the tetrahedra as well.
    bool mirror = true;  ///< With Show::lit: shiny surfaces mirror what reflection probes captured.
    float lux_low = 1, lux_high = 100000;  ///< With Show::lux: the ends of the scale, both over 0.
};

/// A mark for each texel, as a number into colours; linear. 0 is for what has none.
struct TexelMarks {
    std::vector<Rgb> colors;
    std::vector<std::vector<std::uint8_t>> pages;  ///< By page, rows from the top; may be empty.
    std::vector<std::uint8_t> surfaces;            ///< By surface, where no page is marked; may be empty.
};

struct Picture {
    int width = 0, height = 0;
    std::vector<Rgb> pixels;  ///< Linear; nit for lit and light, 0 to 1 for the others. Rows from the top.
};

/// A baked result as a picture uses it; `set` is null for pictures that need no light. Borrows all three.
struct ViewLight {
    const BakedSet* set = nullptr;
    const ProbeNet* probes = nullptr;
    const std::vector<VisibilityPage>* visibility = nullptr;  ///< May be null or empty.
    const std::vector<OcclusionPage>* occlusion = nullptr;    ///< By page; Show::occlusion alone needs it.
    /// Those whose maps the set holds; null where there are none: metals then show their colour as if they
    /// were diffuse.
    const std::vector<ReflectionProbe>* reflections = nullptr;
    const ZoneLinks* zones = nullptr;  ///< Show::zones alone needs it.
    /// By surface and by light, in place of the set's gains, for what glows and for lamps that are not baked
    /// whole; null: the set's.
    const std::vector<Rgb>* surface_gains = nullptr;
    const std::vector<Rgb>* light_gains = nullptr;
    const TexelMarks* marks = nullptr;  ///< Show::marks alone needs it.
    /// By light group, what it gives alone, as the set has it; Show::groups alone needs it.
    const std::vector<BakedSet>* groups = nullptr;
};

/// Draws a level from a camera. Lights with bake = "bounce" and "realtime" shine as they will in the game:
/// the first through their visibility map where there is one, the others with shadows of their own. Glass
/// shows what is behind it. Deterministic for any number of threads.
Picture view(const ChartedLevel& charted, const ViewLight& light, const Camera& camera,
             const ViewOptions& settings, Job& job);

/// The exposure value at ISO 100 that puts the picture's log-average luminance half a stop over middle grey.
/// A black picture gets 0.
float auto_exposure(const Picture& picture);

/// Eight-bit sRGB. `ev`: exposure value at ISO 100 (ISO 2720: a luminance of 2^ev / 8 nit is metered to
/// middle grey); empty for pictures that are colours already.
std::vector<std::uint8_t> tone_map(const Picture& picture, std::optional<float> ev);

/// The false colour of an amount of light on a scale by logarithm; linear. Grey beyond either end.
Rgb lux_color(float lux, float low, float high);
/// A colour for each light group; linear.
Rgb group_color(std::uint32_t group);

/// A place of a lightmap that, filtered as a game does, is brighter or darker than any light around it.
struct Leak {
    std::uint32_t surface = 0, page = 0;
    int x = 0, y = 0;           ///< Texel of the page.
    Vec3 at;                    ///< Metres.
    float lux = 0;              ///< What the lightmap shows,
    float least = 0, most = 0;  ///< and exact light within two texels, as far as no wall stands between.
};

/// Looks along all edges at which charts end or fold, and along walls that stand on a surface in one piece: a
/// place that differs from its own chart farther in by 30 % and 2 % of the mean light of the set is held
/// against exact light, by rays into the result and to every lamp, and told where it is 30 % outside of all
/// of that. One list for each of `lights` (each with its set), the worst first. `most`: this many places of a
/// set are looked at closely, those that differ most. Cost: the rays' tree once; about 0.1 ms a place and a
/// thread, 3 ms where it is a leak.
std::vector<std::vector<Leak>> find_leaks(const Level& level, const Atlas& atlas,
                                          const std::vector<ViewLight>& lights, std::size_t most, Job& job);

/// A point asked for.
struct MeterPoint {
    Vec3 at;
    std::optional<Vec3> facing;  ///< Need not be unit length. Empty: any surface; +Y for probes.
};

struct MeterReading {
    std::optional<Rgb> irradiance;  ///< Lux; empty with a reason.
    std::string reason;
    std::string surface;  ///< From a lightmap.
    std::uint32_t page = 0;
    int x = 0, y = 0;     ///< Texel of the page that holds the point.
    Vec3 normal;          ///< Of the surface, or the facing that was used.
    ProbeWeights probes;  ///< From probes: which answered.
};

/// The light of the nearest lightmapped surface within `reach` metres that faces along `facing` within 60
/// degrees, filtered as a game's sampler filters it. Cost: linear in triangles for each call, however many
/// points.
std::vector<MeterReading> meter_lightmap(const ChartedLevel& charted, const BakedSet& set,
                                         const std::vector<MeterPoint>& points, float reach, Job& job);
std::vector<MeterReading> meter_probes(const ProbeNet& net, const BakedSet& set,
                                       const std::vector<MeterPoint>& points);

/// Light at a place in the air on one facing, lux, by rays to the baked lightmaps and every light.
struct ExactLight {
    Rgb irradiance;  ///< What a small surface there gets,
    Rgb as_probe;    ///< and what a probe right there would tell of it: nine coefficients.
};
/// Of each place each of the facings (unit length). Cost: 4096 rays a place. Throws Error where the bake has
/// no such set.
std::vector<ExactLight> exact_light(const ChartedLevel& charted, const ViewLight& light,
                                    const std::vector<Vec3>& places, const std::vector<Vec3>& facings,
                                    Job& job);

/// How well probes tell what a figure's parts get in one room under one set: errors of perceptual lightness
/// against exact light, up, down and to the side.
struct RoomProbes {
    std::string room;  ///< A zone, or "elsewhere".
    std::string set;
    std::size_t places = 0;
    float half = 0, at_95 = 0, worst = 0;   ///< Of them at half of the readings, at 95 of 100, at all.
    float over_quarter = 0;                 ///< Share of readings that are off by over a quarter.
    float half_there = 0, at_95_there = 0;  ///< What nine coefficients of a probe on the spot miss.
    Vec3 worst_at;                          ///< Metres.
};
/// Of a bake with probes: `places` random places in each zone, and outside of zones, a metre around a probe
/// that sees them, where something of a figure can be (20 cm from all that stands still, 1.9 m over a floor
/// at most). By room, then in the order of the sets. Deterministic. Cost: 4096 rays a place and set.
std::vector<RoomProbes> judge_probes(const Level& level, const Atlas& atlas, const Baked& baked,
                                     std::size_t places, Job& job);

struct WalkOptions {
    float step = 0.1f;     ///< Metres between readings, at most.
    Vec3 facing{0, 1, 0};  ///< The way the surface faces that is lit; need not be unit length.
};

/// A reading on a walk.
struct WalkStep {
    float distance = 0;  ///< Metres from the start, along the path.
    Vec3 at;
    Rgb probes;       ///< E as interpolated between probes, lux.
    Rgb uncorrected;  ///< The same without regard to what stands in between.
    Rgb exact;  ///< E as a probe right there would tell it: by rays to the baked lightmaps and every light.
    float error = 0;  ///< Between probes and exact, of perceptual lightness.
    bool jump =
        false;  ///< Since the step before, the one changed by a tenth of lightness more than the other.
    ProbeWeights weights;
};

/// Compares light from probes with exact light along a path through the level, of two points or more, metres.
/// Throws Error where the bake has no probes. Cost: 4096 rays a step.
std::vector<WalkStep> walk_probes(const ChartedLevel& charted, const ViewLight& light,
                                  const std::vector<Vec3>& path, const WalkOptions& settings, Job& job);

}  // namespace stasigraph
