#pragma once
// What probes see of windows, doors and skylights, and the light that comes in through them.

#include "base/blob.hpp"
#include "probe/openings.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/probes.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// Openings as lamps. All of it depends on geometry alone, so that a probe lists the same in every light
/// group and layers can be mixed.
struct OpeningSight {
    /// What one probe sees of one opening.
    struct Seen {
        std::uint32_t probe = 0, lamp = 0;
        std::uint32_t seen = 0;        ///< The lower half of an entry: the share that is not hidden.
        std::array<float, 9> light{};  ///< Coefficients of its light at radiance 1.
    };
    /// Each side of an opening has this many rows and this many lamps. A lamp covers lines of sight that rise
    /// between two of the slopes.
    static constexpr std::uint32_t rows_a_side = 8, parts = 4;
    static constexpr std::array<float, parts + 1> rises{-1e30f, 0, 0.3f, 1, 1e30f};
    /// Rules: (1) an opening has `parts` lamps for light along its normal, then as many for light against it.
    /// (2) `seen` is ordered by probe, then by lamp. (3) rows look out through the opening.
    std::vector<runtime::Lamp> lamp;
    std::vector<Seen> seen;
    RowSource rows;
    Links links;

    void write(BlobWriter& out) const;
    bool read(BlobReader& in);
};

/// Openings as lamps with the rows that look out of them; `links` is left empty, `seen` as well.
OpeningSight openings_as_lamps(const std::vector<Opening>& openings, std::uint32_t seed);

/// What such a lamp is called.
std::string opening_name(std::size_t lamp);

/// Which lamp of a side, given its first, is seen in a direction.
std::size_t opening_part(const runtime::Lamp& first, Vec3 way);

/// Fills in what each wanted probe sees: at most the three openings that look widest from there.
void see_openings(const RayCaster& caster, const RowSource& probes, const RowFlags& wanted,
                  OpeningSight& sight, Job& job);

}  // namespace stasigraph
