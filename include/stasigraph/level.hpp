#pragma once
// The level as plain data: what a scene file and a bake sheet say, checked and in world units.

#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/lighting.hpp"
#include "stasigraph/placement.hpp"
#include "stasigraph/scene.hpp"
#include "stasigraph/settings.hpp"

namespace stasigraph {

/// What reading a scene or a sheet left out, mended or could not place; check() makes a finding of each.
struct Remark {
    std::string finding;  ///< Its id.
    std::string name;     ///< Of the node or mesh, or the place in the sheet.
    std::string text;     ///< What is wrong, one sentence.
    double count = 1;     ///< Of what there is more than one of.
    std::uint32_t mesh = none;
};

/// A level is the sum of its parts, and goes wherever one of them is asked for. Copies share shapes, textures
/// and the sky's image.
///
/// Threads: const use is safe from any number of threads.
struct Level : Scene, Lighting, Placement, Settings {
    std::vector<Remark> remarks;
    std::vector<std::string> notes;     ///< What was skipped or assumed while loading, one sentence each.
    std::vector<std::string> warnings;  ///< What in the sheet does nothing as it stands, one sentence each.
    std::string sheet_hash;             ///< xxHash3-128 of the sheet, hex; empty for a level made in code.
};

/// Whether a level asks for any probes.
inline bool has_probes(const Level& level) {
    return !level.volumes.empty() || !level.hand_probes.empty();
}

/// And whether it asks for reflection probes.
inline bool has_reflections(const Level& level) {
    return !level.reflections.empty() || !level.reflection_rules.empty();
}

/// Index of the group with this name, made if it is not there yet. Sets get a gain of 1 for a new group.
std::uint32_t group_index(Level& level, const std::string& name);

/// Gives every light, emissive surface and the sky the default group ("sun", "lamps", "glow", "sky") where it
/// has none, and adds the set "base" where there is none. Call once after filling a level in code.
void complete_level(Level& level);

/// Gives a level without volumes and without probes placed by hand one volume, "level", over all that is
/// static: wherever one can stand or fly (`explore` and `walkable` from floors and cameras), thinned at a
/// tolerance of 0.05 and to 4000 probes where the level says nothing else. Does nothing where
/// Level::probes.by_default is false, and for a level some kilometres wide, where probes would lie over 100 m
/// apart. load_level() calls it; call it after complete_level() for a level made
/// in code.
void add_default_volume(Level& level);

/// The level's sun (a light's number, or none) and sky when the sun stands elsewhere: sunlight is dimmed and
/// reddened by the air it passes, and the sky gives what a clear one gives, both against what they are where
/// the sun stands in the level. A sky's image does not turn.
SeriesStep series_step(const Level& level, std::uint32_t sun, Vec3 toward);
/// The level with the sun and the sky of one of its sets.
Level as_in_set(const Level& level, std::uint32_t set);

/// Metres from the origin along any axis, at most, of everything that has a place.
inline constexpr float farthest_place = 1e6f;
/// Throws Error naming `where` for a place beyond that, or one that is not finite.
void check_place(Vec3 place, const std::string& where);

/// Throws Error on the first broken rule: indices in range, finite values, settings within their ranges,
/// names of sets that can be folders. Safe on any level whatever; so is complete_level() before it.
void check_level(const Level& level);

/// The set with this name, or the first one for an empty name. Throws Error naming those there are.
std::uint32_t set_index(const Level& level, const std::string& name);
/// The camera of a level with this name, or the first one for an empty name. Throws Error naming those there
/// are.
Camera camera_named(const Level& level, const std::string& name);

}  // namespace stasigraph
