#pragma once
// The lamps that the probes at a place see together, and their light there. Standard library only, C++17,
// nothing allocated.

#include "runtime/lamp_light.hpp"
#include "runtime/probe_light.hpp"

namespace stasigraph::runtime {

/// What probes see of lamps, borrowed: entries first[p] to first[p + 1] are those of probe p. A word of each:
/// the lamp's number above, then the share of it that is seen, of 255, then how far off the edge of its
/// shadow is: 128, plus in light and less in shadow, by the root of the distance, 127 at eight metres.
struct LampEntries {
    const std::uint32_t *first = nullptr, *entry = nullptr;
};
inline constexpr float farthest_edge = 8;  // metres
inline constexpr std::uint32_t most_lamps = 65536;
inline std::uint32_t lamp_of(std::uint32_t entry) {
    return entry >> 16;
}
inline float share_of(std::uint32_t entry) {
    return static_cast<float>(entry >> 8 & 255u) * (1.0f / 255);
}
inline float edge_of(std::uint32_t entry) {
    const float c = (static_cast<float>(entry & 255u) - 128) * (1.0f / 127);
    return farthest_edge * c * std::fabs(c);
}
inline std::uint32_t lamp_entry(std::uint32_t lamp, float share, float edge) {
    const float root = std::sqrt(std::min(std::fabs(edge) / farthest_edge, 1.0f));
    const float code = 128 + 127 * (edge < 0 ? -root : root);
    return lamp << 16 | static_cast<std::uint32_t>(255 * share + 0.5f) << 8 |
           static_cast<std::uint32_t>(code + 0.5f);
}
/// What is seen of a lamp so far from the edge of its shadow.
inline float lit_share(const Lamp& lamp, float edge) {
    float t = edge / lamp.fade + 0.5f;
    t = t > 0 ? (t < 1 ? t : 1) : 0;
    return t * t * (3 - 2 * t);
}

/// What probes see of a lamp together, 0 to 1. Distances to the edge of a shadow are mixed instead of what is
/// seen where the lamp casts sharp ones: so an edge between two probes is as sharp as it is, and where both
/// tell that it is. `listed`: receives the weight of those probes that know the lamp.
inline float lamp_sight(const Lamp& lamp, std::uint32_t number, const LampEntries& entries,
                        const std::uint32_t* probe, const float* weight, int count, float& listed) {
    float share = 0, edge = 0;
    listed = 0;
    for (int k = 0; k < count; ++k)
        for (std::uint32_t i = entries.first[probe[k]]; i < entries.first[probe[k] + 1]; ++i) {
            const std::uint32_t entry = entries.entry[i];
            if (lamp_of(entry) != number) continue;
            listed += weight[k];
            share += weight[k] * share_of(entry);
            edge += weight[k] * edge_of(entry);
            break;
        }
    if (!(listed > 0)) return 0;
    if (!(lamp.fade > 0)) return share;
    // Those that do not list it have its light in their coefficients, or none.
    return share * lit_share(lamp, edge / listed);
}

/// Why lamps cannot be as a file says; null where they can. `first` has one more element than `probes`.
inline const char* wrong_lamps(const LampView& view, std::uint32_t profiles, std::uint64_t values,
                               const std::uint32_t* first, const std::uint32_t* entry, std::uint64_t entries,
                               std::uint32_t probes) {
    for (std::uint32_t i = 0; i < profiles; ++i) {
        const LampProfile& p = view.profile[i];
        const std::uint64_t size = std::uint64_t{p.planes} + p.angles + std::uint64_t{p.planes} * p.angles;
        if (p.planes < 1 || p.angles < 1 || p.first > values || size > values - p.first)
            return "has a lamp's profile that does not fit";
    }
    for (std::uint32_t i = 0; i < view.count; ++i)
        if (static_cast<std::uint32_t>(view.lamp[i].kind) > static_cast<std::uint32_t>(LampKind::tube) ||
            (view.lamp[i].profile != 0xffffffffu && view.lamp[i].profile >= profiles))
            return "has a damaged lamp";
    if (first[0] != 0 || first[probes] != entries) return "has not as many of everything as it has probes";
    for (std::uint32_t p = 0; p < probes; ++p)
        if (first[p] > first[p + 1]) return "has not as many of everything as it has probes";
    for (std::uint64_t i = 0; i < entries; ++i)
        if (lamp_of(entry[i]) >= view.count) return "names a lamp that is not there";
    return nullptr;
}

/// Each lamp once, with its colour times what is seen of it.
class LampSum {
public:
    LampSum() = default;  // what is not counted is never read
    LampSum(const LampSum&) = delete;
    LampSum& operator=(const LampSum&) = delete;
    void clear() { count_ = probes_ = 0; }

    void add(std::uint32_t lamp, const float color[3]) {
        int at = 0;
        while (at < count_ && number_[at] != lamp) ++at;
        if (at == most) return;
        if (at == count_) {
            number_[at] = lamp;
            color_[at][0] = color_[at][1] = color_[at][2] = 0;
            ++count_;
        }
        for (int c = 0; c < 3; ++c) color_[at][c] += color[c];
    }
    /// A probe that answers, once for each; add_lamps() then any number of times.
    void add_probe(std::uint32_t probe, float weight) {
        if (probes_ == most_probes) return;
        probe_[probes_] = probe;
        weight_[probes_++] = weight;
    }
    /// The lamps that it lists. `color`: three for each lamp; `by`: the probe's weight times the share of
    /// that light.
    void add_lamps(const LampEntries& entries, std::uint32_t probe, const float* color, float by) {
        const float all[3] = {by, by, by};
        add_lamps(entries, probe, color, all);
    }
    void add_lamps(const LampEntries& entries, std::uint32_t probe, const float* color, const float by[3]) {
        for (std::uint32_t i = entries.first[probe]; i < entries.first[probe + 1]; ++i) {
            const std::uint32_t lamp = lamp_of(entries.entry[i]);
            const float* c = color + 3 * std::size_t{lamp};
            const float own[3] = {c[0] * by[0], c[1] * by[1], c[2] * by[2]};
            if (own[0] != 0 || own[1] != 0 || own[2] != 0) add(lamp, own);
        }
    }
    /// When all are there: what is seen of each.
    void look(const LampView& view, const LampEntries& entries) {
        for (int i = 0; i < count_; ++i) {
            float listed = 0;
            const float seen =
                lamp_sight(view.lamp[number_[i]], number_[i], entries, probe_, weight_, probes_, listed);
            // Colours are of those probes alone that list the lamp.
            const float by = listed > 0 ? seen / listed : 0;
            for (float& c : color_[i]) c *= by;
        }
    }

    /// Adds E at a unit normal, lux.
    void light(const LampView& view, Point at, Point normal, float rgb[3]) const {
        for (int i = 0; i < count_; ++i) {
            if (color_[i][0] == 0 && color_[i][1] == 0 && color_[i][2] == 0) continue;
            const float e = lamp_light(view, view.lamp[number_[i]], at, normal);
            for (int c = 0; c < 3; ++c) rgb[c] += color_[i][c] * e;
        }
    }

    /// The strongest lamps as directions; the light of the others is added to coefficients. One that makes
    /// way for a stronger one has gone over into coefficients by then, so that nothing jumps.
    int strongest(const LampView& view, Point at, LampLight* out, int room, float coefficients[27]) const {
        LampWay way[most];
        float lux[most];
        int order[most];
        for (int i = 0; i < count_; ++i) {
            way[i] = lamp_way(view, view.lamp[number_[i]], at);
            lux[i] =
                way[i].light * (0.2126f * color_[i][0] + 0.7152f * color_[i][1] + 0.0722f * color_[i][2]);
            order[i] = i;
        }
        const int sorted = std::min(count_, room + 1);
        std::partial_sort(order, order + sorted, order + count_, [&](int a, int b) {
            return lux[a] > lux[b] || (lux[a] == lux[b] && number_[a] < number_[b]);
        });
        const float next = count_ > room ? lux[order[room]] : 0;
        int n = 0;
        for (int k = 0; k < count_; ++k) {
            const int i = order[k];
            if (!(lux[i] > 0)) continue;
            const float share = k < room ? 1 - next / lux[i] : 0;
            if (share > 0) {
                LampLight& l = out[n++];
                l.lamp = number_[i];
                const Point to = way[i].toward;
                l.toward[0] = to.x;
                l.toward[1] = to.y;
                l.toward[2] = to.z;
                for (int c = 0; c < 3; ++c) l.lux[c] = color_[i][c] * way[i].light * share;
            }
            if (share < 1) project(way[i].toward, color_[i], way[i].light * (1 - share), coefficients);
        }
        return n;
    }

private:
    static constexpr int most = 64, most_probes = 8;

    static void project(Point toward, const float color[3], float by, float coefficients[27]) {
        constexpr float order[9] = {3.1415927f,  2.0943951f,  2.0943951f,  2.0943951f, 0.78539816f,
                                    0.78539816f, 0.78539816f, 0.78539816f, 0.78539816f};
        float basis[9];
        sh_basis_at(toward.x, toward.y, toward.z, basis);
        for (int b = 0; b < 9; ++b)
            for (int c = 0; c < 3; ++c) coefficients[3 * b + c] += basis[b] * order[b] * by * color[c];
    }

    int count_ = 0, probes_ = 0;
    std::uint32_t probe_[most_probes];
    float weight_[most_probes];
    std::uint32_t number_[most];
    float color_[most][3];
};

}  // namespace stasigraph::runtime
