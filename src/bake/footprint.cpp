#include "bake/footprint.hpp"

#include <algorithm>
#include <cmath>

#include "level/texture.hpp"

namespace stasigraph {

namespace {

/// Above the surface by this share of the way, the ray to a neighbour looks for walls.
constexpr float sight_rise = 0.05f;
/// Neighbours lie in one plane where neither is further off the other's than this share of the way: a place
/// between two of a bent surface would lie under it.
constexpr float flat = 2e-3f;
/// How far a texel reaches where its chart ends, as shares of the way to the neighbour it has not; and, where
/// that is nothing, how far its samples are folded to the other side.
constexpr float ends[] = {0.5f, 0.375f, 0.25f, 0.125f}, folded = 0.5f;
/// Lifted by less than this nothing changes; by more than this share of the triangle's size the normals tell
/// of no surface. Metres; share.
constexpr float least_lift = 1e-5f, most_lift = 0.25f;

}  // namespace

Footprints::Footprints(const TexelSet& texels, const TexelStates& states, const RayCaster& caster, Job& job)
    : sides_(texels.size()) {
    const auto open = [&](std::uint32_t a, std::uint32_t b) {
        if (b == none || !is_valid(states[b])) return false;
        const Vec3 way = texels.position[b] - texels.position[a];
        const float far = length(way);
        if (std::abs(dot(way, texels.face_normal[a])) > flat * far ||
            std::abs(dot(way, texels.face_normal[b])) > flat * far)
            return false;
        const float up = ray_start_offset + sight_rise * far;
        const Vec3 from = texels.position[a] + texels.face_normal[a] * up,
                   to = texels.position[b] + texels.face_normal[b] * up, over = to - from;
        const float l = length(over);
        // Glass parts light as a wall does.
        return l > 0 && caster.closest({from, over * (1 / l), l}).surface == none;
    };
    std::vector<std::uint8_t> reach(texels.size(), 0);
    job.parallel(texels.size(), 2048, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin; k < end; ++k) {
            const auto i = static_cast<std::uint32_t>(k);
            if (!is_valid(states[i])) continue;
            if (open(i, texels.neighbour(i, 1, 0))) reach[i] |= 1;
            if (open(i, texels.neighbour(i, 0, 1))) reach[i] |= 2;
            if (open(i, texels.neighbour(i, 1, 1))) reach[i] |= 4;
            if (open(i, texels.neighbour(i, -1, 1))) reach[i] |= 8;
        }
    });
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        const auto join = [&](std::uint32_t n, Vec3 Sides::*there, Vec3 Sides::*back) {
            const Vec3 way = texels.position[n] - texels.position[i];
            sides_[i].*there = way;
            sides_[n].*back = -way;
        };
        if (reach[i] & 1) join(texels.neighbour(i, 1, 0), &Sides::right, &Sides::left);
        if (reach[i] & 2) join(texels.neighbour(i, 0, 1), &Sides::below, &Sides::above);
        const auto open_corner = [&](std::uint32_t n, bool right) {
            sides_[i].corners |= corner(right, true);
            sides_[n].corners |= corner(!right, false);
        };
        if (reach[i] & 4) open_corner(texels.neighbour(i, 1, 1), true);
        if (reach[i] & 8) open_corner(texels.neighbour(i, -1, 1), false);
    }
    job.parallel(texels.size(), 2048, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin; k < end; ++k) {
            const auto i = static_cast<std::uint32_t>(k);
            if (!is_valid(states[i])) continue;
            Sides& s = sides_[i];
            // A row one texel wide has neighbours along it alone: it is as wide as they are long.
            const Vec3 normal = texels.face_normal[i], along = s.left == Vec3{} ? s.right : s.left,
                       down = s.above == Vec3{} ? s.below : s.above;
            end_at_edge(texels, caster, i, {s.left, s.right, cross(normal, down)});
            end_at_edge(texels, caster, i, {s.above, s.below, cross(normal, along)});
        }
    });
}

void Footprints::end_at_edge(const TexelSet& texels, const RayCaster& caster, std::uint32_t texel,
                             const Opposite& sides) {
    auto& [a, b, otherwise] = sides;
    const bool no_a = a == Vec3{}, no_b = b == Vec3{};
    if (no_a == no_b) {
        if (!no_a || otherwise == Vec3{}) return;
        const Vec3 one = open_way(texels, caster, texel, otherwise),
                   two = open_way(texels, caster, texel, -otherwise);
        a = one == Vec3{} ? two : one;
        b = two == Vec3{} ? one : two;
        return;
    }
    const Vec3 other = no_a ? b : a, way = open_way(texels, caster, texel, -other);
    (no_a ? a : b) = way == Vec3{} ? other * folded : way;
}

Vec3 Footprints::open_way(const TexelSet& texels, const RayCaster& caster, std::uint32_t texel, Vec3 toward) {
    const float whole = length(toward), up = ray_start_offset + sight_rise * whole;
    const Vec3 normal = texels.face_normal[texel], from = texels.position[texel] + normal * up;
    for (const float share : ends) {
        const Vec3 way = toward * share;
        if (caster.closest({from, way * (1 / (share * whole)), share * whole}).surface != none) continue;
        if (on_own_surface(texels, caster, {texel, texels.position[texel] + way}, up, flat * whole))
            return way;
    }
    return {};
}

bool on_own_surface(const TexelSet& texels, const RayCaster& caster, const PlaceInPlane& place, float up,
                    float off) {
    const Vec3 normal = texels.face_normal[place.texel];
    const Hit under = caster.closest({place.position + normal * up, -normal, 2 * up});
    return under.surface == texels.grid[place.texel] / 2 && std::abs(under.distance - up) <= off;
}

void lift_receivers(const Level& level, const TexelSet& texels, const RayCaster& caster, RowSource& rows,
                    Job& job) {
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t surface = texels.grid[i] / 2, triangle = texels.triangle[i];
            const Affine& to_world = level.surfaces[surface].to_world;
            const Mesh& mesh = level.meshes[level.surfaces[surface].mesh];
            if (mesh.normals.empty()) continue;
            const RayCaster::Corners c = caster.corners(surface, triangle);
            const Vec3 at[3] = {c.a, c.b, c.c};
            const Vec2 b = texels.barycentric[i];
            const float share[3] = {1 - b.x - b.y, b.x, b.y};
            const float side = texels.grid[i] % 2 == 1 ? -1.0f : 1.0f;
            Vec3 lift;
            for (int k = 0; k < 3; ++k) {
                const Vec3 n = shading_normal(mesh, triangle, {k == 1 ? 1.0f : 0.0f, k == 2 ? 1.0f : 0.0f},
                                              to_world, texels.face_normal[i] * side) *
                               side;
                const float under = dot(texels.position[i] - at[k], n);
                if (under < 0) lift = lift - n * (under * share[k]);
            }
            const float far = length(lift);
            const float size = std::max(length(c.b - c.a), length(c.c - c.a));
            if (far < least_lift || far > most_lift * size) continue;
            Receiver& r = rows.receivers[i];
            if (caster.blocked({r.position, lift * (1 / far), far + 2 * ray_start_offset})) continue;
            r.position = r.position + lift;
            r.face_normal = r.normal;
        }
    });
}

}  // namespace stasigraph
