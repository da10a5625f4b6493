#pragma once
// Collects shapes, materials, lights and cameras, and writes them as one .glb.

#include <nlohmann/json.hpp>
#include <string>

#include "shapes.hpp"

namespace demo {

using Json = nlohmann::ordered_json;

struct Color {
    double r, g, b;
};

class Scene {
public:
    Scene();
    int texture(const std::string& name, int width, int height, int channels,
                const std::function<std::array<double, 4>(int, int)>& pixel);
    /// Further keys of the glTF material (emission, sides, alpha) go into the returned object.
    Json& material(const std::string& name, Color base, double roughness = 0.9, int texture = -1,
                   double metallic = 0);
    Json& last() { return json_["materials"].back(); }
    int last_material() const { return static_cast<int>(json_["materials"].size()) - 1; }
    int mesh(const std::string& name, const Shape& shape, int material);
    /// A mesh of several primitives, one for each (shape, material).
    int mesh(const std::string& name, const std::vector<std::pair<Shape, int>>& parts);
    /// Turned about Y by `turn` radians, then moved. Further keys go into the returned object.
    Json& node(const std::string& name, int mesh, Point at = {}, double turn = 0, Point scale = {1, 1, 1});
    /// An animation that turns a node to and fro about Y.
    void swing(const std::string& name);
    /// A light whose node looks along `toward`.
    void light(const std::string& name, Json light, Point at, Point toward);
    /// A node without anything on it that looks along `toward`, without roll.
    void place(const std::string& name, Point at, Point toward);
    void camera(const std::string& name, Point eye, Point toward, double fov);
    std::vector<unsigned char> glb() const;

private:
    std::size_t view(const void* data, std::size_t size, int target);
    Json json_;
    std::vector<unsigned char> binary_;
};

}  // namespace demo
