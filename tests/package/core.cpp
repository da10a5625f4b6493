#include <stasigraph/stasigraph.hpp>

int main() {
    using namespace stasigraph;
    Level level;
    level.meshes.push_back(Mesh{.name = "m",
                                .positions = {{-2, 0, 2}, {2, 0, 2}, {2, 0, -2}},
                                .normals = {{0, 1, 0}, {0, 1, 0}, {0, 1, 0}},
                                .indices = {0, 1, 2}});
    level.materials.push_back({});
    level.surfaces.push_back({"floor", "floor"});
    level.sky.radiance = {1000, 1000, 1000};
    level.lightmap.page = 128;
    complete_level(level);
    Job job;
    Atlas atlas;
    const Baked baked = bake(level, atlas, job);
    const auto light =
        meter_lightmap({level, atlas}, baked.sets[0], {{{0.5f, 0, 0.5f}, Vec3{0, 1, 0}}}, 0.05f, job);
    return light[0].irradiance && std::abs(light[0].irradiance->g - 3141.59f) < 1 ? 0 : 1;
}
