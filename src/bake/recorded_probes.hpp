#pragma once
// Probes as far as no light is concerned.

#include "bake/opening_sight.hpp"
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

    /// What was traced, of the net's places. False where the store has none of it.
    bool load(const BakeStore& store);
    void save(const BakeStore& store) const;
};

}  // namespace stasigraph
