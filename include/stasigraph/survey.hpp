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

/// One setting as the level has it, by the path that a sheet or `vary --what` names it with.
struct SettingValue {
    std::string key;                 ///< "lightmap.density", "light.sun.range", "set.dusk.exposure".
    std::string text;                ///< A word or a name; empty for numbers.
    std::vector<double> numbers;     ///< In `unit`; empty where a setting is left to the tier or the meter.
    std::string unit;                ///< Empty for what has none.
    double low = 0, high = 0;        ///< What it may be; equal: no range, or one that others decide.
    std::vector<std::string> words;  ///< That can be said, some beside numbers; empty: none.
};
/// Every setting of the level's tables, and of its lights, sets and volumes, in the order of docs/fields.md.
std::vector<SettingValue> settings_of(const Level& level);

/// Unwraps the level, and traces a small sample to price the rest.
Survey survey(const Level& level, Job& job);

}  // namespace stasigraph
