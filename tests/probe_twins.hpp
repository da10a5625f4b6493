#pragma once
// The noise of probes, without any truth to hold them against.

#include <algorithm>
#include <cmath>
#include <vector>

#include "stasigraph/stasigraph.hpp"

namespace test {

using namespace stasigraph;

/// Probes at one place, so near to each other that their light is the same and their rays are not, tell what
/// noise they have.
inline constexpr std::size_t twins = 4;

inline std::vector<ProbePlace> places_of_twins(const std::vector<Vec3>& places) {
    std::vector<ProbePlace> out;
    for (const Vec3 p : places)
        for (std::size_t k = 0; k < twins; ++k) {
            const auto off = static_cast<float>(k);
            out.push_back({p + Vec3{0.0007f * off, 0.0003f * off, 0}, ProbeRule::hand, none});
        }
    return out;
}

/// Of each place: the mean of what six facings get, and the noise of one probe, over that mean.
struct ProbeNoise {
    float mean = 0, noise = 0;
};

inline std::vector<ProbeNoise> noise_of_twins(const ProbeLight& light) {
    std::vector<ProbeNoise> out;
    for (std::size_t i = 0; i + twins <= light.size(); i += twins) {
        float mean = 0, variance = 0;
        for (const Vec3 facing : {Vec3{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}) {
            float sum = 0, squares = 0;
            for (std::size_t k = 0; k < twins; ++k) {
                const float e = luminance(sh_irradiance(light[i + k], facing)) / twins;
                sum += e;
                squares += e * e * twins;
            }
            mean += sum / 6;
            variance += std::max(0.0f, squares - sum * sum) * twins / (twins - 1) / 6;
        }
        out.push_back({mean, std::sqrt(variance) / mean});
    }
    return out;
}

}  // namespace test
