#pragma once
// Shared by the writers and readers of results.

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "results/manifest.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

/// Layers of a directional page, in the order of DirectionalPage.
inline const std::vector<std::string> directional_layers = {"1-1", "10", "11"};

/// Brings a stored atlas into the order of the level's surfaces; false when some have no place in it.
bool fit_atlas(const Level& level, Atlas& atlas);

/// As load_atlas(), of bytes that were read.
Atlas atlas_of(const Bytes& bytes, const std::string& where);

/// What ties a saved bake to the UVs it was made for.
std::string atlas_hash(const Atlas& atlas);

/// places.json: see docs/files.md.
std::string places_text(const Level& level, const PlacedProbes& placed, const PlaceFigures* figures);
/// Where parts of probes.bin begin, bytes.
struct ProbeFileLayout {
    std::size_t positions, front_share, clearance, reach, origin, vertices, adjacent, nearness, light;
};
ProbeFileLayout layout_of(const ProbeNet& net);
/// A set whose probes are written, and the key of what their light is made from.
struct ProbeFileSet {
    const BakedSet& set;
    std::string made_from;
};
/// probes.bin, and probes.json, which says what stands where in it: see docs/files.md.
Bytes pack_probes(const ProbeNet& net, const std::vector<ProbeFileSet>& sets);
Json probes_json(const ProbeNet& net, const std::vector<ProbeFileSet>& sets);
void unpack_probes(const Bytes& bytes, const std::string& where, ProbeNet& net, std::vector<BakedSet>& sets);

/// What the reflections of a set are made from.
std::string captures_key(const InputKeys& keys, std::size_t set);
Json reflections_json(const std::vector<ReflectionProbe>& probes);
/// Throws Error where a value is not what it should be.
std::vector<ReflectionProbe> reflections_of(const JsonNode& list);
/// Level 0 as it would be seen on a globe: rows from the zenith, the middle column looking north (-Z).
std::vector<Rgb> unrolled(const CubeMap& map, int width);
/// A set's maps and pictures of them, mirror-<name of the probe>.
std::vector<ManifestMirror> write_mirrors(const std::filesystem::path& folder,
                                          const std::vector<ReflectionProbe>& probes, const BakedSet& set,
                                          const std::string& made_from);

}  // namespace stasigraph
