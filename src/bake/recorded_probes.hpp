#pragma once
// Probes as far as no light is concerned.

#include "bake/judged_texels.hpp"
#include "bake/opening_sight.hpp"
#include "probe/openings.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/bake_store.hpp"

namespace stasigraph {

/// Places of probes, joined to a net, with the links of each and what it sees of openings.
struct RecordedProbes {
    std::string key;  ///< placed_key() of these places.
    ProbeNet net;
    RowSource rows;
    Links links;
    OpeningSight openings;
    LightBasis basis = LightBasis::harmonics;

    RecordedRows recorded() const { return {rows, links}; }

    /// What was traced, of the net's places. False where the store has none of it.
    bool load(const BakeStore& store);
    void save(const BakeStore& store) const;
};

/// Other places; nothing is traced yet. `unlit`: key of the unlit level.
void join_probes(const Level& level, const std::vector<ProbePlace>& places, const std::string& unlit,
                 RecordedProbes& probes);

/// What is asked of probes. Borrowed.
struct ProbesWanted {
    const TracedLevel& traced;
    const TexelStates& texels;
    const std::vector<Opening>& openings;
    std::uint32_t links = 0;  ///< Of each.
    bool candidates = false;  ///< They are tried: their own links do for the map of nearness.
};
/// Traces their links; `distances` receives what LinksWanted tells of every ray.
void trace_probes(const ProbesWanted& wanted, RecordedProbes& probes, std::vector<float>& distances,
                  Job& job);

}  // namespace stasigraph
