#pragma once
#include "light/direct.hpp"
#include "stasigraph/probes.hpp"
#include "transport/links.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// Rows of the probes; seeds depend on the probe's position alone.
RowSource probe_rows(const std::vector<Vec3>& places, std::uint32_t seed);

/// Fills front_share and distance maps of a net from what the rays of rows met, `links` each: probe p is row
/// which[p], or row p where `which` is empty. Distances are told apart up to each probe's reach.
void measure_probes(const RowSource& rows, const std::vector<float>& distances, std::uint32_t links,
                    const std::vector<std::uint32_t>& which, ProbeNet& net, Job& job);
/// Fills clearance.
void measure_clearance(const RayCaster& caster, ProbeNet& net, Job& job);

/// Direct light of one group at the probes that are wanted, as coefficients; the others keep what `out` has.
void light_probes(const DirectLight& light, const RowSource& rows, const LightEffort& effort,
                  const SkyWeights& weights, std::uint32_t seed, const std::vector<std::uint8_t>& wanted,
                  std::vector<ShRgb>& out, Job& job);

/// The basis at a direction times the clamped cosine's convolution: pi, 2 pi / 3, pi / 4 by order.
std::array<float, 9> convolved_basis(Vec3 direction);

/// Adds light from a direction, light being illuminance across it.
void add_light(ShRgb& sh, Vec3 direction, Rgb light);

}  // namespace stasigraph
