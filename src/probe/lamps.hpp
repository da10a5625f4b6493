#pragma once
// Lamps that probes tell by themselves: which, how much of each a probe sees, and what that is in
// coefficients, so that it can be taken out of them.

#include "probe/probe_rows.hpp"
#include "runtime/lamp_sum.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A probe lists at most this many lamps of a light group by themselves. The others stay in its coefficients;
/// the light of many lamps together is smooth.
inline constexpr std::size_t lamps_of_probe = 4;

/// A lamp that a probe lists.
struct ListedLamp {
    std::uint32_t probe = 0;
    std::uint32_t light = 0;  ///< Into lamps_of() the level.
    std::uint32_t seen = 0;   ///< The lower half of an entry: share, and how far off its shadow is.
};

/// What probes may list: the lights of a level, then its screens and panels; then, for each tint of its glass
/// (glass_tints()), all of those as they are seen through it.
std::vector<Light> lamps_of(const Level& level, const TextureSet& textures);

/// Colours of what light passes, the greatest channel being 1, each once, eight at most; without those that
/// are grey.
std::vector<Rgb> glass_tints(const Level& level);

/// Appends a light, with its profile unless that is there already. `profiles`: of the level it is from.
void add_lamp(ProbeLamps& to, const Light& light, const std::vector<Profile>& profiles);

runtime::LampView view_of(const ProbeLamps& lamps);

/// A lamp as it is seen from a place: where it stands, lux on a plane that faces it, and the sine of half the
/// angle it fills.
struct SeenLamp {
    Vec3 toward;
    Rgb lux;
    float sine = 0;
};
inline constexpr int most_seen_lamps = 8;
/// The strongest lamps that probes tell of a place; how many.
int lamps_at(const ProbeWeights& weights, const ProbeLamps& lamps, Vec3 point,
             std::array<SeenLamp, most_seen_lamps>& out);

/// The lamps of one group as probes see them.
///
/// Threads: const members are safe from any number of threads.
/// Owner:   borrows all it is given; `lamps`: lamps_of() the level.
class LampTeller {
public:
    LampTeller(const Level& level, const std::vector<Light>& lamps, std::uint32_t group,
               const RayCaster& caster);

    bool empty() const { return numbers_.empty(); }

    struct ToldProbe {
        std::uint32_t number = 0;
        const Receiver& receiver;
        std::uint32_t seed = 0;
        float around = 0;  ///< Metres.
        float mean = 0;    ///< Lux over all normals.
    };
    /// Appends what a probe lists, ascending, and returns that light as coefficients. A lamp is listed where
    /// it gives at least a share of the mean anywhere around. A spot counts as seen also where its cone does
    /// not reach: light between two probes is worked out where it is asked for.
    ShRgb tell(const ToldProbe& probe, std::vector<ListedLamp>& out) const;

private:
    /// What is seen of a lamp through a pane: which of its tints that is, none for no tint, and the share.
    struct Through {
        std::uint32_t tint = none;
        float share = 0;
    };
    Through through(Rgb seen) const;
    float share_of(std::uint32_t tint, Rgb seen) const;
    float strength(std::size_t lamp, Vec3 from, float around) const;
    Rgb seen(const Light& light, const Receiver& r, std::uint32_t seed) const;
    /// Of one that casts sharp shadows; `edge`: metres to where its light ends or begins, less than 0 in
    /// shadow.
    Rgb seen_sharply(const Light& light, Vec3 from, const std::vector<float>& free, float& edge) const;

    const Level& level_;
    const std::vector<Light>& lights_;
    const RayCaster& caster_;
    std::vector<Rgb> tints_;
    std::uint32_t untinted_ = 0;          ///< Of `lights_`.
    std::vector<std::uint32_t> numbers_;  ///< Into `lights_`, untinted.
    ProbeLamps lamps_;
};

}  // namespace stasigraph
