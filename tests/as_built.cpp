#include "as_built.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/random.hpp"
#include "level_builder.hpp"
#include "parts/covered.hpp"
#include "stasigraph/reference.hpp"
#include "trace/ray_caster.hpp"

namespace test {

namespace {

constexpr SealedRoom one_room{{-2, 0, -2}, {2, 2.4f, 2}};

void build_slab(LevelBuilder& b) {
    // One slab under a sealed room and an open one beside it.
    b.floor(8);
    b.walls("room", one_room.low, one_room.high, 0.1f);
    b.roof(one_room.low, one_room.high, 0.1f);
    b.walls("yard", {2.1f, 0, -2}, {5, 2.4f, 2}, 0.1f, 0);
}
void build_sheets(LevelBuilder& b) {
    b.floor(8);
    const auto sheet = [&](const char* name, float x0, float z0, float x1, float z1) {
        b.quad(name, {x0, 0, z0}, {x1, 0, z1}, {x1, 2.4f, z1}, {x0, 2.4f, z0}, plaster, true);
    };
    sheet("north", -2, -2, 2, -2);
    sheet("east", 2, -2, 2, 2);
    sheet("south", 2, 2, -2, 2);
    sheet("west", -2, 2, -2, -2);
    b.quad("roof", {-2, 2.4f, 2}, {2, 2.4f, 2}, {2, 2.4f, -2}, {-2, 2.4f, -2}, plaster, true);
}
void build_tiles(LevelBuilder& b) {
    // A floor in tiles of a metre that walls of modules stand on, off their joints.
    for (int x = -4; x < 4; ++x)
        for (int z = -4; z < 4; ++z)
            b.box("tile " + std::to_string(x) + " " + std::to_string(z),
                  {static_cast<float>(x), -0.1f, static_cast<float>(z)},
                  {static_cast<float>(x + 1), 0, static_cast<float>(z + 1)}, ground_color);
    for (int i = 0; i < 2; ++i) {
        const float from = -2 + 2 * static_cast<float>(i), to = from + 2;
        b.box("north " + std::to_string(i), {from, 0, -2.2f}, {to, 2.4f, -2}, plaster);
        b.box("south " + std::to_string(i), {from, 0, 2}, {to, 2.4f, 2.2f}, plaster);
        b.box("east " + std::to_string(i), {2, 0, from}, {2.2f, 2.4f, to}, plaster);
        b.box("west " + std::to_string(i), {-2.2f, 0, from}, {-2, 2.4f, to}, plaster);
    }
    for (const float x : {-2.2f, 2.0f})
        for (const float z : {-2.2f, 2.0f}) b.box("post", {x, 0, z}, {x + 0.2f, 2.4f, z + 0.2f}, plaster);
    b.roof(one_room.low, one_room.high, 0.2f);
}
void build_terrain(LevelBuilder& b) {
    std::vector<Vec3> corners;
    const auto at = [](int x, int z) {
        const auto fx = static_cast<float>(x) * 0.5f - 6, fz = static_cast<float>(z) * 0.5f - 6;
        return Vec3{fx, 0.06f * std::sin(1.7f * fx + 0.4f) * std::cos(1.3f * fz) - 0.06f, fz};
    };
    for (int x = 0; x < 24; ++x)
        for (int z = 0; z < 24; ++z)
            for (const Vec3 p :
                 {at(x, z), at(x, z + 1), at(x + 1, z + 1), at(x, z), at(x + 1, z + 1), at(x + 1, z)})
                corners.push_back(p);
    b.triangles("terrain", corners, ground_color);
    b.walls("hut", {-2, -0.5f, -2}, one_room.high, 0.17f);
    b.roof(one_room.low, one_room.high, 0.17f);
}
void build_crates(LevelBuilder& b) {
    b.floor(5);
    b.box("crate", {-0.5f, 0, -0.5f}, {0.5f, 1, 0.5f}, wood);
    b.box("on it", {-0.3f, 1, -0.2f}, {0.4f, 1.6f, 0.4f}, wood);
    b.box("half sunk", {1.5f, -0.4f, -0.5f}, {2.5f, 0.6f, 0.5f}, wood);
    b.box("a hair above", {-2.5f, 0.002f, -0.5f}, {-1.5f, 1.002f, 0.5f}, wood);
    b.box("against it", {-0.5f, 0, 0.5f}, {0.3f, 0.7f, 1.1f}, wood);
    b.box("turned", {1.4f, 0, 1.4f}, {2.2f, 0.8f, 2.2f}, wood, 0.5f, {1.8f, 0, 1.8f});
}
void build_stairs(LevelBuilder& b) {
    b.floor(5);
    std::vector<Vec3> corners;
    for (int i = 0; i < 6; ++i) {
        const auto f = static_cast<float>(i);
        LevelBuilder::add_box(corners, {-1, 0, 1 - 0.3f * (f + 1)}, {0.5f, 0.18f * (f + 1), 1 - 0.3f * f});
    }
    b.triangles("steps", corners, plaster);
    b.box("wall", {0.5f, 0, -2}, {0.7f, 2.5f, 2}, plaster);
    b.box("landing", {-1, 0.9f, -2}, {0.5f, 1.08f, -0.8f}, plaster);
}
void build_window(LevelBuilder& b) {
    // One slab; a room with a window to the south and a door leaf ajar in its doorway.
    b.floor(8);
    const float t = 0.3f;
    b.box("north", {-2 - t, 0, -2 - t}, {2 + t, 2.4f, -2}, plaster);
    b.box("west", {-2 - t, 0, -2}, {-2, 2.4f, 2}, plaster);
    b.box("east near", {2, 0, -2}, {2 + t, 2.4f, 0}, plaster);
    b.box("east far", {2, 0, 0.9f}, {2 + t, 2.4f, 2}, plaster);
    b.box("lintel", {2, 2, 0}, {2 + t, 2.4f, 0.9f}, plaster);
    b.box("south low", {-2 - t, 0, 2}, {2 + t, 0.9f, 2 + t}, plaster);
    b.box("south high", {-2 - t, 2, 2}, {2 + t, 2.4f, 2 + t}, plaster);
    b.box("south left", {-2 - t, 0.9f, 2}, {-0.6f, 2, 2 + t}, plaster);
    b.box("south right", {0.6f, 0.9f, 2}, {2 + t, 2, 2 + t}, plaster);
    b.roof({-2, 0, -2}, {2, 2.4f, 2}, t);
    b.box("leaf", {2.02f, 0.01f, 0.02f}, {2.06f, 1.99f, 0.88f}, wood, 0.6f, {2.04f, 0, 0.02f});
}
void build_inner(LevelBuilder& b) {
    // A sealed room inside of a room with a doorway.
    b.floor(8);
    b.walls("outer", {-3.5f, 0, -3.5f}, {3.5f, 3, 3.5f}, 0.2f, 0);
    b.roof({-3.5f, 0, -3.5f}, {3.5f, 3, 3.5f}, 0.2f);
    b.walls("inner", {-1, 0, -1}, {1, 2, 1}, 0.05f);
    b.box("lid", {-1.05f, 2, -1.05f}, {1.05f, 2.1f, 1.05f}, plaster);
}

struct Kind {
    const char* name;
    void (*build)(LevelBuilder&);
    SealedRoom sealed;
};
const Kind kinds[] = {
    {"slab", build_slab, one_room},   {"sheets", build_sheets, one_room},
    {"tiles", build_tiles, one_room}, {"terrain", build_terrain, one_room},
    {"crates", build_crates, {}},     {"stairs", build_stairs, {}},
    {"window", build_window, {}},     {"inner room", build_inner, {{-1, 0, -1}, {1, 2, 1}}}};

const Kind& kind_of(const std::string& name) {
    return *std::find_if(std::begin(kinds), std::end(kinds) - 1,
                         [&](const Kind& k) { return k.name == name; });
}

bool can_be_seen(const Level& level, const RayCaster& caster, const JointPoint& p) {
    constexpr float room = 0.3f;
    constexpr std::uint32_t looks = 64;
    if (lies_on_another(level, caster, p.at, p.normal)) return false;
    // Inside of something, or under a ground that is seen from above alone.
    int inside = 0;
    for (const Vec3 way : {Vec3{0.31f, 0.9f, 0.2f}, Vec3{-0.4f, 0.85f, 0.3f}, Vec3{0.05f, 0.93f, -0.33f}})
        inside += caster.solids_around(p.at + p.normal * 0.001f, normalize(way)) > 0 ? 1 : 0;
    if (inside >= 2) return false;
    const Frame frame(p.normal);
    std::uint32_t far = 0, backs = 0;
    for (std::uint32_t k = 0; k < looks; ++k) {
        const Hit hit = caster.closest(
            {p.at + p.normal * 0.001f, frame.to_world(cosine_direction(sobol_point(0x6c6f6f6bu, k)))});
        const bool back = hit.surface != none && hit.back &&
                          !level.materials[level.surfaces[hit.surface].material].double_sided;
        backs += back ? 1 : 0;
        far += !back && (hit.surface == none || hit.distance > room) ? 1 : 0;
    }
    return 8 * far > looks && 4 * backs < looks;
}

}  // namespace

std::vector<std::string> levels_as_built() {
    std::vector<std::string> names;
    for (const Kind& k : kinds) names.emplace_back(k.name);
    return names;
}

SealedRoom sealed_room(const std::string& name) {
    return kind_of(name).sealed;
}

Level as_built(const std::string& name, float density, bool sun) {
    LevelBuilder b;
    kind_of(name).build(b);
    b.level.name = name;
    b.level.sky.radiance = {3000, 3300, 3900};
    if (sun)
        b.level.lights = {{.name = "sun",
                           .kind = LightKind::sun,
                           .color = {100000, 95000, 88000},
                           .direction = normalize(Vec3{-0.5f, -0.7f, 0.6f}),
                           .angular_diameter = 0.0093f}};
    b.level.lightmap = {.density = density, .page = 1024, .margin = 4};
    b.level.quality.tier = Tier::proof;
    complete_level(b.level);
    return b.level;
}

std::vector<JointPoint> joint_points(const Level& level, const std::vector<float>& texels, float density,
                                     float every, Job& job) {
    std::vector<JointPoint> points;
    const auto key = [](Vec3 p) {
        const auto whole = [](float v) { return std::lround(v * 2000); };
        return std::array<long, 3>{whole(p.x), whole(p.y), whole(p.z)};
    };
    for (const Surface& s : level.surfaces) {
        const Mesh& m = level.meshes[s.mesh];
        const auto at = [&](std::size_t i) { return transform_point(s.to_world, m.positions[m.indices[i]]); };
        const auto normal = [&](std::size_t t) {
            return normalize(cross(at(3 * t + 1) - at(3 * t), at(3 * t + 2) - at(3 * t)));
        };
        std::map<std::pair<std::array<long, 3>, std::array<long, 3>>, std::vector<std::size_t>> edges;
        for (std::size_t i = 0; i < m.indices.size(); ++i) {
            auto a = key(at(i)), b = key(at(i % 3 == 2 ? i - 2 : i + 1));
            edges[{std::min(a, b), std::max(a, b)}].push_back(i);
        }
        for (const auto& [ends, sides] : edges) {
            if (sides.size() == 2 && dot(normal(sides[0] / 3), normal(sides[1] / 3)) > 0.99f) continue;
            for (const std::size_t i : sides) {
                const Vec3 a = at(i), b = at(i % 3 == 2 ? i - 2 : i + 1), c = at(i / 3 * 3 + (i % 3 + 2) % 3),
                           n = normal(i / 3);
                const float l = length(b - a);
                if (l < 0.1f) continue;
                const Vec3 along = (b - a) * (1 / l), in = (c - a) - along * dot(c - a, along);
                const float deep = length(in), slide = dot(c - a, along);
                const int count = std::max(1, static_cast<int>(l / every));
                for (int k = 0; k < count; ++k)
                    for (const float t : texels) {
                        const float off = std::max(0.002f, t / density);
                        if (off > 0.8f * deep) continue;
                        // Within the triangle: its sides come together with the way in.
                        const float from = slide * off / deep, to = l + (slide - l) * off / deep;
                        const float share = (static_cast<float>(k) + 0.37f) / static_cast<float>(count);
                        points.push_back(
                            {a + along * (from + (to - from) * share) + in * (off / deep), n, off});
                    }
            }
        }
    }
    // Not where nobody looks: inside of things, behind faces, in crevices, on what lies on another face.
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface&) { return true; });
    std::vector<std::uint8_t> seen(points.size(), 0);
    job.parallel(points.size(), 64, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) seen[i] = can_be_seen(level, caster, points[i]) ? 1 : 0;
    });
    std::vector<JointPoint> out;
    for (std::size_t i = 0; i < points.size(); ++i)
        if (seen[i]) out.push_back(points[i]);
    return out;
}

float JointError::error() const {
    return std::max(0.0f, std::abs(baked - exact) - 2 * unsure) / std::max(exact, 100.0f);
}

std::vector<JointError> joint_errors(const Level& level, const Atlas& atlas, const BakedSet& set,
                                     const std::vector<JointPoint>& points, int paths, Job& job) {
    std::vector<MeterPoint> meter;
    std::vector<ReferencePoint> places;
    for (const JointPoint& p : points) {
        meter.push_back({p.at, p.normal});
        places.push_back({p.at, p.normal, p.normal});
    }
    const auto read = meter_lightmap({level, atlas}, set, meter, 0.01f, job);
    std::vector<JointError> out;
    const auto a = reference_light(level, 0, places, {.paths = paths / 2, .seed = 3}, job),
               b = reference_light(level, 0, places, {.paths = paths / 2, .seed = 4}, job);
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (!read[i].irradiance) continue;
        const float x = luminance(a[i].direct + a[i].bounced), y = luminance(b[i].direct + b[i].bounced);
        out.push_back({points[i], luminance(*read[i].irradiance), (x + y) / 2, std::abs(x - y) / 2});
    }
    return out;
}

}  // namespace test
