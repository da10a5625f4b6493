#include <cstring>

#include "io/bake_files.hpp"
#include "io/binary.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
constexpr std::uint32_t version = 1;

}  // namespace

Bytes pack_probes(const ProbeNet& net, const std::vector<const BakedSet*>& sets) {
    BinaryWriter w;
    w.raw(magic, 8);
    w.word(version);
    w.word(static_cast<std::uint32_t>(net.size()));
    w.word(static_cast<std::uint32_t>(sets.size()));
    w.word(static_cast<std::uint32_t>(net.lattices.size()));
    w.word(probe_map_side);
    w.word(0);
    w.array(net.position);
    w.array(net.validity);
    w.array(net.clearance);
    w.array(net.distance);
    for (const BakedSet* set : sets) w.array(set->probes);
    for (const ProbeLattice& l : net.lattices) {
        w.raw(&l.low, 12);
        w.raw(&l.step, 12);
        for (int n : l.count) w.word(static_cast<std::uint32_t>(n));
        w.word(l.first);
        w.text(l.volume);
    }
    for (const BakedSet* set : sets) w.text(set->name);
    return std::move(w.bytes);
}

void unpack_probes(const Bytes& bytes, const std::string& where, ProbeNet& net, std::vector<BakedSet>& sets) {
    BinaryReader r(bytes, where);
    char head[8];
    r.raw(head, 8);
    if (std::memcmp(head, magic, 8) != 0) r.fail();
    if (const std::uint32_t v = r.word(); v != version)
        throw Error{.what = "has a version this program does not read",
                    .where = where,
                    .value = std::to_string(v),
                    .remedy = "Bake again."};
    const std::uint32_t count = r.word(), set_count = r.word(), lattices = r.word(), side = r.word();
    r.word();
    if (side != probe_map_side || set_count > 4096 || lattices > 65536) r.fail();
    r.array(net.position, count);
    r.array(net.validity, count);
    r.array(net.clearance, count);
    r.array(net.distance, std::size_t{count} * side * side);
    std::vector<ProbeLight> light(set_count);
    for (ProbeLight& l : light) r.array(l, count);
    for (std::uint32_t i = 0; i < lattices; ++i) {
        ProbeLattice l;
        r.raw(&l.low, 12);
        r.raw(&l.step, 12);
        std::size_t cells = 1;
        for (int& n : l.count) {
            const std::uint32_t v = r.word();
            if (v < 1 || v > count) r.fail();
            n = static_cast<int>(v);
            cells *= v;
            if (cells > count) r.fail();
        }
        l.first = r.word();
        if (cells + l.first > count || !(l.step.x > 0 && l.step.y > 0 && l.step.z > 0)) r.fail();
        l.volume = r.text();
        net.lattices.push_back(std::move(l));
    }
    for (std::uint32_t i = 0; i < set_count; ++i) {
        const std::string name = r.text();
        for (BakedSet& set : sets)
            if (set.name == name) set.probes = std::move(light[i]);
    }
    if (!r.done()) r.fail();
}

}  // namespace stasigraph
