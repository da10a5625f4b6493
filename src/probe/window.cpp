#include "probe/window.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace stasigraph {

namespace {

constexpr float least_rest = 0.02f;
constexpr float first_order = 1 - 0.859f, second_order = 1 - 0.9f;
constexpr int window_looks = 128;

/// The basis at directions spread evenly over the sphere (Fibonacci spiral).
const std::array<std::array<float, 9>, window_looks>& bases() {
    static const auto made = [] {
        std::array<std::array<float, 9>, window_looks> out;
        for (int i = 0; i < window_looks; ++i) {
            const float y = 1 - (2 * static_cast<float>(i) + 1) / window_looks, r = std::sqrt(1 - y * y),
                        turn = 2.39996323f * static_cast<float>(i);
            out[static_cast<std::size_t>(i)] = sh_basis({r * std::cos(turn), y, r * std::sin(turn)});
        }
        return out;
    }();
    return made;
}

}  // namespace

void window_ringing(ShRgb& light, const ShRgb& direct) {
    for (float Rgb::*c : {&Rgb::r, &Rgb::g, &Rgb::b}) {
        const float rest = light[0].*c - direct[0].*c;
        if (!(rest > least_rest * light[0].*c)) continue;
        float share = 0;
        for (const std::array<float, 9>& basis : bases()) {
            float flat = light[0].*c * basis[0], first = 0, second = 0;
            for (std::size_t b = 1; b < 4; ++b) first += light[b].*c * basis[b];
            for (std::size_t b = 4; b < 9; ++b) second += light[b].*c * basis[b];
            const float sum = flat + first + second, less = first_order * first + second_order * second;
            // Linear in the share: sum - share * less = 0.
            if (sum < 0 && less < 0) share = std::max(share, std::min(1.0f, sum / less));
        }
        if (!(share > 0)) continue;
        for (std::size_t b = 1; b < 9; ++b) light[b].*c *= 1 - share * (b < 4 ? first_order : second_order);
    }
}

}  // namespace stasigraph
