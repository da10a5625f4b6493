#pragma once
// What sheets, scene files and people call the values of enumerations.

#include <optional>
#include <string>
#include <string_view>
#include <utility>

#include "stasigraph/level.hpp"

namespace stasigraph {

/// Words of an enumeration's values, and what is said of a text that is none of them.
template <class E>
struct Words;

template <>
struct Words<Part> {
    static constexpr std::string_view wrong = "is no part";
    static constexpr std::pair<std::string_view, Part> all[] = {
        {"static", Part::still}, {"moving", Part::moving}, {"bake-only", Part::bake_only}};
};
template <>
struct Words<LitBy> {
    static constexpr std::string_view wrong = "is no way to be lit";
    static constexpr std::pair<std::string_view, LitBy> all[] = {
        {"lightmap", LitBy::lightmap}, {"probes", LitBy::probes}, {"nothing", LitBy::nothing}};
};
template <>
struct Words<UnwrapMode> {
    static constexpr std::string_view wrong = "is no way to unwrap";
    static constexpr std::pair<std::string_view, UnwrapMode> all[] = {
        {"auto", UnwrapMode::automatic}, {"keep", UnwrapMode::keep}, {"make", UnwrapMode::make}};
};
template <>
struct Words<Cut> {
    static constexpr std::string_view wrong = "says neither to cut nor to leave whole";
    static constexpr std::pair<std::string_view, Cut> all[] = {{"auto", Cut::automatic}, {"off", Cut::off}};
};
template <>
struct Words<Sides> {
    static constexpr std::string_view wrong = "is no number of sides";
    static constexpr std::pair<std::string_view, Sides> all[] = {
        {"auto", Sides::automatic}, {"both", Sides::both}, {"one", Sides::one}};
};
template <>
struct Words<LightKind> {
    static constexpr std::string_view wrong = "is no kind of light";
    static constexpr std::pair<std::string_view, LightKind> all[] = {
        {"sun", LightKind::sun},   {"point", LightKind::point},
        {"spot", LightKind::spot}, {"rectangle", LightKind::rectangle},
        {"disc", LightKind::disc}, {"tube", LightKind::tube}};
};
template <>
struct Words<BakeRole> {
    static constexpr std::string_view wrong = "is no way to bake a light";
    static constexpr std::pair<std::string_view, BakeRole> all[] = {
        {"whole", BakeRole::whole}, {"bounce", BakeRole::bounce}, {"realtime", BakeRole::realtime}};
};
template <>
struct Words<ZoneProbes> {
    static constexpr std::string_view wrong = "says not which probes belong to the zone";
    static constexpr std::pair<std::string_view, ZoneProbes> all[] = {
        {"seen", ZoneProbes::seen}, {"inside", ZoneProbes::inside}, {"listed", ZoneProbes::listed}};
};
template <>
struct Words<LightmapShape> {
    static constexpr std::string_view wrong = "is no shape of a lightmap";
    static constexpr std::pair<std::string_view, LightmapShape> all[] = {
        {"flat", LightmapShape::flat}, {"directional", LightmapShape::directional}};
};
template <>
struct Words<Tier> {
    static constexpr std::string_view wrong = "is no tier";
    static constexpr std::pair<std::string_view, Tier> all[] = {
        {"glance", Tier::glance}, {"proof", Tier::proof}, {"final", Tier::final}};
};
template <>
struct Words<Denoise> {
    static constexpr std::string_view wrong = "says neither yes nor no";
    static constexpr std::pair<std::string_view, Denoise> all[] = {{"auto", Denoise::automatic},
                                                                   {"off", Denoise::off}};
};
template <>
struct Words<Seams> {
    static constexpr std::string_view wrong = "says neither yes nor no";
    static constexpr std::pair<std::string_view, Seams> all[] = {{"auto", Seams::automatic},
                                                                 {"off", Seams::off}};
};
template <>
struct Words<Edges> {
    static constexpr std::string_view wrong = "is no way to draw shadow edges";
    static constexpr std::pair<std::string_view, Edges> all[] = {{"straight", Edges::straight},
                                                                 {"sharp", Edges::sharp}};
};
template <>
struct Words<PrelitBy> {
    static constexpr std::string_view wrong = "says not what shares a texture";
    static constexpr std::pair<std::string_view, PrelitBy> all[] = {
        {"page", PrelitBy::page}, {"surface", PrelitBy::surface}, {"nothing", PrelitBy::nothing}};
};

/// An enumeration whose values have words.
template <class E>
concept Worded = requires {
    Words<E>::all;
};

template <Worded E>
constexpr std::string_view word_of(E value) {
    for (const auto& [word, of] : Words<E>::all)
        if (of == value) return word;
    return "";
}

template <Worded E>
constexpr std::optional<E> value_of(std::string_view word) {
    for (const auto& [known, value] : Words<E>::all)
        if (known == word) return value;
    return std::nullopt;
}

/// "Use \"a\", \"b\" or \"c\"."
template <Worded E>
std::string words_to_use() {
    std::string text = "Use ";
    const std::size_t count = std::size(Words<E>::all);
    for (std::size_t i = 0; i < count; ++i) {
        text += i == 0 ? "\"" : i + 1 == count ? " or \"" : ", \"";
        text += Words<E>::all[i].first;
        text += '"';
    }
    return text + '.';
}

}  // namespace stasigraph
