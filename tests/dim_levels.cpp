#include "dim_levels.hpp"

#include <map>

#include "level_builder.hpp"

namespace test {

namespace {

const Rgb brick{0.42f, 0.24f, 0.18f}, asphalt{0.12f, 0.12f, 0.13f}, concrete{0.5f, 0.5f, 0.48f};

Light lamp(const std::string& name, Vec3 at, Rgb candela, float radius = 0.04f) {
    return {.name = name, .color = candela, .position = at, .radius = radius};
}

Level hall() {
    LevelBuilder b;
    constexpr float length = 24, wide = 16, high = 5;
    b.box("slab", {-1, -0.2f, -1}, {length + 1, 0, wide + 1}, concrete);
    b.walls("hall", {0, 0, 0}, {length, high, wide}, 0.3f);
    b.roof({0, 0, 0}, {length, high, wide}, 0.3f);
    int lamps = 0;
    for (int x = 0; x < 5; ++x)
        for (int z = 0; z < 5; ++z) {
            const float px = 2.4f + 4.8f * static_cast<float>(x), pz = 1.6f + 3.2f * static_cast<float>(z);
            b.box("pillar " + std::to_string(x) + " " + std::to_string(z), {px - 0.3f, 0, pz - 0.3f},
                  {px + 0.3f, high, pz + 0.3f}, brick);
            // Four lamps close to each pillar's sides, each hidden from half of the hall.
            for (const Vec3 way :
                 {Vec3{0.45f, 0, 0}, Vec3{-0.45f, 0, 0}, Vec3{0, 0, 0.45f}, Vec3{0, 0, -0.45f}}) {
                const float warm = (lamps * 7 % 10) * 0.03f;
                b.level.lights.push_back(lamp("lamp " + std::to_string(lamps), Vec3{px, 2.2f, pz} + way,
                                              {60, 60 - 60 * warm, 60 - 120 * warm}));
                ++lamps;
            }
        }
    for (int k = 0; k < 6; ++k) {
        const float x = 1.5f + 4 * static_cast<float>(k);
        b.box("crate " + std::to_string(k), {x, 0, 7.4f}, {x + 0.9f, 0.8f, 8.3f}, wood, 0.3f, {x, 0, 7.4f});
    }
    b.level.lightmap = {.density = 8, .page = 1024, .margin = 4};
    return b.level;
}

Level street() {
    LevelBuilder b;
    b.quad("road", {-40, 0, 12}, {40, 0, 12}, {40, 0, -12}, {-40, 0, -12}, asphalt);
    for (int k = 0; k < 8; ++k) {
        const float x = -38 + 9.5f * static_cast<float>(k),
                    high = 5.5f + 1.2f * static_cast<float>(k * 5 % 4);
        for (const float side : {-1.0f, 1.0f}) {
            const std::string name = (side < 0 ? "north " : "south ") + std::to_string(k);
            const float front = 5 * side, back = 11 * side;
            b.box(name, {x, 0, std::min(front, back)}, {x + 8, high, std::max(front, back)},
                  k % 2 ? brick : plaster);
            b.box(name + " awning", {x + 1, 2.6f, std::min(front, front - side)},
                  {x + 4, 2.7f, std::max(front, front - side)}, wood);
            b.box(name + " step", {x + 5, 0, std::min(front, front - 0.6f * side)},
                  {x + 6.5f, 0.2f, std::max(front, front - 0.6f * side)}, concrete);
        }
        if (k % 2 == 0)
            b.level.lights.push_back({.name = "street lamp " + std::to_string(k),
                                      .kind = LightKind::spot,
                                      .color = {420, 340, 220},
                                      .position = {x + 4, 4.8f, -3.6f},
                                      .radius = 0.08f,
                                      .inner_cone = 0.7f,
                                      .outer_cone = 1.1f});
    }
    for (int k = 0; k < 12; ++k)
        b.level.lights.push_back(
            lamp("far " + std::to_string(k),
                 {k % 2 ? 120.0f : -120.0f, 12.0f + static_cast<float>(k), -60 + 11 * static_cast<float>(k)},
                 {9000, 7000, 4500}, 0.3f));
    b.box("van", {3, 0.3f, 1.6f}, {7.5f, 2.2f, 3.6f}, {0.6f, 0.6f, 0.62f});
    b.box("bin", {-6, 0, 4}, {-5.2f, 1.1f, 4.8f}, {0.2f, 0.3f, 0.2f});
    b.quad("sign", {-9.4f, 3, -4.9f}, {-7.6f, 3, -4.9f}, {-7.6f, 3.6f, -4.9f}, {-9.4f, 3.6f, -4.9f},
           {0.1f, 0.1f, 0.1f});
    b.level.materials.back().emission = {40, 260, 300};
    b.level.sky.radiance = {0.010f, 0.014f, 0.024f};
    b.level.lights.push_back({.name = "moon",
                              .kind = LightKind::sun,
                              .color = {0.18f, 0.2f, 0.24f},
                              .direction = normalize(Vec3{0.35f, -0.6f, 0.5f}),
                              .angular_diameter = 0.009f});
    for (Light& l : b.level.lights)
        if (l.name.starts_with("far")) {
            b.level.groups = {"far lamps"};
            l.group = 0;
        }
    b.level.lightmap = {.density = 5, .page = 1024, .margin = 4};
    return b.level;
}

Level stair() {
    LevelBuilder b;
    constexpr float half = 1.6f, high = 12, t = 0.25f;
    b.box("base", {-half - t, -0.2f, -half - t}, {half + t + 5, 0, half + t}, concrete);
    for (const bool east : {false, true}) {
        const float x0 = east ? half : -half - t;
        if (!east) {
            b.box("west", {x0, 0, -half}, {x0 + t, high, half}, plaster);
            continue;
        }
        // A doorway on every second landing.
        for (int floor = 0; floor < 2; ++floor) {
            const float y = 6 * static_cast<float>(floor), top = floor == 1 ? high : y + 6;
            b.box("east low " + std::to_string(floor), {x0, y, -half}, {x0 + t, top, 0.4f}, plaster);
            b.box("east far " + std::to_string(floor), {x0, y, 1.3f}, {x0 + t, top, half}, plaster);
            b.box("east over " + std::to_string(floor), {x0, y + 2, 0.4f}, {x0 + t, top, 1.3f}, plaster);
        }
    }
    b.box("north", {-half - t, 0, -half - t}, {half + t, high, -half}, plaster);
    b.box("south", {-half - t, 0, half}, {half + t, high, half + t}, plaster);
    // A skylight of 0.8 m in the roof.
    constexpr float hole = 0.4f;
    b.box("roof west", {-half - t, high, -half - t}, {-hole, high + 0.2f, half + t}, plaster);
    b.box("roof east", {hole, high, -half - t}, {half + t, high + 0.2f, half + t}, plaster);
    b.box("roof north", {-hole, high, -half - t}, {hole, high + 0.2f, -hole}, plaster);
    b.box("roof south", {-hole, high, hole}, {hole, high + 0.2f, half + t}, plaster);
    for (int flight = 0; flight < 6; ++flight) {
        const bool back = flight % 2 == 1;
        const float foot = 1.8f * static_cast<float>(flight);
        std::vector<Vec3> corners;
        for (int i = 0; i < 10; ++i) {
            const float y = foot + 0.18f * static_cast<float>(i), x = 0.2f * static_cast<float>(i) - 1;
            const float x0 = back ? -x - 0.2f : x;
            LevelBuilder::add_box(corners, {x0, std::max(0.0f, y - 0.1f), back ? 0.1f : -half},
                                  {x0 + 0.2f, y + 0.18f, back ? half : -0.1f});
        }
        b.triangles("flight " + std::to_string(flight), corners, concrete);
        const float y = foot + 1.8f;
        b.box("landing " + std::to_string(flight), {back ? -half : 1.0f, y - 0.15f, -half},
              {back ? -1.0f : half, y, half}, concrete);
    }
    for (int floor = 0; floor < 2; ++floor) {
        const float y = 6 * static_cast<float>(floor);
        const std::string name = "room " + std::to_string(floor);
        if (floor > 0)
            b.box(name + " slab", {half + t, y - 0.2f, -half - t}, {half + t + 4, y, half + t}, wood);
        b.box(name + " north", {half + t, y, -half - t}, {half + t + 4, y + 2.6f, -half}, plaster);
        b.box(name + " south", {half + t, y, half}, {half + t + 4, y + 2.6f, half + t}, plaster);
        b.box(name + " end", {half + t + 4, y, -half - t}, {half + t + 4.25f, y + 2.6f, half + t}, plaster);
        b.box(name + " lid", {half + t, y + 2.6f, -half - t}, {half + t + 4.25f, y + 2.8f, half + t},
              plaster);
    }
    b.level.sky.radiance = {3000, 3300, 3900};
    b.level.lightmap = {.density = 12, .page = 1024, .margin = 4};
    return b.level;
}

const std::map<std::string, Level (*)()> all{{"hall", hall}, {"stair", stair}, {"street", street}};

}  // namespace

std::vector<std::string> dim_levels() {
    std::vector<std::string> names;
    for (const auto& [name, build] : all) names.push_back(name);
    return names;
}

Level dim_level(const std::string& name) {
    Level level = all.at(name)();
    level.name = name;
    level.quality.tier = Tier::proof;
    complete_level(level);
    Job job;
    part_surfaces(level, job);
    return level;
}

}  // namespace test
