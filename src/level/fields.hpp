#pragma once
// Every member of the level described once: what it is called, in which unit and range, and what of a bake
// depends on it. Keys, the items of `status`, reasons, range checks and the table in docs/fields.md come from
// here; a member that is left out does not compile.

#include <concepts>
#include <string_view>

#include "stasigraph/level.hpp"
#include "stasigraph/reflection.hpp"

namespace stasigraph {

/// What of a bake depends on a field; a set of bits.
namespace depends {
inline constexpr std::uint32_t nothing = 0;
inline constexpr std::uint32_t charts = 1;  ///< How pages are laid out.
inline constexpr std::uint32_t geometry =
    2;                                       ///< What rays see, whatever the texels; places and captures too.
inline constexpr std::uint32_t rays = 4;     ///< What else decides texels and their rays.
inline constexpr std::uint32_t passage = 8;  ///< Geometry, where the material lets light through.
inline constexpr std::uint32_t direct = 16;  ///< Light of its group straight from its sources.
inline constexpr std::uint32_t colors = 32;  ///< What surfaces send on, of every group.
inline constexpr std::uint32_t solve = 64;   ///< What else decides a group's light.
inline constexpr std::uint32_t mix = 128;    ///< One set.
inline constexpr std::uint32_t prelit = 256;  ///< Prelit textures.
inline constexpr std::uint32_t places = 512;  ///< Where probes are placed.
inline constexpr std::uint32_t reflections = 1024;
inline constexpr std::uint32_t visibility = 2048;  ///< Shadows of lights that stay live.
inline constexpr std::uint32_t occlusion = 4096;
/// What is made of the scene before it is baked: the level that a bake sees has it in its surfaces.
inline constexpr std::uint32_t parting = 8192;
inline constexpr std::uint32_t content = 16384;  ///< Whatever uses it: images, profiles.
inline constexpr std::uint32_t everything = ~0u;
}  // namespace depends

/// What can be said of a member.
struct Field {
    std::string_view name;  ///< In `status`, and in docs/fields.md.
    std::uint32_t depends = depends::nothing;
    std::string_view unit = "";  ///< Of what people write; empty for what has none.
    /// What it may be, in that unit; both 0: no range, or one that other members decide.
    double low = 0, high = 0;
    bool zero_unsaid = false;  ///< 0 stands for what nobody said, and is not to be said.
    double per_unit = 1;       ///< The member for one of that unit.
    /// Where a sheet says it; empty: in the scene file, or nowhere. One key alone is read as it stands here.
    std::string_view sheet = "";
    bool read_apart = false;             ///< The reader of its table has rules of its own for it.
    std::string_view empty = "";         ///< What a sheet calls a member without a value.
    std::string_view yes = "", no = "";  ///< What it calls a flag's values; empty: true and false.
    /// How a change is told, with {} for the item's name; empty: by both values.
    std::string_view told = "";
    /// A number of something in a list: keys and items hold that instead.
    bool stands_for = false;
    /// Keys hold what tier_options() makes of it, so that tiers share what they have in common.
    bool through_tier = false;
};

namespace fields {

namespace d = depends;

inline constexpr double per_degree = 0.017453292519943295;
template <class T, class U>
concept is = std::same_as<std::remove_const_t<T>, U>;

}  // namespace fields

}  // namespace stasigraph

#include "level/lighting_fields.hpp"
#include "level/placement_fields.hpp"
#include "level/scene_fields.hpp"
#include "level/setting_fields.hpp"

namespace stasigraph {

/// The key that tells this member and nothing else in a table of a sheet; empty for what is in no sheet, in
/// another table or read apart.
constexpr std::string_view plain_key(const Field& field, std::string_view table) {
    const std::size_t dot = field.sheet.rfind('.');
    if (dot == std::string_view::npos || field.read_apart || field.stands_for ||
        field.sheet.find(',') != std::string_view::npos || field.sheet.substr(0, dot) != table)
        return "";
    return field.sheet.substr(dot + 1);
}

/// A struct whose members are listed.
template <class T>
concept Described = requires(T& x) {
    fields::visit(x, [](const Field&, auto&) {});
};

/// Calls f(field, member) for every member, in the order in which they stand.
template <class T, class F>
constexpr void for_fields(T& x, F&& f) {
    fields::visit(x, f);
}

}  // namespace stasigraph
