#include "bake/recorded_probes.hpp"

#include "bake/kept_links.hpp"
#include "bake/keys.hpp"
#include "base/blob.hpp"
#include "probe/net.hpp"

namespace stasigraph {

namespace {

/// Of each probe, for its map of nearness: at least four a cell.
constexpr std::uint32_t least_map_rays = 1024;
/// Of each row that looks out of an opening.
constexpr std::uint32_t links_out = 128;

void trace_openings(const ProbesWanted& wanted, RecordedProbes& probes, Job& job) {
    const TracedLevel& traced = wanted.traced;
    OpeningSight& sight = probes.openings;
    sight = openings_as_lamps(wanted.openings, traced.level.quality.seed);
    if (sight.lamp.empty()) return;
    const std::vector<std::uint32_t> lengths(sight.rows.size(), links_out);
    record_links(traced, {sight.rows, lengths}, wanted.texels, sight.links, job);
    // Of a probe in or behind geometry nothing is asked.
    RowFlags asked;
    for (const float front : probes.net.front_share) asked.push_back(front >= runtime::least_front_share);
    see_openings(traced.caster, probes.rows, asked, sight, job);
}

}  // namespace

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

void join_probes(const Level& level, const std::vector<ProbePlace>& places, const std::string& unlit,
                 RecordedProbes& probes) {
    std::vector<std::string> names;
    for (const Volume& v : level.volumes) names.push_back(v.name);
    probes.net = connect_probes(places, names);
    probes.rows = probe_rows(probes.net.position, level.quality.seed);
    probes.links = {};
    probes.openings = {};
    probes.key = placed_key(level, places, unlit);
}

void trace_probes(const ProbesWanted& wanted, RecordedProbes& probes, std::vector<float>& distances,
                  Job& job) {
    const TracedLevel& traced = wanted.traced;
    probes.links = {};
    const std::vector<std::uint32_t> lengths(probes.net.size(), wanted.links);
    record_links(traced, {.rows = probes.rows, .lengths = lengths, .distances = &distances}, wanted.texels,
                 probes.links, job);
    if (wanted.links < least_map_rays && !wanted.candidates) {
        Links apart;
        std::vector<float> more;
        const std::vector<std::uint32_t> enough(probes.net.size(), least_map_rays);
        extend_links(traced, {.rows = probes.rows, .lengths = enough, .distances = &more}, apart, job);
        measure_probes({probes.rows, more, least_map_rays}, {}, probes.net, job);
    } else {
        measure_probes({probes.rows, distances, wanted.links}, {}, probes.net, job);
    }
    measure_clearance(traced.caster, probes.net, job);
    trace_openings(wanted, probes, job);
}

}  // namespace stasigraph
