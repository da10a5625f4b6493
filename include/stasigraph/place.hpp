#pragma once
// Placing probes: by the rules of volumes, then thinned by what light they would hold.

#include "stasigraph/bake_store.hpp"
#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// What became of the places that rules came up with.
struct PlaceFigures {
    std::size_t made[probe_rules] = {};        ///< By rule, before anything else.
    std::size_t candidates[probe_rules] = {};  ///< Free, clear and apart from each other.
    std::size_t kept[probe_rules] = {};
    std::size_t nudged = 0;       ///< Moved to where it is free and clear.
    std::size_t in_solids = 0;    ///< Dropped: inside of something or behind it, nothing free beside it.
    std::size_t too_close = 0;    ///< Dropped: closer than the clearance, likewise.
    std::size_t excepted = 0;     ///< Dropped: in a region that wants none, or one of higher priority.
    std::size_t beneath = 0;      ///< Dropped: beneath the floor.
    std::size_t empty = 0;        ///< Dropped: nothing is near.
    std::size_t merged = 0;       ///< Dropped: closer to another than they may be.
    std::size_t bad_by_hand = 0;  ///< Placed by hand inside of something: kept, and unused.
    std::size_t thinned = 0;      ///< Dropped: the others tell its light.
    std::size_t checked = 0;  ///< Places at which probes were held against exact light: where a body can be.
    float worst_error = 0, error_95 = 0;  ///< Of perceptual lightness there; 0 where nothing was compared.
    Vec3 worst_at;                        ///< Metres.
    double thin_seconds = 0;
};

struct PlacedProbes {
    std::vector<ProbePlace> places;
    PlaceFigures figures;
    std::string key;  ///< places_key() of the level.
};

/// A hash of what places depend on: geometry, volumes and what is placed by hand. Not light: thinned places
/// stay where they are while light alone changes, until they are placed again.
std::string places_key(const Level& level);

/// Places the probes of a level: candidates by rule, a quick bake of those (glance), more where they tell
/// light wrong (`light`), then fewer by tolerance and budget. Without a tolerance, a budget and that rule no
/// bake is made. `only`: names of volumes that are placed anew while `before` keeps the others; empty for
/// all. Throws Error for volumes in which nothing is free. Same places for any number of threads.
PlacedProbes place_probes(const Level& level, Job& job, const BakeStore& store = {},
                          const std::vector<std::string>& only = {},
                          const std::vector<ProbePlace>& before = {});

/// How many candidates the rules come up with that need no light: at most this many probes there are.
std::size_t count_candidates(const Level& level, Job& job);

/// Bytes that a probe takes in the game's memory: its place, distances and about six and a half tetrahedra;
/// and its light under one set.
inline constexpr std::size_t probe_bytes = 980, probe_light_bytes = 108;

}  // namespace stasigraph
