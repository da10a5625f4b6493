#pragma once
// Light probes: where they are, what light each holds, and light at a point between them.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/lamp.hpp"
#include "stasigraph/volume.hpp"

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

inline constexpr int probe_map_side = 16;  ///< Octahedral map of nearness, texels a side.

/// Probes, and the tetrahedra between them. Rules: (1) vertices of a tetrahedron are numbers of probes, or
/// from size() on of auxiliary points, which hold no light and are there where all probes lie in a plane or a
/// line. (2) beside[k] lies over the face opposite vertex k; `none` at the hull. (3) Positions are multiples
/// of 2^-12 m, by which tetrahedra are exact where a net is no wider than 512 m, and else to a step of the
/// lattice that spans it in 2^21 steps.
///
/// Threads: const use is safe from any number of threads.
struct ProbeNet {
    std::vector<Vec3> position;  ///< Metres.
    std::vector<ProbeRule> rule;
    std::vector<std::uint32_t> volume;  ///< Into `volumes`; none: placed by hand.
    std::vector<std::string> volumes;   ///< Names.
    std::vector<float> front_share;  ///< Share of rays that met no back face, 0 to 1. Below 0.7 it is unused.
    std::vector<float> clearance;    ///< Metres to the nearest surface.
    std::vector<float> reach;        ///< Metres up to which distances are told apart.
    /// probe_map_side^2 for each probe: one over the distance to what it sees there and how far that
    /// scatters, in a byte each, as docs/files.md has it.
    std::vector<std::array<std::uint8_t, 2>> nearness;

    std::vector<std::array<std::uint32_t, 4>> vertex, adjacent;
    std::vector<Vec3> auxiliary;  ///< Metres.
    int dimension = 3;            ///< Of what the probes span, 0 to 3; lower: points are projected into it.
    Vec3 base;                    ///< A point of it,
    std::array<Vec3, 2> axis{};   ///< and the unit vectors that span it, as many as it has dimensions.
    std::vector<std::array<float, 9>> inverse;  ///< Of each tetrahedron: offsets to weights.
    std::vector<Vec3> points;                   ///< Positions, then auxiliary points.
    /// Probes that share a tetrahedron with each, and itself: neighbour_first[p] to [p + 1].
    std::vector<std::uint32_t> neighbour_first, neighbour;
    /// Where the net ends: tetrahedra that count as outside, and the faces around the others, as
    /// runtime/net_border.hpp keeps them.
    std::vector<std::uint32_t> border;
    std::uint32_t border_faces = 0;
    std::vector<float> border_box;

    std::size_t size() const { return position.size(); }
};

/// Light of every probe under one bake set.
using ProbeLight = std::vector<ShRgb>;

/// The lamps of a set that probes tell by themselves: what a probe sees of each is interpolated, and the lamp
/// worked out at the place that is asked for. Rules: (1) `rest` is as long as there are probes; empty: lamps
/// are not told apart. (2) `first` has one element more; entry[first[p]] to entry[first[p + 1]] are what
/// probe p sees, as docs/files.md tells: the lamp's number, the share of it that is seen, how far off its
/// shadow is.
struct ProbeLamps {
    std::vector<runtime::Lamp> lamp;
    std::vector<Rgb> color;  ///< Of each, as the set has it.
    std::vector<std::string> name;
    std::vector<runtime::LampProfile> profile;
    std::vector<float> values;  ///< Of profiles.
    std::vector<std::uint32_t> first, entry;
    ProbeLight rest;  ///< Light of probes without these lamps.
};

struct ProbeWeights {
    int count = 0;  ///< 0: none is usable.
    std::array<std::uint32_t, 8> probe{};
    std::array<float, 8> weight{};  ///< Sum to 1.
    float beyond = 0;               ///< Metres from the net, of a point outside it.
};

/// The probes that answer at a point: those of its tetrahedron, outside the net of the nearest place of its
/// border; without invalid ones, and each weighed by whether its map of nearness says that it sees the point
/// (`corrected`). What they do not see of it near probes that do make up for. `hint`: a tetrahedron
/// to look from first; becomes that of the point. Threads: safe. Cost: constant with a good hint.
ProbeWeights probe_weights(const ProbeNet& net, Vec3 point, std::uint32_t& hint, bool corrected = true);
ProbeWeights probe_weights(const ProbeNet& net, Vec3 point);
Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal);
/// The same with lamps worked out at the point; where they are not told apart, as above.
Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, const ProbeLamps& lamps,
                     Vec3 point, Vec3 normal);

}  // namespace stasigraph
