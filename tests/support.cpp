#include "support.hpp"

#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <sys/wait.h>
#include <unistd.h>
#include <cstdlib>

#include <cstdio>
#include <fstream>
#include <sstream>

namespace test {

Surface& add_surface(Level& level, const std::string& name, const std::vector<Vec3>& corners, Rgb albedo,
                     Rgb emission) {
    Mesh mesh;
    mesh.name = name;
    mesh.positions = corners;
    for (std::size_t t = 0; t + 2 < corners.size(); t += 3) {
        const Vec3 n = normalize(cross(corners[t + 1] - corners[t], corners[t + 2] - corners[t]));
        mesh.normals.insert(mesh.normals.end(), 3, n);
    }
    for (std::uint32_t i = 0; i < corners.size(); ++i) mesh.indices.push_back(i);
    Material material;
    material.name = name;
    material.base_color = albedo;
    material.emission = emission;
    Surface surface;
    surface.name = surface.node = name;
    surface.mesh = static_cast<std::uint32_t>(level.meshes.size());
    surface.material = static_cast<std::uint32_t>(level.materials.size());
    level.meshes.push_back(mesh);
    level.materials.push_back(material);
    level.surfaces.push_back(surface);
    return level.surfaces.back();
}

Surface& add_quad(Level& level, const std::string& name, Vec3 a, Vec3 b, Vec3 c, Vec3 d, Rgb albedo,
                  Rgb emission) {
    return add_surface(level, name, {a, b, c, a, c, d}, albedo, emission);
}

Surface& add_floor(Level& level, float side, Rgb albedo) {
    const float h = side / 2;
    return add_quad(level, "floor", {-h, 0, h}, {h, 0, h}, {h, 0, -h}, {-h, 0, -h}, albedo);
}

Surface& add_box(Level& level, const std::string& name, Vec3 l, Vec3 h, bool inward, Rgb albedo,
                 Rgb emission) {
    const Vec3 p[8] = {{l.x, l.y, l.z}, {h.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z},
                       {l.x, l.y, h.z}, {h.x, l.y, h.z}, {l.x, h.y, h.z}, {h.x, h.y, h.z}};
    const int faces[6][4] = {{0, 4, 6, 2}, {5, 1, 3, 7}, {0, 1, 5, 4},
                             {6, 7, 3, 2}, {1, 0, 2, 3}, {4, 5, 7, 6}};
    std::vector<Vec3> corners;
    for (const auto& f : faces) {
        const Vec3 q[4] = {p[f[0]], p[f[1]], p[f[2]], p[f[3]]};
        if (inward)
            corners.insert(corners.end(), {q[0], q[2], q[1], q[0], q[3], q[2]});
        else
            corners.insert(corners.end(), {q[0], q[1], q[2], q[0], q[2], q[3]});
    }
    return add_surface(level, name, corners, albedo, emission);
}

void add_thick_room(Level& level, Vec3 l, Vec3 h, float t, Rgb albedo) {
    const Vec3 out_l = l - Vec3{t, t, t}, out_h = h + Vec3{t, t, t};
    add_box(level, "wall_west", out_l, {l.x, out_h.y, out_h.z}, false, albedo);
    add_box(level, "wall_east", {h.x, out_l.y, out_l.z}, out_h, false, albedo);
    add_box(level, "room_floor", out_l, {out_h.x, l.y, out_h.z}, false, albedo);
    add_box(level, "room_ceiling", {out_l.x, h.y, out_l.z}, out_h, false, albedo);
    add_box(level, "wall_north", out_l, {out_h.x, out_h.y, l.z}, false, albedo);
    add_box(level, "wall_south", {out_l.x, out_l.y, h.z}, out_h, false, albedo);
}

Bake bake_level(Level level, unsigned threads) {
    complete_level(level);
    Job job(JobOptions{.threads = threads, .on_progress = {}, .on_note = {}});
    Bake b{level, {}, {}};
    b.baked = bake(level, b.atlas, job);
    return b;
}

Rgb Bake::at(Vec3 point, Vec3 facing, float reach) const {
    Job job;
    const auto readings = meter_lightmap({level, atlas}, baked.sets[0], {{point, facing}}, reach, job);
    EXPECT_TRUE(readings[0].irradiance) << readings[0].reason;
    return readings[0].irradiance.value_or(Rgb{-1, -1, -1});
}

static std::string base64(const std::string& bytes) {
    static const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < 3; ++k)
            v = v << 8 | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0);
        for (int k = 3; k >= 0; --k)
            out += i + 3 - static_cast<std::size_t>(k) <= bytes.size() || k == 3 || k == 2
                       ? digits[v >> (6 * k) & 63]
                       : '=';
    }
    return out;
}

Json good_gltf(std::vector<float> positions, std::vector<std::uint16_t> indices) {
    std::string bytes(reinterpret_cast<const char*>(positions.data()), positions.size() * 4);
    bytes.append(reinterpret_cast<const char*>(indices.data()), indices.size() * 2);
    Json j = Json::parse(
        R"({"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"name": "floor", "mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}], "buffers": [{}], "bufferViews": [{}, {}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "type": "VEC3"}, {"bufferView": 1, "componentType": 5123, "type": "SCALAR"}]})");
    j["buffers"][0] = {{"uri", "data:application/octet-stream;base64," + base64(bytes)},
                       {"byteLength", bytes.size()}};
    j["bufferViews"][0] = {{"buffer", 0}, {"byteLength", positions.size() * 4}};
    j["bufferViews"][1] = {
        {"buffer", 0}, {"byteOffset", positions.size() * 4}, {"byteLength", indices.size() * 2}};
    j["accessors"][0]["count"] = positions.size() / 3;
    j["accessors"][1]["count"] = indices.size();
    return j;
}

std::string load_outcome(const fs::path& file, Level* level) {
    try {
        Level loaded = load_level(file);
        if (level) *level = std::move(loaded);
        return "";
    } catch (const Error& e) {
        return e.text();
    }
}

Ran run(const std::string& command) {
    const Folder folder;
    const fs::path out = folder / "out", err = folder / "err";
    const int status =
        std::system((command + " >" + out.string() + " 2>" + err.string() + " </dev/null").c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), read_text(out), read_text(err)};
}

Ran tool(const std::string& arguments) {
    return run(std::string(STASIGRAPH_TOOL_PATH) + " " + arguments);
}

ReflectionProbe probe_in(Vec3 low, Vec3 high, int resolution) {
    ReflectionProbe p;
    p.name = "room";
    p.middle = p.room_middle = p.capture = (low + high) * 0.5f;
    p.half = p.room_half = (high - low) * 0.5f;
    p.resolution = resolution;
    return p;
}

void set_uvs(Shared<Mesh>& mesh, std::vector<Vec2> uvs) {
    mesh.edit([&](Mesh& m) { m.uv0 = std::move(uvs); });
}
void set_normals(Shared<Mesh>& mesh, Vec3 normal) {
    mesh.edit([&](Mesh& m) { m.normals.assign(m.positions.size(), normal); });
}
void move_mesh(Shared<Mesh>& mesh, Vec3 by) {
    mesh.edit([&](Mesh& m) {
        for (Vec3& p : m.positions) p = p + by;
    });
}

Level sunny_level(float sun, float sky, float density) {
    Level level;
    level.lights = {{.name = "sun",
                     .kind = LightKind::sun,
                     .color = {sun, sun, sun},
                     .direction = normalize({-0.5f, -0.7f, 0.6f}),
                     .angular_diameter = 0.0093f}};
    level.sky.radiance = {sky, sky, sky};
    level.lightmap = {.density = density, .page = 1024, .margin = 4};
    level.quality.tier = Tier::proof;
    return level;
}

const fs::path& demo_source() {
    static const fs::path folder = STASIGRAPH_SOURCE "/demo/observatory";
    return folder;
}

const fs::path& demo_folder() {
    // Under ctest one copy, with one bake, serves all tests.
    static const Folder own;
    static const fs::path folder = [] {
        if (const char* made = std::getenv("STASIGRAPH_DEMO"); made && fs::exists(made))
            return fs::path(made);
        for (const auto& file : fs::directory_iterator(demo_source()))
            if (file.is_regular_file()) fs::copy(file, own / file.path().filename().string());
        return own.path();
    }();
    return folder;
}

Folder::Folder() {
    static int number = 0;
    path_ = fs::temp_directory_path() /
            ("stasigraph-test-" + std::to_string(getpid()) + "-" + std::to_string(++number));
    fs::create_directories(path_);
}
Folder::~Folder() {
    std::error_code bad;
    fs::remove_all(path_, bad);
}

std::string read_text(const fs::path& path) {
    std::ifstream file(path, std::ios::binary);
    std::ostringstream text;
    text << file.rdbuf();
    return text.str();
}

void write_bytes(const fs::path& path, const std::string& bytes) {
    std::ofstream file(path, std::ios::binary);
    file.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
}

Pixels read_image(const fs::path& path) {
    const auto input = OIIO::ImageInput::open(path.string());
    if (!input) {
        ADD_FAILURE() << path << ": " << OIIO::geterror();
        return {};
    }
    const OIIO::ImageSpec spec = input->spec();
    Pixels p{spec.width, spec.height, spec.nchannels, {}, spec.get_int_attribute("stasigraph:exponent", 0)};
    p.values.resize(static_cast<std::size_t>(p.width) * p.height * p.channels);
    EXPECT_TRUE(input->read_image(0, 0, 0, p.channels, OIIO::TypeDesc::FLOAT, p.values.data()));
    return p;
}

const fs::path& demo_glance() {
    static const fs::path baked = [] {
        const fs::path out = demo_folder() / "baked" / "observatory";
        if (fs::exists(out / "manifest.json")) return out;
        const Ran r = tool("bake " + (demo_folder() / "observatory.toml").string() +
                           " --tier glance --threads 2 --quiet");
        EXPECT_EQ(r.status, 0) << r.err;
        return out;
    }();
    return baked;
}

}  // namespace test
