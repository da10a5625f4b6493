#pragma once
// Flat mirrors and still water.

#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Metres above a plane from which it is captured, and how far from it a place may be that mirrors it.
inline constexpr float plane_lift = 0.02f, plane_reach = 0.1f;

/// Fits a plane to a flat surface: its middle, half sizes, axes and capture. Throws Error where it is not
/// flat.
ReflectionProbe plane_of(const Level& level, const Surface& surface, const std::string& where);
/// The box around what a plane mirrors: where most rays over it end to each side and above; as far as 100 m
/// where most go on.
void fit_room(ReflectionProbe& plane, const RayCaster& caster);

}  // namespace stasigraph
