#pragma once
// A mesh as convex polygons that can be split along lines.

#include <cstdint>
#include <unordered_map>
#include <vector>

#include "parts/wall_lines.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Polygons with corners in common: one that gets a corner on an edge gives it to all that share the edge, so
/// that nothing opens.
class CutMesh {
public:
    struct Corner {
        std::uint32_t place = 0;
        std::array<double, 3> share{};  ///< Of the corners of the triangle that the polygon came from.
    };
    struct Polygon {
        std::uint32_t triangle = 0, facet = 0;
        std::vector<Corner>
            corners;  ///< Convex, in the triangle's order; some may lie on a line with others.
    };

    /// `corner`: for each corner of the mesh the number of its place, as in MeshGraph.
    CutMesh(const Mesh& mesh, const Affine& to_world, const std::vector<std::uint32_t>& corner,
            std::size_t places, const std::vector<std::uint32_t>& facet_of);

    /// Splits what the line goes through and remembers the edges that lie on it.
    void split(const FacetOutline& facet, const std::vector<WallLine>& lines, std::uint32_t line);
    /// Whether the edge from corner `i` of a polygon lies on one of the lines, within its ends.
    bool is_cut(const std::vector<FacetOutline>& facets, const std::vector<WallLine>& lines,
                std::uint32_t polygon, std::size_t i) const;

    /// Puts polygons of one triangle and one kind together again where the whole is convex, and takes out
    /// corners that lie on a line in all polygons that have them. Polygons that are gone have no corners.
    void merge(const std::vector<std::uint64_t>& kind);

    const std::vector<Polygon>& polygons() const { return polygons_; }
    /// Those that share the edge from a corner with a polygon, itself left out.
    template <class F>
    void for_across(std::uint32_t polygon, std::size_t i, F f) const {
        const auto& c = polygons_[polygon].corners;
        const auto found = edges_.find(key(c[i].place, c[(i + 1) % c.size()].place));
        if (found == edges_.end()) return;
        for (const std::uint32_t other : found->second.polygons)
            if (other != polygon) f(other);
    }
    Point3 world(std::uint32_t place) const { return world_[place]; }
    Vec3 local(std::uint32_t place) const { return in_float(local_[place]); }

    /// The polygon in triangles, as numbers of its corners.
    std::vector<std::array<std::uint32_t, 3>> triangles(std::uint32_t polygon) const;

private:
    struct Edge {
        std::vector<std::uint32_t> polygons, lines;
    };
    static std::uint64_t key(std::uint32_t a, std::uint32_t b) {
        return static_cast<std::uint64_t>(std::min(a, b)) << 32 | std::max(a, b);
    }
    bool merge_two(std::uint32_t a, std::uint32_t b);
    bool on_a_line(std::uint32_t polygon, std::size_t corner) const;
    std::uint32_t divide(std::uint32_t a, std::uint32_t b, double at);
    /// Remembers that an edge lies on a line; all of a polygon's whose ends have no height over it.
    void mark(std::uint32_t a, std::uint32_t b, std::uint32_t line);
    void mark_edges(std::uint32_t polygon, std::uint32_t line, const std::vector<double>& height);
    /// Of a polygon's corners over a line; 0 on it.
    std::vector<double> heights(const FacetOutline& facet, const WallLine& line, std::uint32_t polygon) const;
    /// Whether enough of the line itself, which has ends, lies in the polygon.
    bool passes(const FacetOutline& facet, const WallLine& line, std::uint32_t polygon,
                const std::vector<double>& height) const;
    /// Divides a polygon where its heights change sign; the number of the new half.
    std::uint32_t halve(std::uint32_t polygon, std::vector<double> height);

    std::size_t own_places_ = 0;  ///< Of the mesh; the rest came by cuts.
    std::vector<Point3> local_, world_;
    std::vector<Polygon> polygons_;
    std::vector<std::vector<std::uint32_t>> of_facet_;
    std::unordered_map<std::uint64_t, Edge> edges_;
};

}  // namespace stasigraph
