#pragma once
// The sky as a light: a table of radiance over directions, and direct samples of its bright parts.

#include <vector>

#include "base/random.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Balance heuristic between direct samples of the sky's bright parts and gather rays that leave the level:
/// both techniques' weights for one direction sum to 1. Veach and Guibas, 1995. The counts are those of the
/// first links and of the light samples, fixed for a bake, so that a row may grow without its directly
/// sampled part being done again.
struct SkyWeights {
    float light_samples = 1, gather_samples = 0;
    float direct_weight(float light_density, float gather_density) const {
        const float a = light_samples * light_density, b = gather_samples * gather_density;
        return a + b > 0 ? a / (a + b) : 0;
    }
    float gathered_weight(float light_density, float gather_density) const {
        return gather_samples > 0 ? 1 - direct_weight(light_density, gather_density) : 0;
    }
};

/// Latitude-longitude cells of equal angles, each of one radiance: the mean over the part of the sky it
/// covers, so that nothing is lost. Only what stands out over the sky's mean is sampled directly (Karlik et
/// al., MIS Compensation, 2019); a sky without such parts is left to the gather rays alone.
///
/// Threads: const members are safe from any number of threads. Cost: up to 1024 by 512 cells of 20 bytes.
class SkyLight {
public:
    explicit SkyLight(const Sky& sky);

    /// Nit from every direction alike; no table then.
    bool even() const { return cells_.empty(); }
    bool sampled() const { return !columns_.empty(); }
    Rgb radiance(Vec3 direction) const { return radiance_in(cell_of(direction)); }
    /// Per steradian, with which sample() picks a direction; 0 where it never does.
    float density(Vec3 direction) const { return density_in(cell_of(direction)); }

    /// The cell of a direction, for those that ask both, or several skies.
    std::size_t cell_of(Vec3 direction) const;
    Rgb radiance_in(std::size_t cell) const { return even() ? even_ : cells_[cell]; }
    float density_in(std::size_t cell) const { return sampled() ? density_[cell] : 0; }
    /// Whether a direction has the same cell in both.
    bool has_cells_of(const SkyLight& other) const {
        return width_ == other.width_ && height_ == other.height_ && turn_ == other.turn_;
    }

    struct Sample {
        Vec3 direction;
        Rgb radiance;
        float density = 0;
    };
    Sample sample(Vec2 random) const;

private:
    void fill(const Sky& sky);
    void fill_standard(const Sky& sky);
    void plan_samples();

    Rgb even_;
    int width_ = 0, height_ = 0;
    float turn_ = 0;  ///< Of the table, in turns.
    std::vector<Rgb> cells_;
    std::vector<float> density_;
    std::vector<float> rows_, columns_;  ///< Cumulative: of all rows, and within each row.
};

}  // namespace stasigraph
