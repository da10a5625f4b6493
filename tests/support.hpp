#pragma once
// Small levels made in code, and the tool driven as a program.

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

/// A test that takes over a second, or needs the demo level's bake: apart from those that run after every
/// change.
#define SLOW_TEST(suite, name) TEST(suite, name)
#define SLOW_TEST_P(suite, name) TEST_P(suite, name)

namespace test {

namespace fs = std::filesystem;
using namespace stasigraph;

// ---- levels
// --------------------------------------------------------------------------------------------------------

/// Adds a mesh, and one surface of it with this albedo. Normals are the faces' own.
Surface& add_surface(Level& level, const std::string& name, const std::vector<Vec3>& corners, Rgb albedo,
                     Rgb emission = {});
/// A quad from its corners, counter-clockwise from the lit side.
Surface& add_quad(Level& level, const std::string& name, Vec3 a, Vec3 b, Vec3 c, Vec3 d, Rgb albedo,
                  Rgb emission = {});
/// A level floor at y = 0 around the origin, `side` metres wide, facing up.
Surface& add_floor(Level& level, float side, Rgb albedo = {0, 0, 0});
/// A box; `inward` turns its faces to the inside.
Surface& add_box(Level& level, const std::string& name, Vec3 low, Vec3 high, bool inward, Rgb albedo,
                 Rgb emission = {});
/// A room of thick walls: every wall is a solid box of its own, overlapping at the joints.
void add_thick_room(Level& level, Vec3 low, Vec3 high, float thickness, Rgb albedo);

/// A level without anything in it under a sun (lux) in the south-west and an even sky (nit), at `proof`.
Level sunny_level(float sun, float sky, float density);

/// A reflection probe in the middle of a box, which is its room as well.
ReflectionProbe probe_in(Vec3 low, Vec3 high, int resolution = 32);
void set_uvs(Shared<Mesh>& mesh, std::vector<Vec2> uvs);
void set_normals(Shared<Mesh>& mesh, Vec3 normal);
void move_mesh(Shared<Mesh>& mesh, Vec3 by);

struct Bake {
    Level level;
    Atlas atlas;
    Baked baked;
    /// Illuminance (luminance of the irradiance) at a point, through the light meter.
    Rgb at(Vec3 point, Vec3 facing, float reach = 0.05f) const;
};
Bake bake_level(Level level, unsigned threads = 0);

using Json = nlohmann::ordered_json;
/// A glTF of one quad, `floor`, whose buffer is a data URI: positions as floats, then 16-bit indices.
Json good_gltf(std::vector<float> positions = {-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2},
               std::vector<std::uint16_t> indices = {0, 1, 2, 0, 2, 3});

/// Loads a level; the error's text, or "" with the level in `level` where given.
std::string load_outcome(const fs::path& file, Level* level);

// ---- programs
// ------------------------------------------------------------------------------------------------------

struct Ran {
    int status = 0;
    std::string out, err;
    nlohmann::json json() const { return nlohmann::json::parse(out); }
};
/// Runs a program with a shell command line; standard output and error apart.
Ran run(const std::string& command);
/// Runs the tool.
Ran tool(const std::string& arguments);

/// The demo level as it is committed, only to be read.
const fs::path& demo_source();
/// A copy of it, to bake in.
const fs::path& demo_folder();
/// A fresh folder that is deleted when it goes out of scope.
class Folder {
public:
    Folder();
    ~Folder();
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    const fs::path& path() const { return path_; }
    fs::path operator/(const std::string& name) const { return path_ / name; }

private:
    fs::path path_;
};
std::string read_text(const fs::path& path);
void write_bytes(const fs::path& path, const std::string& bytes);
/// Pixels of an image as floats, through OpenImageIO.
struct Pixels {
    int width = 0, height = 0, channels = 0;
    std::vector<float> values;
    int exponent = 0;
    float at(int x, int y, int c) const {
        return values[(static_cast<std::size_t>(y) * width + x) * channels + c];
    }
};
Pixels read_image(const fs::path& path);

/// The bake at `glance` in that copy, made once. Tests that change it work on copies.
const fs::path& demo_glance();

}  // namespace test
