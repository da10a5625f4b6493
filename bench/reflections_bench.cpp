// Reflection probes: what finding, capturing and filtering them takes, what new light costs, and how close
// the filter comes to a sum over every texel on captures of a real level.

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "bench_folder.hpp"
#include "bench_time.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

/// What a surface of this roughness mirrors along a direction, over all texels.
Rgb by_all_texels(const CubeMap& map, Vec3 way, double roughness) {
    const double square = std::pow(roughness, 4);
    double sum[3] = {}, whole = 0;
    std::size_t t = 0;
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < map.side; ++y)
            for (int x = 0; x < map.side; ++x, ++t) {
                const double u = (2 * x + 1.0) / map.side - 1, v = (2 * y + 1.0) / map.side - 1;
                const Vec3 l = cube_direction(map.side, face, static_cast<float>(x) + 0.5f,
                                              static_cast<float>(y) + 0.5f);
                const double c = static_cast<double>(dot(way, l));
                if (!(c > 0)) continue;
                const double f = (1 + c) / 2 * (square - 1) + 1,
                             w = square / (f * f) * c / std::pow(1 + u * u + v * v, 1.5);
                sum[0] += w * static_cast<double>(map.texels[t].r);
                sum[1] += w * static_cast<double>(map.texels[t].g);
                sum[2] += w * static_cast<double>(map.texels[t].b);
                whole += w;
            }
    return {static_cast<float>(sum[0] / whole), static_cast<float>(sum[1] / whole),
            static_cast<float>(sum[2] / whole)};
}

void accuracy(const std::vector<ReflectionMap>& maps) {
    constexpr int side = 4;
    for (const float roughness : {0.2f, 0.4f, 0.6f, 1.0f}) {
        std::vector<double> off;
        Job job;
        for (const ReflectionMap& m : maps) {
            const CubeMap got = prefilter(m.levels[0], roughness, side, job);
            for (int t = 0; t < 6 * side * side; ++t) {
                const Rgb exact =
                    by_all_texels(m.levels[0],
                                  cube_direction(side, t / (side * side), static_cast<float>(t % side) + 0.5f,
                                                 static_cast<float>(t / side % side) + 0.5f),
                                  static_cast<double>(roughness));
                const Rgb g = got.texels[static_cast<std::size_t>(t)];
                off.push_back(std::abs(static_cast<double>(luminance(g) / luminance(exact)) - 1));
            }
        }
        std::sort(off.begin(), off.end());
        fmt::print(
            "filter at roughness {:.1f}         {:.2f} % off at worst, {:.2f} % at 95 of 100, {:.3f} % at "
            "half\n",
            roughness, 100 * off.back(), 100 * off[off.size() * 95 / 100], 100 * off[off.size() / 2]);
    }
}

}  // namespace

void bench_reflections(const char* file) {
    const TemporaryFolder folder;
    const BakeStore store = open_store(folder.path, [](const std::string&) {});
    Level level = load_level(file);
    Job job;
    Baker baker(level, job, nullptr, store);
    level = baker.level();
    const double texels = time_of([&] { baker.light(level, job); });
    std::vector<ReflectionProbe> probes;
    const double places = time_of([&] { probes = place_reflections(level, job, store); });
    CapturedBake made;
    const auto captured = [&](const Level& lit, const BakeStore& to) {
        return time_of([&] { made = light_and_capture(baker, lit, {probes}, job, to); });
    };
    const double first = captured(level, store);
    const std::size_t rays = made.figures.rays, maps = probes.size() * made.figures.layers;
    const double again = captured(level, store);
    Level dimmed = level;
    for (Light& l : dimmed.lights)
        if (l.kind == LightKind::sun) l.color = l.color * Rgb{0.5f, 0.4f, 0.3f};
    const double retuned = captured(dimmed, store);
    const std::size_t anew = made.figures.captured;
    BakeStore without_maps = store;
    without_maps.load = [&](const std::string& name, Blob& to) {
        return !name.starts_with("mirror-") && store.load(name, to);
    };
    const double relit = captured(level, without_maps);
    const double light_alone = time_of([&] { baker.light(level, job); });
    fmt::print("{} reflection probes found in    {:.2f} s\n", probes.size(), places);
    fmt::print(
        "{} maps of {} light groups captured in {:.1f} s with {:.1f} million rays; texels took {:.0f} s\n",
        maps, made.figures.layers, first - light_alone, static_cast<double>(rays) / 1e6, texels);
    fmt::print("captured again without a ray  {:.1f} s\n", relit - light_alone);
    fmt::print("mixed again                   {:.2f} s; with another sun's colour {:.2f} s, {} captured\n",
               again - light_alone, retuned - light_alone, anew);
    const Baked& baked = made.baked;
    std::vector<CubeMap> eight, single;
    for (const ReflectionMap& m : baked.sets[0].reflections)
        if (m.levels[0].side == baked.sets[0].reflections[0].levels[0].side && eight.size() < 8)
            eight.push_back(m.levels[0]);
    single.push_back(eight[0]);
    const std::size_t count = eight.size();
    const double alone = time_of([&] { filter_levels(std::move(single), job); }),
                 together = time_of([&] { filter_levels(std::move(eight), job); });
    fmt::print("filtering one map             {:.2f} s; {} at once {:.2f} s, {:.1f} times as fast a map\n",
               alone, count, together, alone * static_cast<double>(count) / together);
    accuracy(baked.sets[0].reflections);
}
