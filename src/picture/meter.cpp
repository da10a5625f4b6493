#include <algorithm>
#include <limits>

#include "finish/pages.hpp"
#include "level/texture.hpp"
#include "stasigraph/picture.hpp"

namespace stasigraph {

namespace {

/// Barycentrics (of b and c) of the point of a triangle nearest to p. Ericson, Real-Time Collision
/// Detection, 5.1.5.
Vec2 nearest_in_triangle(Vec3 p, Vec3 a, Vec3 b, Vec3 c) {
    const Vec3 ab = b - a, ac = c - a, ap = p - a;
    const float d1 = dot(ab, ap), d2 = dot(ac, ap);
    if (d1 <= 0 && d2 <= 0) return {0, 0};
    const Vec3 bp = p - b;
    const float d3 = dot(ab, bp), d4 = dot(ac, bp);
    if (d3 >= 0 && d4 <= d3) return {1, 0};
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return {d1 / (d1 - d3), 0};
    const Vec3 cp = p - c;
    const float d5 = dot(ab, cp), d6 = dot(ac, cp);
    if (d6 >= 0 && d5 <= d6) return {0, 1};
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return {0, d2 / (d2 - d6)};
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const float w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return {1 - w, w};
    }
    const float whole = 1 / (va + vb + vc);
    return {vb * whole, vc * whole};
}

struct Nearest {
    float distance = std::numeric_limits<float>::infinity();
    std::uint32_t surface = none, triangle = 0;
    Vec2 at;
    Vec3 normal;
};

constexpr float least_facing = 0.5f;  // cos 60 degrees

struct Searched {
    const MeterPoint& point;
    Vec3 facing;  ///< Unit length.
    float reach = 0;
};

void look_at_surface(const Level& level, std::uint32_t index, const Searched& searched, Nearest& best) {
    const auto& [point, facing, reach] = searched;
    const Surface& surface = level.surfaces[index];
    const Mesh& mesh = level.meshes[surface.mesh];
    const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
    for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
        if (mesh.is_covered(t)) continue;
        Vec3 p[3];
        for (int k = 0; k < 3; ++k)
            p[k] = transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
        const Vec3 low = min(p[0], min(p[1], p[2])), high = max(p[0], max(p[1], p[2]));
        const Vec3 out = max(low - point.at, max(point.at - high, Vec3{}));
        if (dot(out, out) > reach * reach) continue;
        const Vec3 normal = normalize(cross(p[1] - p[0], p[2] - p[0])) * side;
        if (point.facing && !(dot(normal, facing) >= least_facing - 1e-5f)) continue;
        const Vec2 w = nearest_in_triangle(point.at, p[0], p[1], p[2]);
        const float d = length(p[0] + (p[1] - p[0]) * w.x + (p[2] - p[0]) * w.y - point.at);
        // The first of equally near ones answers, so that a point on an edge always gets the same texel.
        if (d <= reach && d < best.distance)
            best = {d, index, t, w, shading_normal(mesh, t, w, surface.to_world, normal)};
    }
}

}  // namespace

std::vector<MeterReading> meter_lightmap(const ChartedLevel& charted, const BakedSet& set,
                                         const std::vector<MeterPoint>& points, float reach, Job& job) {
    const Level& level = charted.level;
    const Atlas& atlas = charted.atlas;
    for (const MeterPoint& p : points) check_place(p.at, "a point");
    std::vector<Vec3> low(level.surfaces.size()), high(level.surfaces.size());
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        low[s] = {1e30f, 1e30f, 1e30f};
        high[s] = -low[s];
        for (Vec3 v : level.meshes[level.surfaces[s].mesh]->positions) {
            const Vec3 p = transform_point(level.surfaces[s].to_world, v);
            low[s] = min(low[s], p);
            high[s] = max(high[s], p);
        }
    }
    std::vector<MeterReading> readings(points.size());
    job.parallel(points.size(), 16, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const MeterPoint& point = points[i];
            const Vec3 facing = point.facing ? normalize(*point.facing) : Vec3{};
            Nearest best;
            for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
                const Vec3 out = max(low[s] - point.at, max(point.at - high[s], Vec3{}));
                if (atlas.surfaces[s].page != none && dot(out, out) <= reach * reach)
                    look_at_surface(level, s, {point, facing, reach}, best);
            }
            MeterReading& r = readings[i];
            if (best.surface == none) {
                r.reason = "no lightmapped surface within reach" +
                           std::string(point.facing ? " faces that way" : "");
                r.normal = facing;
                continue;
            }
            const SurfaceUv& uv = atlas.surfaces[best.surface];
            const Layout& layout = atlas.layouts[uv.layout];
            const std::uint32_t* c = &layout.indices[3 * static_cast<std::size_t>(best.triangle)];
            const Vec2 texel = layout.uv[c[0]] * (1 - best.at.x - best.at.y) + layout.uv[c[1]] * best.at.x +
                               layout.uv[c[2]] * best.at.y;
            const PageImage& page = set.pages[uv.page];
            const Vec2 on_page = texel + Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
            r.surface = level.surfaces[best.surface].name;
            r.page = uv.page;
            r.x = std::clamp(static_cast<int>(on_page.x), uv.x, uv.x + layout.width - 1);
            r.y = std::clamp(static_cast<int>(on_page.y), uv.y, uv.y + layout.height - 1);
            r.normal = best.normal;
            r.irradiance = sample_page(page, on_page);
        }
    });
    return readings;
}

std::vector<MeterReading> meter_probes(const ProbeNet& net, const BakedSet& set,
                                       const std::vector<MeterPoint>& points) {
    std::vector<MeterReading> readings(points.size());
    for (std::size_t i = 0; i < points.size(); ++i) {
        MeterReading& r = readings[i];
        r.normal = points[i].facing ? normalize(*points[i].facing) : Vec3{0, 1, 0};
        r.probes = probe_weights(net, points[i].at);
        if (r.probes.count == 0)
            r.reason = net.size() == 0 ? "the bake has no probes" : "no usable probe around this point";
        else
            r.irradiance = probe_irradiance(r.probes, set.probes, set.lamps, points[i].at, r.normal);
    }
    return readings;
}

}  // namespace stasigraph
