#include "game/packed_lamps.hpp"

#include <algorithm>
#include <cstring>
#include <utility>

#include "runtime/lamp_sum.hpp"

namespace stasigraph {

namespace {

/// What each probe sees of one lamp: probe and entry without the number, by probe.
using Column = std::vector<std::pair<std::uint32_t, std::uint32_t>>;

std::vector<Column> columns_of(const ProbeLamps& lamps) {
    std::vector<Column> out(lamps.lamp.size());
    for (std::uint32_t p = 0; p + 1 < lamps.first.size(); ++p)
        for (std::uint32_t i = lamps.first[p]; i < lamps.first[p + 1]; ++i)
            out[lamps.entry[i] >> 16].push_back({p, lamps.entry[i] & 0xffffu});
    return out;
}

/// The number of a profile among those that are packed.
std::uint32_t pack_profile(const ProbeLamps& from, std::uint32_t number, PackedLamps& to) {
    if (number == none) return none;
    runtime::LampProfile own = from.profile[number];
    const std::size_t size = own.planes + own.angles + std::size_t{own.planes} * own.angles;
    const auto values = from.values.begin() + own.first;
    for (std::uint32_t i = 0; i < to.profile.size(); ++i) {
        const runtime::LampProfile& known = to.profile[i];
        if (known.type_b == own.type_b && known.planes == own.planes && known.angles == own.angles &&
            std::equal(values, values + static_cast<std::ptrdiff_t>(size), to.values.begin() + known.first))
            return i;
    }
    own.first = static_cast<std::uint32_t>(to.values.size());
    to.values.insert(to.values.end(), values, values + static_cast<std::ptrdiff_t>(size));
    to.profile.push_back(own);
    return static_cast<std::uint32_t>(to.profile.size() - 1);
}

}  // namespace

PackedLamps pack_lamps(const std::vector<BakedSet>& sets, std::size_t probes) {
    PackedLamps out;
    if (probes == 0 || std::any_of(sets.begin(), sets.end(),
                                   [&](const BakedSet& s) { return s.lamps.rest.size() != probes; }))
        return out;
    std::vector<Column> columns;
    std::vector<std::vector<std::pair<std::uint32_t, Rgb>>> shown(sets.size());
    for (std::size_t s = 0; s < sets.size(); ++s) {
        const ProbeLamps& own = sets[s].lamps;
        std::vector<Column> column = columns_of(own);
        for (std::uint32_t l = 0; l < own.lamp.size(); ++l) {
            runtime::Lamp lamp = own.lamp[l];
            lamp.profile = pack_profile(own, lamp.profile, out);
            std::uint32_t number = 0;
            while (number < out.lamp.size() &&
                   !(out.name[number] == own.name[l] &&
                     std::memcmp(&out.lamp[number], &lamp, sizeof lamp) == 0 && columns[number] == column[l]))
                ++number;
            if (number == out.lamp.size()) {
                out.lamp.push_back(lamp);
                out.name.push_back(own.name[l]);
                columns.push_back(std::move(column[l]));
            }
            shown[s].push_back({number, own.color[l]});
        }
        out.rest.insert(out.rest.end(), own.rest.begin(), own.rest.end());
    }
    // An entry has no room for more; without them all light is in coefficients.
    if (out.lamp.size() > runtime::most_lamps) return {};
    out.color.resize(sets.size() * out.lamp.size());
    for (std::size_t s = 0; s < sets.size(); ++s)
        for (const auto& [number, color] : shown[s]) out.color[s * out.lamp.size() + number] = color;
    out.first.assign(probes + 1, 0);
    for (const Column& column : columns)
        for (const auto& [probe, share] : column) ++out.first[probe + 1];
    for (std::size_t p = 0; p < probes; ++p) out.first[p + 1] += out.first[p];
    out.entry.resize(out.first[probes]);
    std::vector<std::uint32_t> at(out.first.begin(), out.first.end() - 1);
    for (std::uint32_t l = 0; l < columns.size(); ++l)
        for (const auto& [probe, share] : columns[l]) out.entry[at[probe]++] = l << 16 | share;
    return out;
}

}  // namespace stasigraph
