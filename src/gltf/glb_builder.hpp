#pragma once
#include <cstring>

#include "gltf/gltf_file.hpp"
#include "stasigraph/math.hpp"

namespace stasigraph {

/// Collects views and accessors for a .glb. Component types and targets are glTF's own numbers.
class GlbBuilder {
public:
    Json json = Json::object();

    std::size_t add_view(std::span<const std::uint8_t> bytes, int target = 0) {
        while (binary_.size() % 4) binary_.push_back(0);
        Json view = {{"buffer", 0}, {"byteOffset", binary_.size()}, {"byteLength", bytes.size()}};
        if (target != 0) view["target"] = target;
        binary_.insert(binary_.end(), bytes.begin(), bytes.end());
        json["bufferViews"].push_back(std::move(view));
        return json["bufferViews"].size() - 1;
    }
    template <class T>
    std::size_t add_view_of(const std::vector<T>& values, int target = 0) {
        return add_view({reinterpret_cast<const std::uint8_t*>(values.data()), values.size() * sizeof(T)},
                        target);
    }
    std::size_t add_accessor(Json accessor) {
        json["accessors"].push_back(std::move(accessor));
        return json["accessors"].size() - 1;
    }
    std::size_t add_positions(const std::vector<Vec3>& values) {
        Vec3 low = values.at(0), high = low;
        for (Vec3 v : values) {
            low = min(low, v);
            high = max(high, v);
        }
        return add_accessor({{"bufferView", add_view_of(values, 34962)},
                             {"componentType", 5126},
                             {"count", values.size()},
                             {"type", "VEC3"},
                             {"min", {low.x, low.y, low.z}},
                             {"max", {high.x, high.y, high.z}}});
    }
    std::size_t add_floats(const std::vector<Vec2>& values) {
        return add_accessor({{"bufferView", add_view_of(values, 34962)},
                             {"componentType", 5126},
                             {"count", values.size()},
                             {"type", "VEC2"}});
    }
    std::size_t add_floats(const std::vector<Vec3>& values) {
        return add_accessor({{"bufferView", add_view_of(values, 34962)},
                             {"componentType", 5126},
                             {"count", values.size()},
                             {"type", "VEC3"}});
    }
    std::size_t add_indices(const std::vector<std::uint32_t>& values) {
        return add_accessor({{"bufferView", add_view_of(values, 34963)},
                             {"componentType", 5125},
                             {"count", values.size()},
                             {"type", "SCALAR"}});
    }
    Bytes finish() {
        if (!binary_.empty()) json["buffers"] = Json::array({{{"byteLength", (binary_.size() + 3) / 4 * 4}}});
        return pack_glb(json, binary_);
    }

private:
    Bytes binary_;
};

}  // namespace stasigraph
