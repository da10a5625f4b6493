#pragma once
// The tetrahedra between probes.

#include "runtime/net_lookup.hpp"
#include "stasigraph/probes.hpp"

namespace stasigraph {

/// A place on the lattice that all probes are on, 2^-12 m, so that one does not move when others come.
Vec3 snapped(Vec3 place);

/// A net of these places, in their order: its tetrahedra and each probe's reach, which goes by the edges from
/// it. Validity is 1, clearance and distances are left empty. Places must be snapped and distinct.
ProbeNet connect_probes(const std::vector<ProbePlace>& places, const std::vector<std::string>& volumes);

/// Fills in what is not written to files: `points` and `inverse`.
void complete_net(ProbeNet& net);

/// The net as the lookup sees it; borrowed.
runtime::NetView view_of(const ProbeNet& net);

}  // namespace stasigraph
