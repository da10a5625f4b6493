#pragma once
// Random numbers as pure functions of (seed, surface, texel, sample): a Sobol sequence with hashed Owen
// scrambling. It is progressive: the first n samples of a longer row are the samples of a row of n.
// Burley, Practical Hash-based Owen Scrambling, JCGT 9(4), 2020; the hash after Laine and Karras, 2011.

#include <algorithm>
#include <array>
#include <cstdint>

#include "stasigraph/math.hpp"

namespace stasigraph {

constexpr std::uint32_t mix_bits(std::uint32_t x) {
    x ^= x >> 16;
    x *= 0x7feb352du;
    x ^= x >> 15;
    x *= 0x846ca68bu;
    x ^= x >> 16;
    return x;
}
constexpr std::uint32_t combine_bits(std::uint32_t a, std::uint32_t b) {
    return mix_bits(a ^ (b + 0x9e3779b9u + (a << 6) + (a >> 2)));
}

constexpr std::uint32_t reverse_bits(std::uint32_t x) {
    x = ((x & 0x55555555u) << 1) | ((x >> 1) & 0x55555555u);
    x = ((x & 0x33333333u) << 2) | ((x >> 2) & 0x33333333u);
    x = ((x & 0x0f0f0f0fu) << 4) | ((x >> 4) & 0x0f0f0f0fu);
    x = ((x & 0x00ff00ffu) << 8) | ((x >> 8) & 0x00ff00ffu);
    return (x << 16) | (x >> 16);
}
constexpr std::uint32_t scramble_reversed(std::uint32_t x, std::uint32_t seed) {
    x += seed;
    x ^= x * 0x6c50b47cu;
    x ^= x * 0xb82f1e52u;
    x ^= x * 0xc7afe638u;
    x ^= x * 0x8d22f6e6u;
    return x;
}

/// Bit-reversed second Sobol dimension of an index (the first one's bit reversal is the index itself).
constexpr std::uint32_t sobol_reversed(std::uint32_t index) {
    std::uint32_t direction = 1u, result = 0;  // primitive polynomial x + 1, kept bit-reversed
    for (; index != 0; index >>= 1) {
        if (index & 1u) result ^= direction;
        direction ^= direction << 1;
    }
    return result;
}

inline constexpr std::size_t sobol_table_size = 1024;
inline constexpr auto sobol_table = [] {
    std::array<std::uint32_t, sobol_table_size> table{};
    for (std::uint32_t i = 0; i < sobol_table_size; ++i) table[i] = sobol_reversed(i);
    return table;
}();

/// The same of dimensions three and four, for what is sampled together with a point of the first two.
/// Direction numbers by Joe and Kuo, Constructing Sobol Sequences with Better Two-Dimensional Projections,
/// 2008.
template <int degree, std::uint32_t a, std::uint32_t m1, std::uint32_t m2, std::uint32_t m3>
inline constexpr auto sobol_table_of = [] {
    constexpr int bits = 10;  // of the table's indices
    std::array<std::uint32_t, bits> v{m1 << 31, m2 << 30, m3 << 29};
    for (int i = degree; i < bits; ++i) {
        v[i] = v[i - degree] ^ (v[i - degree] >> degree);
        for (int k = 1; k < degree; ++k)
            if (a >> (degree - 1 - k) & 1u) v[i] ^= v[i - k];
    }
    std::array<std::uint32_t, sobol_table_size> table{};
    for (std::uint32_t i = 0; i < sobol_table_size; ++i) {
        std::uint32_t x = 0;
        for (int b = 0; b < bits; ++b)
            if (i >> b & 1u) x ^= v[static_cast<std::size_t>(b)];
        table[i] = reverse_bits(x);
    }
    return table;
}();

constexpr float unit_float(std::uint32_t bits) {
    return static_cast<float>(bits >> 8) * 0x1p-24f;
}

/// Point `index` of the sequence that `seed` names, in [0, 1)^2.
inline Vec2 sobol_point(std::uint32_t seed, std::uint32_t index) {
    const std::uint32_t second = index < sobol_table_size ? sobol_table[index] : sobol_reversed(index);
    const std::uint32_t x = reverse_bits(scramble_reversed(index, seed));
    const std::uint32_t y = reverse_bits(scramble_reversed(second, mix_bits(seed ^ 0x68bc21ebu)));
    return {unit_float(x), unit_float(y)};
}

/// Dimensions three and four of the sequence whose first two are sobol_point(); repeats after 1024.
inline Vec2 sobol_point_beside(std::uint32_t seed, std::uint32_t index) {
    const std::uint32_t i = index % sobol_table_size;
    const std::uint32_t x =
        reverse_bits(scramble_reversed(sobol_table_of<2, 1, 1, 3, 0>[i], mix_bits(seed ^ 0x7f4a7c15u)));
    const std::uint32_t y =
        reverse_bits(scramble_reversed(sobol_table_of<3, 1, 1, 3, 1>[i], mix_bits(seed ^ 0x2545f491u)));
    return {unit_float(x), unit_float(y)};
}

/// Sine and cosine of 2 pi u for u in [0, 1], absolute error below 3e-7; the same bits on every machine.
inline void sincos_turn(float u, float& sine, float& cosine) {
    const float quadrant = std::floor(u * 4.0f + 0.5f);
    const float t = (u - quadrant * 0.25f) * (2.0f * pi);  // in [-pi/4, pi/4]
    const float t2 = t * t;
    const float s = t * (1.0f + t2 * (-1.0f / 6 + t2 * (1.0f / 120 + t2 * (-1.0f / 5040))));
    const float c = 1.0f + t2 * (-0.5f + t2 * (1.0f / 24 + t2 * (-1.0f / 720 + t2 * (1.0f / 40320))));
    const int q = static_cast<int>(quadrant) & 3;
    const float a = (q & 1) ? c : s, b = (q & 1) ? s : c;
    sine = (q & 2) ? -a : a;
    cosine = (q == 1 || q == 2) ? -b : b;
}

/// Directions about +Z with density cos / pi.
inline Vec3 cosine_direction(Vec2 u) {
    float s, c;
    sincos_turn(u.y, s, c);
    const float r = std::sqrt(u.x);
    return {r * c, r * s, std::sqrt(std::max(0.0f, 1.0f - u.x))};
}
/// Directions over the whole sphere with density 1 / (4 pi).
inline Vec3 sphere_direction(Vec2 u) {
    float s, c;
    sincos_turn(u.y, s, c);
    const float z = 1.0f - 2.0f * u.x, r = std::sqrt(std::max(0.0f, 1.0f - z * z));
    return {r * c, r * s, z};
}
/// Directions about +Z, uniform over the cone whose half angle has the cosine 1 - gap. Written in the gap, so
/// that a narrow cone (the sun's) keeps its precision.
inline Vec3 cone_direction(Vec2 u, float gap) {
    float s, c;
    sincos_turn(u.y, s, c);
    const float g = u.x * gap, r = std::sqrt(std::max(0.0f, g * (2.0f - g)));
    return {r * c, r * s, 1.0f - g};
}

/// A cheap sequence for the reference tracer: every call is the next independent number.
class RandomStream {
public:
    RandomStream(std::uint32_t a, std::uint32_t b)
        : state_((static_cast<std::uint64_t>(mix_bits(a)) << 32) | mix_bits(b + 0x632be5abu)) {}
    float next() {  // PCG-XSH-RR, O'Neill 2014
        const std::uint64_t old = state_;
        state_ = old * 6364136223846793005ull + 1442695040888963407ull;
        const auto x = static_cast<std::uint32_t>(((old >> 18) ^ old) >> 27);
        const auto r = static_cast<std::uint32_t>(old >> 59);
        return unit_float((x >> r) | (x << ((32 - r) & 31)));
    }
    Vec2 next2() {
        const float x = next();
        return {x, next()};
    }

private:
    std::uint64_t state_;
};

}  // namespace stasigraph
