// A small level baked on eight threads, edited, and baked again from what the first bake left: run under the
// thread sanitizer. Exit status 1 where the edit has other bytes than a bake from nothing.

#include <cmath>
#include <cstdio>

#include "../stores.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

void add_quad(Level& level, const char* name, Vec3 a, Vec3 b, Vec3 c, Vec3 d) {
    Mesh mesh;
    mesh.positions = {a, b, c, d};
    mesh.normals.assign(4, normalize(cross(b - a, c - a)));
    mesh.indices = {0, 1, 2, 0, 2, 3};
    Surface s;
    s.name = s.node = name;
    s.mesh = static_cast<std::uint32_t>(level.meshes.size());
    level.meshes.push_back(mesh);
    level.surfaces.push_back(s);
}

void add_lamp(Level& level, const char* name, LightKind kind, Vec3 at, float radius) {
    Light l{.name = name, .kind = kind, .color = {100, 90, 80}};
    l.position = at;
    l.radius = radius;
    level.lights.push_back(l);
}

}  // namespace

int main() {
    Level level;
    level.name = "threads";
    level.materials.resize(1);
    level.materials[0].base_color = {0.6f, 0.5f, 0.4f};
    add_quad(level, "floor", {-2, 0, 2}, {2, 0, 2}, {2, 0, -2}, {-2, 0, -2});
    add_quad(level, "wall", {-2, 0, -1.5f}, {2, 0, -1.5f}, {2, 2, -1.5f}, {-2, 2, -1.5f});
    add_quad(level, "board", {-0.5f, 0, 0}, {0.5f, 0, 0}, {0.5f, 1, 0}, {-0.5f, 1, 0});
    add_quad(level, "post", {0.8f, 0, 0.6f}, {0.9f, 0, 0.6f}, {0.9f, 0.8f, 0.6f}, {0.8f, 0.8f, 0.6f});
    level.materials[0].double_sided = true;
    add_lamp(level, "ball", LightKind::point, {0.4f, 1.6f, 0.7f}, 0.6f);
    add_lamp(level, "far ball", LightKind::point, {-1.3f, 1.8f, 1.2f}, 0.3f);
    add_lamp(level, "disc", LightKind::disc, {1.2f, 1.9f, 0.9f}, 0.5f);
    level.sky.radiance = {500, 700, 900};
    level.volumes.push_back(box_volume("air", {-1, 0.3f, 0.2f}, {1, 1.3f, 1.2f}, 0.7f));
    level.lightmap.density = 10;
    level.lightmap.page = 128;
    level.quality.tier = Tier::proof;
    level.quality.links = 16;
    level.quality.noise = 0.01f;  // so that texels look long where their neighbours differ
    Job job({.threads = 8});
    test::MemoryStore memory;
    Atlas atlas;
    bake(level, atlas, job, memory.store());
    std::size_t again = 0, traced = 0, whole = 0;
    for (int i = 1; i <= 6; ++i) {
        level.surfaces[2].to_world.origin.x = 0.09f * static_cast<float>(i);
        Atlas before = atlas;
        const Baked by_edit = bake(level, atlas, job, memory.store()), fresh = bake(level, before, job);
        again += by_edit.figures.sampled_again;
        traced += by_edit.figures.traced;
        whole += fresh.figures.traced;
        if (by_edit.sets[0].pages[0].texels != fresh.sets[0].pages[0].texels) {
            std::puts("an edit has other bytes than a bake from nothing");
            return 1;
        }
    }
    std::printf(
        "six edits: %zu of %zu links traced, %zu texels sampled again beside others that are looked at\n",
        traced, whole, again);
    return traced > 0 && traced < whole ? 0 : 1;
}
