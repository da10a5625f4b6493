#include "parts/covered.hpp"

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t front_rays = 16, behind_rays = 8;
constexpr float most_backs = 0.6f;  ///< Of the rays in front: more is inside.
constexpr float opposed = -0.99f;
constexpr float step = 1e-4f;  ///< Past a face that was met, metres.

bool from_inside(const Level& level, const RayCaster& caster, const Hit& hit) {
    return hit.surface != none && hit.back && !caster.is_glass(hit.surface) &&
           !level.materials[level.surfaces[hit.surface].material].double_sided;
}

/// How many solids a ray leaves before it enters one, up to two.
int solids_left(const Level& level, const RayCaster& caster, Vec3 from, Vec3 way) {
    int left = 0;
    for (int faces = 0; faces < 4 && left < 2; ++faces) {
        const Hit hit = caster.closest({from, way});
        if (!from_inside(level, caster, hit)) break;
        ++left;
        from = from + way * (hit.distance + step);
    }
    return left;
}

}  // namespace

bool lies_on_another(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    constexpr float reach = contact_reach * 1.05f;
    const auto looks_against = [&](const Hit& hit) {
        return hit.surface != none && !hit.back && !caster.is_glass(hit.surface) &&
               !level.materials[level.surfaces[hit.surface].material].double_sided &&
               dot(caster.corners(hit.surface, hit.triangle).normal, normal) < opposed;
    };
    // The face itself is met from behind; of two at one distance the one that looks at the ray comes first.
    Hit hit = caster.closest({place - normal * reach, normal, 2 * reach});
    for (int faces = 0; faces < 3 && hit.surface != none && !looks_against(hit); ++faces) {
        const float far = hit.distance + 2e-5f;
        if (far >= 2 * reach) return false;
        hit = caster.closest({place - normal * (reach - far), normal, 2 * reach - far});
    }
    if (!looks_against(hit)) return false;
    return from_inside(level, caster, caster.closest({place - normal * reach, -normal}));
}

bool lies_underground(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    const Frame frame(-normal);
    std::uint32_t under = 0;
    for (std::uint32_t k = 0; k < behind_rays; ++k) {
        const Vec3 way = frame.to_world(cosine_direction(sobol_point(0x636f7672u, k)));
        under += solids_left(level, caster, place - normal * contact_reach, way) >= 2 ? 1 : 0;
    }
    return 2 * under > behind_rays;
}

bool lies_inside(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    const Frame frame(normal);
    std::uint32_t backs = 0;
    for (std::uint32_t k = 0; k < front_rays; ++k) {
        const Vec3 way = frame.to_world(cosine_direction(sobol_point(0x696e7369u, k)));
        backs += from_inside(level, caster, caster.closest({place + normal * contact_reach, way})) ? 1 : 0;
    }
    return static_cast<float>(backs) > most_backs * front_rays;
}

}  // namespace stasigraph
