#pragma once
// Members of the level in keys: those that something depends on, as level/fields.hpp says.

#include <array>
#include <optional>
#include <type_traits>

#include "base/hash.hpp"
#include "level/fields.hpp"

namespace stasigraph {

/// A texture's pixels and its use; 0 for none.
void add_texture(Hasher& h, const Level& level, const TextureUse& use);

/// Adds every member of x that any of `of` depends on, and that stands for nothing else. What is in a member
/// counts whole.
template <class T>
void add_fields(Hasher& h, const Level& level, const T& x, std::uint32_t of);

namespace detail {

template <class T>
struct IsOptional : std::false_type {};
template <class T>
struct IsOptional<std::optional<T>> : std::true_type {};
template <class T>
concept Range = requires(const T& x) {
    x.begin();
    x.size();
}
&&!std::same_as<T, std::string>;

template <class T>
void add_value(Hasher& h, const Level& level, const T& x) {
    if constexpr (std::is_arithmetic_v<T> || std::is_enum_v<T>) {
        h.number(x);
    } else if constexpr (std::same_as<T, std::string>) {
        h.text(x);
    } else if constexpr (std::same_as<T, Vec2>) {
        h.number(x.x);
        h.number(x.y);
    } else if constexpr (std::same_as<T, Vec3>) {
        h.vector(x);
    } else if constexpr (std::same_as<T, Rgb>) {
        h.color(x);
    } else if constexpr (std::same_as<T, Affine>) {
        for (const Vec3 v : {x.x, x.y, x.z, x.origin}) h.vector(v);
    } else if constexpr (std::same_as<T, TextureUse>) {
        add_texture(h, level, x);
    } else if constexpr (IsOptional<T>::value) {
        h.number(x.has_value());
        if (x) add_value(h, level, *x);
    } else if constexpr (Range<T>) {
        h.number(x.size());
        using Value = std::remove_cvref_t<decltype(*x.begin())>;
        if constexpr ((std::has_unique_object_representations_v<Value> || std::is_same_v<Value, float> ||
                       std::is_same_v<Value, Vec2> || std::is_same_v<Value, Vec3> ||
                       std::is_same_v<Value, Rgb>)&&!std::is_same_v<Value, std::string>)
            h.raw(x.data(), x.size() * sizeof(Value));  // without gaps
        else
            for (const Value& v : x) add_value(h, level, v);
    } else {
        add_fields(h, level, x, depends::everything);
    }
}

}  // namespace detail

template <class T>
void add_fields(Hasher& h, const Level& level, const T& x, std::uint32_t of) {
    for_fields(x, [&](const Field& field, const auto& value) {
        if ((field.depends & of) != 0 && !field.stands_for) detail::add_value(h, level, value);
    });
}

}  // namespace stasigraph
