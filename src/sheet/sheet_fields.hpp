#pragma once
// Members of the level read from a table of a sheet as level/fields.hpp describes them: by their key, in
// their unit, within their range, by their words. A member with a key of its own needs no other reader.

#include <cmath>
#include <type_traits>

#include "level/fields.hpp"
#include "level/words.hpp"
#include "sheet/sheet_shapes.hpp"

namespace stasigraph {

namespace detail {

/// A number in the member's unit, in which a whole number may be asked for.
template <class T>
T read_number(const Entry& e, std::string_view key, const Field& f) {
    const bool bounded = f.low < f.high;
    const double v = *e.number(key, bounded ? f.low : -far, bounded ? f.high : far);
    if (std::is_integral_v<T> && v != std::floor(v)) e.fail(key, "is not a whole number", "");
    return static_cast<T>(v * f.per_unit);
}

inline bool read_flag(const Entry& e, std::string_view key, const Field& f) {
    if (f.yes.empty()) return *e.flag(key);
    const auto said = e.node(key)->value_exact<std::string>();
    const auto quoted = [](std::string_view word) { return '"' + std::string(word) + '"'; };
    if (!said || (*said != f.yes && *said != f.no))
        e.fail(key, "is neither " + quoted(f.yes) + " nor " + quoted(f.no),
               "Use " + quoted(f.yes) + " or " + quoted(f.no) + ".");
    return *said == f.yes;
}

/// A number, or the word for none.
template <class T>
std::optional<T> read_optional(const Entry& e, std::string_view key, const Field& f) {
    if (f.empty.empty() || !e.node(key)->is_string()) return read_number<T>(e, key, f);
    if (*e.text(key) != f.empty)
        e.fail(key, "is neither a number nor \"" + std::string(f.empty) + "\"",
               "Use a number" + (f.unit.empty() ? "" : " (" + std::string(f.unit) + ")") + ", or \"" +
                   std::string(f.empty) + "\".");
    return std::nullopt;
}

std::vector<float> read_numbers(const Entry& e, std::string_view key, const Field& f);

/// A member of a kind that a sheet can say with one key.
template <class T>
concept Sayable = std::is_arithmetic_v<T> || Worded<T> || std::same_as<T, std::string> ||
    std::same_as<T, Vec3> || std::same_as<T, std::optional<int>> || std::same_as<T, std::optional<float>> ||
    std::same_as<T, std::vector<float>>;

template <Sayable T>
void read_value(const Entry& e, std::string_view key, const Field& f, T& to) {
    if constexpr (std::same_as<T, bool>)
        to = read_flag(e, key, f);
    else if constexpr (std::is_arithmetic_v<T>)
        to = read_number<T>(e, key, f);
    else if constexpr (Worded<T>)
        to = e.word<T>(key);
    else if constexpr (std::same_as<T, std::string>)
        to = *e.text(key);
    else if constexpr (std::same_as<T, Vec3>)
        to = *e.vector(key, -far, far);
    else if constexpr (std::same_as<T, std::vector<float>>)
        to = read_numbers(e, key, f);
    else
        to = read_optional<typename T::value_type>(e, key, f);
}

}  // namespace detail

/// Reads every member of x that has a key of its own in this entry's table. What is not said stays. Throws
/// Error for what is out of its range, of another type or none of the words there are.
template <class T>
void read_fields(const Entry& e, T& x) {
    for_fields(x, [&](const Field& f, auto& member) {
        const std::string_view key = plain_key(f, e.table());
        if constexpr (detail::Sayable<std::remove_cvref_t<decltype(member)>>)
            if (!key.empty() && e.has(key)) detail::read_value(e, key, f, member);
    });
}

}  // namespace stasigraph
