#pragma once
// Light probes: where they are, what light each holds, and light at a point between them.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// Real orthonormal spherical harmonics of orders 0 to 2, cosine-convolved: l,m = 00, 1-1, 10, 11, 2-2, 2-1,
/// 20, 21, 22 over +Y up, so that the sum of coefficient times basis at a normal is E in lux. Ramamoorthi and
/// Hanrahan, An Efficient Representation for Irradiance Environment Maps, 2001.
using ShRgb = std::array<Rgb, 9>;

/// The nine basis functions at a unit vector, as polynomials of its world coordinates (+Y up): 1, y, z, x,
/// xy, yz, 3z^2 - 1, xz, x^2 - y^2 with their usual factors.
std::array<float, 9> sh_basis(Vec3 direction);

/// E at a normal, lux. Never below zero.
Rgb sh_irradiance(const ShRgb& light, Vec3 normal);

/// A regular lattice of probes, numbered x fastest, then y, then z.
struct ProbeLattice {
    std::string volume;
    Vec3 low, step;  ///< Metres.
    std::array<int, 3> count{};
    std::uint32_t first = 0;  ///< Number of its first probe.
};

inline constexpr int probe_map_side = 8;  ///< Octahedral map of distances, texels a side.

struct ProbeNet {
    std::vector<ProbeLattice> lattices;
    std::vector<Vec3> position;    ///< Metres.
    std::vector<float> validity;   ///< Share of rays that met no back face, 0 to 1. Below 0.7 it is unused.
    std::vector<float> clearance;  ///< Metres to the nearest surface met by its rays.
    std::vector<Vec2> distance;    ///< probe_map_side^2 for each probe: mean and mean square, metres.
    std::size_t size() const { return position.size(); }
};

/// Light of every probe under one bake set.
using ProbeLight = std::vector<ShRgb>;

struct ProbeWeights {
    int count = 0;  ///< 0: no lattice holds the point, or none of its probes is usable.
    std::array<std::uint32_t, 8> probe{};
    std::array<float, 8> weight{};  ///< Sum to 1.
};

/// The probes that answer at a point: trilinear in the first lattice that holds it, without buried probes,
/// and each weighed by whether its distance map says that it sees the point. With `outside`, a point beyond
/// every lattice is answered by the nearest place of the nearest lattice. Threads: safe. Cost: constant.
ProbeWeights probe_weights(const ProbeNet& net, Vec3 point, bool outside = false);
Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal);

}  // namespace stasigraph
