// Reading glTF as it comes from many exporters, and writing it back without loss.

#include <gtest/gtest.h>

#include <cstring>

#include "support.hpp"

namespace test::gltf_tests {
namespace {

/// Collects binary data and accessors for a .gltf with a buffer file beside it.
class Builder {
public:
    Json json = {{"asset", {{"version", "2.0"}}},
                 {"scene", 0},
                 {"scenes", {{{"nodes", {0}}}}},
                 {"nodes", Json::array()},
                 {"meshes", Json::array()}};

    template <class T>
    int accessor(const std::vector<T>& values, int component_type, const char* type, std::size_t components,
                 bool normalized = false) {
        while (bytes_.size() % 4) bytes_ += '\0';
        json["bufferViews"].push_back(
            {{"buffer", 0}, {"byteOffset", bytes_.size()}, {"byteLength", values.size() * sizeof(T)}});
        bytes_.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T));
        Json a = {{"bufferView", json["bufferViews"].size() - 1},
                  {"componentType", component_type},
                  {"type", type},
                  {"count", values.size() / components}};
        if (normalized) a["normalized"] = true;
        json["accessors"].push_back(a);
        return static_cast<int>(json["accessors"].size()) - 1;
    }
    int positions(const std::vector<float>& xyz) {
        const int a = accessor(xyz, 5126, "VEC3", 3);
        std::array<float, 3> low{1e9f, 1e9f, 1e9f}, high{-1e9f, -1e9f, -1e9f};
        for (std::size_t i = 0; i < xyz.size(); ++i) {
            low[i % 3] = std::min(low[i % 3], xyz[i]);
            high[i % 3] = std::max(high[i % 3], xyz[i]);
        }
        json["accessors"][a]["min"] = low;
        json["accessors"][a]["max"] = high;
        return a;
    }
    void save(const Folder& folder, const std::string& buffer_name = "data.bin", std::string uri = "") {
        if (uri.empty()) uri = buffer_name;
        json["buffers"] = Json::array({{{"byteLength", bytes_.size()}, {"uri", uri}}});
        write_bytes(folder / buffer_name, bytes_);
        write_bytes(folder / "level.gltf", json.dump());
    }

private:
    std::string bytes_;
};

const std::vector<float> square = {-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2};

/// Area of the level and its summed normal: the same for every way to write a square that faces up.
std::pair<float, Vec3> measure(const Level& level) {
    float area = 0;
    Vec3 normal;
    for (const Surface& s : level.surfaces) {
        const Mesh& m = level.meshes[s.mesh];
        for (std::size_t t = 0; t < m.indices.size(); t += 3) {
            const Vec3 a = transform_point(s.to_world, m.positions[m.indices[t]]),
                       b = transform_point(s.to_world, m.positions[m.indices[t + 1]]),
                       c = transform_point(s.to_world, m.positions[m.indices[t + 2]]);
            area += length(cross(b - a, c - a)) / 2;
            normal = normal + cross(b - a, c - a) * 0.5f;
        }
    }
    return {area, normal};
}

TEST(Gltf, lists_strips_fans_and_unindexed_triangles_are_the_same_square) {
    const auto load = [](int mode, const std::vector<float>& corners,
                         const std::vector<std::uint8_t>& indices) {
        Builder b;
        Json primitive = {{"attributes", {{"POSITION", b.positions(corners)}}}, {"mode", mode}};
        if (!indices.empty()) primitive["indices"] = b.accessor(indices, 5121, "SCALAR", 1);
        b.json["meshes"].push_back({{"primitives", {primitive}}});
        b.json["nodes"].push_back({{"mesh", 0}});
        const Folder folder;
        b.save(folder);
        return load_level(folder / "level.gltf");
    };
    const std::vector<float> unindexed = {-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, 2, 2, 0, -2, -2, 0, -2};
    for (const Level& level : {load(4, square, {0, 1, 2, 0, 2, 3}), load(5, square, {0, 1, 3, 2}),
                               load(6, square, {0, 1, 2, 3}), load(4, unindexed, {}), load(6, square, {})}) {
        const auto [area, normal] = measure(level);
        EXPECT_FLOAT_EQ(area, 16);
        EXPECT_FLOAT_EQ(normal.y, 16) << "a triangle is turned over";
    }
}

TEST(Gltf, quantised_positions_and_uvs_are_read) {
    Builder b;
    const std::vector<std::int16_t> positions = {-32767, 0, 32767,  0, 32767,  0, 32767,  0,
                                                 32767,  0, -32767, 0, -32767, 0, -32767, 0};
    const int p = b.accessor(positions, 5122, "VEC3", 4, true);
    b.json["bufferViews"].back()["byteStride"] = 8;
    const int uv =
        b.accessor(std::vector<std::uint16_t>{0, 0, 65535, 0, 65535, 65535, 0, 65535}, 5123, "VEC2", 2, true);
    b.json["meshes"].push_back(
        {{"primitives",
          {{{"attributes", {{"POSITION", p}, {"TEXCOORD_0", uv}}},
            {"indices", b.accessor(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1)}}}}});
    b.json["nodes"].push_back({{"mesh", 0}, {"scale", {2, 2, 2}}});
    b.json["extensionsRequired"] = {"KHR_mesh_quantization"};
    const Folder folder;
    b.save(folder);
    const Level level = load_level(folder / "level.gltf");
    EXPECT_NEAR(measure(level).first, 16, 1e-3f);
    EXPECT_FLOAT_EQ(level.meshes[0]->uv0[2].y, 1);
}

TEST(Gltf, transforms_go_down_the_tree_and_so_do_extras) {
    Builder b;
    b.json["meshes"].push_back(
        {{"primitives",
          {{{"attributes", {{"POSITION", b.positions(square)}}},
            {"indices", b.accessor(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1)}}}}});
    const float s = std::sqrt(0.5f);
    b.json["nodes"] = {
        {{"name", "root"},
         {"children", {1, 2}},
         {"translation", {10, 0, 0}},
         {"rotation", {0, 0, s, s}},
         {"extras", {{"part", "moving"}}}},
        {{"name", "inherits"}, {"mesh", 0}, {"translation", {1, 0, 0}}, {"scale", {0.5, 0.5, 0.5}}},
        {{"name", "differs"}, {"mesh", 0}, {"extras", {{"part", "static"}, {"lit_by", "probes"}}}}};
    const Folder folder;
    b.save(folder);
    const Level level = load_level(folder / "level.gltf");
    ASSERT_EQ(level.surfaces.size(), 2u);
    // A quarter turn about Z brings the child's +X to +Y, and the square's normal to -X.
    EXPECT_NEAR(level.surfaces[0].to_world.origin.x, 10, 1e-5f);
    EXPECT_NEAR(level.surfaces[0].to_world.origin.y, 1, 1e-5f);
    const Vec3 n = normalize(transform_normal(level.surfaces[0].to_world, {0, 1, 0}));
    EXPECT_NEAR(n.x, -1, 1e-5f);
    EXPECT_EQ(level.surfaces[0].part, Part::moving);
    EXPECT_EQ(level.surfaces[1].part, Part::still);
    EXPECT_EQ(level.surfaces[1].lit_by, LitBy::probes);
}

TEST(Gltf, lights_and_cameras_stand_and_look_as_their_nodes_do) {
    Builder b;
    b.json["meshes"].push_back(
        {{"primitives",
          {{{"attributes", {{"POSITION", b.positions(square)}}},
            {"indices", b.accessor(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1)}}}}});
    const float s = std::sqrt(0.5f);
    b.json["extensions"]["KHR_lights_punctual"]["lights"] = {
        {{"type", "directional"}, {"intensity", 50000}, {"color", {1, 0.5, 0.25}}},
        {{"type", "spot"},
         {"intensity", 80},
         {"range", 9},
         {"spot", {{"innerConeAngle", 0.2}, {"outerConeAngle", 0.6}}},
         {"extras", {{"radius", 0.1}}}}};
    b.json["cameras"] = {{{"type", "perspective"}, {"perspective", {{"yfov", 0.7}, {"znear", 0.1}}}}};
    b.json["nodes"] = {{{"name", "floor"}, {"mesh", 0}},
                       {{"name", "sun"},
                        {"rotation", {-s, 0, 0, s}},
                        {"extensions", {{"KHR_lights_punctual", {{"light", 0}}}}}},
                       {{"name", "lamp"},
                        {"translation", {1, 2, 3}},
                        {"extensions", {{"KHR_lights_punctual", {{"light", 1}}}}}},
                       {{"name", "eye"}, {"translation", {0, 1, 5}}, {"camera", 0}}};
    b.json["scenes"][0]["nodes"] = {0, 1, 2, 3};
    const Folder folder;
    b.save(folder);
    const Level level = load_level(folder / "level.gltf");
    ASSERT_EQ(level.lights.size(), 2u);
    EXPECT_NEAR(level.lights[0].direction.y, -1, 1e-5f) << "-Z turned down";
    EXPECT_FLOAT_EQ(level.lights[0].color.g, 25000);
    EXPECT_NEAR(level.lights[0].angular_diameter, 0.53f * pi / 180, 1e-6f);
    EXPECT_EQ(level.lights[1].position, (Vec3{1, 2, 3}));
    EXPECT_NEAR(level.lights[1].direction.z, -1, 1e-5f);
    EXPECT_FLOAT_EQ(level.lights[1].outer_cone, 0.6f);
    EXPECT_FLOAT_EQ(level.lights[1].radius, 0.1f);
    EXPECT_FLOAT_EQ(level.lights[1].range, 9);
    ASSERT_EQ(level.cameras.size(), 1u);
    EXPECT_NEAR(level.cameras[0].toward.z, 4, 1e-5f);
    EXPECT_EQ(level.groups, (std::vector<std::string>{"sun", "lamps"}));
}

TEST(Gltf, names_with_spaces_and_a_bin_in_a_subfolder_are_found) {
    Builder b;
    b.json["meshes"].push_back(
        {{"primitives",
          {{{"attributes", {{"POSITION", b.positions(square)}}},
            {"indices", b.accessor(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1)}}}}});
    b.json["nodes"].push_back({{"mesh", 0}});
    const Folder folder;
    fs::create_directories(folder / "more data");
    b.save(folder, "more data/a b.bin", "more%20data/a%20b.bin");
    EXPECT_FLOAT_EQ(measure(load_level(folder / "level.gltf")).first, 16);
}

TEST(Gltf, what_we_do_not_read_comes_back_untouched) {
    Builder b;
    const int p = b.positions(square),
              i = b.accessor(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1);
    const int times = b.accessor(std::vector<float>{0, 1, 2}, 5126, "SCALAR", 1),
              turns = b.accessor(std::vector<float>{0, 0, 0, 1, 0, 1, 0, 0, 0, 0, 0, 1}, 5126, "VEC4", 4);
    const int color =
        b.accessor(std::vector<std::uint8_t>{255, 0, 0, 255, 0, 255, 0, 255, 0, 0, 255, 255, 9, 8, 7, 255},
                   5121, "VEC4", 4, true);
    b.json["meshes"].push_back(
        {{"name", "square"},
         {"extras", {{"note", "keep"}}},
         {"primitives",
          {{{"attributes", {{"POSITION", p}, {"COLOR_0", color}}}, {"indices", i}, {"material", 0}}}}});
    b.json["materials"] = {{{"name", "m"}, {"extensions", {{"ACME_sparkle", {{"amount", 3}}}}}}};
    b.json["extensionsUsed"] = {"ACME_sparkle"};
    b.json["nodes"].push_back({{"name", "floor"}, {"mesh", 0}, {"extras", {{"mine", {1, 2}}}}});
    b.json["nodes"].push_back({{"name", "spinner"}});
    b.json["scenes"][0]["nodes"] = {0, 1};
    b.json["animations"] = {
        {{"name", "spin"},
         {"channels", {{{"sampler", 0}, {"target", {{"node", 1}, {"path", "rotation"}}}}}},
         {"samplers", {{{"input", times}, {"output", turns}}}}}};
    const Folder folder;
    b.save(folder);
    ASSERT_EQ(tool("unwrap --quiet " + (folder / "level.gltf").string() + " --out " + (folder / "u").string())
                  .status,
              0);
    const std::string glb = read_text(folder / "u" / "level.glb");
    std::uint32_t length = 0;
    std::memcpy(&length, glb.data() + 12, 4);
    const Json out = Json::parse(glb.substr(20, length));
    EXPECT_EQ(out["materials"], b.json["materials"]);
    EXPECT_EQ(out["nodes"][0]["extras"]["mine"], Json({1, 2}));
    EXPECT_EQ(out["nodes"][0]["extras"]["lightmap"][0]["page"], 0);
    EXPECT_EQ(out["meshes"][0]["extras"]["note"], "keep");
    EXPECT_EQ(out["animations"][0]["channels"], b.json["animations"][0]["channels"]);
    const auto& sampler = out["animations"][0]["samplers"][0];
    EXPECT_EQ(out["accessors"][sampler["input"].get<int>()]["count"], 3);
    EXPECT_EQ(out["accessors"][sampler["output"].get<int>()]["type"], "VEC4");
    const auto& attributes = out["meshes"][0]["primitives"][0]["attributes"];
    for (const char* name : {"POSITION", "COLOR_0", "TEXCOORD_0", "TEXCOORD_1"})
        EXPECT_TRUE(attributes.contains(name)) << name;
    // The colours went along with their vertices.
    const Level again = load_level(folder / "u" / "level.glb");
    EXPECT_FLOAT_EQ(measure(again).first, 16);
}

}  // namespace
}  // namespace test::gltf_tests
