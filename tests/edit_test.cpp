// Geometry that moves, comes and goes: a bake pays for what it touches, and has the bytes of one from
// nothing.

#include <gtest/gtest.h>

#include <functional>

#include "shapes.hpp"
#include "stores.hpp"
#include "support.hpp"

namespace test::edit_tests {
namespace {

using namespace stasigraph;

Mesh cube() {
    Level level;
    const float h = 0.5f;
    add_quad(level, "top", {-h, h, h}, {h, h, h}, {h, h, -h}, {-h, h, -h}, {1, 1, 1});
    add_quad(level, "bottom", {-h, -h, -h}, {h, -h, -h}, {h, -h, h}, {-h, -h, h}, {1, 1, 1});
    add_quad(level, "front", {-h, -h, h}, {h, -h, h}, {h, h, h}, {-h, h, h}, {1, 1, 1});
    add_quad(level, "rear", {h, -h, -h}, {-h, -h, -h}, {-h, h, -h}, {h, h, -h}, {1, 1, 1});
    add_quad(level, "left", {-h, -h, -h}, {-h, -h, h}, {-h, h, h}, {-h, h, -h}, {1, 1, 1});
    add_quad(level, "right", {h, -h, h}, {h, -h, -h}, {h, h, -h}, {h, h, h}, {1, 1, 1});
    Mesh mesh;
    for (const Surface& s : level.surfaces) {
        const Mesh& quad = level.meshes[s.mesh];
        const auto first = static_cast<std::uint32_t>(mesh.positions.size());
        for (const Vec3 p : quad.positions) {
            mesh.positions.push_back(p);
            mesh.uv0.push_back({p.x + p.y, p.z - p.y});
        }
        mesh.normals.insert(mesh.normals.end(), quad.normals.begin(), quad.normals.end());
        for (const std::uint32_t i : quad.indices) mesh.indices.push_back(first + i);
    }
    return mesh;
}

/// Materials that a thing may be of.
constexpr std::uint32_t grey = 0, glass = 1, glowing = 2, leaf = 3, kinds = 4;

/// A yard: a floor, two walls that meet, and things of all kinds in it.
struct Yard {
    Level level;
    std::uint32_t box = 0, ball = 0, first_thing = 0, made = 0;

    Yard() {
        level.materials.resize(kinds);
        level.materials[grey].base_color = {0.6f, 0.5f, 0.4f};
        level.materials[glass].base_color = {0.9f, 0.3f, 0.2f};
        level.materials[glass].transmission = 0.7f;
        level.materials[glowing].emission = {300, 200, 100};
        level.materials[leaf].base_color = {0.2f, 0.6f, 0.1f};
        level.materials[leaf].double_sided = true;
        add_floor(level, 4, {0.5f, 0.5f, 0.5f});
        add_quad(level, "wall", {-2, -0.3f, -1.5f}, {2, -0.3f, -1.5f}, {2, 2, -1.5f}, {-2, 2, -1.5f},
                 {0.8f, 0.2f, 0.1f});
        add_quad(level, "sheet", {-1.5f, 0, -2}, {-1.5f, 0, 2}, {-1.5f, 1.5f, 2}, {-1.5f, 1.5f, -2},
                 {0.2f, 0.4f, 0.8f});
        level.materials[level.surfaces.back().material].double_sided = true;
        box = static_cast<std::uint32_t>(level.meshes.size());
        level.meshes.push_back(cube());
        ball = static_cast<std::uint32_t>(level.meshes.size());
        Mesh round = sphere(5, 0.3f);
        smooth_normals(round);
        level.meshes.push_back(round);
        first_thing = static_cast<std::uint32_t>(level.surfaces.size());
        Numbers where(7);
        for (const std::uint32_t kind : {grey, glass, grey, glowing, leaf}) add(kind, where);
        Light lamp{.name = "lamp", .kind = LightKind::point, .color = {60, 60, 50}};
        lamp.position = {0.4f, 1.6f, 0.7f};
        lamp.radius = 0.05f;
        lamp.group = group_index(level, "lamp");
        Light late{.name = "late", .kind = LightKind::spot, .color = {40, 50, 60}};
        late.position = {-0.8f, 1.8f, 0.2f};
        late.direction = normalize(Vec3{0.3f, -1, 0.1f});
        late.inner_cone = 0.3f;
        late.outer_cone = 0.7f;
        late.role = BakeRole::bounce;
        late.group = lamp.group;
        Light sun{.name = "sun", .kind = LightKind::sun, .color = {50000, 48000, 45000}};
        sun.direction = normalize(Vec3{0.4f, -0.8f, -0.3f});
        sun.angular_diameter = 0.02f;
        sun.group = group_index(level, "sun");
        level.lights = {lamp, late, sun};
        level.sky.kind = SkyKind::image;
        level.sky.radiance = {1, 1, 1};
        level.sky.width = 16;
        level.sky.height = 8;
        std::vector<Rgb> pixels(128, Rgb{500, 700, 900});
        pixels[2 * 16 + 5] = {60000, 50000, 40000};
        level.sky.pixels = pixels;
        level.sky.group = group_index(level, "sky");
        level.volumes.push_back(box_volume("air", {-1, 0.3f, -1}, {1, 1.3f, 1}, 1));
        level.lightmap.density = 7;
        level.lightmap.page = 256;
        level.quality.tier = Tier::proof;
        complete_level(level);
    }
    /// Lamps of every kind that are wide: what is not quite between their middles and a texel hides them,
    /// too.
    void add_wide_lamps() {
        level.lights[0].radius = 0.7f;
        level.lights[1].radius = 0.3f;
        const auto lamp = [&](const char* name, LightKind kind, Rgb color, Vec3 position) -> Light& {
            Light l{.name = name, .kind = kind, .color = color};
            l.position = position;
            l.group = group_index(level, name);
            return level.lights.emplace_back(l);
        };
        Light& panel = lamp("panel", LightKind::rectangle, {400, 400, 300}, {-0.5f, 1.9f, -0.6f});
        panel.width = 1.5f;
        panel.height = 1;
        panel.group = level.lights[0].group;
        Light& tube = lamp("tube", LightKind::tube, {300, 100, 300}, {0.9f, 1.2f, -0.9f});
        tube.width = 1.2f;
        tube.radius = 0.1f;
        lamp("disc", LightKind::disc, {300, 300, 900}, {1.2f, 1.9f, 0.9f}).radius = 0.6f;
        complete_level(level);
    }
    Affine place(Numbers& n) const {
        const float a = 6.2831853f * n.next(), size = 0.2f + 0.5f * n.next();
        return {.x = {size * std::cos(a), 0, size * std::sin(a)},
                .y = {0, size, 0},
                .z = {-size * std::sin(a), 0, size * std::cos(a)},
                .origin = {2.6f * n.next() - 1.3f, n.next() < 0.5f ? size / 2 : 0.9f * n.next(),
                           2.6f * n.next() - 1.3f}};
    }
    void add(std::uint32_t kind, Numbers& n) {
        Surface s;
        s.name = s.node = "thing " + std::to_string(made++);
        s.mesh = n.next() < 0.6f ? box : ball;
        s.material = kind;
        s.to_world = place(n);
        if (kind == glowing) s.group = group_index(level, "glow");
        level.surfaces.push_back(s);
    }
    Surface& any_thing(Numbers& n) {
        const std::size_t count = level.surfaces.size() - first_thing;
        return level.surfaces[first_thing + std::min(count - 1, static_cast<std::size_t>(
                                                                    n.next() * static_cast<float>(count)))];
    }
    /// What was done, in words.
    std::string edit(Numbers& n) {
        const float what = n.next();
        Surface& s = any_thing(n);
        const std::string name = s.name;
        const std::size_t things = level.surfaces.size() - first_thing;
        if (what < 0.4f) {
            s.to_world = place(n);
            return name + " is put elsewhere";
        }
        if (what < 0.55f) {
            s.to_world.origin = s.to_world.origin + Vec3{0.2f * n.next() - 0.1f, 0, 0.2f * n.next() - 0.1f};
            return name + " is moved a little";
        }
        if (what < 0.68f && things < 8) {
            add(static_cast<std::uint32_t>(4 * n.next()) % kinds, n);
            return level.surfaces.back().name + " comes";
        }
        if (what < 0.8f && things > 3) {
            const auto at = static_cast<std::ptrdiff_t>(&s - level.surfaces.data());
            level.surfaces.erase(level.surfaces.begin() + at);
            return name + " goes";
        }
        if (what < 0.87f) {
            s.material = s.material == glass ? grey : glass;
            s.group = none;
            return name + " is of another material";
        }
        if (what < 0.92f) {
            s.density = s.density == 1 ? 2.0f : 1.0f;
            return name + " has another density";
        }
        if (what < 0.96f) {
            level.lights[0].position.x += 0.1f;
            s.to_world = place(n);
            return "the lamp is moved, and " + name;
        }
        s.part = s.part == Part::still ? Part::moving : Part::still;
        return name + " comes to rest or leaves";
    }
};

void expect_same(const Baked& a, const Baked& b, const std::string& what) {
    ASSERT_EQ(a.sets.size(), b.sets.size());
    for (std::size_t s = 0; s < a.sets.size(); ++s) {
        ASSERT_EQ(a.sets[s].pages.size(), b.sets[s].pages.size()) << what;
        for (std::size_t p = 0; p < a.sets[s].pages.size(); ++p) {
            ASSERT_TRUE(a.sets[s].pages[p].texels == b.sets[s].pages[p].texels) << what;
            ASSERT_TRUE(a.sets[s].pages[p].state == b.sets[s].pages[p].state) << what;
        }
        ASSERT_TRUE(a.sets[s].probes == b.sets[s].probes) << what;
    }
    ASSERT_TRUE(a.probes.front_share == b.probes.front_share && a.probes.clearance == b.probes.clearance)
        << what;
    ASSERT_EQ(a.figures.invalid, b.figures.invalid) << what;
    ASSERT_EQ(a.figures.hidden, b.figures.hidden) << what;
    ASSERT_EQ(a.visibility.size(), b.visibility.size());
}

SLOW_TEST(Edits, fifty_of_them_have_the_bytes_of_bakes_from_nothing) {
    Job job;
    Yard yard;
    MemoryStore memory;
    Numbers chance(20261125);
    Atlas atlas;
    std::size_t traced = 0, whole = 0, invalid = 0;
    bake(yard.level, atlas, job, memory.store());
    for (int i = 0; i < 50; ++i) {
        const std::string what = std::to_string(i) + ": " + yard.edit(chance);
        Atlas before = atlas;
        const Baked by_edit = bake(yard.level, atlas, job, memory.store());
        const Baked from_nothing = bake(yard.level, before, job);
        expect_same(by_edit, from_nothing, what);
        if (HasFatalFailure()) return;
        traced += by_edit.figures.traced;
        whole += from_nothing.figures.traced;
        invalid += by_edit.figures.invalid;
    }
    EXPECT_LT(traced, whole * 6 / 10) << "things fill much of this yard, but not all";
    EXPECT_GT(invalid, 1000u) << "else nothing was redirected past invalid texels";
}

/// Some texels that no edit touched are sampled again beside others that are looked at: no timing may show.
SLOW_TEST(Edits, under_wide_lamps_on_eight_threads_have_the_bytes_of_bakes_from_nothing) {
    Job job({.threads = 8});
    Yard yard;
    yard.add_wide_lamps();
    MemoryStore memory;
    Numbers chance(20261129);
    Atlas atlas;
    std::size_t again = 0;
    bake(yard.level, atlas, job, memory.store());
    for (int i = 0; i < 12; ++i) {
        const std::string what = std::to_string(i) + ": " + yard.edit(chance);
        Atlas before = atlas;
        const Baked by_edit = bake(yard.level, atlas, job, memory.store());
        expect_same(by_edit, bake(yard.level, before, job), what);
        if (HasFatalFailure()) return;
        again += by_edit.figures.sampled_again;
    }
    EXPECT_GT(again, 10u);
}

TEST(Edits, gradients_and_normal_maps_follow) {
    for (const bool directional : {true, false}) {
        Job job;
        Yard yard;
        yard.level.quality.tier = Tier::glance;
        if (directional) {
            yard.level.lightmap.shape = LightmapShape::directional;
        } else {
            Image bumps;
            bumps.width = bumps.height = 2;
            bumps.rgba = {200, 128, 230, 255, 60, 128, 230, 255, 128, 200, 230, 255, 128, 60, 230, 255};
            yard.level.images.push_back(bumps);
            yard.level.materials[grey].normal_texture.image =
                static_cast<std::uint32_t>(yard.level.images.size() - 1);
        }
        MemoryStore memory;
        Numbers chance(3);
        Atlas atlas;
        bake(yard.level, atlas, job, memory.store());
        for (int i = 0; i < 4; ++i) {
            yard.any_thing(chance).to_world = yard.place(chance);
            Atlas before = atlas;
            const Baked by_edit = bake(yard.level, atlas, job, memory.store());
            const Baked from_nothing = bake(yard.level, before, job);
            expect_same(by_edit, from_nothing, std::to_string(i));
            if (HasFatalFailure()) return;
            for (std::size_t p = 0; directional && p < by_edit.sets[0].directional.size(); ++p)
                ASSERT_TRUE(by_edit.sets[0].directional[p].texels ==
                            from_nothing.sets[0].directional[p].texels);
        }
    }
}

TEST(Edits, a_level_that_goes_back_to_what_it_was_traces_nothing) {
    Job job;
    Yard yard;
    yard.level.quality.tier = Tier::glance;
    MemoryStore memory;
    Atlas atlas;
    const Baked first = bake(yard.level, atlas, job, memory.store());
    Yard moved = yard;
    moved.level.surfaces.back().to_world.origin.x += 0.3f;
    Atlas other = atlas;
    const Baked second = bake(moved.level, other, job, memory.store());
    EXPECT_GT(second.figures.traced, 0u);
    EXPECT_LT(second.figures.traced, first.figures.traced);
    const Baked third = bake(yard.level, atlas, job, memory.store());
    EXPECT_EQ(third.figures.traced, 0u);
    EXPECT_EQ(third.figures.layers_made, 0u);
    expect_same(first, third, "back again");
}

SLOW_TEST(Edits, pieces_of_links_that_are_lost_are_traced_again_alone) {
    Job job;
    Yard yard;
    yard.level.lightmap.density = 140;  // more rows than one piece holds
    yard.level.quality.tier = Tier::glance;
    MemoryStore memory;
    Atlas atlas;
    const Baked first = bake(yard.level, atlas, job, memory.store());
    std::size_t pieces = 0;
    std::string one;
    for (auto at = memory.blobs.begin(); at != memory.blobs.end();) {
        const bool links = at->first.starts_with("links-");
        pieces += links ? 1 : 0;
        if (links) one = at->first;
        EXPECT_FALSE(at->first.starts_with("judging-")) << "what is kept elsewhere by now is dropped";
        // Layers go, so that links are asked for.
        at = at->first.starts_with("layer-") ? memory.blobs.erase(at) : std::next(at);
    }
    ASSERT_GT(pieces, 1u);
    memory.blobs.erase(one);
    const Baked second = bake(yard.level, atlas, job, memory.store());
    EXPECT_GT(second.figures.traced, 0u);
    EXPECT_LT(second.figures.traced, first.figures.traced);
    expect_same(first, second, "with a piece less");
}

}  // namespace
}  // namespace test::edit_tests
