#pragma once
// Directions of rows, in batches as plain arrays that the compiler vectorises.

#include "transport/links.hpp"

namespace stasigraph {

/// Morton number of a cell of an 8 by 8 grid.
constexpr std::uint8_t morton(std::uint32_t x, std::uint32_t y) {
    std::uint32_t m = 0;
    for (std::uint32_t b = 0; b < 3; ++b) m |= (x >> b & 1) << (2 * b) | (y >> b & 1) << (2 * b + 1);
    return static_cast<std::uint8_t>(m);
}

/// Counting sort of points of the unit square by the Morton number of their cell.
inline void order_by_cell(const float* x, const float* y, std::uint32_t count,
                          std::array<std::uint8_t, direction_batch>& order) {
    static constexpr auto table = [] {
        std::array<std::uint8_t, 64> t{};
        for (std::uint32_t i = 0; i < 64; ++i) t[i] = morton(i % 8, i / 8);
        return t;
    }();
    std::uint8_t key[direction_batch], start[65] = {};
    for (std::uint32_t k = 0; k < count; ++k) {
        key[k] = table[static_cast<std::uint32_t>(x[k] * 8) + 8 * static_cast<std::uint32_t>(y[k] * 8)];
        ++start[key[k] + 1];
    }
    for (int i = 0; i < 64; ++i) start[i + 1] = static_cast<std::uint8_t>(start[i + 1] + start[i]);
    for (std::uint32_t k = 0; k < count; ++k) order[start[key[k]]++] = static_cast<std::uint8_t>(k);
}

struct OneRow {
    const RowSource& source;
    std::size_t row = 0;
};

/// Points number(0) .. number(count - 1) of the unit square that a row's directions are made from, written as
/// plain arrays so that the compiler vectorises it.
template <class Number>
void fill_unit_points(const OneRow& of, Number number, std::uint32_t count, float* x, float* y) {
    const auto& [source, row] = of;
    const std::uint32_t seed = source.seeds[row];
    if (!source.guide.empty()) {
        GuideReader guide(source.guides, source.guide[row]);
        for (std::uint32_t k = 0; k < count; ++k) guide.point(number(k), seed, x[k], y[k]);
        return;
    }
    const std::uint32_t second_seed = mix_bits(seed ^ 0x68bc21ebu);
    for (std::uint32_t k = 0; k < count; ++k) {
        const std::uint32_t index = number(k);
        const std::uint32_t s = index < sobol_table_size ? sobol_table[index] : sobol_reversed(index);
        x[k] = unit_float(reverse_bits(scramble_reversed(index, seed)));
        y[k] = unit_float(reverse_bits(scramble_reversed(s, second_seed)));
    }
}

/// The same as directions. `order`, where given, receives an order in which neighbours point nearly the same
/// way: traced like that, one ray finds in the cache what the last one left there.
template <class Number>
void fill_directions(const OneRow& of, Number number, std::uint32_t count,
                     std::array<Vec3, direction_batch>& out,
                     std::array<std::uint8_t, direction_batch>* order = nullptr) {
    const auto& [source, row] = of;
    alignas(32) float x[direction_batch], y[direction_batch];
    fill_unit_points(of, number, count, x, y);
    const Receiver& r = source.receivers[row];
    if (order) order_by_cell(x, y, count, *order);
    if (r.in_air) {
        for (std::uint32_t k = 0; k < count; ++k) out[k] = sphere_direction({x[k], y[k]});
        return;
    }
    const Frame frame(r.normal);
    for (std::uint32_t k = 0; k < count; ++k) out[k] = gather_direction(r, frame, {x[k], y[k]});
}

/// The numbers from one on.
inline auto numbers_from(std::uint32_t first) {
    return [first](std::uint32_t k) { return first + k; };
}

}  // namespace stasigraph
