#pragma once
// What each part of a bake depends on, as hashes: equal keys, equal bytes.

#include <string>

#include "base/hash.hpp"
#include "stasigraph/atlas.hpp"

namespace stasigraph {

/// What rays see: geometry, what materials let through, normal maps, texels, seed, and the links looked at to
/// tell what is invalid. Not lights, colours, the tier's ray counts, nor volumes of probes.
std::string unlit_key(const Level& level, const Atlas& atlas);
/// What decides how pages are laid out, beside what rays see.
std::string charts_key(const Level& level);
/// From where charts are seen.
void add_sight(Hasher& h, const Level& level);
/// What rays see and nothing else, whatever the texels.
std::string geometry_key(const Level& level);
/// Under this name a store knows the last unlit level of this seed, density and so on: what an edit starts
/// from.
std::string marks_name(const Level& level);
/// What a level asks of its probes, on an unlit level: their places where those are known, else what decides
/// them.
std::string probe_key(const Level& level, const std::string& unlit);
/// Probes at these places and their links, on an unlit level.
std::string placed_key(const Level& level, const std::vector<ProbePlace>& places, const std::string& unlit);

/// The keys of one light group on an unlit level.
struct LayerKeys {
    std::string direct;  ///< Light straight from its sources.
    std::string light;  ///< All of its light, as pages show it; `colors` is the key of what surfaces reflect.
};
LayerKeys layer_keys(const Level& level, std::uint32_t group, const std::string& unlit,
                     const std::string& colors);
/// All that a layer depends on as it is shown, pages and probes. `probes`: UnlitLevel::probe_key.
std::string shown_layer_key(const Level& level, const LayerKeys& keys, const std::string& unlit,
                            const std::string& probes);
/// What images show as far as the unlit level's key does not tell; `colors`: color_key().
std::string textures_key(const Level& level, const std::string& colors);
/// Base colours and their textures, and what bounces make of them.
std::string color_key(const Level& level);

/// Lights whose shadows are baked while they stay live, on an unlit level.
std::string visibility_key(const Level& level, const std::string& unlit);
std::string occlusion_key(const Level& level, const std::string& unlit);

/// Lux of a group below which its noise is not seen under any set, in steps of two stops; 0 where a set that
/// shows it is metered, since its light is not known beforehand.
float unseen_light_of(const Level& level, std::uint32_t group);

/// Whether any volume starts from cameras.
bool explores_from_cameras(const Level& level);

/// What a probe's place and settings contribute to keys.
void add_reflection(Hasher& h, const ReflectionProbe& probe);

}  // namespace stasigraph
