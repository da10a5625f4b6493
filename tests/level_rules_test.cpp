// What check_level() refuses: one broken field at a time, on a level that is sound otherwise. Under the
// address sanitizer nothing may be read or written where it should not.

#include <gtest/gtest.h>

#include <functional>
#include <limits>

#include "support.hpp"

namespace test::level_rules_tests {
namespace {

constexpr float nan = std::numeric_limits<float>::quiet_NaN(),
                infinity = std::numeric_limits<float>::infinity();

Level sound() {
    Level level;
    level.name = "sound";
    add_floor(level, 2, {0.5f, 0.5f, 0.5f});
    add_box(level, "glow", {0, 0.5f, 0}, {0.2f, 0.7f, 0.2f}, false, {0.1f, 0.1f, 0.1f}, {100, 100, 100});
    Image image{.name = "white", .width = 1, .height = 1, .rgba = {255, 255, 255, 255}};
    level.images.push_back(image);
    level.materials[0].base_texture.image = 0;
    set_uvs(level.meshes[0], std::vector<Vec2>(level.meshes[0]->positions.size(), {0.5f, 0.5f}));
    Profile p{.name = "p", .plane = {0}, .angle = {0, 1, 3}, .candela = {10, 5, 0}};
    complete_profile(p);
    level.profiles.push_back(p);
    level.lights.push_back({.name = "lamp", .color = {50, 50, 50}, .position = {0, 1.5f, 0}});
    level.lights.push_back(
        {.name = "spot", .kind = LightKind::spot, .color = {50, 50, 50}, .position = {1, 1.5f, 0}});
    level.lights[1].profile = 0;
    level.lights.push_back({.name = "sun", .kind = LightKind::sun, .color = {50000, 50000, 50000}});
    level.sky.radiance = {100, 100, 100};
    level.cameras.push_back({.name = "c", .eye = {0, 1, 2}, .toward = {0, 0, 0}});
    level.hand_probes.push_back({0, 1, 0});
    level.lightmap.density = 4;
    level.lightmap.page = 64;
    level.quality.tier = Tier::glance;
    return level;
}

struct Break {
    const char* what;  ///< Part of the message.
    std::function<void(Level&)> how;
};

TEST(LevelRules, each_broken_field_is_refused_and_named) {
    const Break breaks[] = {
        {"material that does not exist", [](Level& l) { l.surfaces[0].material = 99; }},
        {"material that does not exist", [](Level& l) { l.materials.clear(); }},
        {"mesh or material", [](Level& l) { l.surfaces[1].mesh = 7; }},
        {"light group", [](Level& l) { l.surfaces[1].group = 1000; }},
        {"no group", [](Level& l) { l.lights[0].group = 1000; }},
        {"light group", [](Level& l) { l.sky.group = 1000; }},
        {"copy", [](Level& l) { l.surfaces[0].copy_of = 55; }},
        {"profile", [](Level& l) { l.lights[1].profile = 3; }},
        {"profile", [](Level& l) { l.profiles[0].candela.pop_back(); }},
        {"profile", [](Level& l) { l.profiles[0].candela[0] = nan; }},
        {"ascend",
         [](Level& l) {
             l.profiles[0].angle = {0, 3, 1};
         }},
        {"whole number of triangles",
         [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.indices.pop_back(); }); }},
        {"out of range", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.indices[0] = 1u << 30; }); }},
        {"differ in number", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.normals.pop_back(); }); }},
        {"wrong length", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.uv0.pop_back(); }); }},
        {"not finite", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.positions[1].y = nan; }); }},
        {"UV is not finite", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.uv0[0].x = infinity; }); }},
        {"size and pixels disagree", [](Level& l) { l.images[0].edit([](Image& i) { i.rgba.resize(2); }); }},
        {"no size",
         [](Level& l) { l.images[0] = Image{.name = "none", .width = 0, .height = 0, .rgba = {}}; }},
        {"image that does not exist", [](Level& l) { l.materials[0].normal_texture.image = 9; }},
        {"texture is not finite", [](Level& l) { l.materials[0].base_texture.scale.x = nan; }},
        {"base_color", [](Level& l) { l.materials[0].base_color.g = nan; }},
        {"base_color", [](Level& l) { l.materials[0].base_color.r = -1; }},
        {"emission", [](Level& l) { l.materials[1].emission.r = infinity; }},
        {"roughness", [](Level& l) { l.materials[0].roughness = nan; }},
        {"transform", [](Level& l) { l.surfaces[0].to_world.x.x = nan; }},
        {"1000 km", [](Level& l) { l.surfaces[0].to_world.origin.x = 1e19f; }},
        {"1000 km", [](Level& l) { l.meshes[0].edit([](Mesh& m) { m.positions[0].x = 3e6f; }); }},
        {"1000 km", [](Level& l) { l.lights[0].position.y = 1e19f; }},
        {"1000 km", [](Level& l) { l.cameras[0].eye.z = 1e19f; }},
        {"1000 km", [](Level& l) { l.hand_probes[0].x = -1e19f; }},
        {"color", [](Level& l) { l.lights[0].color.r = nan; }},
        {"axes",
         [](Level& l) {
             l.lights[1].direction = {0, 0, 0};
         }},
        {"inner cone", [](Level& l) { l.lights[1].inner_cone = 3; }},
        {"radius", [](Level& l) { l.lights[0].radius = -1; }},
        {"kind of light", [](Level& l) { l.lights[0].kind = static_cast<LightKind>(77); }},
        {"tier", [](Level& l) { l.quality.tier = static_cast<Tier>(9); }},
        {"turn", [](Level& l) { l.sky.turn = nan; }},
        {"radiance", [](Level& l) { l.sky.radiance.b = -3; }},
        {"gain", [](Level& l) { l.sets = {{.name = "a", .gains = {nan}}}; }},
        {"two sets",
         [](Level& l) {
             l.sets = {{.name = "a"}, {.name = "a"}};
         }},
        {"no series", [](Level& l) { l.sets = {{.name = "a", .step = 4}}; }},
    };
    for (const Break& broken : breaks) {
        Level level = sound();
        broken.how(level);
        std::string said;
        try {
            complete_level(level);
            // What complete_level() gives a group may be what was broken.
            broken.how(level);
            check_level(level);
        } catch (const Error& e) {
            said = e.text();
        }
        EXPECT_NE(said.find(broken.what), std::string::npos) << broken.what << ": \"" << said << "\"";
    }
    Level level = sound();
    complete_level(level);
    EXPECT_NO_THROW(check_level(level));
}

TEST(LevelRules, set_names_are_those_of_folders) {
    for (const std::string name : {"",
                                   ".",
                                   "..",
                                   "a/b",
                                   "a\\b",
                                   "../up",
                                   ".hidden",
                                   "kept",
                                   "play",
                                   "manifest.json",
                                   "probes.bin",
                                   "places.json",
                                   "game.sgl",
                                   "charts-proof.bin",
                                   "visibility-0.png",
                                   "sound.glb",
                                   "a\nb",
                                   "tab\t",
                                   "what?",
                                   "end.",
                                   " space"}) {
        Level level = sound();
        level.sets = {{.name = name}};
        complete_level(level);
        EXPECT_THROW(check_level(level), Error) << name;
    }
    for (const std::string& name : {std::string("noon"), std::string("layer-vault lamps"),
                                    std::string("d\xc3\xa4mmerung"), std::string(100, 'a')}) {
        Level level = sound();
        level.sets = {{.name = name}};
        complete_level(level);
        EXPECT_NO_THROW(check_level(level)) << name;
    }
    Level level = sound();
    level.sets = {{.name = std::string(101, 'a')}};
    complete_level(level);
    EXPECT_THROW(check_level(level), Error);
}

TEST(LevelRules, light_with_a_material_fewer_is_an_error_and_no_crash) {
    Job job;
    Baker baker(sound(), job);
    Level less = baker.level();
    less.materials.pop_back();
    EXPECT_THROW(baker.light(less, job), Error);
}

TEST(LevelRules, places_of_every_kind_end_at_a_thousand_kilometres) {
    Level level = sound();
    complete_level(level);
    Job job;
    const Atlas atlas;
    EXPECT_THROW(view({level, atlas}, {}, {.name = "far", .eye = {1e19f, 0, 0}}, {.show = Show::albedo}, job),
                 Error);
    const Folder folder;
    write_bytes(folder / "a.gltf", good_gltf().dump());
    const std::string level_file = (folder / "a.gltf").string();
    EXPECT_EQ(tool("view " + level_file + " --show albedo --eye 1e19,0,0 --toward 0,0,0").status, 2);
    EXPECT_EQ(tool("meter " + level_file + " --at 1e19,0,0").status, 2);
    EXPECT_EQ(tool("meter " + level_file + " --walk \"0,0,0 0,1e19,0\"").status, 2);
    Json far = good_gltf();
    far["nodes"][0]["translation"] = {1e19, 0, 0};
    write_bytes(folder / "far.gltf", far.dump());
    const Ran r = tool("check " + (folder / "far.gltf").string());
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("1000 km"), std::string::npos) << r.err;
}

}  // namespace
}  // namespace test::level_rules_tests
