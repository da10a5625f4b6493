// Every file is checked where it enters: a clear error that names the file and the place, or a stated skip of
// the one bad part; no crash, no hang, nothing half-written.

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "support.hpp"

namespace test::bad_input_tests {
namespace {

/// Loads a file with this content; the error's text, or "" and the level.
std::string load_error(const std::string& name, const std::string& content, Level* level = nullptr) {
    const Folder folder;
    write_bytes(folder / name, content);
    return load_outcome(folder / name, level);
}

TEST(BadGltf, the_good_one_loads) {
    Level level;
    EXPECT_EQ(load_error("a.gltf", good_gltf().dump(), &level), "");
    ASSERT_EQ(level.surfaces.size(), 1u);
    EXPECT_EQ(level.meshes[0]->triangle_count(), 2u);
    EXPECT_EQ(level.notes.size(), 2u) << "white is held at 0.95; the sky a level without lights gets";
}

struct Case {
    const char* name;
    std::function<void(Json&)> spoil;
    const char* place;  ///< Must stand in the message.
    const char* what;
};

TEST(BadGltf, each_defect_is_named_with_its_place) {
    const std::vector<Case> cases = {
        {"no asset", [](Json& j) { j.erase("asset"); }, "asset", "version"},
        {"wrong type: nodes", [](Json& j) { j["nodes"] = 5; }, "nodes", "not an array"},
        {"wrong type: mesh", [](Json& j) { j["nodes"][0]["mesh"] = "0"; }, "nodes[0].mesh", "whole number"},
        {"negative index", [](Json& j) { j["nodes"][0]["mesh"] = -1; }, "nodes[0].mesh", "whole number"},
        {"mesh out of range", [](Json& j) { j["nodes"][0]["mesh"] = 7; }, "nodes[0].mesh", "out of range"},
        {"accessor out of range", [](Json& j) { j["meshes"][0]["primitives"][0]["indices"] = 9; },
         "primitives[0].indices", "out of range"},
        {"view past the buffer", [](Json& j) { j["bufferViews"][1]["byteLength"] = 9999; }, "bufferViews[1]",
         "past the end"},
        {"offset wraps around", [](Json& j) { j["bufferViews"][1]["byteOffset"] = 18446744073709551610ull; },
         "bufferViews[1].byteOffset", "too large"},
        {"accessor past its view", [](Json& j) { j["accessors"][0]["count"] = 5; }, "accessors[0]", "needs"},
        {"huge count", [](Json& j) { j["accessors"][0]["count"] = 4000000000u; }, "accessors[0].count",
         "too large"},
        {"buffer shorter than it says", [](Json& j) { j["buffers"][0]["byteLength"] = 9999; }, "buffers[0]",
         "fewer"},
        {"buffer file missing", [](Json& j) { j["buffers"][0]["uri"] = "gone.bin"; }, "buffers[0].uri",
         "does not exist"},
        {"path outside the folder", [](Json& j) { j["buffers"][0]["uri"] = "../../etc/passwd"; },
         "buffers[0].uri", "outside"},
        {"absolute path", [](Json& j) { j["buffers"][0]["uri"] = "/etc/passwd"; }, "buffers[0].uri",
         "outside"},
        {"escaped path outside", [](Json& j) { j["buffers"][0]["uri"] = "%2e%2e/secret.bin"; },
         "buffers[0].uri", "outside"},
        {"bad base64", [](Json& j) { j["buffers"][0]["uri"] = "data:;base64,@@@@"; }, "buffers[0].uri",
         "base64"},
        {"component type", [](Json& j) { j["accessors"][0]["componentType"] = 1; },
         "accessors[0].componentType", "component type"},
        {"vector type", [](Json& j) { j["accessors"][0]["type"] = "SCALAR"; }, "POSITION", "components"},
        {"cyclic nodes",
         [](Json& j) {
             j["nodes"][0]["children"] = {1};
             j["nodes"].push_back({{"children", {0}}});
         },
         "nodes[0]", "cycle"},
        {"a node of two parents",
         [](Json& j) {
             j["nodes"][0]["children"] = {1, 1};
             j["nodes"].push_back(Json::object());
         },
         "nodes[1]", "two parents"},
        {"a node that is its own child", [](Json& j) { j["nodes"][0]["children"] = {0}; }, "nodes[0]",
         "cycle"},
        {"zero quaternion",
         [](Json& j) {
             j["nodes"][0]["rotation"] = {0, 0, 0, 0};
         },
         "nodes[0].rotation", "quaternion"},
        {"matrix too short",
         [](Json& j) {
             j["nodes"][0]["matrix"] = {1, 2, 3};
         },
         "nodes[0].matrix", "16 numbers"},
        {"list of five corners", [](Json& j) { j["accessors"][1]["count"] = 5; }, "primitives[0]",
         "multiple of 3"},
        {"mode", [](Json& j) { j["meshes"][0]["primitives"][0]["mode"] = 12; }, "mode", "primitive mode"},
        {"required extension", [](Json& j) { j["extensionsRequired"] = {"ACME_secret"}; }, "a.gltf",
         "ACME_secret"},
        {"no position", [](Json& j) { j["meshes"][0]["primitives"][0]["attributes"].erase("POSITION"); },
         "primitives[0]", "POSITION"},
        {"emission below 0",
         [](Json& j) {
             j["materials"] = Json::array({{{"emissiveFactor", {-1, 0, 0}}}});
         },
         "materials[0]", "below 0"},
        {"alpha mode",
         [](Json& j) {
             j["materials"] = Json::array({{{"alphaMode", "GLOW"}}});
         },
         "materials[0].alphaMode", "OPAQUE"},
        {"image that is none",
         [](Json& j) {
             j["images"] = Json::array({{{"uri", "data:image/png;base64,AAAA"}}});
         },
         "images[0]", "cannot be read"},
        {"light type",
         [](Json& j) {
             j["extensions"]["KHR_lights_punctual"]["lights"] = Json::array({{{"type", "laser"}}});
             j["nodes"][0]["extensions"]["KHR_lights_punctual"]["light"] = 0;
         },
         "lights[0].type", "directional"},
        {"light intensity below 0",
         [](Json& j) {
             j["extensions"]["KHR_lights_punctual"]["lights"] =
                 Json::array({{{"type", "point"}, {"intensity", -5}}});
             j["nodes"][0]["extensions"]["KHR_lights_punctual"]["light"] = 0;
         },
         "lights[0]", "below 0"},
        {"no triangles", [](Json& j) { j["nodes"][0].erase("mesh"); }, "a.gltf", "no triangles"},
        {"points only", [](Json& j) { j["meshes"][0]["primitives"][0]["mode"] = 0; }, "a.gltf",
         "no triangles"},
    };
    for (const Case& c : cases) {
        Json j = good_gltf();
        c.spoil(j);
        const std::string text = load_error("a.gltf", j.dump());
        EXPECT_NE(text.find(c.place), std::string::npos) << c.name << ": " << text;
        EXPECT_NE(text.find(c.what), std::string::npos) << c.name << ": " << text;
    }
}

TEST(BadGltf, an_index_past_the_vertices_is_named) {
    const std::string text = load_error("a.gltf", good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2}, {0, 1, 3}).dump());
    EXPECT_NE(text.find("holds index 3 at 2"), std::string::npos) << text;
}

TEST(BadGltf, one_bad_part_is_skipped_and_said_and_its_neighbours_stay) {
    const float nan = std::numeric_limits<float>::quiet_NaN(),
                infinite = std::numeric_limits<float>::infinity();
    for (const float bad : {nan, infinite}) {
        Level level;
        EXPECT_EQ(load_error("a.gltf", good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2, bad, 0, -2}).dump(), &level),
                  "");
        EXPECT_EQ(level.meshes[0]->triangle_count(), 1u);
        EXPECT_NE(level.notes[0].find("not finite"), std::string::npos) << level.notes[0];
    }
    Level flat;
    EXPECT_EQ(load_error("a.gltf",
                         good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2, 6, 0, 2}, {0, 1, 2, 0, 1, 3}).dump(), &flat),
              "");
    EXPECT_EQ(flat.meshes[0]->triangle_count(), 1u);
    EXPECT_NE(flat.notes[0].find("no area"), std::string::npos) << flat.notes[0];

    Json j = good_gltf();
    j["nodes"].push_back({{"name", "pressed"}, {"mesh", 0}, {"scale", {1, 0, 1}}});
    j["scenes"][0]["nodes"] = {0, 1};
    Level singular;
    EXPECT_EQ(load_error("a.gltf", j.dump(), &singular), "");
    EXPECT_EQ(singular.surfaces.size(), 1u);
    EXPECT_NE(singular.notes[0].find("pressed"), std::string::npos) << singular.notes[0];
}

TEST(BadGltf, a_chain_of_a_hundred_thousand_nodes_does_not_end_the_stack) {
    Json j = good_gltf();
    j["nodes"] = Json::array();
    for (int i = 0; i < 100000; ++i) j["nodes"].push_back({{"children", {i + 1}}});
    j["nodes"].push_back({{"name", "floor"}, {"mesh", 0}});
    EXPECT_EQ(load_error("a.gltf", j.dump()), "");
}

TEST(BadGltf, the_demo_cut_short_anywhere_is_an_error_and_flipped_bits_never_crash) {
    const std::string whole = read_text(demo_folder() / "observatory.glb");
    for (std::size_t n = 0; n < whole.size(); n = n < 40 ? n + 1 : n * 2 + 13)
        EXPECT_NE(load_error("a.glb", whole.substr(0, n)), "") << n << " bytes";
    std::uint32_t state = 99;
    int refused = 0;
    for (int round = 0; round < 60; ++round) {
        std::string bad = whole;
        for (int k = 0; k < 8; ++k) {
            state = state * 1664525u + 1013904223u;
            bad[20 + state % 60000] ^= static_cast<char>(1 << (state >> 28 & 7));
        }
        refused += load_error("a.glb", bad).empty() ? 0 : 1;
    }
    EXPECT_GT(refused, 30);
}

std::string sheet_error(const std::string& sheet, Level* level = nullptr) {
    const Folder folder;
    write_bytes(folder / "scene.gltf", good_gltf().dump());
    write_bytes(folder / "level.toml", "[level]\nscene = \"scene.gltf\"\n" + sheet);
    return load_outcome(folder / "level.toml", level);
}

TEST(BadSheet, each_defect_is_named_with_its_line_and_a_remedy) {
    const std::vector<std::array<const char*, 3>> cases = {
        {"[lightmap]\ndensty = 4\n", "level.toml:4", "Did you mean \"density\"?"},
        {"[ligthmap]\ndensity = 4\n", "level.toml:3", "Did you mean \"lightmap\"?"},
        {"[lightmap]\npage = 1000\n", "level.toml:4", "power of two"},
        {"[lightmap]\npage = 1024.5\n", "level.toml:4", "power of two"},
        {"[lightmap]\ndensity = \"16\"\n", "lightmap.density", "not a number"},
        {"[lightmap]\ndensity = -1\n", "lightmap.density", "not a number from"},
        {"[lightmap]\nmargin = 0\n", "lightmap.margin", "not a number from"},
        {"[lightmap]\npages = 0\n", "lightmap.pages", "not a number from"},
        {"[lightmap]\npages = 1.5\n", "lightmap.pages", "whole number"},
        {"[lightmap]\nblock = 3\n", "lightmap.block", "Use 4, or 8"},
        {"[lightmap]\nstretch_limit = 1\n", "lightmap.stretch_limit", "not a number from"},
        {"[lightmap]\ncut_within = 0.5\n", "lightmap.cut_within", "not a number from"},
        {"[lightmap]\nunseen = \"hide\"\n", "lightmap.unseen", "shrink"},
        {"[[surface]]\nunwrap = \"never\"\n", "surface.unwrap", "\"make\""},
        {"[lightmap]\nshape = \"round\"\n", "lightmap.shape", "flat"},
        {"[quality]\ntier = \"best\"\n", "quality.tier", "glance"},
        {"[quality]\nbounces = \"many\"\n", "quality.bounces", "settle"},
        {"[quality]\nbounces = 1.5\n", "quality.bounces", "whole number"},
        {"[quality]\nnoise = nan\n", "quality.noise", "not a number"},
        {"[sky]\nradiance = [1, 2]\n", "sky.radiance", "three numbers"},
        {"[sky]\nradiance = [1, 2, -3]\n", "sky.radiance", "three numbers"},
        {"[sky]\nradiance = [1, 2, inf]\n", "sky.radiance", "three numbers"},
        {"[sky]\nimage = \"dusk.exr\"\n", "sky.image", "does not exist"},
        {"[sky]\nimage = \"../dusk.exr\"\n", "sky.image", "outside"},
        {"[sky]\nturn = 40\n", "sky.turn", "turns an image"},
        {"[sky]\nsun = \"from image\"\n", "sky.sun", "needs an image"},
        {"[sky]\ntype = \"clair\"\nlux = 1\n", "sky.type", "\"clear\""},
        {"[sky]\ntype = 16\n", "sky.type", "1 to 15"},
        {"[sky]\ntype = \"clear\"\nradiance = [1, 1, 1]\n", "sky.type", "one kind"},
        {"[sky]\ntype = \"clear\"\n", "sky.type", "there is none"},
        {"[sky]\nlux = 5\n", "sky.lux", "standard sky"},
        {"[[surface]]\nlit_by = \"magic\"\n", "surface.lit_by", "lightmap"},
        {"[[surface]]\npart = \"still\"\n", "surface.part", "static"},
        {"[[light]]\nkelvin = 3000\n", "light.match", "missing"},
        {"[[light]]\nname = \"x\"\nkind = \"laser\"\n", "light.kind", "sun"},
        {"[[light]]\nname = \"x\"\nkind = \"sun\"\ncandela = 5\n", "light.candela", "wrong unit"},
        {"[[light]]\nname = \"x\"\nkind = \"point\"\nazimuth = 5\n", "light.azimuth", "suns only"},
        {"[[light]]\nname = \"x\"\nkind = \"sun\"\nbake = \"half\"\n", "light.bake", "\"bounce\""},
        {"[[light]]\nname = \"x\"\nkind = \"sun\"\nlumens = 5\n", "light.lumens", "Use lux"},
        {"[[light]]\nname = \"x\"\nkind = \"sun\"\nat = [0, 1, 0]\n", "light.at", "azimuth"},
        {"[[light]]\nname = \"x\"\nkind = \"sun\"\nfrom = [0, 0, 0]\n", "light.from", "one point"},
        {"[[light]]\nname = \"x\"\nkind = \"rectangle\"\nwidth = 0\n", "light.width", "size of zero"},
        {"[[light]]\nname = \"x\"\nkind = \"disc\"\nradius = -1\n", "light.radius", "negative"},
        {"[[light]]\nname = \"x\"\nkind = \"tube\"\nwidth = 1\n", "light.width", "no size of light x"},
        {"[[light]]\nname = \"x\"\nkind = \"tube\"\ncandela = 1\n", "light.candela", "use nit"},
        {"[[light]]\nname = \"x\"\nkind = \"point\"\nedge = 1\n", "light.edge", "spots only"},
        {"[[light]]\nname = \"x\"\nkind = \"point\"\ncandela = 1\nlumens = 1\n", "light.lumens",
         "one of the two"},
        {"[[light]]\nname = \"x\"\nkind = \"disc\"\nnode = \"nowhere\"\n", "light.node", "matches no node"},
        {"[[light]]\nname = \"x\"\nkind = \"point\"\nprofile = \"gone.ies\"\n", "light.profile",
         "does not exist"},
        {"[[light]]\nname = \"x\"\nkind = \"disc\"\nprofile = \"gone.ies\"\n", "light.profile",
         "points and spots"},
        {"[[rig]]\nname = \"r\"\nmatch = \"floor\"\n", "rig.name", "neither lamps nor a model"},
        {"[[rig]]\nname = \"r\"\nmatch = \"floor\"\nmodel = \"gone\"\n", "rig.model", "no node"},
        {"[[rig]]\nname = \"r\"\nmatch = \"floor\"\n[[rig.light]]\nname = \"s\"\nkind = \"sun\"\n",
         "rig.light.kind", "no suns"},
        {"[[rig]]\nname = \"r\"\nmatch = \"floor\"\n[[rig.light]]\nname = \"s\"\nmatch = \"*\"\n",
         "level.toml:8", "no such key"},
        {"[[set]]\nname = \"a\"\ngain = { moon = 1 }\n", "level.toml:5", "no such light group"},
        {"[[set]]\nname = \"../up\"\n", "set.name", "folder"},
        {"[[set]]\nname = \"a\"\n[[set]]\nname = \"a\"\n", "set.name", "another set"},
        {"[[set]]\ngain = { sky = 1 }\n", "set.name", "missing"},
        {"[[volume]]\nlow = [0, 0, 0]\n", "volume.high", "missing"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 0, 1]\n", "volume.high", "above low"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nspacing = 0\n", "volume.spacing", "not a number"},
        {"[[volume]]\nshape = \"cube\"\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\n", "volume.shape", "capsule"},
        {"[[volume]]\nshape = \"sphere\"\nat = [0, 0, 0]\n", "volume.radius", "missing"},
        {"[[volume]]\nshape = \"sphere\"\nat = [0, 0, 0]\nradius = 1\nlow = [0, 0, 0]\n", "volume.low",
         "of this shape"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nfill = [\"grid\"]\n", "volume.fill", "walkable"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nseeds = [1, 2, 3]\n", "volume.seeds",
         "list of points"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nheights = []\n", "volume.heights",
         "list of numbers"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nfigure = { weight = 80 }\n", "[volume.figure]",
         "no such key (weight)"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nnode = \"gone\"\n", "volume.node", "no node"},
        {"[[volume]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\nexcept = 1\n", "volume.except", "true"},
        {"[[volume]]\nname = \"a\"\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\n[[volume]]\nname = \"a\"\nlow = [0, "
         "0, "
         "0]\nhigh = [1, 1, 1]\n",
         "volume.name", "another volume"},
        {"[[probe]]\n", "probe.at", "either a place"},
        {"[[probe]]\nnode = \"gone\"\n", "probe.node", "matches no node"},
        {"[probes]\ntolerance = 2\n", "probes.tolerance", "from 0 to 1"},
        {"[[probes]]\nbudget = 2\n", "level.toml:3", "[probes]"},
        {"[[camera]]\nname = \"c\"\neye = [0, 0, 0]\ntoward = [0, 0, 0]\n", "camera.toward", "same point"},
        {"[[zone]]\nname = \"z\"\n", "zone.name", "needs a box"},
        {"[quality\n", "level.toml:3", "TOML"},
    };
    for (const auto& [sheet, place, what] : cases) {
        const std::string text = sheet_error(sheet);
        EXPECT_NE(text.find(place), std::string::npos) << sheet << text;
        EXPECT_NE(text.find(what), std::string::npos) << sheet << text;
    }
}

TEST(BadSheet, scene_must_exist_and_lie_in_the_folder) {
    const Folder folder;
    for (const auto& [scene, what] :
         {std::pair{"../other.glb", "outside"}, {"/tmp/x.glb", "outside"}, {"gone.glb", "does not exist"}}) {
        write_bytes(folder / "l.toml", std::string("[level]\nscene = \"") + scene + "\"\n");
        try {
            load_level(folder / "l.toml");
            FAIL() << scene;
        } catch (const Error& e) {
            EXPECT_NE(e.text().find(what), std::string::npos) << e.text();
        }
    }
    EXPECT_NE(load_error("l.toml", "[quality]\ntier = \"proof\"\n").find("names no scene"),
              std::string::npos);
}

TEST(Sheet, later_entries_win_and_unmatched_ones_are_said) {
    Level level;
    EXPECT_EQ(sheet_error("[[surface]]\nmatch = \"*\"\ndensity = 2\n[[surface]]\nmatch = \"fl?or\"\ndensity "
                          "= 0.5\n[[surface]]\nmatch = \"nobody\"\ndensity = 9\n",
                          &level),
              "");
    EXPECT_EQ(level.surfaces[0].density, 0.5f);
    ASSERT_EQ(level.warnings.size(), 1u);
    EXPECT_NE(level.warnings[0].find("nobody"), std::string::npos);
}

TEST(Sheet, the_design_example_of_settings_is_understood) {
    Level level;
    EXPECT_EQ(sheet_error("[lightmap]\ndensity = 16.0\npage = 1024\nmargin = 4\nshape = "
                          "\"flat\"\n[quality]\ntier = \"proof\"\nbounces = \"settle\"\nnoise = 0.02\n"
                          "[sky]\nradiance = [900, 1100, 1500]\n[[light]]\nname = \"sun\"\nkind = "
                          "\"sun\"\nlux = 50000\nazimuth = 90\nelevation = 30\n"
                          "[[set]]\nname = \"observing\"\ngain = { sun = 0.0, sky = 0.02 }\n",
                          &level),
              "");
    EXPECT_FALSE(level.quality.bounces.has_value());
    EXPECT_FLOAT_EQ(level.quality.noise, 0.02f);
    // From the east, 30 degrees up: the light travels west and down.
    EXPECT_NEAR(level.lights[0].direction.x, -std::cos(pi / 6), 1e-5f);
    EXPECT_NEAR(level.lights[0].direction.y, -0.5f, 1e-5f);
    EXPECT_NEAR(level.lights[0].color.g, 50000, 1);
    ASSERT_EQ(level.sets.size(), 1u);
    EXPECT_EQ(level.sets[0].gains[group_index(level, "sky")], 0.02f);
}

TEST(Suns, one_stays_unless_more_are_asked_for) {
    const std::string suns =
        "[[light]]\nname = \"day\"\nkind = \"sun\"\nlux = 90000\n[[light]]\nname = \"moon\"\nkind = "
        "\"sun\"\nlux = 1\n";
    Level level;
    EXPECT_EQ(sheet_error(suns, &level), "");
    ASSERT_EQ(level.lights.size(), 1u);
    EXPECT_EQ(level.lights[0].name, "day");
    EXPECT_NE(level.notes[0].find("moon is left out; suns = 2"), std::string::npos) << level.notes[0];
    const Folder folder;
    write_bytes(folder / "level.gltf", good_gltf().dump());
    write_bytes(folder / "level.toml", "[level]\nscene = \"level.gltf\"\nsuns = 2\n" + suns);
    EXPECT_EQ(load_level(folder / "level.toml").lights.size(), 2u);
}

TEST(BadGltf, an_emissive_texture_that_is_missing_is_named) {
    Json j = good_gltf();
    j["images"] = Json::array({{{"uri", "glow.png"}}});
    j["textures"] = Json::array({{{"source", 0}}});
    j["materials"] = Json::array({{{"emissiveFactor", {1, 1, 1}}, {"emissiveTexture", {{"index", 0}}}}});
    const std::string text = load_error("a.gltf", j.dump());
    EXPECT_NE(text.find("glow.png"), std::string::npos) << text;
    EXPECT_NE(text.find("does not exist"), std::string::npos) << text;
    j["materials"][0]["emissiveTexture"]["index"] = 3;
    j.erase("images");
    j["textures"] = Json::array();
    EXPECT_NE(load_error("a.gltf", j.dump()).find("out of range"), std::string::npos);
}

TEST(Materials, reflectance_over_the_limit_is_said) {
    Json j = good_gltf();
    j["materials"] =
        Json::array({{{"name", "chalk"}, {"pbrMetallicRoughness", {{"baseColorFactor", {1, 0.9, 0.8, 1}}}}}});
    j["meshes"][0]["primitives"][0]["material"] = 0;
    Level level;
    EXPECT_EQ(load_error("a.gltf", j.dump(), &level), "");
    EXPECT_NE(level.notes[0].find("held at 0.95: chalk"), std::string::npos) << level.notes[0];
}

}  // namespace
}  // namespace test::bad_input_tests
