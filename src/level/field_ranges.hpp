#pragma once
// Members held against the ranges that level/fields.hpp tells.

#include <cmath>

#include "base/text.hpp"
#include "level/fields.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace detail {

inline void check_number(const Field& field, double v, const std::string& where) {
    if (field.zero_unsaid && v == 0) return;
    // As floats, in which members are: 1.01 as a float is a little less.
    const auto low = static_cast<float>(field.low * field.per_unit),
               high = static_cast<float>(field.high * field.per_unit), value = static_cast<float>(v);
    if (value >= low && value <= high) return;
    constexpr double no_end = 1e6;
    const auto text = [](double x) { return to_text(static_cast<float>(x)); };
    // What is far beyond anything real is not told as an end unless it was gone beyond.
    const bool ends = field.high < no_end || value > high;
    std::string range = "Use ";
    range += text(field.low);
    range += ends ? " to " + text(field.high) : std::string(" or more");
    if (!field.unit.empty()) {
        range += ends ? " " : ", in ";
        range += field.unit;
    }
    range += '.';
    throw Error{.what = std::string(field.name) + " is out of range",
                .where = where,
                .value = text(v / field.per_unit),
                .remedy = range};
}

template <class T>
void check_values(const Field& field, const T& v, const std::string& where) {
    if constexpr (std::is_arithmetic_v<T>) {
        check_number(field, static_cast<double>(v), where);
    } else if constexpr (std::same_as<T, Rgb>) {
        for (const float c : {v.r, v.g, v.b}) check_number(field, static_cast<double>(c), where);
    } else if constexpr (std::same_as<T, std::optional<int>> || std::same_as<T, std::optional<float>>) {
        if (v) check_number(field, static_cast<double>(*v), where);
    } else if constexpr (std::same_as<T, std::vector<float>> || std::same_as<T, std::vector<Rgb>>) {
        for (const auto& x : v) check_values(field, x, where);
    }
}

}  // namespace detail

/// Throws Error for the first member that is outside of its range or no number, naming `where`; where that
/// ends in a dot, with the member's name behind it.
template <class T>
void check_ranges(const T& x, const std::string& where) {
    for_fields(x, [&](const Field& field, const auto& value) {
        if (field.low < field.high)
            detail::check_values(field, value,
                                 where.ends_with('.') ? where + std::string(field.name) : where);
    });
}

}  // namespace stasigraph
