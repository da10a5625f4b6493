#include <cstring>

#include "codec/binary.hpp"
#include "codec/files.hpp"
#include "probe/lamps.hpp"
#include "probe/net.hpp"
#include "results/result_parts.hpp"
#include "runtime/half.hpp"
#include "runtime/lamp_sum.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
/// Files of version 2 have no lamps, those before 4 mean and mean square distances, those before 5 no
/// openings.
constexpr std::uint32_t version = 5, oldest_version = 2;

constexpr std::size_t map_cells = probe_map_side * probe_map_side, old_map_side = 8;

/// Rule above, volume below; 0xffffff: none.
std::uint32_t origin_word(ProbeRule rule, std::uint32_t volume) {
    return static_cast<std::uint32_t>(rule) << 24 | (volume & 0xffffffu);
}

void write_lamps(BinaryWriter& w, const ProbeLamps& lamps) {
    for (const std::size_t v : {lamps.lamp.size(), lamps.profile.size(), lamps.values.size(),
                                lamps.entry.size(), std::size_t{lamps.rest.empty() ? 0u : 1u}})
        w.word(static_cast<std::uint32_t>(v));
    if (lamps.rest.empty()) return;
    w.array(lamps.lamp);
    w.array(lamps.color);
    w.array(lamps.profile);
    w.array(lamps.values);
    w.array(lamps.first);
    w.array(lamps.entry);
    w.array(lamps.rest);
    for (const std::string& name : lamps.name) w.text(name);
}

ProbeLamps read_lamps(BinaryReader& r, std::uint32_t probes, runtime::LampKind last) {
    ProbeLamps lamps;
    const std::uint32_t count = r.word(), profiles = r.word(), values = r.word(), entries = r.word();
    if (r.word() == 0) {
        if (count + profiles + values + entries != 0) r.fail();
        return lamps;
    }
    r.array(lamps.lamp, count);
    r.array(lamps.color, count);
    r.array(lamps.profile, profiles);
    r.array(lamps.values, values);
    r.array(lamps.first, std::size_t{probes} + 1);
    r.array(lamps.entry, entries);
    r.array(lamps.rest, probes);
    for (std::uint32_t i = 0; i < count; ++i) lamps.name.push_back(r.text());
    if (runtime::wrong_lamps(view_of(lamps), last, profiles, values, lamps.first.data(), lamps.entry.data(),
                             entries, probes))
        r.fail();
    return lamps;
}

/// Files before version 4 hold mean and mean square distances, to 16 bits, on a coarser map.
void read_distances(BinaryReader& r, std::size_t count, ProbeNet& net) {
    static_assert(probe_map_side == 2 * old_map_side);
    std::vector<std::uint16_t> halves;
    r.array(halves, 2 * old_map_side * old_map_side * count);
    net.nearness.resize(map_cells * count);
    for (std::size_t i = 0; i < net.nearness.size(); ++i) {
        const std::size_t p = i / map_cells, x = i % probe_map_side / 2,
                          y = i % map_cells / probe_map_side / 2,
                          from = 2 * ((p * old_map_side + y) * old_map_side + x);
        const runtime::NearnessCode code =
            runtime::nearness_code(runtime::from_half(halves[from]), runtime::from_half(halves[from + 1]));
        net.nearness[i] = {code.mean, code.spread};
    }
}

}  // namespace

ProbeFileLayout layout_of(const ProbeNet& net) {
    ProbeFileLayout l;
    const std::size_t n = net.size(), cells = net.vertex.size();
    l.positions = 80;
    l.front_share = l.positions + 12 * (n + net.stand_in.size());
    l.clearance = l.front_share + 4 * n;
    l.reach = l.clearance + 4 * n;
    l.origin = l.reach + 4 * n;
    l.vertices = l.origin + 4 * n;
    l.adjacent = l.vertices + 16 * cells;
    l.nearness = l.adjacent + 16 * cells;
    l.light = l.nearness + 2 * map_cells * n;
    return l;
}

Bytes pack_probes(const ProbeNet& net, const std::vector<ProbeFileSet>& sets) {
    BinaryWriter w;
    w.raw(magic, 8);
    w.word(version);
    for (const std::size_t v : {net.size(), sets.size(), net.vertex.size(), net.stand_in.size(),
                                static_cast<std::size_t>(probe_map_side),
                                static_cast<std::size_t>(net.dimension), net.volumes.size()})
        w.word(static_cast<std::uint32_t>(v));
    for (const Vec3 v : {net.base, net.axis[0], net.axis[1]}) w.raw(&v, 12);
    w.word(0);
    w.array(net.position);
    w.array(net.stand_in);
    w.array(net.front_share);
    w.array(net.clearance);
    w.array(net.reach);
    for (std::size_t p = 0; p < net.size(); ++p) w.word(origin_word(net.rule[p], net.volume[p]));
    w.array(net.vertex);
    w.array(net.adjacent);
    w.array(net.nearness);
    for (const ProbeFileSet& s : sets) w.array(s.set.probes);
    for (const std::string& name : net.volumes) w.text(name);
    for (const ProbeFileSet& s : sets) w.text(s.set.name);
    for (const ProbeFileSet& s : sets) write_lamps(w, s.set.lamps);
    return std::move(w.bytes);
}

Json probes_json(const ProbeNet& net, const std::vector<ProbeFileSet>& sets) {
    const ProbeFileLayout at = layout_of(net);
    const auto part = [](std::size_t offset, const char* type) {
        return Json{{"offset", offset}, {"type", type}};
    };
    Json json = {{"format", "stasigraph probes"},
                 {"version", 3},
                 {"file", "probes.bin"},
                 {"count", net.size()},
                 {"byte_order", "little"},
                 {"basis",
                  "nine real orthonormal spherical harmonics of world coordinates, +Y up, cosine-convolved: "
                  "00, 1-1 (y), 10 (z), 11 (x), 2-2 (xy), 2-1 (yz), 20 (3z2-1), 21 (xz), 22 (x2-y2); lux"},
                 {"positions", part(at.positions, "float32[3]")},
                 {"stand_ins", net.stand_in.size()},
                 {"dimension", net.dimension},
                 {"base", vec(net.base)},
                 {"axes", Json::array({vec(net.axis[0]), vec(net.axis[1])})},
                 {"front_share", part(at.front_share, "float32")},
                 {"clearance", part(at.clearance, "float32")},
                 {"reach", part(at.reach, "float32")},
                 {"origin", part(at.origin, "uint32: rule << 24 | volume")},
                 {"rules", Json::array()},
                 {"volumes", net.volumes},
                 {"tetrahedra",
                  {{"count", net.vertex.size()},
                   {"vertices", part(at.vertices, "uint32[4]")},
                   {"beside", part(at.adjacent, "uint32[4]")}}},
                 {"nearness", {{"offset", at.nearness}, {"type", "uint8[2]"}, {"map_side", probe_map_side}}}};
    for (int r = 0; r < probe_rules; ++r) json["rules"].push_back(to_text(static_cast<ProbeRule>(r)));
    for (std::size_t s = 0; s < sets.size(); ++s)
        json["sets"].push_back({{"name", sets[s].set.name},
                                {"offset", at.light + s * 108 * net.size()},
                                {"type", "float32[9][3]"},
                                {"lamps", sets[s].set.lamps.name},
                                {"made_from", sets[s].made_from}});
    return json;
}

void unpack_probes(const Bytes& bytes, const std::string& where, ProbeNet& net, std::vector<BakedSet>& sets) {
    BinaryReader r(bytes, where);
    char head[8];
    r.raw(head, 8);
    if (std::memcmp(head, magic, 8) != 0) r.fail();
    const std::uint32_t written = r.word();
    if (written < oldest_version || written > version)
        throw Error{.what = "has a version this program does not read",
                    .where = where,
                    .value = std::to_string(written),
                    .remedy = "Bake again."};
    const std::uint32_t count = r.word(), set_count = r.word(), cells = r.word(), stand_ins = r.word(),
                        side = r.word(), dimension = r.word(), volumes = r.word();
    if (side != (written < 4 ? old_map_side : probe_map_side) || set_count > 4096 || volumes > 65536 ||
        stand_ins > 3 || dimension > 3)
        r.fail();
    net.dimension = static_cast<int>(dimension);
    for (Vec3* v : {&net.base, &net.axis[0], &net.axis[1]}) r.raw(v, 12);
    r.word();
    r.array(net.position, count);
    r.array(net.stand_in, stand_ins);
    r.array(net.front_share, count);
    r.array(net.clearance, count);
    r.array(net.reach, count);
    for (std::uint32_t p = 0; p < count; ++p) {
        const std::uint32_t word = r.word(), volume = word & 0xffffffu;
        if (word >> 24 >= probe_rules || (volume != 0xffffffu && volume >= volumes)) r.fail();
        net.rule.push_back(static_cast<ProbeRule>(word >> 24));
        net.volume.push_back(volume == 0xffffffu ? none : volume);
    }
    r.array(net.vertex, cells);
    r.array(net.adjacent, cells);
    for (std::uint32_t c = 0; c < cells; ++c)
        for (int k = 0; k < 4; ++k)
            if (net.vertex[c][k] >= count + stand_ins ||
                (net.adjacent[c][k] != none && net.adjacent[c][k] >= cells))
                r.fail();
    if (written < 4)
        read_distances(r, count, net);
    else
        r.array(net.nearness, map_cells * count);
    std::vector<ProbeLight> light(set_count);
    for (ProbeLight& l : light) r.array(l, count);
    for (std::uint32_t i = 0; i < volumes; ++i) net.volumes.push_back(r.text());
    std::vector<std::string> names;
    for (std::uint32_t i = 0; i < set_count; ++i) names.push_back(r.text());
    for (std::uint32_t i = 0; i < set_count; ++i) {
        ProbeLamps lamps;
        if (written >= 3)
            lamps = read_lamps(r, count, written < 5 ? runtime::LampKind::tube : runtime::LampKind::opening);
        for (BakedSet& set : sets)
            if (set.name == names[i]) {
                set.probes = std::move(light[i]);
                set.lamps = std::move(lamps);
            }
    }
    if (!r.done()) r.fail();
    complete_net(net);
}

}  // namespace stasigraph
