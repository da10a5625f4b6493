#pragma once
// What lies under something: places of surfaces that nothing can look at and no light should reach.

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Faces this close to one another touch, metres.
inline constexpr float contact_reach = 0.003f;

/// Whether a ray met, from behind, a face that bounds something: none of glass, and none that has two sides.
inline bool meets_back(const Level& level, const RayCaster& caster, const Hit& hit) {
    return hit.surface != none && hit.back && !caster.is_glass(hit.surface) &&
           !level.materials[level.surfaces[hit.surface].material].double_sided;
}

/// Whether a place of a solid lies on another face that looks against it within contact_reach: what rays that
/// start in front of it cannot tell, since they start behind that face and see out through its back.
/// `normal`: of its own face, unit length. The face has to bound a solid: of five rays behind it three meet
/// something from inside. (Two sheets back to back look the same but for that.)
bool lies_on_another(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal);

/// Whether there is ground over a place, seen from behind, and nothing at all under it: the underside of the
/// world, where light would come from below.
bool lies_below(const RayCaster& caster, Vec3 place);

/// Whether a place lies below the world, inside of something, or in ground that may have no underside: more
/// than 30 % of the rays in front of it meet faces from behind, or of those behind it leave more solids,
/// before they enter another, than are entered at the place itself.
bool lies_within(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal);

inline bool is_covered(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    return lies_within(level, caster, place, normal) || lies_on_another(level, caster, place, normal);
}

}  // namespace stasigraph
