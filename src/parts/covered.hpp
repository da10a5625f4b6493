#pragma once
// What lies under something: places of surfaces that nothing can look at and no light should reach.

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Faces this close to one another touch, metres.
inline constexpr float contact_reach = 0.002f;

/// Whether a place of a solid lies on another face that looks the other way, or in ground that has no underside: what
/// rays that start in front of it cannot tell, since they start behind that face and see out through its back.
/// `normal`: of the face, unit length.
///
/// On a face that looks against it within contact_reach, a place is covered where the face bounds a solid: behind it the
/// first thing met is seen from inside. (Two sheets back to back look the same but for that.) It is underground where
/// most rays into its solid leave two solids before they enter any.
bool lies_on_another(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal);
bool lies_underground(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal);

/// Whether most rays in front of a place meet faces from behind: it is inside of something.
bool lies_inside(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal);

inline bool is_covered(const Level& level, const RayCaster& caster, Vec3 place, Vec3 normal) {
    return lies_inside(level, caster, place, normal) || lies_on_another(level, caster, place, normal) ||
           lies_underground(level, caster, place, normal);
}

}  // namespace stasigraph
