#pragma once
// Free space told apart: rooms, and what lies under the open sky.

#include "probe/free_space.hpp"
#include "stasigraph/job.hpp"

namespace stasigraph {

/// A space with walls around it: where it is widest, and a box that holds it.
struct Room {
    Vec3 widest;                ///< Metres; farthest from all surfaces.
    Vec3 middle, half;          ///< Metres, along the axes: up to where most of its walls stand.
    Vec3 all_middle, all_half;  ///< The same up to the farthest of a round wall or a vault.
    std::array<Vec3, 3> axes;   ///< Turned about +Y as its walls are.
};

struct Spaces {
    std::vector<Room> rooms;  ///< The larger first.
    std::vector<Vec3> open;   ///< Places under the open sky, about `room_spacing` apart.
};

/// Metres between the places that stand for free space. Wider: doors are missed. Narrower: slower.
inline constexpr float room_spacing = 0.8f;

/// Of what is reached from the seeds within a region. A room is what hangs together where it is wide, cut off
/// where it is much narrower than on both sides, as it is in doors: watersheds of the distance to surfaces
/// (Vincent and Soille, Watersheds in Digital Spaces, 1991).
Spaces find_spaces(const Volume& region, const std::vector<Vec3>& seeds, const RayCaster& caster,
                   const FreeSpace& space, Job& job);

}  // namespace stasigraph
