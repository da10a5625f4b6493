#pragma once
// Fewer probes that tell the same light.

#include "probe/lamps.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/place.hpp"

namespace stasigraph {

/// Candidates, with the light a probe there would hold, and check points, which are never probes. Exact light
/// is known at both.
struct LitPlaces {
    std::vector<ProbePlace> places;  ///< Candidates.
    std::vector<Vec3> checks;
    std::vector<ProbeLight> sides;  ///< By set, LightBasis::sides, over candidates and then check points.
    std::vector<ProbeLight> light;  ///< By set, of candidates, as coefficients.
    std::vector<ProbeLight> rest;   ///< Likewise, without the lamps that are told by themselves;
    std::vector<std::uint32_t> lamp_first{0}, lamp_entry;  ///< which each sees, as of ProbeLamps, numbered as
    ProbeLamps lamps;                                      ///< these are: all lights of the level,
    std::vector<std::vector<Rgb>> lamp_color;              ///< with their colours by set.
    std::vector<std::uint8_t>
        in_reach;                  ///< Whether a figure's body can be there, as at checks; empty: everywhere.
    std::vector<float> white;      ///< By set: lux that a viewer takes for white.
    RowSource rows;                ///< Of candidates,
    std::vector<float> distances;  ///< and what their rays met, as extend_links() tells it,
    std::uint32_t links = 0;       ///< this many each.

    Vec3 at(std::size_t i) const {
        return i < places.size() ? places[i].position : checks[i - places.size()];
    }
    std::size_t size() const { return places.size() + checks.size(); }
};

/// How far apart light looks, the most of all sets: root mean square over six normals of the difference of
/// perceptual lightness (CIE 1976 L*, of each channel), each over that of exact light, or over a tenth of
/// white's where that is less: lightness_apart(). Lamps are worked out where light is asked for, as a game
/// does.
class LightnessDifference {
public:
    explicit LightnessDifference(const LitPlaces& lit, Job& job);
    /// Between exact light at two places.
    float between(std::size_t a, std::size_t b) const;
    /// Between exact light at a place and what probes answer there, numbers being those of `which`.
    /// `scratch`: memory of the caller, reused from call to call.
    float of_answer(std::size_t place, const ProbeWeights& weights, const std::vector<std::uint32_t>& which,
                    std::vector<Rgb>& scratch) const;

private:
    static constexpr std::size_t normals = side_normals.size();
    std::size_t stride() const { return lit_.sides.size() * normals; }
    void told(std::size_t place, const ProbeWeights& weights, const std::vector<std::uint32_t>& which,
              std::vector<Rgb>& out) const;
    const LitPlaces& lit_;
    std::vector<Rgb> lightness_;  ///< Exact: by place, set and normal.
};

/// Between two amounts of light, by the same measure; `white` in lux.
float lightness_apart(Rgb exact, Rgb other, float white);

/// What is white under a set: by its exposure, or of the brightest tenth of the places.
float white_of(const BakeSet& set, const ProbeLight& light);

/// Which candidates stay, ascending. Starts with those placed by hand and the outermost, and adds the worst
/// told one of each neighbourhood until 95 of 100 places are told within the tolerance, and three of four in
/// every block of space (metres a side), or the budget is reached; then leaves out whatever is not needed.
/// A place that all candidates together tell worse than the tolerance is held against what they tell.
std::vector<std::uint32_t> decimate(const LitPlaces& lit, const ProbeOptions& settings, float block,
                                    PlaceFigures& figures, Job& job);

}  // namespace stasigraph
