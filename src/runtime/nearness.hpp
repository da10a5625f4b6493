#pragma once
// How near what a probe sees is, in two bytes a direction. Standard library only, C++17.

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace stasigraph::runtime {

/// One over the distance of what a probe sees in a direction, and how far that scatters, 1/m. Over a plane it
/// is linear in the direction, so that what is blended of a coarse map is right for floors and walls up to
/// where they end, at whatever angle they are seen.
struct Nearness {
    float mean = 0, spread = 0;
};
/// As maps hold it. `mean`: steps down from one over `nearest_seen`, 255 of them over 13 octaves, to 164 m.
/// `spread`: the root of its share of the mean, 255 for four times it.
struct NearnessCode {
    std::uint8_t mean = 255, spread = 0;
};
static_assert(sizeof(NearnessCode) == 2);

inline constexpr float nearest_seen = 0.02f;  // metres

struct NearnessSteps {
    float value[256] = {};
    constexpr NearnessSteps() {
        constexpr double step = 0.9652796;  // 2^(-13/255)
        double v = 1 / 0.02;
        for (float& to : value) {
            to = static_cast<float>(v);
            v *= step;
        }
    }
};
inline constexpr NearnessSteps nearness_steps;

inline Nearness nearness_of(NearnessCode code) {
    constexpr float share = 4.0f / (255 * 255);
    const float mean = nearness_steps.value[code.mean], root = code.spread;
    return {mean, mean * share * root * root};
}
inline NearnessCode to_code(Nearness n) {
    const float* const all = nearness_steps.value;
    const float mean = std::min(std::max(n.mean, all[255]), all[0]);
    auto at = static_cast<int>(std::log2(all[0] / mean) * (255.0f / 13));
    at = std::min(std::max(at, 0), 255);
    if (at < 255 && all[at] - mean > mean - all[at + 1]) ++at;
    const float root = std::sqrt(std::max(n.spread, 0.0f) / mean * (255 * 255 / 4.0f)) + 0.5f;
    return {static_cast<std::uint8_t>(at), static_cast<std::uint8_t>(std::min(root, 255.0f))};
}
/// Of a mean and a mean square distance, metres, as old files have them.
inline NearnessCode nearness_code(float mean, float square) {
    const float d = mean > nearest_seen ? mean : nearest_seen, spread = square - mean * mean;
    return to_code({1 / d, (spread > 0 ? std::sqrt(spread) : 0) / (d * d)});
}

}  // namespace stasigraph::runtime
