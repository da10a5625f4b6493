#pragma once
// Lightmap UVs that a mesh brings along: are they sound, and what are their charts?

#include <string>

#include "chart/charts.hpp"

namespace stasigraph {

/// `range`: outside the unit square, or without area: not usable at all.
enum class UvFlaw : std::uint8_t { sound, range, overlap, margin };

struct GivenUv {
    FlatCharts
        charts;  ///< flat in texels, from one origin; pieces that hang together by equal UVs are charts.
    int width = 0, height = 0;  ///< Texels of the unit square: what makes texels squares in the world.
    std::string fault;          ///< Why the UVs cannot be used at all; empty when they can.
    std::string warning;        ///< What is wrong with them otherwise: overlaps, too small a margin.
    UvFlaw flaw = UvFlaw::sound;
    std::uint32_t triangle = 0;  ///< One that has the flaw.
};

/// Judges TEXCOORD_1 of a mesh at the resolution that its area in `graph` (texels) asks for, at most `limit`.
GivenUv judge_given_uv(const Mesh& mesh, const MeshGraph& graph, int margin, int limit);

/// Index pairs of triangles whose insides overlap in the plane, at most `most` of them. Corners are three for
/// each triangle; overlaps thinner than `slack` do not count.
std::vector<std::pair<std::uint32_t, std::uint32_t>> find_overlaps(const std::vector<Vec2>& corners,
                                                                   float slack, std::size_t most);

}  // namespace stasigraph
