// A figure under lamps as probes light it, without and with lamps worked out, beside exact light.

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "probe/decimate.hpp"
#include "probe/lamps.hpp"
#include "probe/net.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"
#include "trace/ray_caster.hpp"

using namespace stasigraph;

namespace {

constexpr std::size_t most_figures = 6;
constexpr float apart = 3;              ///< Metres between figures, at least.
constexpr int wide = 210, high = 250;   ///< Pixels a figure.
constexpr float pixel = 1.9f / high;    ///< Metres.
constexpr int around = 16, along = 10;  ///< Places of exact light over each part.
constexpr float exact_share = 0.6f;     ///< Of white that is shown, for the brightest place.

/// Body, head and arms, as ellipsoids: middle over the feet and half axes; x is across.
struct FigurePart {
    Vec3 middle, half;
};
constexpr std::array<FigurePart, 3> figure{{{{0, 0.72f, 0}, {0.2f, 0.7f, 0.16f}},
                                            {{0, 1.6f, 0}, {0.13f, 0.16f, 0.14f}},
                                            {{0, 1.25f, 0}, {0.6f, 0.07f, 0.07f}}}};

struct Stand {
    Vec3 feet, facing, across;
    std::string lamp;
    Vec3 world(Vec3 v) const { return feet + across * v.x + Vec3{0, v.y, 0} + facing * v.z; }
    Vec3 turned(Vec3 v) const { return normalize(across * v.x + Vec3{0, v.y, 0} + facing * v.z); }
};

/// Floors under probes where one lamp does most, the brightest first.
std::vector<Stand> stands(const ProbeNet& net, const BakedSet& set, const RayCaster& caster) {
    struct Candidate {
        float lux = 0;
        Stand stand;
    };
    std::vector<Candidate> all;
    for (std::size_t p = 0; p < net.size(); ++p) {
        const Hit floor = caster.closest({net.position[p], {0, -1, 0}, 2.5f});
        if (floor.surface == none || floor.back) continue;
        Stand s{net.position[p] - Vec3{0, floor.distance, 0}, {0, 0, 1}, {1, 0, 0}, ""};
        bool free = true;
        float farthest = 0;
        for (int k = 0; k < 8; ++k) {
            const float turn = static_cast<float>(k) * pi / 4;
            const Vec3 way{std::cos(turn), 0, std::sin(turn)};
            float nearest = 10;
            for (const float y : {0.3f, 0.9f, 1.4f, 1.7f}) {
                const Hit hit = caster.closest({s.feet + Vec3{0, y, 0}, way, 10});
                if (hit.surface != none) nearest = std::min(nearest, hit.distance);
            }
            free = free && nearest > 0.65f;
            if (nearest > farthest) {
                farthest = nearest;
                s.facing = way;
                s.across = cross({0, 1, 0}, way);
            }
        }
        if (!free) continue;
        const Vec3 chest = s.feet + Vec3{0, 1.2f, 0};
        std::array<SeenLamp, most_seen_lamps> lamps;
        const int count = lamps_at(probe_weights(net, chest), set.lamps, chest, lamps);
        float most = 0;
        for (int i = 0; i < count; ++i)
            most = std::max(most, luminance(lamps[static_cast<std::size_t>(i)].lux));
        if (most > 0) all.push_back({most, s});
    }
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.lux > b.lux; });
    std::vector<Stand> out;
    for (const Candidate& c : all)
        if (out.size() < most_figures && std::none_of(out.begin(), out.end(), [&](const Stand& s) {
                return length(s.feet - c.stand.feet) < apart;
            }))
            out.push_back(c.stand);
    return out;
}

Vec3 unit_at(float u, float v) {
    const float turn = 2 * pi * u, rise = pi * (v - 0.5f);
    return {std::cos(rise) * std::cos(turn), std::sin(rise), std::cos(rise) * std::sin(turn)};
}
Vec3 times(Vec3 a, Vec3 b) {
    return {a.x * b.x, a.y * b.y, a.z * b.z};
}
Vec3 over(Vec3 a, Vec3 b) {
    return {a.x / b.x, a.y / b.y, a.z / b.z};
}

/// Exact light over one part, by place and facing of a grid around it.
std::vector<Rgb> exact_over(const Level& level, const SavedBake& bake, const BakedSet& set, const Stand& s,
                            const FigurePart& part, Job& job) {
    std::vector<Vec3> places, facings;
    for (int j = 0; j <= along; ++j)
        for (int i = 0; i <= around; ++i) {
            const Vec3 unit = unit_at(static_cast<float>(i) / around, static_cast<float>(j) / along);
            places.push_back(s.world(part.middle + times(unit, part.half)));
            facings.push_back(s.turned(over(unit, part.half)));
        }
    const ViewLight light{&set, &bake.probes, &bake.visibility, nullptr, nullptr};
    const std::vector<ExactLight> all = exact_light({level, bake.atlas}, light, places, facings, job);
    std::vector<Rgb> out;
    for (std::size_t i = 0; i < places.size(); ++i) out.push_back(all[i * places.size() + i].irradiance);
    return out;
}

Rgb between(const std::vector<Rgb>& grid, Vec3 unit) {
    float u = std::atan2(unit.z, unit.x) / (2 * pi);
    if (u < 0) u += 1;
    const float x = u * around, y = (std::asin(std::clamp(unit.y, -1.0f, 1.0f)) / pi + 0.5f) * along;
    const int i = std::min(static_cast<int>(x), around - 1), j = std::min(static_cast<int>(y), along - 1);
    const float tx = x - static_cast<float>(i), ty = y - static_cast<float>(j);
    const auto at = [&](int a, int b) {
        return grid[static_cast<std::size_t>((j + b) * (around + 1) + i + a)];
    };
    return (at(0, 0) * (1 - tx) + at(1, 0) * tx) * (1 - ty) + (at(0, 1) * (1 - tx) + at(1, 1) * tx) * ty;
}

std::uint8_t shown(float share) {
    const float v = std::clamp(share, 0.0f, 1.0f);
    return static_cast<std::uint8_t>(
        255 * (v < 0.0031308f ? 12.92f * v : 1.055f * std::pow(v, 1 / 2.4f) - 0.055f) + 0.5f);
}

/// The part of the figure that is first before a place, down z; figure.size() where there is none. `nearest`:
/// receives how far it is.
std::size_t part_before(Vec3 from, float& nearest) {
    nearest = 1e30f;
    std::size_t met = figure.size();
    for (std::size_t k = 0; k < figure.size(); ++k) {
        const Vec3 o = over(from - figure[k].middle, figure[k].half), d = over({0, 0, -1}, figure[k].half);
        const float a = dot(d, d), b = dot(o, d), c = dot(o, o) - 1, root = b * b - a * c;
        if (!(root > 0)) continue;
        const float t = (-b - std::sqrt(root)) / a;
        if (t < nearest) {
            nearest = t;
            met = k;
        }
    }
    return met;
}

}  // namespace

/// Of a level that is baked, in one set: figures of 1.8 m at six places where a lamp does most; above by
/// coefficients alone, then with what probes tell by themselves, below by exact light. Errors of lightness
/// over what is seen of each.
void bench_probe_figures(const char* file, const char* name, const char* picture) {
    const Level level = load_level(file);
    const SavedBake bake = load_bake(default_output(file), level, "");
    const auto set =
        std::find_if(bake.sets.begin(), bake.sets.end(), [&](const BakedSet& s) { return s.name == name; });
    if (set == bake.sets.end()) return void(fmt::print(stderr, "the bake has no set {}\n", name));
    Job job;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part == Part::still; });
    const std::vector<Stand> at = stands(bake.probes, *set, caster);
    const int columns = static_cast<int>(at.size());
    std::vector<std::uint8_t> rgb(static_cast<std::size_t>(3 * columns * wide) * (3 * high), 40);
    fmt::print("{:<26}{:>28}{:>28}\n", "feet", "coefficients: half, 95", "lamps apart: half, 95");
    for (int f = 0; f < columns; ++f) {
        const Stand& s = at[static_cast<std::size_t>(f)];
        std::array<std::vector<Rgb>, figure.size()> exact;
        float white = 0;
        for (std::size_t k = 0; k < figure.size(); ++k) {
            exact[k] = exact_over(level, bake, *set, s, figure[k], job);
            for (const Rgb e : exact[k]) white = std::max(white, luminance(e) / exact_share);
        }
        std::vector<float> before, now;
        for (int y = 0; y < high; ++y)
            for (int x = 0; x < wide; ++x) {
                const Vec3 from{(static_cast<float>(x) - wide / 2.0f) * pixel,
                                (static_cast<float>(high - y) - 12) * pixel, 5};
                float nearest = 0;
                const std::size_t met = part_before(from, nearest);
                if (met == figure.size()) continue;
                const Vec3 own = from + Vec3{0, 0, -nearest},
                           unit = over(own - figure[met].middle, figure[met].half);
                const Vec3 place = s.world(own), normal = s.turned(over(unit, figure[met].half));
                const ProbeWeights w = probe_weights(bake.probes, place);
                const Rgb truth = between(exact[met], unit), plain = probe_irradiance(w, set->probes, normal),
                          told = probe_irradiance(w, set->probes, set->lamps, place, normal);
                before.push_back(lightness_apart(truth, plain, white));
                now.push_back(lightness_apart(truth, told, white));
                const std::array<Rgb, 3> rows{plain, told, truth};
                for (int r = 0; r < 3; ++r) {
                    const Rgb e = rows[static_cast<std::size_t>(r)] * (1 / white);
                    const std::size_t to = 3 * (static_cast<std::size_t>(r * high + y) *
                                                    static_cast<std::size_t>(columns * wide) +
                                                static_cast<std::size_t>(f * wide + x));
                    rgb[to] = shown(e.r);
                    rgb[to + 1] = shown(e.g);
                    rgb[to + 2] = shown(e.b);
                }
            }
        const auto at_share = [](std::vector<float>& v, std::size_t percent) {
            std::sort(v.begin(), v.end());
            return 100 * v[percent * (v.size() - 1) / 100];
        };
        fmt::print("{:>7.2f} {:>7.2f} {:>7.2f}   {:>16.1f} % {:>7.1f} % {:>16.1f} % {:>7.1f} %\n", s.feet.x,
                   s.feet.y, s.feet.z, at_share(before, 50), at_share(before, 95), at_share(now, 50),
                   at_share(now, 95));
    }
    if (*picture && columns > 0) write_png(picture, columns * wide, 3 * high, rgb);
}
