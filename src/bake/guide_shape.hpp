#pragma once
// From what links bring by direction to how many more are sent where.

#include "bake/bright_places.hpp"

namespace stasigraph {

using OfParts = std::array<float, DirectionGuide::wide * DirectionGuide::high>;

/// What links bring from each part of the hemisphere, relative to the light at their texel, and its square:
/// sums over `looked` links of each part, or means after average().
struct PartMoments {
    OfParts mean{}, square{};
    float looked = 0;
    float light = 0, texels = 0;  ///< Lux, summed over this many texels.
    /// From sums to means.
    void average();
};

/// How much a ray of a cell scatters, spread evenly and by its parts as they are weighed: variances.
struct CellNoise {
    float evenly = 0, guided = 0;
};

/// What is learnt of some rows.
class LearntParts {
public:
    /// Of a block of texels, spread to neighbouring parts: another texel sees the same thing a part away.
    explicit LearntParts(const PartMoments& block);
    /// Adds bright places as a row sees them. Cells that the block's own links have covered well enough stay
    /// as they are.
    void add(const PartMoments& block, const BrightParts& seen);
    /// Undoes add().
    void restore(const LearntParts& block, const BrightParts& seen);
    /// Adds a guide to a set; false where no guide would pay. `first`: evenly spread rays that exist anyway.
    /// `variance`: relative, what may remain. `most`: rays, as a share of those of a row.
    bool guide(std::uint32_t first, float variance, float most, GuideSet& set) const;

private:
    OfParts square_;
    std::array<CellNoise, DirectionGuide::cells> cells_;
};

}  // namespace stasigraph
