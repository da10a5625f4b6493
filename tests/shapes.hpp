#pragma once
// Meshes that unwrapping finds hard, for tests and the bench. All are made by formula, in metres.

#include "stasigraph/level.hpp"

namespace test {

using stasigraph::Level;
using stasigraph::Mesh;
using stasigraph::Surface;

Mesh sphere(int rings, float radius);
Mesh open_tube(int around, int along, float radius, float length);
Mesh torus_knot(int along, int around, float size);
/// Three arms of unlike width that grow out of one trunk, by surface nets over a smooth union of capsules.
Mesh branching_tube(int cells);
Mesh terrain(int side, float size);
/// A lump with six sides of n by n quads, whose vertices are off by up to `noise` of its radius.
Mesh noisy_blob(int n, float radius, float noise);
/// A band with half a twist: it has one side only, so its winding has to break somewhere.
Mesh moebius_strip(int along, int across, float radius);
/// Triangles between few points: edges with three and more faces, faces on faces, faces without area.
Mesh non_manifold_heap(int points, int triangles, std::uint32_t seed);
/// A box whose 36 corners are 36 vertices, with one side cut so that its edges meet others in their middle.
Mesh unwelded_box();
/// A street block of boxes with steps and slabs: hard edges everywhere.
Mesh boxes(int count, std::uint32_t seed);

/// Boxes through each other on a floor under sun and sky, 3 to 15 of them, with a volume over all; complete.
Level clutter(std::uint32_t seed);

/// Normals by area over welded vertices.
void smooth_normals(Mesh& mesh);

/// Adds a mesh with a surface of its own, albedo 0.5, lit by a lightmap.
Surface& add_mesh(Level& level, Mesh mesh);

/// Numbers from 0 to 1 in a fixed order.
class Numbers {
public:
    explicit Numbers(std::uint32_t seed) : state_(seed) {}
    float next() {
        state_ = state_ * 1664525u + 1013904223u;
        return static_cast<float>(state_ >> 8) / 16777216.0f;
    }

private:
    std::uint32_t state_;
};

}  // namespace test
