#pragma once
// One setting of a level over several values, each baked and seen from a camera.

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/io.hpp"

namespace stasigraph {

struct VaryRequest {
    std::filesystem::path level_file;
    std::filesystem::path folder, cache;  ///< Empty: default_output() and default_cache().
    std::string key;                      ///< As SheetChange::path: "quality.bounces", "light.sun.kelvin".
    std::vector<std::string> values;      ///< As TOML writes them.
    std::string set, camera;              ///< Empty: the first.
    std::optional<Tier> tier;             ///< Empty: the sheet's own.
    bool on_white = false;                ///< Light on white instead of what the player sees.
    int width = 0, height = 0;            ///< Of the pictures, pixels.
};

/// What one value came to.
struct TriedValue {
    std::string value;
    double seconds = 0;  ///< Of its bake.
    std::size_t traced = 0, layers_made = 0, layers = 0;
    double mean = 0;                          ///< Lux on what the picture shows;
    double dark = 0, middle = 0, bright = 0;  ///< 5, 50 and 95 % of it are under these.
    float noise = 0;                          ///< Relative, in the worst room.
    Picture picture;
    std::optional<float> exposure;  ///< The set's own, EV.
};

/// Bakes one value after the other, with everything they share kept. Writes nothing but the cache. Throws
/// Error where the key, a value, the set or the camera is not known.
std::vector<TriedValue> vary(const VaryRequest& request, Job& job);

}  // namespace stasigraph
