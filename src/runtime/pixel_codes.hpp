#pragma once
// Pixels as pages hold them. Standard library only, C++17.

#include <algorithm>
#include <cstdint>
#include <cstring>

#include "runtime/half.hpp"
#include "stasigraph/game.hpp"

namespace stasigraph::runtime {

/// 2^e, for e in [-126, 127].
inline float power_of_two(int e) {
    const std::uint32_t bits = static_cast<std::uint32_t>(e + 127) << 23;
    float v;
    std::memcpy(&v, &bits, 4);
    return v;
}

/// Of a number of 0 or more that is no subnormal: floor(log2(v)).
inline int exponent_of(float v) {
    std::uint32_t bits;
    std::memcpy(&bits, &v, 4);
    return static_cast<int>(bits >> 23) - 127;
}

/// EXT_texture_shared_exponent (Khronos, 2008), with the exponent held so that rounding never carries over.
inline std::uint32_t to_rgb9e5(float r, float g, float b) {
    const auto held = [](float v) { return v > 0 ? std::min(v, 65408.0f) : 0.0f; };
    r = held(r);
    g = held(g);
    b = held(b);
    const float top = std::max(r, std::max(g, b));
    int e = std::max(-16, exponent_of(top)) + 16;
    if (static_cast<int>(top * power_of_two(24 - e) + 0.5f) == 512) ++e;
    const float scale = power_of_two(24 - e);
    const auto part = [scale](float v) { return static_cast<std::uint32_t>(v * scale + 0.5f); };
    return part(r) | part(g) << 9 | part(b) << 18 | static_cast<std::uint32_t>(e) << 27;
}
inline Color from_rgb9e5(std::uint32_t word) {
    const float scale = power_of_two(static_cast<int>(word >> 27) - 24);
    return {static_cast<float>(word & 511u) * scale, static_cast<float>(word >> 9 & 511u) * scale,
            static_cast<float>(word >> 18 & 511u) * scale};
}

/// Halves with a sign: how light changes with the normal can be below 0.
inline std::uint16_t to_signed_half(float v) {
    return v < 0 ? static_cast<std::uint16_t>(to_half(-v) | 0x8000u) : to_half(v);
}
inline float from_signed_half(std::uint16_t h) {
    const float v = from_half(h & 0x7fffu);
    return h & 0x8000u ? -v : v;
}

/// A texel, times the page's exponent.
inline Color texel_of(const Pixels& p, std::uint32_t x, std::uint32_t y) {
    const std::size_t at = std::size_t{y} * p.side + x;
    const float scale = power_of_two(p.exponent);
    Color c;
    if (p.format == PixelFormat::rgb9e5) {
        std::uint32_t word;
        std::memcpy(&word, static_cast<const unsigned char*>(p.data) + 4 * at, 4);
        c = from_rgb9e5(word);
    } else {
        std::uint16_t h[3];
        std::memcpy(h, static_cast<const unsigned char*>(p.data) + 8 * at, 6);
        c = {from_signed_half(h[0]), from_signed_half(h[1]), from_signed_half(h[2])};
    }
    return {c.r * scale, c.g * scale, c.b * scale};
}

}  // namespace stasigraph::runtime
