#pragma once
// What stands in the way of light, in world triangles that can be asked for by place.

#include <memory>

#include "parts/box_tree.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Leaves, fences and panes: what lets light through parts no places.
inline bool is_foliage(const Material& m) {
    return m.alpha_mode != AlphaMode::opaque || m.transmission > 0;
}

struct WorldTriangle {
    std::uint32_t surface, triangle;
    Vec3 a, b, c, normal;
};

/// All static faces that stand in the way of light.
struct Obstacles {
    std::vector<WorldTriangle> faces;
    std::vector<Bounds> bounds;
    std::unique_ptr<BoxTree> tree;

    explicit Obstacles(const Level& level) {
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
            const Surface& surface = level.surfaces[s];
            if (surface.part == Part::moving || is_foliage(level.materials[surface.material])) continue;
            const Mesh& mesh = level.meshes[surface.mesh];
            const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
            for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
                const auto at = [&](std::uint32_t k) {
                    return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
                };
                WorldTriangle w{s, t, at(0), at(1), at(2), {}};
                const Vec3 n = cross(w.b - w.a, w.c - w.a);
                const float l = length(n);
                if (!(l > 1e-12f) || !std::isfinite(l)) continue;
                w.normal = n * (side / l);
                Bounds box;
                for (const Vec3 p : {w.a, w.b, w.c}) box.add(p);
                faces.push_back(w);
                bounds.push_back(box);
            }
        }
        tree = std::make_unique<BoxTree>(bounds);
    }
};

}  // namespace stasigraph
