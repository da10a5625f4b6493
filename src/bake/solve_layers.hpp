#pragma once
// The bounces of the layers that are made together.

#include "bake/layers.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// The groups that are made together, side by side in the columns of fields.
struct Making {
    LightWork& work;
    const std::vector<std::uint32_t>& groups;
    std::vector<Layer>& layers;
    std::uint32_t sky_column = none;
    std::vector<float> floor;

    Making(LightWork& w, const std::vector<std::uint32_t>& g, std::vector<Layer>& l)
        : work(w), groups(g), layers(l) {
        for (std::uint32_t c = 0; c < groups.size(); ++c) {
            if (groups[c] == work.lit.sky.group) sky_column = c;
            floor.push_back(unseen_light_of(work.lit, groups[c]));
        }
    }
    Layer& layer(std::size_t column) const { return layers[groups[column]]; }
};

/// What a solve of them comes to.
struct Solved {
    LightField light;  ///< A column of three for each group.
    RowLengths lengths;
};

/// Rows as long as their noise wants, and all bounces over them. Layers get their light from the sky, their
/// noise and bounces. What it comes to is kept in the store until forget_solved(), in two steps, so that a
/// bake that is stopped goes on from there.
Solved solve_layers(Making& m, Job& job);
void forget_solved(const Making& m);

}  // namespace stasigraph
