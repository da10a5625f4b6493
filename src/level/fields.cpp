// A struct whose members are not all described does not compile.

#include "level/fields.hpp"

#include <utility>

namespace stasigraph {

namespace {

/// Converts to a reference to anything, and so to no member by way of another type.
struct AnyMember {
    template <class T>
    constexpr operator T&() const& noexcept;
    template <class T>
    constexpr operator T&&() const&& noexcept;
};

template <class T, std::size_t... I>
constexpr bool has_members(std::index_sequence<I...>) {
    return requires {
        T{(static_cast<void>(I), std::declval<AnyMember>())...};
    };
}
/// How many members an aggregate has: as many values as can be listed for it.
template <class T, std::size_t most = 48>
constexpr std::size_t count_members() {
    if constexpr (has_members<T>(std::make_index_sequence<most>{}))
        return most;
    else
        return count_members<T, most - 1>();
}

/// Room for a T, so that members can be counted of types that cannot be made while compiling.
template <class T>
union Unmade {
    constexpr Unmade() : nothing{} {}
    constexpr ~Unmade() {}
    char nothing;
    T x;
};

template <class T>
constexpr std::size_t count_fields() {
    const Unmade<T> room;
    std::size_t count = 0;
    for_fields(room.x, [&](const Field&, const auto&) { ++count; });
    return count;
}

template <class T>
struct Described {
    static_assert(count_fields<T>() == count_members<T>(), "a member of T has no field");
};
template <class... T>
struct AllDescribed : Described<T>... {};

#ifndef __clang__  // which takes what is only declared for used
template struct AllDescribed<Image, TextureUse, Material, Mesh, Surface, Profile, Light, Sky, Camera, BakeSet,
                             SeriesStep, Figure, Volume, ProbePlace, ProbeOptions, ReflectionProbe,
                             ReflectionRule, LightmapOptions, BakeOptions, OcclusionOptions, PrelitOptions,
                             CheckOptions, Acceptance, Zone, SceneNode, BetweenVertices, Tangent, Scene,
                             Lighting, Placement, Settings>;
#endif

}  // namespace

}  // namespace stasigraph
