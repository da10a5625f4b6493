#pragma once
// The lamps that the probes at a place see together, and their light there. Standard library only, C++17,
// nothing allocated.

#include "runtime/lamp_light.hpp"
#include "runtime/probe_light.hpp"

namespace stasigraph::runtime {

/// What probes see of lamps, borrowed: entries first[p] to first[p + 1] are those of probe p, each a lamp's
/// number times 256 plus the share of it that is seen, of 255.
struct LampEntries {
    const std::uint32_t *first = nullptr, *entry = nullptr;
};

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
        if (entry[i] >> 8 >= view.count) return "names a lamp that is not there";
    return nullptr;
}

/// Each lamp once, with its colour times what is seen of it.
class LampSum {
public:
    LampSum() = default;  // what is not counted is never read
    LampSum(const LampSum&) = delete;
    LampSum& operator=(const LampSum&) = delete;
    void clear() { count_ = 0; }

    void add(std::uint32_t lamp, const float color[3], float share) {
        int at = 0;
        while (at < count_ && number_[at] != lamp) ++at;
        if (at == most) return;
        if (at == count_) {
            number_[at] = lamp;
            color_[at][0] = color_[at][1] = color_[at][2] = 0;
            ++count_;
        }
        for (int c = 0; c < 3; ++c) color_[at][c] += color[c] * share;
    }
    /// What one probe sees. `color`: three for each lamp.
    void add_probe(const LampEntries& entries, std::uint32_t probe, const float* color, float weight) {
        const float by[3] = {weight, weight, weight};
        add_probe(entries, probe, color, by);
    }
    void add_probe(const LampEntries& entries, std::uint32_t probe, const float* color, const float by[3]) {
        for (std::uint32_t i = entries.first[probe]; i < entries.first[probe + 1]; ++i) {
            const std::uint32_t lamp = entries.entry[i] >> 8;
            const float* c = color + 3 * std::size_t{lamp};
            const float own[3] = {c[0] * by[0], c[1] * by[1], c[2] * by[2]};
            if (own[0] != 0 || own[1] != 0 || own[2] != 0)
                add(lamp, own, static_cast<float>(entries.entry[i] & 255u) * (1.0f / 255));
        }
    }

    /// Adds E at a unit normal, lux.
    void light(const LampView& view, Point at, Point normal, float rgb[3]) const {
        for (int i = 0; i < count_; ++i) {
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
    static constexpr int most = 64;

    static void project(Point toward, const float color[3], float by, float coefficients[27]) {
        constexpr float order[9] = {3.1415927f,  2.0943951f,  2.0943951f,  2.0943951f, 0.78539816f,
                                    0.78539816f, 0.78539816f, 0.78539816f, 0.78539816f};
        float basis[9];
        sh_basis_at(toward.x, toward.y, toward.z, basis);
        for (int b = 0; b < 9; ++b)
            for (int c = 0; c < 3; ++c) coefficients[3 * b + c] += basis[b] * order[b] * by * color[c];
    }

    int count_ = 0;
    std::uint32_t number_[most];
    float color_[most][3];
};

}  // namespace stasigraph::runtime
