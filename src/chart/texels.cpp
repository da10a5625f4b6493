#include "chart/texels.hpp"

#include <algorithm>

#include "chart/plane_grid.hpp"
#include "chart/raster.hpp"
#include "level/texture.hpp"

namespace stasigraph {

namespace {

/// Covered parts smaller than this share of a texel are left to their neighbours.
constexpr float least_cover = 1e-4f;

bool contains(const PlaneTriangle& t, Vec2 p) {
    return cross(t.b - t.a, p - t.a) >= 0 && cross(t.c - t.b, p - t.b) >= 0 && cross(t.a - t.c, p - t.c) >= 0;
}

std::size_t cell_count(const Layout& layout) {
    std::size_t count = 0;
    for (const Chart& c : layout.charts) count += static_cast<std::size_t>(c.width) * c.height;
    return count;
}

/// The texels of one side of one surface, before they are joined with the others.
struct SideTexels {
    std::vector<std::uint32_t> cells;
    std::vector<Vec3> position, normal, face_normal;
    std::vector<float> area;
    std::vector<std::uint32_t> cell, triangle;
    std::vector<Vec2> barycentric;
};

class SidePlacer {
public:
    SidePlacer(const Level& level, const Surface& surface, const Layout& layout,
               const std::vector<UvTriangle>& uv, bool back)
        : mesh_(level.meshes[surface.mesh]),
          surface_(surface),
          layout_(layout),
          uv_(uv),
          back_(back),
          samples_(cell_count(layout)) {}

    SideTexels run() {
        for (std::uint32_t t = 0; t < layout_.chart.size(); ++t)
            if (layout_.chart[t] != none) cover_triangle(t);
        SideTexels side;
        side.cells.assign(samples_.size(), none);
        for (std::uint32_t c = 0; c < samples_.size(); ++c)
            if (samples_[c].triangle != none) emit(c, side);
        return side;
    }

private:
    struct Sample {
        std::uint32_t triangle = none;
        float cover = 0, area = 0;  ///< cover: 2 when the texel's centre lies in the triangle.
        Vec2 at;
    };

    void cover_triangle(std::uint32_t t) {
        const UvTriangle& on = uv_[t];
        const Vec2 p[3] = {on.a, on.a + on.ab, on.a + on.ac};
        PlaneTriangle flat{p[0], p[1], p[2]};
        float twice = cross(p[1] - p[0], p[2] - p[0]);
        if (twice < 0) {
            std::swap(flat.b, flat.c);
            twice = -twice;
        }
        if (twice <= 0) return;
        const float world = world_area(t) / (twice / 2);
        const auto low = [](float v) { return std::max(0, static_cast<int>(std::floor(v))); };
        const int x0 = low(std::min({p[0].x, p[1].x, p[2].x})), y0 = low(std::min({p[0].y, p[1].y, p[2].y}));
        const int x1 = std::min(on.width - 1, static_cast<int>(std::max({p[0].x, p[1].x, p[2].x})));
        const int y1 = std::min(on.height - 1, static_cast<int>(std::max({p[0].y, p[1].y, p[2].y})));
        for (int y = y0; y <= y1; ++y)
            for (int x = x0; x <= x1; ++x) {
                const Cover cover =
                    cover_texel(flat.a, flat.b, flat.c, static_cast<float>(x), static_cast<float>(y));
                if (cover.area < least_cover) continue;
                Sample& s = samples_[on.first_cell + static_cast<std::size_t>(y) * on.width + x];
                s.area += cover.area * world;
                const Vec2 centre{static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f};
                const bool central = contains(flat, centre);
                const float rank = central ? 2.0f : cover.area;
                if (rank > s.cover) {
                    s.triangle = t;
                    s.cover = rank;
                    s.at = central ? centre : cover.centroid;
                }
            }
    }

    float world_area(std::uint32_t t) const {
        const Vec3 a = corner(t, 0);
        return 0.5f * length(cross(corner(t, 1) - a, corner(t, 2) - a));
    }
    Vec3 corner(std::uint32_t t, int k) const {
        return transform_point(surface_.to_world, mesh_.positions[mesh_.indices[3 * t + k]]);
    }

    void emit(std::uint32_t c, SideTexels& side) const {
        const Sample& s = samples_[c];
        const std::uint32_t t = s.triangle;
        const Vec2 a = uv_[t].a, ab = uv_[t].ab, ac = uv_[t].ac;
        const float whole = cross(ab, ac);
        const float u = std::clamp(cross(s.at - a, ac) / whole, 0.0f, 1.0f);
        const float v = std::clamp(cross(ab, s.at - a) / whole, 0.0f, 1.0f - u);
        const Vec3 p0 = corner(t, 0), e1 = corner(t, 1) - p0, e2 = corner(t, 2) - p0;
        const float side_sign = back_ ? -1.0f : 1.0f;
        const Vec3 face = normalize(cross(e1, e2)) * (determinant(surface_.to_world) < 0 ? -1.0f : 1.0f);
        const Vec3 normal = shading_normal(mesh_, t, {u, v}, surface_.to_world, face);
        side.cells[c] = static_cast<std::uint32_t>(side.position.size());
        side.position.push_back(p0 + e1 * u + e2 * v);
        side.normal.push_back(normal * side_sign);
        side.face_normal.push_back(face * side_sign);
        side.area.push_back(s.area);
        side.cell.push_back(c);
        side.triangle.push_back(t);
        side.barycentric.push_back({u, v});
    }

    const Mesh& mesh_;
    const Surface& surface_;
    const Layout& layout_;
    const std::vector<UvTriangle>& uv_;
    bool back_;
    std::vector<Sample> samples_;
};

template <class T>
void append(std::vector<T>& to, const std::vector<T>& from) {
    to.insert(to.end(), from.begin(), from.end());
}

/// Triangles against the rectangles of their charts. Whole texels and the UV grid keep the differences exact.
std::vector<UvTriangle> chart_triangles(const Layout& layout) {
    std::vector<std::uint32_t> first(layout.charts.size(), 0);
    for (std::size_t c = 1; c < first.size(); ++c)
        first[c] = first[c - 1] +
                   static_cast<std::uint32_t>(layout.charts[c - 1].width) * layout.charts[c - 1].height;
    std::vector<UvTriangle> triangles(layout.chart.size());
    for (std::size_t t = 0; t < triangles.size(); ++t) {
        if (layout.chart[t] == none) {
            triangles[t].width = triangles[t].height = 0;
            continue;
        }
        const Chart& chart = layout.charts[layout.chart[t]];
        const Vec2 corner{static_cast<float>(chart.x), static_cast<float>(chart.y)};
        const Vec2 a = layout.uv[layout.indices[3 * t]];
        triangles[t] = {a - corner,
                        layout.uv[layout.indices[3 * t + 1]] - a,
                        layout.uv[layout.indices[3 * t + 2]] - a,
                        first[layout.chart[t]],
                        static_cast<std::uint16_t>(chart.width),
                        static_cast<std::uint16_t>(chart.height)};
    }
    return triangles;
}

}  // namespace

std::uint32_t TexelSet::at(std::uint32_t surface, bool back, std::uint32_t triangle_index, float u,
                           float v) const {
    const TexelGrid& g = grids[2 * surface + (back ? 1 : 0)];
    if (g.layout == none) return none;
    const UvTriangle& t = uv[g.layout][triangle_index];
    if (t.width == 0) return none;
    const std::size_t at_cell = cell_at(2 * surface + (back ? 1 : 0), t, u, v);
    if (cells[at_cell] != none) return cells[at_cell];
    const std::size_t first = g.first_cell + t.first_cell;
    const int x = static_cast<int>((at_cell - first) % t.width),
              y = static_cast<int>((at_cell - first) / t.width);
    // A sliver of cover that was left out: any direct neighbour will do, the first in a fixed order.
    for (int dy = -1; dy <= 1; ++dy)
        for (int dx = -1; dx <= 1; ++dx) {
            const int nx = x + dx, ny = y + dy;
            if (nx < 0 || ny < 0 || nx >= t.width || ny >= t.height) continue;
            const std::uint32_t n = cells[first + static_cast<std::size_t>(ny) * t.width + nx];
            if (n != none) return n;
        }
    return none;
}

TexelSet place_texels(const Level& level, const Atlas& atlas, Job& job) {
    TexelSet set;
    for (const Layout& layout : atlas.layouts) set.uv.push_back(chart_triangles(layout));
    set.grids.resize(2 * level.surfaces.size());
    std::vector<SideTexels> sides(set.grids.size());
    job.begin(Stage::texels, sides.size());
    job.parallel(sides.size(), 1, [&](std::size_t i, std::size_t) {
        const SurfaceUv& uv = atlas.surfaces[i / 2];
        const std::uint32_t layout = i % 2 == 0 ? uv.layout : uv.back_layout;
        if (layout != none)
            sides[i] =
                SidePlacer(level, level.surfaces[i / 2], atlas.layouts[layout], set.uv[layout], i % 2 == 1)
                    .run();
        job.advance(1);
    });
    for (std::size_t i = 0; i < sides.size(); ++i) {
        const SurfaceUv& uv = atlas.surfaces[i / 2];
        const std::uint32_t layout = i % 2 == 0 ? uv.layout : uv.back_layout;
        if (layout == none) continue;
        SideTexels& side = sides[i];
        TexelGrid& g = set.grids[i];
        g = {.layout = layout,
             .first_cell = set.cells.size(),
             .cell_count = static_cast<std::uint32_t>(side.cells.size()),
             .first_texel = static_cast<std::uint32_t>(set.size()),
             .texel_count = static_cast<std::uint32_t>(side.position.size())};
        for (std::uint32_t& c : side.cells)
            if (c != none) c += g.first_texel;
        append(set.cells, side.cells);
        append(set.position, side.position);
        append(set.normal, side.normal);
        append(set.face_normal, side.face_normal);
        append(set.area, side.area);
        append(set.cell, side.cell);
        append(set.triangle, side.triangle);
        append(set.barycentric, side.barycentric);
        set.grid.insert(set.grid.end(), side.position.size(), static_cast<std::uint32_t>(i));
        side = {};
    }
    return set;
}

bool in_one_plane(const TexelSet& texels, std::uint32_t a, std::uint32_t b) {
    const Vec3 way = texels.position[b] - texels.position[a];
    const float far = 2e-3f * length(way);
    return std::abs(dot(way, texels.face_normal[a])) <= far &&
           std::abs(dot(way, texels.face_normal[b])) <= far;
}

}  // namespace stasigraph
