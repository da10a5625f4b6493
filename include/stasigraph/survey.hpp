#pragma once
#include <string>
#include <vector>

#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// What is in a level and what its bake will cost.
struct Survey {
    struct SurfaceCost {
        std::string name;
        std::size_t texels = 0, triangles = 0;
        double area = 0;    ///< Square metres.
        float density = 0;  ///< Texels per metre reached.
    };
    struct GroupCount {
        std::string name;
        std::size_t lights = 0, emitters = 0;
        bool sky = false;
    };
    std::size_t lightmapped = 0, patched = 0, moving = 0;  ///< Surfaces.
    std::size_t triangles = 0, own_triangles = 0;          ///< Counting instances, and without.
    std::size_t texels = 0, patches = 0, probes = 0, reflections = 0;
    std::vector<int> pages;
    /// Charts that cannot be seen from any volume (or camera), and the texels that `unseen = "shrink"` saves
    /// or would save; 0 where there is nothing to look from.
    std::size_t unseen_charts = 0, unseen_texels = 0;
    float coverage = 0;   ///< Share of the pages' texels that lie on a surface.
    double area = 0;      ///< Lightmapped, square metres.
    double memory = 0;    ///< Bytes a bake will hold at its peak, roughly.
    double mirrored = 0;  ///< Bytes of reflection probes' maps in the game, all sets.
    double output = 0;    ///< Bytes of lightmap pages in the game, all sets, 16-bit floats.
    double seconds = 0;   ///< Forecast of a bake from nothing, measured on a sample of texels.
    std::vector<GroupCount> groups;
    std::vector<SurfaceCost> surfaces;  ///< Dearest first.
};

/// Unwraps the level, and traces a small sample to price the rest.
Survey survey(const Level& level, Job& job);

}  // namespace stasigraph
