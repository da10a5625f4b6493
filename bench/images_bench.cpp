// What large scenes cost: images under a change that has nothing to do with them, the ray kernel's tree.

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <string>

#include "bench_time.hpp"
#include "level/texture.hpp"
#include "shapes.hpp"
#include "stasigraph/session.hpp"
#include "stasigraph/stasigraph.hpp"
#include "trace/ray_caster.hpp"

using namespace stasigraph;

namespace {

constexpr int panels = 30;

/// Thirty panels around a lamp, each with an image of its own of so many pixels a side.
Level panelled(int side) {
    Level level;
    level.name = "panels";
    for (int i = 0; i < panels; ++i) {
        const std::string name = fmt::format("panel {}", i);
        const float x = static_cast<float>(i % 6), z = static_cast<float>(i / 6);
        const auto number = static_cast<std::uint32_t>(i);
        Image image{.name = name, .width = side, .height = side, .rgba = {}};
        image.rgba.resize(4 * static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
        for (std::size_t k = 0; k < image.rgba.size(); ++k)
            image.rgba[k] = static_cast<std::uint8_t>(60 + (k * 2654435761u >> 24) % 120);
        level.images.push_back(std::move(image));
        Material material{.name = name};
        material.base_texture.image = number;
        level.materials.push_back(material);
        level.meshes.push_back(Mesh{.name = name,
                                    .positions = {{x, 0, z}, {x, 0, z + 1}, {x + 1, 0, z + 1}, {x + 1, 0, z}},
                                    .normals = {{0, 1, 0}, {0, 1, 0}, {0, 1, 0}, {0, 1, 0}},
                                    .uv0 = {{0, 0}, {0, 1}, {1, 1}, {1, 0}},
                                    .indices = {0, 1, 2, 0, 2, 3}});
        level.surfaces.push_back({.name = name, .node = name, .mesh = number, .material = number});
    }
    level.lights.push_back({.name = "lamp", .color = {500, 400, 300}, .position = {3, 2, 2.5f}});
    level.sky.radiance = {100, 120, 150};
    level.lightmap.density = 8;
    level.quality.tier = Tier::glance;
    complete_level(level);
    return level;
}

/// The least of some updates that change a lamp's colour as a whole, seconds.
double retune(const Level& level) {
    Job job;
    Session session(level, job);
    double least = 1e9;
    for (int k = 0; k < 9; ++k) {
        Level now = session.level();
        now.lights[0].color = now.lights[0].color * (k % 2 == 0 ? 1.3f : 0.8f);
        std::size_t pages = 0;
        least = std::min(least, time_of([&] { pages = session.update(now, job).size(); }));
        if (pages == 0) std::abort();  // it is to be seen
    }
    return least;
}

}  // namespace

/// A lamp's colour in a session over 500 MB of images, against the same level with images of 4 by 4 pixels.
void bench_images() {
    const Level small = panelled(4), large = panelled(2048);
    std::size_t bytes = 0;
    for (const Image& image : large.images) bytes += image.rgba.size();
    const double without = retune(small), with = retune(large);
    fmt::print("a lamp's colour: {:.1f} ms over {} MB of images, {:.1f} ms over next to none\n", 1e3 * with,
               bytes / 1000000, 1e3 * without);
    const double copies = time_of([&] {
        for (int k = 0; k < 100; ++k) {
            const Level copy = large;
            if (copy.images.size() != large.images.size()) std::abort();
        }
    });
    fmt::print("a copy of that level: {:.3f} ms\n", 10 * copies);
}

/// The ray kernel's tree over a few million triangles, by one thread and by two.
void bench_tree() {
    for (const int rings : {200, 700}) {
        Level level;
        test::add_mesh(level, test::sphere(rings, 5));
        const TextureSet textures(level);
        double one = 1e9, two = 1e9;
        for (int k = 0; k < 3; ++k) {
            one = std::min(one,
                           time_of([&] { RayCaster(level, textures, [](const Surface&) { return true; }); }));
            two = std::min(two, time_of([&] {
                               RayCaster(
                                   level, textures, [](const Surface&) { return true; }, 2);
                           }));
        }
        fmt::print("{} thousand triangles: {:.2f} s by one thread, {:.2f} by two: {:.2f} times\n",
                   level.meshes[0]->triangle_count() / 1000, one, two, one / two);
    }
}
