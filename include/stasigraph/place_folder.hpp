#pragma once
// Placing as a person asks for it: probes and reflection probes of a level, into its folder of results.

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/io.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/place.hpp"

namespace stasigraph {

struct PlaceRequest {
    std::filesystem::path level_file;
    std::filesystem::path folder, cache;  ///< Empty: default_output() and default_cache().
    std::vector<std::string> only;        ///< Volumes that are placed anew; empty: all.
    bool exact = false;                   ///< A bake at glance tells how far off the probes are.
};

struct PlaceOutcome {
    PlacedProbes probes;
    std::filesystem::path file;  ///< places.json; empty where the level asks for no probes.
    std::vector<ReflectionProbe> reflections;
    std::vector<RoomProbes> rooms;  ///< Of an exact request.
};

/// Holds the folder meanwhile. Throws Error where the level asks for neither, or the folder is another
/// level's.
PlaceOutcome place_in_folder(const PlaceRequest& request, const Level& level, Job& job);

}  // namespace stasigraph
