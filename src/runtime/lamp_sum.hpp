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
/// Where this much of it is seen.
inline float edge_where(const Lamp& lamp, float share) {
    return -lamp.fade * std::sin(std::asin(1 - 2 * share) * (1.0f / 3));
}

/// Calls f(direction, lux across it) for side * side pieces of an opening of radiance 1, as seen from a
/// place.
template <class F>
void for_opening(const Lamp& lamp, Point from, int side, F f) {
    using detail::to_point;
    from = detail::before_opening(lamp, from);
    const Point aim = to_point(lamp.direction), u = to_point(lamp.across), v = detail::cross(u, aim),
                middle = to_point(lamp.position) - from;
    float low = 0, high = 0;
    if (!detail::part_of_opening(lamp, from, v, low, high)) return;
    const float du = lamp.width / static_cast<float>(side), dv = (high - low) / static_cast<float>(side);
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j) {
            const Point to = middle + u * ((static_cast<float>(i) + 0.5f) * du - 0.5f * lamp.width) +
                             v * (low + (static_cast<float>(j) + 0.5f) * dv);
            const float square = dot(to, to), far = std::sqrt(square), cosine = -dot(to, aim) / far;
            if (cosine > 0) f(to * (1 / far), cosine * du * dv / square);
        }
}

/// How many of what a file holds beside its lamps.
struct LampBounds {
    LampKind last;  ///< The last kind of lamp that such a file can hold.
    std::uint32_t profiles = 0;
    std::uint64_t values = 0;
    std::uint32_t probes = 0;
};
/// Why lamps cannot be as a file says; null where they can. `listed.first` has one more element than there
/// are probes.
inline const char* wrong_lamps(const LampView& view, const LampBounds& bounds, const LampEntries& listed,
                               std::uint64_t entries) {
    const auto& [last, profiles, values, probes] = bounds;
    const std::uint32_t *first = listed.first, *entry = listed.entry;
    for (std::uint32_t i = 0; i < profiles; ++i) {
        const LampProfile& p = view.profile[i];
        const std::uint64_t size = std::uint64_t{p.planes} + p.angles + std::uint64_t{p.planes} * p.angles;
        if (p.planes < 1 || p.angles < 1 || p.first > values || size > values - p.first)
            return "has a lamp's profile that does not fit";
    }
    for (std::uint32_t i = 0; i < view.count; ++i)
        if (static_cast<std::uint32_t>(view.lamp[i].kind) > static_cast<std::uint32_t>(last) ||
            (view.lamp[i].profile != 0xffffffffu && view.lamp[i].profile >= profiles))
            return "has a damaged lamp";
    if (first[0] != 0 || first[probes] != entries) return "has not as many of everything as it has probes";
    for (std::uint32_t p = 0; p < probes; ++p)
        if (first[p] > first[p + 1]) return "has not as many of everything as it has probes";
    for (std::uint64_t i = 0; i < entries; ++i)
        if (lamp_of(entry[i]) >= view.count) return "names a lamp that is not there";
    return nullptr;
}

/// The lamps that some probes list, each once: how much of it they see together, and its colour. First all
/// probes, then colours, then look().
class LampSum {
public:
    LampSum() = default;  // what is not counted is never read
    LampSum(const LampSum&) = delete;
    LampSum& operator=(const LampSum&) = delete;
    void clear() { count_ = 0; }

    /// A probe that answers, with its weight. `color`: three for each lamp, of the only light that will be
    /// shown, so that lamps that are dark in it are left out; null: all are taken.
    void add_probe(const LampEntries& entries, std::uint32_t probe, float weight, const float* color) {
        int at = -1;
        for (std::uint32_t i = entries.first[probe]; i < entries.first[probe + 1]; ++i) {
            const std::uint32_t entry = entries.entry[i], lamp = lamp_of(entry);
            if (color && is_dark(color + 3 * std::size_t{lamp})) continue;
            at = slot_of(lamp, at + 1);
            if (at == count_) {
                if (at == most) continue;
                slot_[at] = {lamp, 0, 0, 0};
                color_[at][0] = color_[at][1] = color_[at][2] = 0;
                ++count_;
            }
            Slot& slot = slot_[at];
            slot.listed += weight;
            slot.share += weight * share_of(entry);
            slot.edge += weight * edge_of(entry);
        }
    }
    /// A light's colours, three for each lamp, times `by`, which is the same for all probes.
    void add_color(const float* color, const float by[3]) {
        for (int i = 0; i < count_; ++i) {
            const float* c = color + 3 * std::size_t{slot_[i].lamp};
            for (int k = 0; k < 3; ++k) color_[i][k] += c[k] * by[k] * slot_[i].listed;
        }
    }
    /// Likewise for what one of the probes lists, `by` holding its weight.
    void add_color(const LampEntries& entries, std::uint32_t probe, const float* color, const float by[3]) {
        int at = -1;
        for (std::uint32_t i = entries.first[probe]; i < entries.first[probe + 1]; ++i) {
            const std::uint32_t lamp = lamp_of(entries.entry[i]);
            at = slot_of(lamp, at + 1);
            if (at == count_) continue;
            const float* c = color + 3 * std::size_t{lamp};
            for (int k = 0; k < 3; ++k) color_[at][k] += c[k] * by[k];
        }
    }
    /// When all are there: colours as far as the lamps are seen.
    void look(const LampView& view) {
        for (int i = 0; i < count_; ++i) {
            // Colours are of those probes alone that list the lamp.
            const float by = slot_[i].listed > 0 ? seen(view, i) / slot_[i].listed : 0;
            for (float& c : color_[i]) c *= by;
        }
    }

    int count() const { return count_; }
    std::uint32_t number(int i) const { return slot_[i].lamp; }
    /// What probes see of a lamp together, 0 to 1. Distances to the edge of a shadow are mixed instead of
    /// what is seen where the lamp casts sharp ones: so an edge between two probes is as sharp as it is, and
    /// where both tell that it is.
    float seen(const LampView& view, int i) const {
        const Slot& slot = slot_[i];
        const Lamp& lamp = view.lamp[slot.lamp];
        if (!(slot.listed > 0)) return 0;
        if (!(lamp.fade > 0)) return slot.share;
        // Those that do not list it have its light in their coefficients, or none.
        return slot.share * lit_share(lamp, slot.edge / slot.listed);
    }

    /// Adds E at a unit normal, lux.
    void light(const LampView& view, Point at, Point normal, float rgb[3]) const {
        for (int i = 0; i < count_; ++i) {
            if (is_dark(color_[i])) continue;
            const float e = lamp_light(view, view.lamp[slot_[i].lamp], at, normal);
            for (int c = 0; c < 3; ++c) rgb[c] += color_[i][c] * e;
        }
    }

    /// The strongest lamps as directions; the light of the others, and what comes through openings, is added
    /// to coefficients. One that makes way for a stronger one has gone over into coefficients by then, so
    /// that nothing jumps.
    int strongest(const LampView& view, Point at, LampLight* out, int room, float coefficients[27]) const {
        LampWay way[most];
        float lux[most];
        int order[most];
        for (int i = 0; i < count_; ++i) {
            const Lamp& lamp = view.lamp[slot_[i].lamp];
            if (lamp.kind == LampKind::opening && !is_dark(color_[i]))
                for_opening(lamp, at, 4, [&](Point toward, float light) {
                    project(toward, color_[i], light, coefficients);
                });
            way[i] = lamp_way(view, lamp, at);
            lux[i] =
                way[i].light * (0.2126f * color_[i][0] + 0.7152f * color_[i][1] + 0.0722f * color_[i][2]);
            order[i] = i;
        }
        const int sorted = std::min(count_, room + 1);
        std::partial_sort(order, order + sorted, order + count_, [&](int a, int b) {
            return lux[a] > lux[b] || (lux[a] == lux[b] && slot_[a].lamp < slot_[b].lamp);
        });
        const float next = count_ > room ? lux[order[room]] : 0;
        int n = 0;
        for (int k = 0; k < count_; ++k) {
            const int i = order[k];
            if (!(lux[i] > 0)) continue;
            const float share = k < room ? 1 - next / lux[i] : 0;
            if (share > 0) {
                LampLight& l = out[n++];
                l.lamp = slot_[i].lamp;
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
    static constexpr int most = 64;

    static bool is_dark(const float c[3]) { return !(c[0] + c[1] + c[2] > 0); }
    /// Of a lamp; the count where it is not there. Probes list their lamps in much the same order: `guess`.
    int slot_of(std::uint32_t lamp, int guess) const {
        if (guess < count_ && slot_[guess].lamp == lamp) return guess;
        int at = 0;
        while (at < count_ && slot_[at].lamp != lamp) ++at;
        return at;
    }

    static void project(Point toward, const float color[3], float by, float coefficients[27]) {
        constexpr float order[9] = {3.1415927f,  2.0943951f,  2.0943951f,  2.0943951f, 0.78539816f,
                                    0.78539816f, 0.78539816f, 0.78539816f, 0.78539816f};
        float basis[9];
        sh_basis_at(toward.x, toward.y, toward.z, basis);
        for (int b = 0; b < 9; ++b)
            for (int c = 0; c < 3; ++c) coefficients[3 * b + c] += basis[b] * order[b] * by * color[c];
    }

    /// A lamp, the weight of the probes that list it, and what they say of it, by these.
    struct Slot {
        std::uint32_t lamp;
        float listed, share, edge;
    };

    int count_ = 0;
    Slot slot_[most];
    float color_[most][3];
};

}  // namespace stasigraph::runtime
