#include "bake/recorded_probes.hpp"

#include "bake/kept_links.hpp"
#include "base/blob.hpp"

namespace stasigraph {

bool RecordedProbes::load(const BakeStore& store) {
    Blob blob;
    if (!store.load || !store.load("probes-" + key, blob)) return false;
    BlobReader in(blob);
    in.array(net.front_share, net.size());
    in.array(net.clearance, net.size());
    in.array(net.nearness, net.size() * probe_map_side * probe_map_side);
    return read_links(in, net.size(), links) && openings.read(in) && in.done();
}

void RecordedProbes::save(const BakeStore& store) const {
    if (!store.save || net.size() == 0) return;
    BlobWriter out;
    out.array(net.front_share);
    out.array(net.clearance);
    out.array(net.nearness);
    write_links(out, links);
    openings.write(out);
    store.save("probes-" + key, out.parts());
}

}  // namespace stasigraph
