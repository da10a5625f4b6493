#pragma once
// The bounces of the layers that are made together.

#include "bake/layers.hpp"
#include "transport/guided_links.hpp"

namespace stasigraph {

/// The layers that are made together, side by side in the columns of fields.
struct Making {
    const std::vector<LayerToMake>& columns;
    UnlitLevel& unlit;
    const std::vector<Rgb>& albedo;
    const BakeOptions& quality;
    const RowSkyWeights& weights;
    std::vector<float> floor;  ///< unseen_light_of(), or what took its place.

    /// At least one column; borrowed.
    explicit Making(const std::vector<LayerToMake>& all)
        : columns(all),
          unlit(all[0].work->unlit),
          albedo(all[0].work->albedo),
          quality(all[0].work->lit.quality),
          weights(all[0].work->weights) {
        for (const LayerToMake& c : columns) floor.push_back(unseen_light_of(c.work->lit, c.group));
    }
    std::size_t size() const { return columns.size(); }
    Layer& layer(std::size_t column) const { return *columns[column].layer; }
    /// Null where the column is no sky.
    const SkyLight* sky(std::size_t column) const {
        return columns[column].is_sky() ? &columns[column].work->sky : nullptr;
    }
};

/// What a solve of them comes to.
struct Solved {
    LightField light;  ///< A column of three for each group.
    RowLengths lengths;
    std::vector<GuidedLinks> guided;  ///< By group.
};

/// Rows as long as their noise wants, and all bounces over them. Layers get their light from the sky, their
/// noise and bounces. What it comes to is kept in the store until forget_solved(), in two steps, so that a
/// bake that is stopped goes on from there.
Solved solve_layers(Making& m, Job& job);
void forget_solved(const Making& m);
/// Under which the store knows what these layers come to on the way.
std::string solve_key(const Making& m);

}  // namespace stasigraph
