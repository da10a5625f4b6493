// Surfaces in parts: what cutting a large level takes, and what it adds.

#include <fmt/core.h>

#include <cmath>

#include "bench_time.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

namespace {

using namespace stasigraph;

/// Half a million triangles of hilly ground and slabs, and two thousand walls on them.
Level city() {
    Level level;
    const auto quad = [](Mesh& m, Vec3 a, Vec3 b, Vec3 c, Vec3 d) {
        const auto first = static_cast<std::uint32_t>(m.positions.size());
        const Vec3 n = normalize(cross(b - a, d - a));
        for (const Vec3 p : {a, b, c, d}) {
            m.positions.push_back(p);
            m.normals.push_back(n);
        }
        for (const std::uint32_t k : {0u, 1u, 2u, 0u, 2u, 3u}) m.indices.push_back(first + k);
    };
    const auto add = [&](Mesh m, const std::string& name) {
        Surface s;
        s.name = s.node = name;
        s.mesh = static_cast<std::uint32_t>(level.meshes.size());
        m.name = name;
        level.meshes.push_back(std::move(m));
        level.surfaces.push_back(s);
    };
    level.materials.emplace_back();
    Mesh ground;
    constexpr int cells = 480;
    for (int z = 0; z < cells; ++z)
        for (int x = 0; x < cells; ++x) {
            const auto at = [](int i, int k) {
                return Vec3{static_cast<float>(i), 0.02f * std::sin(0.37f * static_cast<float>(i + 2 * k)),
                            static_cast<float>(k)};
            };
            quad(ground, at(x, z + 1), at(x + 1, z + 1), at(x + 1, z), at(x, z));
        }
    add(std::move(ground), "ground");
    int number = 0;
    for (int house = 0; house < 250; ++house) {
        const float x = 12 + 28 * static_cast<float>(house % 16),
                    z = 12 + 28 * static_cast<float>(house / 16);
        const auto box = [&](const char* what, Vec3 low, Vec3 high) {
            Mesh m;
            const Vec3 l = low + Vec3{x, 0, z}, h = high + Vec3{x, 0, z};
            quad(m, {l.x, l.y, h.z}, {h.x, l.y, h.z}, {h.x, h.y, h.z}, {l.x, h.y, h.z});
            quad(m, {h.x, l.y, l.z}, {l.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z});
            quad(m, {h.x, l.y, h.z}, {h.x, l.y, l.z}, {h.x, h.y, l.z}, {h.x, h.y, h.z});
            quad(m, {l.x, l.y, l.z}, {l.x, l.y, h.z}, {l.x, h.y, h.z}, {l.x, h.y, l.z});
            quad(m, {l.x, h.y, h.z}, {h.x, h.y, h.z}, {h.x, h.y, l.z}, {l.x, h.y, l.z});
            quad(m, {l.x, l.y, l.z}, {h.x, l.y, l.z}, {h.x, l.y, h.z}, {l.x, l.y, h.z});
            add(std::move(m), std::string(what) + std::to_string(number++));
        };
        box("slab", {0, -0.5f, 0}, {12, 0.1f, 12});
        for (const float at : {0.0f, 5.9f, 11.8f}) {
            box("wall", {0, 0.1f, at}, {12, 3, at + 0.2f});
            box("wall", {at, 0.1f, 0.2f}, {at + 0.2f, 3, 5.9f});
            box("wall", {at, 0.1f, 6.1f}, {at + 0.2f, 3, 11.8f});
        }
    }
    complete_level(level);
    return level;
}

std::size_t triangles_of(const Level& level) {
    std::size_t sum = 0;
    for (const Surface& s : level.surfaces) sum += level.meshes[s.mesh]->triangle_count();
    return sum;
}

}  // namespace

void bench_parts(const std::string& file) {
    Job job;
    const auto tell = [&](const char* name, Level level) {
        const std::size_t before = triangles_of(level), surfaces = level.surfaces.size();
        const double seconds = time_of([&] { part_surfaces(level, job); });
        fmt::print(
            "{}: {} triangles on {} surfaces; {} cut into {} more, {} triangles more ({:.1f} %), {:.0f} m2 "
            "covered, "
            "in {:.2f} s\n",
            name, before, surfaces, level.parts.cut, level.parts.parts, triangles_of(level) - before,
            100.0 * static_cast<double>(triangles_of(level) - before) / static_cast<double>(before),
            level.parts.covered_area, seconds);
    };
    tell("a city", city());
    tell(file.c_str(), load_level_to_check(file));
}
