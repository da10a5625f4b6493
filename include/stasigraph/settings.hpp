#pragma once
// What a bake is asked for: pages, quality, maps, and what a level is held to.

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/scene.hpp"

namespace stasigraph {

/// What a texel of a lightmap holds.
enum class LightmapShape : std::uint8_t {
    flat,        ///< Irradiance on the surface; normal maps are baked in as far as texels show them.
    directional  ///< That, and irradiance by normal as spherical harmonics of orders 0 and 1.
};

struct LightmapOptions {
    LightmapShape shape = LightmapShape::flat;
    float density = 16;  ///< Texels per metre of surface. Range (0, 4096].
    int page = 1024;     ///< Texels; a power of two in [16, 16384].
    int margin = 4;      ///< Texels kept free around each chart. Range [1, 64]; see margin_for_mips().
    /// Largest stretch of any triangle a texel can show: the greater of the longest direction and the inverse
    /// of the shortest, against an even density. Range [1.01, 10]. Lower: more seams. Higher: uneven texels.
    float stretch_limit = 1.5f;
    int block = 1;  ///< Charts share no block of this many texels square: 1, 4 or 8.
    int pages = 0;  ///< At most this many pages, the density giving way; 0 for as many as it takes.
    Cut cut = Cut::automatic;  ///< Whether surfaces are cut where walls stand on them: part_surfaces().
    /// What stands over a surface by less, metres, rests on it, as far as cutting is concerned. Range
    /// [0.001, 0.1].
    float cut_within = 0.01f;
    Sides sides = Sides::automatic;
    bool shrink_unseen =
        false;  ///< Charts that cannot be seen from any volume (or camera) get the least density.
    friend bool operator==(const LightmapOptions&, const LightmapOptions&) = default;
};

/// Texels of margin with which a page can be halved so often before a lookup at a chart's edge mixes in
/// another chart: 2^(halvings + 1), half of it filled from either side. Range [0, 5].
int margin_for_mips(int halvings);

enum class Tier : std::uint8_t { glance, proof, final };
/// "glance", "proof" or "final", and back; empty for other names.
const char* tier_name(Tier tier);
std::optional<Tier> tier_named(const std::string& name);

/// Whether light that came by links is smoothed where that lowers its error.
enum class Denoise : std::uint8_t { automatic, off };

/// Whether both sides of a seam are brought to agree.
enum class Seams : std::uint8_t { automatic, off };

/// Whether edges of hard shadows are spread over two texels, so that filtering draws them straight, or are as
/// sharp as single texels show them.
enum class Edges : std::uint8_t { straight, sharp };

struct BakeOptions {
    Tier tier = Tier::proof;
    std::optional<int> bounces;  ///< Number of bounces; empty means until settled.
    /// Times what physics says each bounce carries on; 1 is physical. Range [0, 4]; no surface then reflects
    /// more than 95 % all the same.
    float bounce_gain = 1;
    /// Of the colour that light takes on when it bounces: 0 is grey, 1 as the surfaces are. Range [0, 4].
    float saturation = 1;
    float noise = 0;  ///< Relative standard error aimed for; 0 means the tier's own.
    int links = 0;    ///< Gather rays of every texel, [8, 4096]; 0 means the tier's own, by noise.
    Denoise denoise = Denoise::automatic;
    Seams seams = Seams::automatic;
    Edges edges = Edges::straight;
    std::uint32_t seed = 1;
    friend bool operator==(const BakeOptions&, const BakeOptions&) = default;
};

/// A map of how open the surroundings of each texel are.
struct OcclusionOptions {
    float reach = 0;  ///< Metres; what is farther away hides nothing. Range [0.01, 1000]; 0: no map.
    friend bool operator==(const OcclusionOptions&, const OcclusionOptions&) = default;
};

/// What shares a texture of light times base colour.
enum class PrelitBy : std::uint8_t { nothing, page, surface };

/// Light times base colour as ordinary textures, for what cannot draw lightmaps.
struct PrelitOptions {
    PrelitBy by = PrelitBy::nothing;  ///< nothing: none are made.
    int detail = 2;                   ///< Pixels along a texel. Range [1, 16].
    std::optional<float> exposure;    ///< Exposure value at ISO 100; empty: metered, set by set.
};

/// What a tier stands for.
struct TierOptions {
    float density_scale;          ///< Times the sheet's density.
    int first_links, most_links;  ///< A row starts with the one and grows to the other.
    float noise;                  ///< Relative standard error aimed for.
    int light_samples;            ///< Shadow rays for a light large enough to need them.
    int light_cut;                ///< Into how many parts the lamps of a group are told apart, at most.
    int probe_links;
    int occlusion_rays;  ///< A texel.
    float smoothing;     ///< How much noise counts against detail: over 1 smooths more.
};
TierOptions tier_options(Tier tier);
/// The same with what the settings ask for instead.
TierOptions tier_options(const BakeOptions& quality);

/// Findings that somebody looked at and wants to be so: they stay listed, and no longer count.
struct Acceptance {
    std::string finding = "*", match = "*";  ///< Globs over a finding's id and over any of its names.
    std::string reason;
};

/// What check() is to hold a level to.
struct CheckOptions {
    float least_light = 0;  ///< Lux that every place has to have where people walk, in every set; 0: any.
};

struct Settings {
    LightmapOptions lightmap;
    OcclusionOptions occlusion;
    PrelitOptions prelit;
    BakeOptions quality;
    CheckOptions check;
    std::vector<Acceptance> accepted;
};

}  // namespace stasigraph
