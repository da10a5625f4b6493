#pragma once
// From what links bring by direction to how many more are sent where.

#include "bake/bright_places.hpp"

namespace stasigraph {

using OfParts = std::array<float, DirectionGuide::wide * DirectionGuide::high>;

/// What links bring to each part, relative to the light there: sums of it and of its square, over so many
/// links to each part; or means.
struct PartMoments {
    OfParts mean{}, square{};
    float looked = 0;
    float light = 0, texels = 0;  ///< Lux, summed over so many texels.
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
    /// Of a block: what is met in one part lies in the next one for another texel of it.
    explicit LearntParts(const PartMoments& block);
    /// Bright places as a row looks at them. A cell that the block should have met often enough it tells
    /// alone.
    void add(const PartMoments& block, const BrightParts& seen);
    /// As before that.
    void restore(const LearntParts& block, const BrightParts& seen);
    /// Adds a guide; false, and nothing, where none is worth any. `first`: evenly spread rays there are
    /// anyway. `variance`: what may be left, relative. `most`: rays, of those of a row.
    bool guide(std::uint32_t first, float variance, float most, GuideSet& set) const;

private:
    OfParts square_;
    std::array<CellNoise, DirectionGuide::cells> cells_;
};

}  // namespace stasigraph
