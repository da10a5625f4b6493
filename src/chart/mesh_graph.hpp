#pragma once
// A mesh as charts see it: welded by place, with neighbours across edges, in texels instead of metres.

#include <cstdint>
#include <vector>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// How long the sides of a mesh are once it stands in the world: the part of a node's transform that a
/// rotation leaves alone, as a matrix with nothing below its diagonal and no mirror.
struct Shape {
    double xx = 1, xy = 0, xz = 0, yy = 1, yz = 0, zz = 1;
    friend auto operator<=>(const Shape&, const Shape&) = default;
};

/// The shape of a transform times `density`, rounded so that turned and copied instances agree: the scale to
/// 2 %, the rest to 2 % of the scale. `squeezed` transforms (no area, not finite) give a shape of zero.
Shape shape_of(const Affine& to_world, double density);

/// Threads: const use is safe from any number of threads.
struct MeshGraph {
    std::vector<Vec3> place;            ///< One for each distinct position, texels, around the mesh's middle.
    std::vector<std::uint32_t> corner;  ///< For each corner, its place.
    /// For each corner, the corner at which the same edge starts in the triangle across; none at borders,
    /// where more than two triangles meet, and where the two sides wind differently.
    std::vector<std::uint32_t> across;
    std::vector<std::uint8_t> crease;  ///< For each corner, whether the edge that starts there is one.
    std::vector<Vec3> normal;          ///< Of each triangle, unit length; zero without area.
    std::vector<Vec3> smooth;          ///< The same with the noise of single triangles averaged away.
    std::vector<float> area;           ///< Square texels; 0 for a triangle that is no more than a line.

    std::size_t triangle_count() const { return area.size(); }
};

inline std::uint32_t next_corner(std::uint32_t c) {
    return c % 3 == 2 ? c - 2 : c + 1;
}

/// Cost: O(n log n) in triangles.
MeshGraph make_graph(const Mesh& mesh, const Shape& shape);

}  // namespace stasigraph
