#pragma once
// IEEE 754 half floats of numbers from 0 up. Standard library only, C++17.

#include <cstdint>
#include <cstring>

namespace stasigraph::runtime {

/// The nearest half, ties to even; 65504 at most.
inline std::uint16_t to_half(float v) {
    if (!(v > 0)) return 0;
    if (v >= 65504.0f) return 0x7bff;
    if (v < 0x1p-14f) {
        const float up = v * 0x1p24f + 0.5f;
        const auto whole = static_cast<std::uint16_t>(up);
        return static_cast<std::uint16_t>(whole - (static_cast<float>(whole) == up ? whole & 1u : 0u));
    }
    std::uint32_t bits;
    std::memcpy(&bits, &v, 4);
    bits += 0x00000fffu + (bits >> 13 & 1u);
    const std::uint32_t half = (bits >> 13) - ((127u - 15u) << 10);
    return static_cast<std::uint16_t>(half < 0x7bffu ? half : 0x7bffu);
}

inline float from_half(std::uint16_t h) {
    const std::uint32_t exponent = h >> 10 & 31u, fraction = h & 1023u;
    if (exponent == 0) return static_cast<float>(fraction) * 0x1p-24f;
    const std::uint32_t bits = (exponent + 112u) << 23 | fraction << 13;
    float v;
    std::memcpy(&v, &bits, 4);
    return v;
}

}  // namespace stasigraph::runtime
