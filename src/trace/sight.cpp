#include "trace/sight.hpp"

#include <algorithm>

#include "base/random.hpp"
#include "trace/even_points.hpp"

namespace stasigraph {

namespace {

/// Places to look around from in each volume, and rays from each. Fewer: slower to settle what a place
/// further off would have met at once.
constexpr std::uint32_t places_per_volume = 256, rays_per_place = 4096;

/// A place that meets more back faces than this share of its rays is inside of something, or under the
/// ground.
constexpr float most_backs = 0.1f;

/// Places a single point is held against.
constexpr std::size_t places_per_point = 96;
constexpr std::uint32_t points_per_chart = 48;

struct Look {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> met;
    bool inside = false;
};

Look look_around(const Level& level, const RayCaster& caster, Vec3 place, std::uint32_t seed) {
    Look look;
    std::uint32_t backs = 0;
    for (std::uint32_t r = 0; r < rays_per_place; ++r) {
        const Hit hit = caster.closest({place, sphere_direction(sobol_point(seed, r))});
        if (hit.surface == none) continue;
        if (hit.back && !level.materials[level.surfaces[hit.surface].material].double_sided)
            ++backs;
        else
            look.met.push_back({hit.surface, hit.triangle});
    }
    look.inside = static_cast<float>(backs) > most_backs * rays_per_place;
    return look;
}

}  // namespace

Sight::Sight(const Level& level, const RayCaster& caster, Job& job) : level_(level), caster_(caster) {
    std::vector<Vec3> candidates;
    for (std::uint32_t v = 0; v < level.volumes.size(); ++v) {
        const Volume& volume = level.volumes[v];
        // Where nobody said where players are, cameras tell better than all of the level.
        if (volume.except || (volume.by_default && !level.cameras.empty())) continue;
        for (std::uint32_t i = 0; i < places_per_volume; ++i) {
            const Vec2 flat = sobol_point(combine_bits(v, 0x73696768u), i);
            const float up = unit_float(combine_bits(i, v + 0x74696572u));
            const Vec3 place = place_in(volume, {flat.x, up, flat.y});
            if (holds(volume, place)) candidates.push_back(place);
        }
    }
    if (candidates.empty())
        for (const Camera& camera : level.cameras) candidates.push_back(camera.eye);
    std::vector<Look> looks(candidates.size());
    job.begin(Stage::sight, candidates.size());
    job.parallel(looks.size(), 1, [&](std::size_t i, std::size_t) {
        looks[i] = look_around(level, caster, candidates[i],
                               combine_bits(static_cast<std::uint32_t>(i), 0x6c6f6f6bu));
        job.advance(1);
    });
    for (const Surface& s : level.surfaces)
        met_.emplace_back(level.meshes[s.mesh]->triangle_count(), std::uint8_t{0});
    for (std::size_t i = 0; i < looks.size(); ++i) {
        if (looks[i].inside) continue;
        places_.push_back(candidates[i]);
        for (const auto& [surface, triangle] : looks[i].met) met_[surface][triangle] = 1;
    }
}

bool Sight::sees(std::uint32_t surface, std::span<const std::uint32_t> triangles) const {
    for (const std::uint32_t t : triangles)
        if (met_[surface][t]) return true;
    const bool both = level_.materials[level_.surfaces[surface].material].double_sided;
    return for_even_points(
        triangles.size(), points_per_chart,
        [&](std::size_t k) { return caster_.corners(surface, triangles[k]); },
        [&](Vec3 at, const RayCaster::Corners& c, std::size_t) { return sees_point(at, c.normal, both); });
}

bool Sight::sees_point(Vec3 point, Vec3 normal, bool double_sided) const noexcept {
    const std::size_t step = std::max<std::size_t>(1, places_.size() / places_per_point);
    for (std::size_t i = 0; i < places_.size(); i += step) {
        const Vec3 toward = places_[i] - point;
        const float distance = length(toward), side = dot(toward, normal);
        if (side <= 0 && !double_sided) continue;
        const Vec3 start = point + normal * (side > 0 ? ray_start_offset : -ray_start_offset);
        if (!caster_.blocked({start, toward * (1 / distance), distance})) return true;
    }
    return false;
}

}  // namespace stasigraph
