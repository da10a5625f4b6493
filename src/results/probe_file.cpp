#include <cstring>

#include "codec/binary.hpp"
#include "codec/files.hpp"
#include "probe/lamps.hpp"
#include "probe/net.hpp"
#include "results/result_parts.hpp"
#include "runtime/probe_data.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
constexpr std::uint32_t version = 5;  ///< As runtime/probe_data.cpp reads it.
constexpr std::uint32_t no_volume = 0xffffff;

constexpr std::size_t map_cells = probe_map_side * probe_map_side;
constexpr int old_map_side = 8;

/// Rule above, volume below; no_volume: none.
std::uint32_t origin_word(ProbeRule rule, std::uint32_t volume) {
    return static_cast<std::uint32_t>(rule) << 24 | (volume & no_volume);
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

template <class T, class From>
std::vector<T> as(const std::vector<From>& from) {
    static_assert(sizeof(T) % sizeof(From) == 0);
    std::vector<T> out(from.size() * sizeof(From) / sizeof(T));
    if (!out.empty()) std::memcpy(static_cast<void*>(out.data()), from.data(), from.size() * sizeof(From));
    return out;
}

ProbeLamps lamps_of(runtime::SetLamps& file) {
    return {.lamp = std::move(file.lamp),
            .color = as<Rgb>(file.color),
            .name = std::move(file.name),
            .profile = std::move(file.profile),
            .values = std::move(file.values),
            .first = std::move(file.first),
            .entry = std::move(file.entry),
            .rest = as<ShRgb>(file.rest)};
}

/// Files before version 4 have coarser maps.
void add_nearness(const runtime::ProbeData& file, ProbeNet& net) {
    const std::size_t side = static_cast<std::size_t>(file.side), times = probe_map_side / side;
    net.nearness.resize(map_cells * file.count);
    for (std::size_t i = 0; i < net.nearness.size(); ++i) {
        const std::size_t p = i / map_cells, x = i % probe_map_side / times,
                          y = i % map_cells / probe_map_side / times;
        const runtime::NearnessCode code = file.nearness[(p * side + y) * side + x];
        net.nearness[i] = {code.mean, code.spread};
    }
}

}  // namespace

ProbeFileLayout layout_of(const ProbeNet& net) {
    ProbeFileLayout l;
    const std::size_t n = net.size(), cells = net.vertex.size();
    l.positions = 80;
    l.front_share = l.positions + 12 * (n + net.auxiliary.size());
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
    for (const std::size_t v : {net.size(), sets.size(), net.vertex.size(), net.auxiliary.size(),
                                static_cast<std::size_t>(probe_map_side),
                                static_cast<std::size_t>(net.dimension), net.volumes.size()})
        w.word(static_cast<std::uint32_t>(v));
    for (const Vec3 v : {net.base, net.axis[0], net.axis[1]}) w.raw(&v, 12);
    w.word(0);
    w.array(net.position);
    w.array(net.auxiliary);
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
                 {"stand_ins", net.auxiliary.size()},
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
    runtime::ProbeData file;
    runtime::ReadProbes read = runtime::read_probe_data(bytes.data(), bytes.size(), file);
    if (read.status == runtime::Status::ok && file.side != old_map_side && file.side != probe_map_side)
        read = {runtime::Status::damaged, "has maps of nearness of another size"};
    const auto fail = [&](const char* what) {
        throw Error{.what = what, .where = where, .value = "", .remedy = "Bake again."};
    };
    if (read.status != runtime::Status::ok) fail(read.message);
    net.dimension = file.dimension;
    const auto vec = [](const float* v) { return Vec3{v[0], v[1], v[2]}; };
    net.base = vec(file.base);
    for (std::size_t k = 0; k < 2; ++k) net.axis[k] = vec(file.axis[k]);
    net.position = as<Vec3>(file.position);
    net.auxiliary.assign(net.position.begin() + file.count, net.position.end());
    net.position.resize(file.count);
    net.front_share = std::move(file.front_share);
    net.clearance = std::move(file.clearance);
    net.reach = std::move(file.reach);
    for (const std::uint32_t word : file.origin) {
        const std::uint32_t volume = word & no_volume;
        if (word >> 24 >= probe_rules || (volume != no_volume && volume >= file.volumes.size()))
            fail("has probes of a rule or volume that is not there");
        net.rule.push_back(static_cast<ProbeRule>(word >> 24));
        net.volume.push_back(volume == no_volume ? none : volume);
    }
    net.vertex = as<std::array<std::uint32_t, 4>>(file.vertex);
    net.adjacent = as<std::array<std::uint32_t, 4>>(file.adjacent);
    add_nearness(file, net);
    net.volumes = std::move(file.volumes);
    for (std::size_t i = 0; i < file.sets.size(); ++i)
        for (BakedSet& set : sets)
            if (set.name == file.sets[i]) {
                set.probes.resize(file.count);
                std::memcpy(static_cast<void*>(set.probes.data()), file.light_of(i),
                            set.probes.size() * sizeof(ShRgb));
                set.lamps = lamps_of(file.lamps[i]);
            }
    complete_net(net);
}

}  // namespace stasigraph
