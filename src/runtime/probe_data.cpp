#include "runtime/probe_data.hpp"

#include <algorithm>
#include <cstring>

#include "runtime/half.hpp"
#include "runtime/lamp_sum.hpp"

namespace stasigraph::runtime {

namespace {

constexpr char magic[8] = {'S', 'G', 'P', 'R', 'O', 'B', 'E', 'S'};
constexpr std::size_t head_bytes = 80;
/// Files of version 2 have no lamps, those before 4 mean and mean square distances, those before 5 no
/// openings.
constexpr std::uint32_t version = 5, oldest_version = 2;
constexpr const char *truncated = "is truncated", *damaged_net = "has a damaged net";

/// Reads the bytes in order; the caller has checked that there are enough.
class Bytes {
public:
    Bytes(const void* bytes, std::size_t size)
        : at_(static_cast<const unsigned char*>(bytes)), end_(at_ + size) {}

    std::size_t left() const { return static_cast<std::size_t>(end_ - at_); }
    bool has_words(std::uint64_t n) const { return n <= left() / 4; }
    std::uint32_t word() {
        const std::uint32_t w = static_cast<std::uint32_t>(at_[0]) | static_cast<std::uint32_t>(at_[1]) << 8 |
                                static_cast<std::uint32_t>(at_[2]) << 16 |
                                static_cast<std::uint32_t>(at_[3]) << 24;
        at_ += 4;
        return w;
    }
    template <class T>
    void take(std::vector<T>& to, std::uint64_t n) {
        to.resize(static_cast<std::size_t>(n));
        copy(to.data(), to.size() * sizeof(T));
    }
    void copy(void* to, std::size_t size) {
        if (size > 0) std::memcpy(to, at_, size);
        at_ += size;
    }
    /// A length, its text and the padding to four bytes; false when they run past the end.
    bool text(std::string& out) {
        if (left() < 4) return false;
        const std::size_t length = word(), padded = (length + 3) / 4 * 4;
        if (padded > left()) return false;
        out.assign(reinterpret_cast<const char*>(at_), length);
        at_ += padded;
        return true;
    }
    bool texts(std::vector<std::string>& out, std::uint64_t n) {
        out.resize(static_cast<std::size_t>(n));
        return std::all_of(out.begin(), out.end(), [&](std::string& t) { return text(t); });
    }

private:
    const unsigned char *at_, *end_;
};

/// A word of what is wrong, or null.
const char* read_lamps(Bytes& in, std::uint32_t count, LampKind last, SetLamps& out) {
    if (!in.has_words(5)) return truncated;
    const std::uint64_t lamps = in.word(), profiles = in.word(), values = in.word(), entries = in.word();
    if (in.word() == 0) return lamps + profiles + values + entries == 0 ? nullptr : "has damaged lamps";
    if (!in.has_words(lamps * (sizeof(Lamp) / 4 + 3) + profiles * (sizeof(LampProfile) / 4) + values +
                      std::uint64_t{count} + 1 + entries + 27 * std::uint64_t{count}))
        return truncated;
    in.take(out.lamp, lamps);
    in.take(out.color, 3 * lamps);
    in.take(out.profile, profiles);
    in.take(out.values, values);
    in.take(out.first, std::uint64_t{count} + 1);
    in.take(out.entry, entries);
    in.take(out.rest, 27 * std::uint64_t{count});
    if (!in.texts(out.name, lamps)) return truncated;
    return wrong_lamps(out.view(), {last, static_cast<std::uint32_t>(profiles), values, count},
                       {out.first.data(), out.entry.data()}, entries);
}

/// Whether all that cells name is there, and cells that touch know of one another.
const char* wrong_net(const ProbeData& d) {
    for (std::size_t i = 0; i < d.vertex.size(); ++i) {
        if (d.vertex[i] >= d.count + d.auxiliary) return "names a probe that is not there";
        if (d.adjacent[i] == no_cell) continue;
        if (d.adjacent[i] >= d.cells) return damaged_net;
        const std::uint32_t* back = d.adjacent.data() + 4 * std::size_t{d.adjacent[i]};
        if (std::find(back, back + 4, static_cast<std::uint32_t>(i / 4)) == back + 4) return damaged_net;
    }
    return nullptr;
}

/// Files before version 4 hold mean and mean square distances, to 16 bits.
void read_nearness(Bytes& in, std::uint32_t written, ProbeData& out) {
    const std::uint64_t cells = std::uint64_t{out.count} * static_cast<std::uint64_t>(out.side) *
                                static_cast<std::uint64_t>(out.side);
    if (written >= 4) return in.take(out.nearness, cells);
    out.nearness.resize(static_cast<std::size_t>(cells));
    for (NearnessCode& code : out.nearness) {
        const std::uint32_t both = in.word();
        code = nearness_code(from_half(static_cast<std::uint16_t>(both)),
                             from_half(static_cast<std::uint16_t>(both >> 16)));
    }
}

}  // namespace

ReadProbes read_probe_data(const void* bytes, std::size_t size, ProbeData& out) {
    const auto damaged = [](const char* text) { return ReadProbes{Status::damaged, text}; };
    if (size < head_bytes || std::memcmp(bytes, magic, 8) != 0) return damaged("is no probe file");
    Bytes in(static_cast<const unsigned char*>(bytes) + 8, size - 8);
    const std::uint32_t written = in.word();
    if (written < oldest_version || written > version)
        return {Status::wrong_version, "has a version this runtime does not read"};
    out.count = in.word();
    const std::uint32_t sets = in.word();
    out.cells = in.word();
    out.auxiliary = in.word();
    const std::uint32_t side = in.word(), dimension = in.word(), volumes = in.word();
    if (side < 1 || side > 64 || (written >= 4 && side % 2 != 0) || sets > 4096 || volumes > 65536 ||
        out.auxiliary > 3 || dimension > 3)
        return damaged("has a damaged header");
    out.side = static_cast<int>(side);
    out.dimension = static_cast<int>(dimension);
    in.copy(out.base, sizeof out.base);
    in.copy(out.axis, sizeof out.axis);
    in.word();
    const std::uint64_t count = out.count, points = count + out.auxiliary, cells = out.cells,
                        map = std::uint64_t{side} * side;
    if (!in.has_words(3 * points + 4 * count + 8 * cells + (written < 4 ? map : map / 2) * count +
                      27 * sets * count))
        return damaged(truncated);
    in.take(out.position, 3 * points);
    in.take(out.front_share, count);
    in.take(out.clearance, count);
    in.take(out.reach, count);
    in.take(out.origin, count);
    in.take(out.vertex, 4 * cells);
    in.take(out.adjacent, 4 * cells);
    if (const char* wrong = wrong_net(out)) return damaged(wrong);
    read_nearness(in, written, out);
    in.take(out.light, 27 * sets * count);
    if (!in.texts(out.volumes, volumes) || !in.texts(out.sets, sets)) return damaged(truncated);
    out.lamps.resize(sets);
    for (std::uint32_t s = 0; s < sets && written >= 3; ++s)
        if (const char* wrong =
                read_lamps(in, out.count, written < 5 ? LampKind::tube : LampKind::opening, out.lamps[s]))
            return damaged(wrong);
    return in.left() == 0 ? ReadProbes{} : damaged("is longer than it says");
}

}  // namespace stasigraph::runtime
