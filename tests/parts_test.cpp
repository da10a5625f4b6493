// Surfaces in parts: what is cut, what is covered, what gets two sides, and what stays as it was.

#include <gtest/gtest.h>

#include <algorithm>
#include <map>

#include "stasigraph/link_zones.hpp"
#include "support.hpp"

namespace test::parts_tests {
namespace {

const Rgb grey{0.6f, 0.6f, 0.6f};
constexpr Vec3 up{0, 1, 0};

Level open_level(float density) {
    return sunny_level(80000, 4000, density);
}

struct Parted {
    Bake bake;
    PartFigures figures;
};
Parted parted(Level level) {
    complete_level(level);
    Job job;
    const PartFigures figures = part_surfaces(level, job);
    return {bake_level(std::move(level)), figures};
}

float exact(const Bake& b, Vec3 at, Vec3 facing) {
    Job job;
    const auto light = reference_light(b.level, 0, {{at, facing, facing}}, {.paths = 6000}, job)[0];
    return luminance(light.direct + light.bounced);
}

const Surface* named(const Level& level, const std::string& name) {
    for (const Surface& s : level.surfaces)
        if (s.name == name) return &s;
    return nullptr;
}
std::size_t covered(const Level& level, const std::string& name) {
    const Mesh& m = level.meshes[named(level, name)->mesh];
    return static_cast<std::size_t>(std::count(m.covered.begin(), m.covered.end(), 1));
}

TEST(Covered, feet_of_crates_on_the_ground_on_another_and_half_sunk_are_as_bright_as_the_rest) {
    Level level = open_level(16);
    add_floor(level, 12, grey);
    add_box(level, "on", {0, 0, 0}, {1, 1, 1}, false, grey);
    add_box(level, "above", {0.2f, 1, 0.2f}, {0.8f, 1.6f, 0.8f}, false, grey);
    add_box(level, "sunk", {3, -0.5f, 0}, {4, 0.5f, 1}, false, grey);
    add_box(level, "hair", {-3, 0.0015f, 0}, {-2, 1, 1}, false, grey);
    const Parted p = parted(std::move(level));
    for (const char* name : {"on", "above", "hair"})
        EXPECT_EQ(covered(p.bake.level, name), 2u) << "the underside of " << name;
    for (const auto& [x, low] : {std::pair{0.5f, 0.0f}, {0.5f, 1.0f}, {3.5f, 0.0f}, {-2.5f, 0.0015f}})
        for (const float rise : {0.02f, 0.05f, 0.1f})
            for (const auto& [z, facing] : {std::pair{0.0f, Vec3{0, 0, -1}}, {1.0f, Vec3{0, 0, 1}}}) {
                const bool upper = low == 1.0f;
                const Vec3 at{x, low + rise, upper ? (z == 0.0f ? 0.2f : 0.8f) : z};
                const float e = exact(p.bake, at, facing);
                EXPECT_NEAR(luminance(p.bake.at(at, facing)), e, 0.1f * e)
                    << at.x << " " << at.y << " " << at.z;
            }
    // And the ground beside them, on the sunny side and in the shade.
    for (const float z : {-0.01f, -0.05f, 1.01f, 1.05f}) {
        const Vec3 at{0.5f, 0, z};
        const float e = exact(p.bake, at, up);
        EXPECT_NEAR(luminance(p.bake.at(at, up)), e, 0.1f * e) << z;
    }
}

TEST(Covered, sheets_back_to_back_and_hanging_things_are_not) {
    Level level = open_level(8);
    add_floor(level, 6, grey);
    // Two one-sided quads in one place, that look away from one another; a box that hangs in the air; and two
    // boxes whose faces lie in one plane.
    add_quad(level, "front", {-1, 0.2f, 0}, {1, 0.2f, 0}, {1, 1, 0}, {-1, 1, 0}, grey);
    add_quad(level, "behind", {1, 0.2f, 0}, {-1, 0.2f, 0}, {-1, 1, 0}, {1, 1, 0}, grey);
    add_box(level, "lamp", {-0.2f, 1.5f, -0.2f}, {0.2f, 1.7f, 0.2f}, false, grey);
    add_box(level, "a", {2, 0.3f, 0}, {3, 1, 1}, false, grey);
    add_box(level, "b", {2.5f, 0.3f, 0}, {3.5f, 1, 1}, false, grey);
    const Parted p = parted(std::move(level));
    for (const char* name : {"front", "behind", "lamp"}) EXPECT_EQ(covered(p.bake.level, name), 0u) << name;
    EXPECT_GT(luminance(p.bake.at({2.75f, 1, 0.5f}, up)), 1000) << "their lids are seen where both have one";
}

TEST(TwoSides, of_a_sheet_between_two_rooms_have_lightmaps_of_their_own) {
    Level level;
    add_thick_room(level, {-2, 0, -2}, {2, 2.5f, 2}, 0.2f, grey);
    add_quad(level, "sheet", {0, 0, -2}, {0, 0, 2}, {0, 2.5f, 2}, {0, 2.5f, -2}, grey);
    level.materials.back().double_sided = true;
    add_quad(level, "flag", {-1.2f, 1, 0.2f}, {-0.8f, 1, 0.2f}, {-0.8f, 1.3f, 0.2f}, {-1.2f, 1.3f, 0.2f},
             grey);
    level.materials.back().double_sided = true;
    level.lights = {
        {.name = "lamp", .color = {200, 200, 200}, .position = {-1, 1.5f, -0.5f}, .radius = 0.05f}};
    level.lightmap = {.density = 8, .page = 512, .margin = 4};
    level.quality.tier = Tier::proof;
    const Parted p = parted(std::move(level));
    EXPECT_EQ(p.figures.two_sided, 1u) << "a flag's sides see the same room";
    ASSERT_TRUE(named(p.bake.level, "sheet/back"));
    EXPECT_FALSE(p.bake.level.materials[named(p.bake.level, "sheet")->material].double_sided);
    const Vec3 at{0, 1.2f, 0.5f};
    const float bright = luminance(p.bake.at(at, {-1, 0, 0})), dark = luminance(p.bake.at(at, {1, 0, 0}));
    EXPECT_GT(bright, 20);
    EXPECT_LT(dark, 0.01f);
    const float e = exact(p.bake, at, {-1, 0, 0});
    EXPECT_NEAR(bright, e, 0.06f * e);
}

TEST(Modules, of_one_wall_show_no_step_between_them) {
    Level level = open_level(12);
    add_floor(level, 12, grey);
    // Of other heights, so that their joint is no whole edge of either; a lamp close by, so that light
    // changes.
    add_box(level, "left", {-2, 0, 0}, {0, 2.2f, 0.2f}, false, grey);
    add_box(level, "right", {0, 0, 0}, {2, 3, 0.2f}, false, grey);
    level.lights.push_back(
        {.name = "lamp", .color = {9000, 9000, 9000}, .position = {0.3f, 1, -0.6f}, .radius = 0.05f});
    const Parted p = parted(std::move(level));
    for (float y = 0.1f; y < 2.1f; y += 0.23f) {
        const float a = luminance(p.bake.at({-0.001f, y, 0}, {0, 0, -1})),
                    b = luminance(p.bake.at({0.001f, y, 0}, {0, 0, -1}));
        EXPECT_NEAR(a / b, 1, 0.02f) << y;
    }
}

/// Two rooms on one slab with a door between them.
Level two_rooms() {
    Level level;
    add_box(level, "slab", {-5, -0.2f, -3}, {5, 0, 3}, false, grey);
    add_box(level, "lid", {-5, 2.5f, -3}, {5, 2.7f, 3}, false, grey);
    add_box(level, "north", {-5, 0, -3}, {5, 2.5f, -2.8f}, false, grey);
    add_box(level, "south", {-5, 0, 2.8f}, {5, 2.5f, 3}, false, grey);
    add_box(level, "west", {-5, 0, -2.8f}, {-4.8f, 2.5f, 2.8f}, false, grey);
    add_box(level, "east", {4.8f, 0, -2.8f}, {5, 2.5f, 2.8f}, false, grey);
    add_box(level, "wall a", {-0.1f, 0, -2.8f}, {0.1f, 2.5f, -0.5f}, false, grey);
    add_box(level, "wall b", {-0.1f, 0, 0.5f}, {0.1f, 2.5f, 2.8f}, false, grey);
    add_box(level, "lintel", {-0.1f, 2.1f, -0.5f}, {0.1f, 2.5f, 0.5f}, false, grey);
    level.lights = {{.name = "left", .color = {300, 300, 300}, .position = {-2.5f, 2, 0}, .radius = 0.05f},
                    {.name = "right", .color = {300, 300, 300}, .position = {2.5f, 2, 0}, .radius = 0.05f}};
    level.lightmap = {.density = 8, .page = 512, .margin = 4};
    level.quality.tier = Tier::glance;
    level.volumes.push_back(box_volume("left", {-4.7f, 0.1f, -2.7f}, {-0.2f, 2.4f, 2.7f}, 0.8f));
    level.volumes.push_back(box_volume("right", {0.2f, 0.1f, -2.7f}, {4.7f, 2.4f, 2.7f}, 0.8f));
    level.zones.resize(2);
    level.zones[0].name = "left";
    level.zones[0].boxes = {box_volume("", {-5, -0.3f, -3}, {0, 2.8f, 3}, 1)};
    level.zones[1].name = "right";
    level.zones[1].boxes = {box_volume("", {0, -0.3f, -3}, {5, 2.8f, 3}, 1)};
    complete_level(level);
    return level;
}

TEST(Cuts, close_doorways_and_follow_walls) {
    Level level = two_rooms();
    Job job;
    const PartFigures f = part_surfaces(level, job);
    EXPECT_GE(f.cut, 2u) << "the slab and the lid";
    // Of the slab's top: two rooms, the threshold between them; the rest lies under walls.
    std::vector<double> pieces;
    double under = 0;
    for (const Surface& s : level.surfaces) {
        if (s.name.substr(0, 4) != "slab") continue;
        const Mesh& m = level.meshes[s.mesh];
        double open = 0;
        for (std::size_t t = 0; t < m.triangle_count(); ++t) {
            const Vec3 a = m.positions[m.indices[3 * t]], n = cross(m.positions[m.indices[3 * t + 1]] - a,
                                                                    m.positions[m.indices[3 * t + 2]] - a);
            if (n.y > 0.1f * length(n))
                (m.is_covered(t) ? under : open) += 0.5 * static_cast<double>(length(n));
        }
        pieces.push_back(open);
    }
    std::sort(pieces.rbegin(), pieces.rend());
    ASSERT_GE(pieces.size(), 3u);
    EXPECT_NEAR(pieces[0], 4.7 * 5.6, 0.05);
    EXPECT_NEAR(pieces[1], 4.7 * 5.6, 0.05);
    EXPECT_NEAR(pieces[2], 0.2 * 1.0, 0.02) << "the threshold";
    EXPECT_NEAR(pieces[0] + pieces[1] + pieces[2] + under, 60, 0.01) << "nothing is lost";
}

TEST(Cuts, are_made_for_what_stands_as_near_as_the_sheet_says) {
    for (const auto& [within, cut] : {std::pair{0.01f, 0u}, {0.05f, 1u}}) {
        Level level = open_level(8);
        add_floor(level, 8, grey);
        add_box(level, "wall", {-5, 0.03f, -0.1f}, {5, 2.5f, 0.1f}, false, grey);
        level.lightmap.cut_within = within;
        complete_level(level);
        Job job;
        EXPECT_EQ(part_surfaces(level, job).cut, cut) << within;
    }
}

TEST(Zones, take_the_parts_of_one_slab_each_by_itself) {
    Level level = two_rooms();
    Job job;
    part_surfaces(level, job);
    const Bake b = bake_level(std::move(level));
    const std::vector<std::uint32_t> zone = link_zones(b.level, b.baked.probes.position, {}, job).surface;
    int left = 0, right = 0;
    for (std::uint32_t s = 0; s < b.level.surfaces.size(); ++s)
        if (b.level.surfaces[s].name.substr(0, 4) == "slab") {
            left += zone[s] == 0 ? 1 : 0;
            right += zone[s] == 1 ? 1 : 0;
        }
    EXPECT_GE(left, 1);
    EXPECT_GE(right, 1);
}

TEST(Cuts, come_back_from_the_store_as_they_were_made) {
    std::map<std::string, std::vector<std::uint8_t>> kept;
    BakeStore store;
    store.save = [&](const std::string& name, const std::vector<BlobPart>& parts) {
        for (const BlobPart& p : parts) kept[name].insert(kept[name].end(), p.data, p.data + p.size);
    };
    store.load = [&](const std::string& name, Blob& blob) {
        const auto at = kept.find(name);
        if (at == kept.end()) return false;
        blob = {at->second.data(), at->second.size(), {}};
        return true;
    };
    const auto start = [] {
        Level level = two_rooms();
        add_quad(level, "sheet", {2, 0.002f, -2.8f}, {2, 0.002f, 2.8f}, {2, 2.5f, 2.8f}, {2, 2.5f, -2.8f},
                 grey);
        level.materials.back().double_sided = true;
        level.zones[0].listed = {0};
        complete_level(level);
        return level;
    };
    Level made = start(), again = start();
    Job job;
    const PartFigures a = part_surfaces(made, job, store);
    ASSERT_EQ(kept.size(), 1u);
    store.save = [](const std::string& name, const std::vector<BlobPart>&) {
        FAIL() << "made anew: " << name;
    };
    const PartFigures b = part_surfaces(again, job, store);
    EXPECT_EQ(a.parts, b.parts);
    EXPECT_EQ(a.two_sided, 1u);
    EXPECT_TRUE(named(made, "gaps under walls"));
    ASSERT_EQ(made.surfaces.size(), again.surfaces.size());
    ASSERT_EQ(made.meshes.size(), again.meshes.size());
    ASSERT_EQ(made.materials.size(), again.materials.size());
    EXPECT_EQ(made.zones[0].listed, again.zones[0].listed);
    EXPECT_GT(made.zones[0].listed.size(), 1u) << "parts belong where their surface does";
    for (std::size_t i = 0; i < made.surfaces.size(); ++i) {
        const Surface &s = made.surfaces[i], &t = again.surfaces[i];
        EXPECT_EQ(s.name, t.name);
        EXPECT_EQ(s.node, t.node);
        EXPECT_EQ(s.part_of, t.part_of);
        EXPECT_EQ(s.one_side, t.one_side);
        EXPECT_EQ(made.materials[s.material].double_sided, again.materials[t.material].double_sided);
        const Mesh &m = made.meshes[s.mesh], &n = again.meshes[t.mesh];
        EXPECT_EQ(m.name, n.name);
        EXPECT_EQ(m.positions, n.positions);
        EXPECT_EQ(m.normals, n.normals);
        EXPECT_EQ(m.indices, n.indices);
        EXPECT_EQ(m.covered, n.covered);
        EXPECT_EQ(m.turned, n.turned);
    }
    // What is damaged is made anew.
    for (auto& [name, bytes] : kept) bytes.resize(bytes.size() / 2);
    store.save = {};
    Level third = start();
    EXPECT_EQ(part_surfaces(third, job, store).parts, a.parts);
}

double area_of(const Level& level) {
    double sum = 0;
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::bake_only || s.name.find("/back") != std::string::npos) continue;
        const Mesh& m = level.meshes[s.mesh];
        for (std::size_t t = 0; t < m.triangle_count(); ++t) {
            const auto at = [&](std::size_t k) {
                return transform_point(s.to_world, m.positions[m.indices[3 * t + k]]);
            };
            sum += 0.5 * static_cast<double>(length(cross(at(1) - at(0), at(2) - at(0))));
        }
    }
    return sum;
}

TEST(Cuts, of_bad_meshes_and_odd_places_end_well) {
    Job job;
    const auto holds = [&](Level level, const char* what) {
        complete_level(level);
        const double before = area_of(level);
        const PartFigures f = part_surfaces(level, job);
        EXPECT_NEAR(area_of(level), before, 1e-4 * before) << what;
        return f;
    };
    {
        Level level = two_rooms();  // two copies of a wall in one place
        add_box(level, "again", {-0.1f, 0, -2.8f}, {0.1f, 2.5f, -0.5f}, false, grey);
        EXPECT_GE(holds(std::move(level), "two copies").cut, 2u);
    }
    {
        Level level;  // a wall through a thousand small triangles
        std::vector<Vec3> corners;
        for (int x = 0; x < 24; ++x)
            for (int z = 0; z < 24; ++z) {
                const auto at = [](int i, int k) {
                    return Vec3{0.25f * static_cast<float>(i) - 3,
                                0.05f * std::sin(static_cast<float>(i * 7 + k * 3)),
                                0.25f * static_cast<float>(k) - 3};
                };
                for (const Vec3 p :
                     {at(x, z), at(x, z + 1), at(x + 1, z + 1), at(x, z), at(x + 1, z + 1), at(x + 1, z)})
                    corners.push_back(p);
            }
        add_surface(level, "hills", corners, grey);
        add_box(level, "wall", {-3.5f, -1, 0.03f}, {3.5f, 2, 0.17f}, false, grey);
        level.lightmap.density = 8;
        EXPECT_EQ(holds(std::move(level), "hills").parts, 1u) << "this side of the wall and that";
    }
    {
        Level level = two_rooms();  // ten kilometres away, where a float's step is a millimetre
        for (Surface& s : level.surfaces) s.to_world.origin = s.to_world.origin + Vec3{10000, 0, -10000};
        EXPECT_GE(holds(std::move(level), "far away").cut, 2u);
    }
    {
        Level level = two_rooms();  // triangles without area, and an edge with three faces
        level.meshes[0].edit([](Mesh& m) {
            m.indices.insert(m.indices.end(), {0, 0, 1, 0, 1, 1, 0, 1, 2, 0, 1, 5});
        });
        complete_level(level);
        part_surfaces(level, job);
    }
}

SLOW_TEST(Cuts, into_over_ten_thousand_pieces_are_none) {
    Job job;
    {
        Level level;  // over ten thousand pieces
        add_floor(level, 52, grey);
        for (int i = 0; i < 104; ++i) {
            const float at = -25.75f + 0.5f * static_cast<float>(i);
            add_quad(level, "x" + std::to_string(i), {at, 0, -26}, {at, 0, 26}, {at, 1, 26}, {at, 1, -26},
                     grey);
            add_quad(level, "z" + std::to_string(i), {-26, 0, at}, {26, 0, at}, {26, 1, at}, {-26, 1, at},
                     grey);
        }
        for (std::size_t s = 1; s < level.surfaces.size(); ++s) level.surfaces[s].cut = Cut::off;
        complete_level(level);
        const PartFigures f = part_surfaces(level, job);
        EXPECT_EQ(f.whole, 1u);
        EXPECT_EQ(level.surfaces[0].mesh, 0u) << "it stays whole";
        EXPECT_TRUE(std::any_of(level.notes.begin(), level.notes.end(), [](const std::string& n) {
            return n.find("stays whole") != std::string::npos;
        }));
    }
}

TEST(Cuts, are_left_out_where_the_sheet_says_so) {
    const Folder folder;
    Json scene = good_gltf();
    write_bytes(folder / "floor.gltf", scene.dump());
    const auto outcome = [&](const std::string& text) {
        write_bytes(folder / "l.toml", "[level]\nscene = \"floor.gltf\"\n" + text);
        Level level;
        const std::string error = load_outcome(folder / "l.toml", &level);
        return std::pair{error, level.surfaces.empty() ? Cut::automatic : level.surfaces[0].cut};
    };
    EXPECT_EQ(outcome("[[surface]]\nmatch = \"floor\"\ncut = \"off\"\nsides = \"both\"\n"),
              (std::pair{std::string(), Cut::off}));
    EXPECT_NE(outcome("[lightmap]\ncut = \"of\"\n").first.find("Use \"auto\" or \"off\""), std::string::npos);
    EXPECT_NE(outcome("[lightmap]\nsides = \"two\"\n").first.find("\"both\""), std::string::npos);
}

SLOW_TEST(Cuts, of_the_demo_level_are_in_the_written_one_with_the_same_shape) {
    const Level level = load_level(demo_folder() / "observatory.toml");
    const Level written = load_level(demo_glance() / "observatory.glb");
    std::size_t parts = 0;
    for (const Surface& s : level.surfaces) parts += s.part_of != none ? 1 : 0;
    EXPECT_GT(parts, 100u);
    std::map<std::string, double> before, after;
    for (const auto& [l, to] : {std::pair{&level, &before}, {&written, &after}})
        for (const Surface& s : l->surfaces) {
            if (s.copy_of != none || s.part == Part::bake_only) continue;
            const Mesh& m = l->meshes[s.mesh];
            double sum = 0;
            for (std::size_t t = 0; t < m.triangle_count(); ++t) {
                const auto at = [&](std::size_t k) {
                    return transform_point(s.to_world, m.positions[m.indices[3 * t + k]]);
                };
                sum += 0.5 * static_cast<double>(length(cross(at(1) - at(0), at(2) - at(0))));
            }
            (*to)[s.node] += sum;
        }
    std::size_t compared = 0;
    for (const auto& [node, area] : before) {
        if (!after.contains(node)) continue;
        ++compared;
        EXPECT_NEAR(after[node], area, 1e-3 * area + 1e-6) << node;
    }
    EXPECT_GT(compared, 100u);
}

}  // namespace
}  // namespace test::parts_tests
