#pragma once
// Shared by the writers and readers of results.

#include <span>

#include "io/files.hpp"
#include "io/json_place.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

/// Texel values times 2^-exponent as 16-bit floats, the exponent in the header attribute
/// "stasigraph:exponent", and in "stasigraph:made_from" the key of what they were made from.
void write_scaled_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels,
                      int exponent, const std::string& made_from);
/// The values as they were, by the exponent in the header; `where` for messages.
std::vector<Rgb> read_scaled_exr(const Bytes& bytes, const std::string& where, int side);

/// Layers of one size in one file, their channels named "<layer>.R" and so on; `values` holds one colour of
/// each layer for each pixel. Scaled as above.
struct LayeredImage {
    int width = 0, height = 0;
    std::vector<std::string> layers;
    std::vector<Rgb> values;
};
void write_layered_exr(const std::filesystem::path& to, const LayeredImage& image, int exponent,
                       const std::string& made_from);
/// Throws Error where the size is another or a layer is missing.
LayeredImage read_layered_exr(const Bytes& bytes, const std::string& where, int side,
                              std::vector<std::string> layers);

/// Layers of a directional page, in the order of DirectionalPage.
inline const std::vector<std::string> directional_layers = {"1-1", "10", "11"};

/// The smallest exponent, 0 or more, that brings every channel under 16384.
int image_exponent(std::span<const Rgb> pixels);
Bytes encode_png(int width, int height, const std::vector<std::uint8_t>& rgb);
/// Eight-bit RGB; `quality` 1 to 100.
Bytes encode_jpeg(int width, int height, const std::vector<std::uint8_t>& rgb, int quality);
Bytes encode_png_rgba(int width, int height, const std::vector<std::uint8_t>& rgba);
/// One channel that is no colour.
Bytes encode_png_grey(int width, int height, const std::vector<std::uint8_t>& grey);

/// Where a surface stands in the level as it is written: its node, and its primitive in that node's mesh;
/// none where it is not in there.
struct GlbPlace {
    std::uint32_t node = none, primitive = none;
};
/// By surface.
std::vector<GlbPlace> glb_places(const Level& level);

const char* tier_name(Tier tier);

/// Brings a stored atlas into the order of the level's surfaces; false when some have no place in it.
bool fit_atlas(const Level& level, Atlas& atlas);

/// As load_atlas() and load_reflection(), of bytes that were read.
Atlas atlas_of(const Bytes& bytes, const std::string& where);
ReflectionMap reflection_of(const Bytes& bytes, const std::string& where);

/// What ties a saved bake to the UVs it was made for.
std::string atlas_hash(const Atlas& atlas);

/// places.json: see docs/files.md.
std::string places_text(const Level& level, const PlacedProbes& placed, const PlaceFigures* figures);
/// Where parts of probes.bin begin, bytes.
struct ProbeFileLayout {
    std::size_t positions, front_share, clearance, reach, origin, vertices, adjacent, nearness, light;
};
ProbeFileLayout layout_of(const ProbeNet& net);
/// probes.bin: see docs/files.md.
Bytes pack_probes(const ProbeNet& net, const std::vector<const BakedSet*>& sets);
void unpack_probes(const Bytes& bytes, const std::string& where, ProbeNet& net, std::vector<BakedSet>& sets);

/// What the reflections of a set are made from.
std::string captures_key(const InputKeys& keys, std::size_t set);
Json reflections_json(const std::vector<ReflectionProbe>& probes);
/// Throws Error where a value is not what it should be.
std::vector<ReflectionProbe> reflections_of(const JsonPlace& list);
/// Level 0 as it would be seen on a globe: rows from the zenith, the middle column looking north (-Z).
std::vector<Rgb> unrolled(const CubeMap& map, int width);
/// A set's maps and pictures of them, mirror-<name of the probe>: adds both to an entry of the manifest, and
/// their names to `names`.
void write_reflections(const std::filesystem::path& folder, const std::vector<ReflectionProbe>& probes,
                       const BakedSet& set, const std::string& made_from, Json& entry,
                       std::vector<std::string>& names);

inline constexpr int manifest_version = 2;

}  // namespace stasigraph
