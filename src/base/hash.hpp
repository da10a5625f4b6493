#pragma once
// Keys of what was made: a hash of exactly what it was made from.

#include <cstdint>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// xxHash3, 128 bits, over values in the order they are added. Texts and arrays count with their length, so
/// that no two sequences run together.
class Hasher {
public:
    explicit Hasher(std::string_view what) { text(what); }

    void raw(const void* data, std::size_t size);
    void text(std::string_view s) {
        number(s.size());
        raw(s.data(), s.size());
    }
    template <class T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T>
    void number(T v) { raw(&v, sizeof v); }
    /// Numbers without gaps between them only.
    template <class T>
    requires std::has_unique_object_representations_v<T> || std::is_floating_point_v<T> ||
        std::is_same_v<T, Vec2> || std::is_same_v<T, Vec3> || std::is_same_v<T, Rgb>
    void array(const std::vector<T>& v) {
        number(v.size());
        raw(v.data(), v.size() * sizeof(T));
    }
    void color(Rgb c) {
        for (const float v : {c.r, c.g, c.b}) number(v);
    }
    void vector(Vec3 c) {
        for (const float v : {c.x, c.y, c.z}) number(v);
    }
    /// Of all so far, 32 hexadecimal digits.
    std::string key() const;

private:
    void flush();
    std::vector<std::uint8_t> waiting_;
    std::uint64_t low_ = 0, high_ = 0;
};

}  // namespace stasigraph
