// A level made in code, baked by the core library alone: a white room with a lamp and one red wall.

#include <cstdio>
#include <stasigraph/stasigraph.hpp>

using namespace stasigraph;

// One wall of the room as a surface of its own; corners counter-clockwise from inside.
static void add_wall(Level& level, const char* name, Vec3 a, Vec3 b, Vec3 c, Vec3 d, Rgb albedo) {
    const Vec3 n = normalize(cross(b - a, c - a));
    Mesh mesh;
    mesh.name = name;
    mesh.positions = {a, b, c, d};
    mesh.normals = {n, n, n, n};
    mesh.indices = {0, 1, 2, 0, 2, 3};
    Material material;
    material.name = name;
    material.base_color = albedo;
    Surface surface;
    surface.name = surface.node = name;
    surface.mesh = static_cast<std::uint32_t>(level.meshes.size());
    surface.material = static_cast<std::uint32_t>(level.materials.size());
    level.meshes.push_back(mesh);
    level.materials.push_back(material);
    level.surfaces.push_back(surface);
}

int main() {
    Level level;
    const Rgb white{0.7f, 0.7f, 0.7f}, red{0.7f, 0.05f, 0.05f};
    add_wall(level, "floor", {-2, 0, 2}, {2, 0, 2}, {2, 0, -2}, {-2, 0, -2}, white);
    add_wall(level, "ceiling", {-2, 3, -2}, {2, 3, -2}, {2, 3, 2}, {-2, 3, 2}, white);
    add_wall(level, "west", {-2, 0, 2}, {-2, 0, -2}, {-2, 3, -2}, {-2, 3, 2}, red);
    add_wall(level, "east", {2, 0, -2}, {2, 0, 2}, {2, 3, 2}, {2, 3, -2}, white);
    add_wall(level, "north", {-2, 0, -2}, {2, 0, -2}, {2, 3, -2}, {-2, 3, -2}, white);
    add_wall(level, "south", {2, 0, 2}, {-2, 0, 2}, {-2, 3, 2}, {2, 3, 2}, white);
    Light lamp;
    lamp.name = "lamp";
    lamp.kind = LightKind::point;
    lamp.color = {100, 100, 100};  // candela
    lamp.position = {0, 2.5f, 0};
    lamp.radius = 0.05f;
    level.lights.push_back(lamp);
    level.volumes.push_back(box_volume("room", {-1.8f, 0.2f, -1.8f}, {1.8f, 2.8f, 1.8f}, 1.2f));
    level.lightmap = {.density = 8, .page = 256, .margin = 2};
    complete_level(level);
    try {
        Job job;
        Atlas atlas;
        const Baked baked = bake(level, atlas, job);
        std::printf("%zu texels, %zu links, %d bounces\n", baked.figures.texels, baked.figures.links,
                    baked.figures.bounces);
        const Vec3 up{0, 1, 0};
        const auto floor = meter_lightmap({level, atlas}, baked.sets[0],
                                          {{{-1.8f, 0, 0}, up}, {{1.8f, 0, 0}, up}}, 0.05f, job);
        std::printf("floor beside the red wall:   %6.1f %6.1f %6.1f lux\n", floor[0].irradiance->r,
                    floor[0].irradiance->g, floor[0].irradiance->b);
        std::printf("floor beside the white wall: %6.1f %6.1f %6.1f lux\n", floor[1].irradiance->r,
                    floor[1].irradiance->g, floor[1].irradiance->b);
        const auto air = meter_probes(baked.probes, baked.sets[0], {{{-1.5f, 1.5f, 0}, Vec3{-1, 0, 0}}});
        std::printf("a face turned to the red wall, from probes: %6.1f %6.1f %6.1f lux\n",
                    air[0].irradiance->r, air[0].irradiance->g, air[0].irradiance->b);
    } catch (const Error& e) {
        std::fprintf(stderr, "%s\n", e.text().c_str());
        return 1;
    }
}
