#pragma once
#include "light/direct.hpp"
#include "stasigraph/probes.hpp"
#include "transport/links.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// Rows of the probes; seeds depend on the probe's position alone.
RowSource probe_rows(const std::vector<Vec3>& places, std::uint32_t seed);

/// What the rays of rows met, `links` each, one row after the other: metres, as LinksWanted has them.
struct RayDistances {
    const RowSource& rows;
    const std::vector<float>& metres;
    std::uint32_t links = 0;
};
/// Fills front_share and distance maps of a net: probe p is row which[p], or row p where `which` is empty.
/// Distances are told apart up to each probe's reach.
void measure_probes(const RayDistances& met, const std::vector<std::uint32_t>& which, ProbeNet& net,
                    Job& job);
/// Fills clearance.
void measure_clearance(const RayCaster& caster, ProbeNet& net, Job& job);

/// What the light of a place is kept by: coefficients, as probes hold them; or lux on planes that face along
/// +x, -x, +y, -y, +z and -z, the last three of nine being 0, which is exact and what probes are judged by.
enum class LightBasis : std::uint8_t { harmonics, sides };
inline constexpr std::array<Vec3, 6> side_normals{
    {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}};

/// One group's light at probes, as it is to be sampled.
struct ProbePass {
    const DirectLight& light;
    const RowSource& rows;
    LightEffort effort;
    SkyWeights weights;
    std::uint32_t seed = 0;
    RowFlags wanted;
    LightBasis basis = LightBasis::harmonics;
};
/// Direct light at the probes that are wanted; the others keep what `out` has.
void light_probes(const ProbePass& pass, std::vector<ShRgb>& out, Job& job);

/// What light from a direction adds, for each lux across it. Of harmonics: the basis times the clamped
/// cosine's convolution, pi, 2 pi / 3, pi / 4 by order.
std::array<float, 9> response(LightBasis basis, Vec3 direction);

/// Adds light from a direction, light being illuminance across it.
void add_light(ShRgb& to, Vec3 direction, Rgb light, LightBasis basis = LightBasis::harmonics);

}  // namespace stasigraph
