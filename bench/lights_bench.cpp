// What lamps cost, from one to a thousand, at equal noise.

#include <fmt/core.h>

#include <chrono>
#include <cmath>

#include "bake/sources.hpp"
#include "base/random.hpp"
#include "stasigraph/session.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

constexpr double aim = 0.04;  ///< Of `proof`: relative standard error, over all texels by area.

void add_box(Level& level, const std::string& name, Vec3 l, Vec3 h) {
    const Vec3 p[8] = {{l.x, l.y, l.z}, {h.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z},
                       {l.x, l.y, h.z}, {h.x, l.y, h.z}, {l.x, h.y, h.z}, {h.x, h.y, h.z}};
    const int faces[6][4] = {{0, 4, 6, 2}, {5, 1, 3, 7}, {0, 1, 5, 4},
                             {6, 7, 3, 2}, {1, 0, 2, 3}, {4, 5, 7, 6}};
    Mesh mesh{.name = name};
    for (const auto& f : faces)
        for (const int k : {0, 1, 2, 0, 2, 3}) {
            const Vec3 a = p[f[0]], b = p[f[1]], c = p[f[2]];
            mesh.indices.push_back(static_cast<std::uint32_t>(mesh.positions.size()));
            mesh.positions.push_back(p[f[k]]);
            mesh.normals.push_back(normalize(cross(b - a, c - a)));
        }
    level.meshes.push_back(std::move(mesh));
    level.surfaces.push_back(
        {.name = name, .node = name, .mesh = static_cast<std::uint32_t>(level.meshes.size() - 1)});
}

/// A floor of 48 by 48 metres under a ceiling, with lamps all over it; cut into open rooms by thirty walls or
/// left whole.
Level hall(int lamps, bool walls) {
    Level level;
    level.materials.push_back({.name = "grey", .base_color = {0.6f, 0.6f, 0.6f}});
    add_box(level, "floor", {-24, -0.5f, -24}, {24, 0, 24});
    add_box(level, "ceiling", {-24, 4, -24}, {24, 4.5f, 24});
    for (int i = 0; i < (walls ? 5 : 0); ++i)
        for (int j = 0; j < 3; ++j) {
            const float x = -20 + 9.0f * static_cast<float>(i), z = -21 + 15.0f * static_cast<float>(j);
            add_box(level, "wall_a" + std::to_string(3 * i + j), {x, -0.1f, z}, {x + 0.3f, 4.1f, z + 9});
            add_box(level, "wall_b" + std::to_string(3 * i + j), {x + 1.5f, -0.1f, z + 12},
                    {x + 7, 4.1f, z + 12.3f});
        }
    RandomStream random(11, 5);
    for (int i = 0; i < lamps; ++i) {
        Light lamp{.name = "lamp_" + std::to_string(i), .radius = 0.05f};
        const float strength = 3000.0f / static_cast<float>(lamps) * (0.5f + random.next());
        lamp.color = {strength, strength, strength};
        lamp.position = {random.next() * 47 - 23.5f, 2 + 1.8f * random.next(), random.next() * 47 - 23.5f};
        level.lights.push_back(lamp);
    }
    level.lightmap = {.density = 3, .page = 1024, .margin = 2};
    complete_level(level);
    return level;
}

struct Pass {
    double seconds = 0, noise = 0, mean = 0;
};

/// The direct pass twice with other seeds: half the mean square of the difference is the variance.
Pass direct_pass(const DirectLight& light, const TexelSet& texels, const RowSource& rows,
                 const LightEffort& effort, Job& job) {
    const TexelStates valid(rows.size(), TexelState::open);
    const std::vector<float> nothing_besides;
    const Footprints middles;
    const RowSkyWeights weights;
    Pass pass;
    std::vector<Rgb> light_of[2];
    for (int k = 0; k < 2; ++k) {
        const auto start = std::chrono::steady_clock::now();
        light_of[k] = light_texels({.light = light,
                                    .rows = rows,
                                    .footprints = middles,
                                    .effort = effort,
                                    .weights = weights,
                                    .seed = static_cast<std::uint32_t>(k + 1)},
                                   {texels, valid, nothing_besides}, job)
                          .light;
        const double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        pass.seconds = k == 0 ? s : std::min(pass.seconds, s);
    }
    // Relative to each texel's light, or a twentieth of the mean where it is darker.
    double whole = 0, square = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        whole += static_cast<double>(texels.area[i]);
        pass.mean += static_cast<double>(texels.area[i] * light_of[0][i].g);
    }
    pass.mean /= whole;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const auto a = static_cast<double>(light_of[0][i].g), b = static_cast<double>(light_of[1][i].g);
        const double base = std::max((a + b) / 2, 0.05 * pass.mean);
        square += static_cast<double>(texels.area[i]) * (a - b) * (a - b) / 2 / (base * base);
    }
    pass.noise = std::sqrt(square / whole);
    return pass;
}

void bench_hall(bool walls) {
    double first = 0, first_bake = 0;
    for (const int lamps : {1, 10, 100, 1000}) {
        const Level level = hall(lamps, walls);
        Job job;
        const TextureSet textures(level);
        const RayCaster caster(level, textures, [](const Surface&) { return true; });
        const SkyLight sky(level.sky);
        const Atlas atlas = unwrap(level, 1, job);
        const TexelSet texels = place_texels(level, atlas, job);
        const RowSource rows = texel_rows(level, texels, 1);
        const DirectLight light({level, textures, caster, sky}, 0);
        const Pass pass = direct_pass(light, texels, rows, light_effort(tier_options(Tier::proof), 0), job);
        const auto start = std::chrono::steady_clock::now();
        Atlas own;
        bake(level, own, job);
        const double whole = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        if (lamps == 1) first = pass.seconds;
        if (lamps == 1) first_bake = whole;
        fmt::print("{:>5}   {:>6.2f} s, {:>5.1f} times      {:>4.1f} %          {:>6.1f} s, {:>4.1f} times\n",
                   lamps, pass.seconds, pass.seconds / first, pass.noise * 100, whole, whole / first_bake);
    }
}

}  // namespace

void bench_lights() {
    for (const bool walls : {true, false}) {
        fmt::print("{}\n", walls ? "hall cut into rooms by thirty walls" : "the same hall without walls");
        fmt::print("lamps   direct pass at proof            noise (aim {:.0f} %)   whole bake\n", aim * 100);
        bench_hall(walls);
    }
}

/// A group of 84 lamps: the first bake against a gain, a colour, and one lamp of them.
void bench_group() {
    using Clock = std::chrono::steady_clock;
    const auto since = [](Clock::time_point start) {
        return std::chrono::duration<double>(Clock::now() - start).count();
    };
    Level level = hall(84, true);
    level.lightmap.density = 12;
    level.quality.tier = Tier::proof;
    Job job;
    auto start = Clock::now();
    Session session(level, job);
    const double first = since(start);
    fmt::print("84 lamps in one group, {} texels: first bake {:.1f} s\n", session.baked().figures.texels,
               first);
    const auto again = [&](const char* what, auto&& change) {
        Level now = session.level();
        change(now);
        start = Clock::now();
        session.update(now, job);
        const double took = since(start);
        fmt::print("  {:<22} {:.2f} s, {:.0f} times faster; {} groups lit\n", what, took, first / took,
                   session.baked().figures.layers_made);
    };
    again("gain 2.5", [](Level& l) {
        for (Light& lamp : l.lights) lamp.color = lamp.color * 2.5f;
    });
    again("gain 0.3", [](Level& l) {
        for (Light& lamp : l.lights) lamp.color = lamp.color * 0.3f;
    });
    again("2200 kelvin", [](Level& l) {
        for (Light& lamp : l.lights) lamp.color = kelvin_to_rgb(2200) * luminance(lamp.color);
    });
    again("one lamp twice as bright", [](Level& l) { l.lights[7].color = l.lights[7].color * 2.0f; });
}
