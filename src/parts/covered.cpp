#include "parts/covered.hpp"

#include <algorithm>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t rays = 16;
constexpr float most_within = 0.3f;  ///< Of the rays to both sides: more is inside.
constexpr float same_plane = 2e-4f;  ///< Metres.
constexpr float step = 1e-4f;        ///< Past a face that was met, metres.

/// Whether a ray starts in a solid: it meets a face from behind first; or from the front, where another solid
/// begins in the same plane as this one ends, and it leaves more than it enters in all.
bool starts_inside(const Level& level, const RayCaster& caster, const Ray& ray) {
    const Hit hit = caster.closest(ray);
    if (hit.surface == none || hit.back) return meets_back(level, caster, hit);
    const float before = std::max(0.0f, hit.distance - same_plane);
    return caster.solids_around(ray.origin + ray.direction * before, ray.direction, 2 * same_plane) == 0 &&
           caster.solids_around(ray.origin, ray.direction) > 0;
}

/// Whether a ray leaves this many solids before it enters any.
bool leaves(const Level& level, const RayCaster& caster, Vec3 from, Vec3 way, int solids) {
    for (int left = 0; left < solids; ++left) {
        const Hit hit = caster.closest({from, way});
        if (!meets_back(level, caster, hit)) return false;
        from = from + way * (hit.distance + step);
    }
    return true;
}

}  // namespace

bool lies_on_another(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    constexpr float reach = contact_reach * 1.05f;
    // Along the normal its own face is left from behind; one that looks against it is met from the front, and
    // both are counted wherever they lie to the last bit.
    if (caster.solids_around(place - normal * reach, normal, 2 * reach) > 0) return false;
    // Straight on and to the sides, since a solid may have holes.
    constexpr float slant = 0.70710678f;
    const Frame behind(-normal);
    int inside = 0;
    for (const Vec3 way : {Vec3{0, 0, 1}, Vec3{slant, 0, slant}, Vec3{-slant, 0, slant},
                           Vec3{0, slant, slant}, Vec3{0, -slant, slant}})
        inside += starts_inside(level, caster, {place - normal * reach, behind.to_world(way)}) ? 1 : 0;
    return inside >= 3;
}

bool lies_below(const RayCaster& caster, Vec3 place) {
    // Around, since three of four may go into walls that stand here.
    constexpr float tilt = 0.18f;
    int under = 0, above_nothing = 0;
    for (const Vec3 way : {Vec3{tilt, 1, 0.7f * tilt}, Vec3{-0.7f * tilt, 1, tilt},
                           Vec3{-tilt, 1, -0.7f * tilt}, Vec3{0.7f * tilt, 1, -tilt}}) {
        under += caster.solids_around(place, normalize(way)) > 0 ? 1 : 0;
        above_nothing += caster.closest({place, normalize(-way)}).surface == none ? 1 : 0;
    }
    return under >= 3 && above_nothing >= 1;
}

bool lies_within(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    if (lies_below(caster, place + normal * contact_reach)) return true;
    const Frame front(normal), behind(-normal);
    // Solids whose faces lie in one plane here are all entered at once.
    const int entered =
        std::clamp(-caster.solids_around(place + normal * contact_reach, -normal, 2 * contact_reach), 0, 3);
    std::uint32_t under = 0;
    for (std::uint32_t k = 0; k < rays; ++k) {
        const Vec3 way = cosine_direction(sobol_point(0x636f7672u, k));
        under +=
            meets_back(level, caster, caster.closest({place + normal * contact_reach, front.to_world(way)}))
                ? 1
                : 0;
        under +=
            leaves(level, caster, place - normal * contact_reach, behind.to_world(way), entered + 1) ? 1 : 0;
    }
    return static_cast<float>(under) > most_within * 2 * rays;
}

}  // namespace stasigraph
