#pragma once
// What probes see of windows, doors and skylights, and what light comes in by them.

#include "base/blob.hpp"
#include "probe/openings.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/probes.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// Openings as lamps, whatever light there is: all of it is by geometry alone, so that what a probe lists is
/// the same in every light group and its layers can be mixed.
struct OpeningSight {
    /// What one probe sees of one.
    struct Seen {
        std::uint32_t probe = 0, lamp = 0;
        std::uint32_t seen = 0;        ///< The lower half of an entry: the share of it that is not hidden.
        std::array<float, 9> light{};  ///< In coefficients, of radiance 1.
    };
    /// Rows of each of their sides; and lamps, each of lines to it that rise by so much.
    static constexpr std::uint32_t rows_a_side = 8, parts = 4;
    static constexpr std::array<float, parts + 1> rises{-1e30f, 0, 0.3f, 1, 1e30f};
    /// Rules: (1) `parts` of each opening of what comes along its normal, then as many against it. (2) `seen`
    /// is ordered by probe, then by lamp. (3) each side of an opening has rows_a_side rows, which look out
    /// through it.
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

/// Of the lamps of one side, given by the first, the one that is seen in a direction.
std::size_t opening_part(const runtime::Lamp& first, Vec3 way);

/// Fills in what each probe sees: up to three openings that are wide as seen from there. `wanted`: probes
/// that are asked.
void see_openings(const RayCaster& caster, const RowSource& probes, const RowFlags& wanted,
                  OpeningSight& sight, Job& job);

}  // namespace stasigraph
