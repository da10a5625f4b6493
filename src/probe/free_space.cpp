#include "probe/free_space.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t looks = 128;  ///< Rays that tell what is behind faces.
/// Of them, those that may meet backs: less than a bake holds against a probe, which has other rays.
constexpr float most_backs = 0.24f;
/// And of all they meet: far beneath open ground they meet little, but nearly all of that from behind.
constexpr float most_backs_met = 0.7f, least_met = 0.1f;
constexpr std::uint32_t counts = 17;  ///< Rays that tell what is inside of solids: most of them decide.
constexpr std::uint32_t seed = 0x66726565u;
constexpr int pushes = 12;

Vec3 direction(std::uint32_t k) {
    return sphere_direction(sobol_point(seed, k));
}

}  // namespace

bool FreeSpace::solid(Vec3 place) const {
    std::uint32_t inside = 0;
    for (std::uint32_t k = 0; k < counts; ++k)
        inside += caster_.solids_around(place, direction(k)) > 0 ? 1 : 0;
    if (2 * inside > counts) return true;
    std::uint32_t backs = 0, met = 0;
    for (std::uint32_t k = 0; k < looks; ++k) {
        const Hit hit = caster_.closest({place, direction(k)});
        if (hit.surface == none) continue;
        ++met;
        if (!hit.back || caster_.is_glass(hit.surface)) continue;
        backs += level_.materials[level_.surfaces[hit.surface].material].double_sided ? 0 : 1;
    }
    const auto share = static_cast<float>(backs);
    return share > most_backs * looks ||
           (share > least_met * looks && share > most_backs_met * static_cast<float>(met));
}

float FreeSpace::clearance(Vec3 place, float within) const {
    Vec3 where;
    return caster_.nearest(place, within, where) ? length(where - place) : within;
}

bool FreeSpace::sees(Vec3 from, Vec3 to) const {
    const Vec3 d = to - from;
    const float far = length(d);
    return !(far > 0) || caster_.closest({from, d * (1 / far), far}).surface == none;
}

/// Away from the nearest surface, again and again: out of corners, too.
std::optional<Vec3> FreeSpace::pushed_off(Vec3 place, float clearance) const {
    const float wanted = clearance * 1.002f + 1e-4f;
    Vec3 p = place;
    for (int i = 0; i < pushes; ++i) {
        Vec3 where;
        if (!caster_.nearest(p, wanted, where)) return p;
        const Vec3 away = p - where;
        const float d = length(away);
        if (!(d > 1e-6f)) return {};
        // A little further each time: between two walls that meet, pushes alternate.
        p = where + away * (wanted * (1 + 0.05f * static_cast<float>(i)) / d);
    }
    return this->clearance(p, clearance) >= clearance ? std::optional(p) : std::nullopt;
}

std::optional<Vec3> FreeSpace::freed(Vec3 place, float clearance, float most) const {
    const auto good = [&](const std::optional<Vec3>& p, Vec3 from) {
        return p && length(*p - place) <= most && sees(from, *p) && !solid(*p);
    };
    if (!solid(place)) {
        const std::optional<Vec3> p = pushed_off(place, clearance);
        return good(p, place) ? p : std::nullopt;
    }
    // Out through the nearest face that is met from behind.
    std::array<std::pair<float, std::uint32_t>, looks> ways;
    std::uint32_t n = 0;
    for (std::uint32_t k = 0; k < looks; ++k) {
        const Hit hit = caster_.closest({place, direction(k), most});
        if (hit.surface != none && hit.back) ways[n++] = {hit.distance, k};
    }
    std::sort(ways.begin(), ways.begin() + n);
    constexpr std::uint32_t tries = 8;
    for (std::uint32_t i = 0; i < std::min(n, tries); ++i) {
        const Vec3 out = place + direction(ways[i].second) * (ways[i].first + clearance + 1e-3f);
        const std::optional<Vec3> p = pushed_off(out, clearance);
        if (good(p, out)) return p;
    }
    return {};
}

}  // namespace stasigraph
