#pragma once
// The lines along which walls stand on a surface.

#include <array>
#include <cstdint>
#include <vector>

#include "parts/points.hpp"

namespace stasigraph {

/// Where geometry meets a facet, in its plane. Metres.
struct MetSegment {
    std::uint32_t facet = 0;
    Point2 a, b;
};

/// Part of a straight line in a facet's plane: from + along * s for s in [low, high].
struct WallLine {
    std::uint32_t facet = 0;
    Point2 from, along;  ///< along: unit length.
    double low = 0, high = 0;
    Point2 at(double s) const { return from + along * s; }
    double length() const { return high - low; }
    double height(Point2 p) const { return cross(along, p - from); }  ///< Off the line, to its left.
    double place(Point2 p) const { return dot(along, p - from); }
};

/// A facet: triangles in one plane, as lines need it.
struct FacetOutline {
    FlatFrame frame;
    std::vector<std::array<Point2, 2>> border;  ///< Edges beyond which the surface ends or folds.
};

/// Lines worth a cut: segments on one line joined, what is no longer than furniture left out, doorways
/// closed, ends drawn out to the next line or border where that is near. `reach`: how far from a line a
/// segment counts as on it.
std::vector<WallLine> wall_lines(const std::vector<FacetOutline>& facets, const std::vector<MetSegment>& met,
                                 double reach);

}  // namespace stasigraph
