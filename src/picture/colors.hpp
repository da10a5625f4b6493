#pragma once
// Colours that pictures and pages share.

#include <algorithm>
#include <cmath>

#include "base/random.hpp"
#include "stasigraph/math.hpp"

namespace stasigraph {

/// Distinct, calm colours in a fixed order. Linear.
inline Rgb chart_color(std::uint32_t surface, std::uint32_t chart) {
    const float hue = unit_float(combine_bits(surface, chart)) * 6;
    const float value = 0.45f + 0.4f * unit_float(combine_bits(chart, surface + 1));
    const auto channel = [&](float shift) {
        return value *
               (0.45f + 0.55f * std::clamp(std::abs(std::fmod(hue + shift, 6.0f) - 3) - 1, 0.0f, 1.0f));
    };
    return {channel(0), channel(4), channel(2)};
}

/// Blue-green where texels are finer than asked, grey where right, orange where coarser; full at four times.
inline Rgb density_color(float share) {
    const float stops = std::clamp(std::log2(std::max(share, 1e-6f)) / 2, -1.0f, 1.0f);
    const Rgb right{0.72f, 0.72f, 0.72f}, coarse{0.85f, 0.32f, 0.05f}, fine{0.05f, 0.4f, 0.6f};
    const Rgb to = stops < 0 ? coarse : fine;
    return right + (to - right) * std::abs(stops);
}

inline float srgb_code(float v) {
    v = std::clamp(v, 0.0f, 1.0f);
    return v <= 0.0031308f ? 12.92f * v : 1.055f * std::pow(v, 1 / 2.4f) - 0.055f;
}

}  // namespace stasigraph
