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
    Atlas atlas;
    Baked baked;
    const double texels = time_of([&] { baked = bake(level, atlas, job, store); });
    std::vector<ReflectionProbe> probes;
    const double places = time_of([&] { probes = place_reflections(level, job, store); });
    CaptureFigures first, again;
    const double capture =
        time_of([&] { first = capture_reflections(level, atlas, probes, baked, job, store); });
    const std::size_t maps = probes.size() * baked.sets.size();
    const double relit =
        time_of([&] { again = capture_reflections(level, atlas, probes, baked, job, store); });
    Baked one = baked;
    one.sets.resize(1);
    const double set = time_of([&] { capture_reflections(level, atlas, probes, one, job, store); });
    fmt::print("{} reflection probes found in    {:.2f} s\n", probes.size(), places);
    fmt::print(
        "{} maps captured in            {:.1f} s with {:.1f} million rays; the bake of texels took {:.0f} "
        "s\n",
        maps, capture, static_cast<double>(first.rays) / 1e6, texels);
    fmt::print("lit again                     {:.1f} s with {} rays; those of one set {:.1f} s\n", relit,
               again.rays, set);
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
