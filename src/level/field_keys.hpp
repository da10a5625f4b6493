#pragma once
// Members of the level in keys: those that something depends on, as level/fields.hpp says.

#include <optional>
#include <type_traits>

#include "base/hash.hpp"
#include "level/fields.hpp"

namespace stasigraph {

/// A texture's pixels and its use; 0 for none.
void add_texture(Hasher& h, const Scene& scene, const TextureUse& use);
/// What counts of a shared value for all that uses it: pixels, and a mesh's shape. Hashed once.
void add_shared(Hasher& h, const Shared<Image>& image);
void add_shared(Hasher& h, const Shared<Mesh>& mesh);
void add_shared(Hasher& h, const Shared<std::vector<Rgb>>& pixels);

/// What rays see of a material.
void add_passage(Hasher& h, const Scene& scene, const Material& material);

/// Adds every member of x that any of `of` depends on, but numbers of something else and what goes through
/// the tier. What is in a member counts whole.
template <class T>
void add_fields(Hasher& h, const Scene& scene, const T& x, std::uint32_t of);

namespace detail {

template <class T>
struct IsOptional : std::false_type {};
template <class T>
struct IsOptional<std::optional<T>> : std::true_type {};
/// Nothing that converts to one: a list of colours is no sky.
template <class T>
struct IsShared : std::false_type {};
template <class T>
struct IsShared<Shared<T>> : std::true_type {};
template <class T>
concept Range = requires(const T& x) {
    x.begin();
};

template <class T>
void add_value(Hasher& h, const Scene& scene, const T& x) {
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
        add_texture(h, scene, x);
    } else if constexpr (IsShared<T>::value) {
        add_shared(h, x);
    } else if constexpr (IsOptional<T>::value) {
        h.number(x.has_value());
        if (x) add_value(h, scene, *x);
    } else if constexpr (requires { h.array(x); }) {
        h.array(x);
    } else if constexpr (Range<T>) {
        h.number(x.size());
        for (const auto& v : x) add_value(h, scene, v);
    } else {
        add_fields(h, scene, x, depends::everything);
    }
}

}  // namespace detail

template <class T>
void add_fields(Hasher& h, const Scene& scene, const T& x, std::uint32_t of) {
    for_fields(x, [&](const Field& field, const auto& value) {
        if ((field.depends & of) != 0 && !field.stands_for && !field.through_tier)
            detail::add_value(h, scene, value);
    });
}

}  // namespace stasigraph
