#pragma once
// Tetrahedra between points in space, by exact arithmetic.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// A point on a lattice fine enough to stand for a place. Range: [-most_coordinate, most_coordinate] each.
using LatticePoint = std::array<std::int32_t, 3>;
inline constexpr std::int32_t most_coordinate = 1 << 20;

/// Rules: (1) the vertices of each are ordered so that v0, v1, v2 turn anticlockwise as seen from outside the
/// face they are on, v3 lying behind them: (v1 - v0) x (v2 - v0) . (v3 - v0) > 0. (2) beside[k] shares the
/// face opposite vertex k; `none` where there is nothing. (3) They are in order of their smallest vertices.
struct Tetrahedra {
    std::vector<std::array<std::uint32_t, 4>> vertex, adjacent;
    std::size_t size() const { return vertex.size(); }
};

/// The Delaunay tetrahedra of distinct points: they fill their convex hull, and no point lies within the
/// sphere through any four. Where more than four points lie on one sphere, as on a lattice, the symbolic
/// perturbation of Devillers and Teillaud (Perturbations and Vertex Removal in a 3D Delaunay Triangulation,
/// 2003) decides, so that the result depends on the set of points alone, not on their order. None at all
/// where all points lie in a plane. Throws nothing; points that are out of range or not distinct are an error
/// of the caller. Cost: n log n for points as levels have them.
Tetrahedra delaunay(std::span<const LatticePoint> points);

bool in_line(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c);
/// Above 0 where d lies on the side of a, b, c from which they turn clockwise; 0 in their plane.
int side_of_plane(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c, const LatticePoint& d);
/// Above 0 where e lies within the sphere through a, b, c, d, for which side_of_plane is above 0; 0 on it.
int side_of_sphere(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c, const LatticePoint& d,
                   const LatticePoint& e);

/// Places on a lattice: its origin and the metres of a step, a power of two, as fine as the range allows but
/// no finer than a sixteenth of a millimetre.
struct PlaceLattice {
    Vec3 origin;
    float step = 1;
    LatticePoint at(Vec3 place) const;
};
PlaceLattice lattice_of(std::span<const Vec3> places);

}  // namespace stasigraph
