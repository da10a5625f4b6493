#include "scene.hpp"

#include <png.h>

#include <algorithm>
#include <stdexcept>

namespace demo {

namespace {

/// Six digits are enough for a tenth of a millimetre, and the same on every machine.
double tidy(double v) {
    return std::round(v * 1e6) / 1e6;
}
Json list(std::initializer_list<double> values) {
    Json j = Json::array();
    for (double v : values) j.push_back(tidy(v));
    return j;
}

/// The turn that brings -Z to a direction, without roll.
Json look_rotation(Point direction) {
    const Point z = unit(direction * -1), help = std::abs(z.y) > 0.999 ? Point{1, 0, 0} : Point{0, 1, 0};
    const Point x = unit(cross(help, z)), y = cross(z, x);
    const double m[3][3] = {{x.x, y.x, z.x}, {x.y, y.y, z.y}, {x.z, y.z, z.z}};
    double q[4];
    const double trace = m[0][0] + m[1][1] + m[2][2];
    if (trace > 0) {
        const double s = 2 * std::sqrt(trace + 1);
        q[0] = (m[2][1] - m[1][2]) / s;
        q[1] = (m[0][2] - m[2][0]) / s;
        q[2] = (m[1][0] - m[0][1]) / s;
        q[3] = s / 4;
    } else {
        const int i = m[0][0] > m[1][1] && m[0][0] > m[2][2] ? 0
                      : m[1][1] > m[2][2]                    ? 1
                                                             : 2,
                  j = (i + 1) % 3, k = (i + 2) % 3;
        const double s = 2 * std::sqrt(1 + m[i][i] - m[j][j] - m[k][k]);
        q[i] = s / 4;
        q[j] = (m[j][i] + m[i][j]) / s;
        q[k] = (m[k][i] + m[i][k]) / s;
        q[3] = (m[k][j] - m[j][k]) / s;
    }
    // Rounded components drift off unit length by less than a validator minds.
    return list({q[0], q[1], q[2], q[3]});
}

}  // namespace

Scene::Scene() {
    json_["asset"] = {{"version", "2.0"}, {"generator", "stasigraph demo"}};
    json_["extensionsUsed"] = {"KHR_lights_punctual", "KHR_materials_emissive_strength",
                               "KHR_materials_transmission"};
    json_["scene"] = 0;
    json_["scenes"] = Json::array({{{"nodes", Json::array()}}});
    json_["samplers"] = Json::array({Json::object()});
}

std::size_t Scene::view(const void* data, std::size_t size, int target) {
    while (binary_.size() % 4) binary_.push_back(0);
    Json v = {{"buffer", 0}, {"byteOffset", binary_.size()}, {"byteLength", size}};
    if (target) v["target"] = target;
    const auto* p = static_cast<const unsigned char*>(data);
    binary_.insert(binary_.end(), p, p + size);
    json_["bufferViews"].push_back(std::move(v));
    return json_["bufferViews"].size() - 1;
}

int Scene::texture(const std::string& name, int width, int height, int channels,
                   const std::function<std::array<double, 4>(int, int)>& pixel) {
    std::vector<unsigned char> pixels;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const auto c = pixel(x, y);
            for (int k = 0; k < channels; ++k)
                pixels.push_back(static_cast<unsigned char>(std::clamp(c[k], 0.0, 1.0) * 255 + 0.5));
        }
    png_image png{};
    png.version = PNG_IMAGE_VERSION;
    png.width = static_cast<png_uint_32>(width);
    png.height = static_cast<png_uint_32>(height);
    png.format = channels == 4 ? PNG_FORMAT_RGBA : channels == 3 ? PNG_FORMAT_RGB : PNG_FORMAT_GRAY;
    png_alloc_size_t size = PNG_IMAGE_PNG_SIZE_MAX(png);
    std::vector<unsigned char> bytes(size);
    if (!png_image_write_to_memory(&png, bytes.data(), &size, 0, pixels.data(), 0, nullptr))
        throw std::runtime_error("cannot encode " + name);
    json_["images"].push_back(
        {{"name", name}, {"bufferView", view(bytes.data(), size, 0)}, {"mimeType", "image/png"}});
    json_["textures"].push_back({{"sampler", 0}, {"source", json_["images"].size() - 1}});
    return static_cast<int>(json_["textures"].size()) - 1;
}

Json& Scene::material(const std::string& name, Color base, double roughness, int texture, double metallic) {
    Json pbr = {{"baseColorFactor", list({base.r, base.g, base.b, 1})},
                {"metallicFactor", metallic},
                {"roughnessFactor", roughness}};
    if (texture >= 0) pbr["baseColorTexture"] = {{"index", texture}};
    json_["materials"].push_back({{"name", name}, {"pbrMetallicRoughness", std::move(pbr)}});
    return json_["materials"].back();
}

int Scene::mesh(const std::string& name, const Shape& shape, int material) {
    return mesh(name, {{shape, material}});
}

int Scene::mesh(const std::string& name, const std::vector<std::pair<Shape, int>>& parts) {
    Json primitives = Json::array();
    for (const auto& [shape, material] : parts) {
        const std::size_t count = shape.positions.size() / 3;
        Json low = Json::array(), high = Json::array();
        for (std::size_t c = 0; c < 3; ++c) {
            float l = shape.positions[c], h = l;
            for (std::size_t i = c; i < shape.positions.size(); i += 3) {
                l = std::min(l, shape.positions[i]);
                h = std::max(h, shape.positions[i]);
            }
            low.push_back(l);
            high.push_back(h);
        }
        const auto accessor = [&](const auto& values, const char* type, int component, std::size_t n,
                                  int target) {
            json_["accessors"].push_back(
                {{"bufferView", view(values.data(), values.size() * sizeof(values[0]), target)},
                 {"componentType", component},
                 {"count", n},
                 {"type", type}});
            return json_["accessors"].size() - 1;
        };
        Json p;
        p["attributes"]["POSITION"] = accessor(shape.positions, "VEC3", 5126, count, 34962);
        json_["accessors"].back()["min"] = low;
        json_["accessors"].back()["max"] = high;
        p["attributes"]["NORMAL"] = accessor(shape.normals, "VEC3", 5126, count, 34962);
        p["attributes"]["TEXCOORD_0"] = accessor(shape.uvs, "VEC2", 5126, count, 34962);
        if (!shape.lightmap_uvs.empty())
            p["attributes"]["TEXCOORD_1"] = accessor(shape.lightmap_uvs, "VEC2", 5126, count, 34962);
        p["indices"] = accessor(shape.indices, "SCALAR", 5123, shape.indices.size(), 34963);
        p["material"] = material;
        primitives.push_back(std::move(p));
    }
    json_["meshes"].push_back({{"name", name}, {"primitives", std::move(primitives)}});
    return static_cast<int>(json_["meshes"].size()) - 1;
}

Json& Scene::node(const std::string& name, int mesh, Point at, double turn, Point scale) {
    Json n = {{"name", name}};
    if (mesh >= 0) n["mesh"] = mesh;
    if (at.x != 0 || at.y != 0 || at.z != 0) n["translation"] = list({at.x, at.y, at.z});
    if (turn != 0) n["rotation"] = list({0, std::sin(turn / 2), 0, std::cos(turn / 2)});
    if (scale.x != 1 || scale.y != 1 || scale.z != 1) n["scale"] = list({scale.x, scale.y, scale.z});
    json_["nodes"].push_back(std::move(n));
    json_["scenes"][0]["nodes"].push_back(json_["nodes"].size() - 1);
    return json_["nodes"].back();
}

void Scene::swing(const std::string& name) {
    std::size_t node = 0;
    while (json_["nodes"][node]["name"] != name) ++node;
    const std::vector<float> times{0, 1, 2}, turns{0, 0, 0, 1, 0, 0.7071068f, 0, 0.7071068f, 0, 0, 0, 1};
    const auto accessor = [&](const std::vector<float>& values, const char* type, std::size_t count) {
        json_["accessors"].push_back({{"bufferView", view(values.data(), values.size() * sizeof(float), 0)},
                                      {"componentType", 5126},
                                      {"count", count},
                                      {"type", type}});
        return json_["accessors"].size() - 1;
    };
    const std::size_t input = accessor(times, "SCALAR", 3);
    json_["accessors"].back()["min"] = {0.0};
    json_["accessors"].back()["max"] = {2.0};
    const std::size_t output = accessor(turns, "VEC4", 3);
    json_["animations"].push_back(
        {{"name", name},
         {"samplers", Json::array({{{"input", input}, {"output", output}}})},
         {"channels", Json::array({{{"sampler", 0}, {"target", {{"node", node}, {"path", "rotation"}}}}})}});
}

void Scene::light(const std::string& name, Json light, Point at, Point toward) {
    light["name"] = name;
    Json& lights = json_["extensions"]["KHR_lights_punctual"]["lights"];
    lights.push_back(std::move(light));
    const std::size_t index = lights.size() - 1;
    Json& n = node(name, -1, at);
    n["rotation"] = look_rotation(toward - at);
    n["extensions"]["KHR_lights_punctual"]["light"] = index;
}

void Scene::place(const std::string& name, Point at, Point toward) {
    node(name, -1, at)["rotation"] = look_rotation(toward - at);
}

void Scene::camera(const std::string& name, Point eye, Point toward, double fov) {
    json_["cameras"].push_back(
        {{"type", "perspective"}, {"perspective", {{"yfov", tidy(fov)}, {"znear", 0.05}}}});
    Json& n = node(name, -1, eye);
    n["rotation"] = look_rotation(toward - eye);
    n["camera"] = json_["cameras"].size() - 1;
}

std::vector<unsigned char> Scene::glb() const {
    Json json = json_;
    std::vector<unsigned char> binary = binary_;
    while (binary.size() % 4) binary.push_back(0);
    json["buffers"] = Json::array({{{"byteLength", binary.size()}}});
    std::string text = json.dump();
    while (text.size() % 4) text += ' ';
    std::vector<unsigned char> out;
    const auto word = [&](std::size_t v) {
        for (int k = 0; k < 4; ++k) out.push_back(static_cast<unsigned char>(v >> (8 * k)));
    };
    word(0x46546c67);
    word(2);
    word(28 + text.size() + binary.size());
    word(text.size());
    word(0x4e4f534a);
    out.insert(out.end(), text.begin(), text.end());
    word(binary.size());
    word(0x004e4942);
    out.insert(out.end(), binary.begin(), binary.end());
    return out;
}

}  // namespace demo
