// Luminous intensity by direction, as photometric files give it.

#include <algorithm>
#include <cmath>

#include "stasigraph/level.hpp"

namespace stasigraph {

namespace {

/// The step of an ascending list that holds v, and how far into it; index `none` outside.
struct Step {
    std::size_t at = 0;
    float share = 0;
    bool inside = false;
};
Step find_step(const std::vector<float>& list, float v) {
    constexpr float slack = 1e-5f;  // radians: a file's last angle must not be lost to rounding
    if (list.size() == 1) return {0, 0, std::abs(v - list[0]) <= slack};
    if (v < list.front() - slack || v > list.back() + slack) return {};
    const auto above = std::upper_bound(list.begin() + 1, list.end() - 1, v);
    const auto i = static_cast<std::size_t>(above - list.begin()) - 1;
    const float width = list[i + 1] - list[i];
    return {i, width > 0 ? std::clamp((v - list[i]) / width, 0.0f, 1.0f) : 0.0f, true};
}

}  // namespace

float profile_candela(const Profile& p, Vec3 aim, Vec3 across, Vec3 direction) {
    const Vec3 third = cross(across, aim);  // for an aim of -Z and across +X, +Y
    const float a = dot(direction, aim), x = dot(direction, across), y = dot(direction, third);
    float plane = 0, angle = 0;
    if (p.type_b) {
        plane = std::asin(std::clamp(x, -1.0f, 1.0f));
        angle = std::atan2(y, a);
    } else {
        angle = std::acos(std::clamp(a, -1.0f, 1.0f));
        plane = std::atan2(y, x);
        if (plane < 0) plane += 2 * pi;
    }
    const Step c = find_step(p.angle, angle);
    if (!c.inside) return 0;
    const std::size_t n = p.angle.size();
    const auto row = [&](std::size_t r) {
        const float* v = &p.candela[r * n];
        return n == 1 ? v[0] : v[c.at] * (1 - c.share) + v[c.at + 1] * c.share;
    };
    if (p.plane.size() == 1) return row(0);
    const Step r = find_step(p.plane, plane);
    if (!r.inside) return 0;
    return row(r.at) * (1 - r.share) + row(r.at + 1) * r.share;
}

void complete_profile(Profile& p) {
    p.peak = *std::max_element(p.candela.begin(), p.candela.end());
    // Between its angles the table is bilinear; each cell is summed over small steps of both.
    constexpr int steps = 8;
    double sum = 0;
    const std::size_t n = p.angle.size(), rows = p.plane.size();
    for (std::size_t r = 0; r + 1 < std::max<std::size_t>(rows, 2); ++r)
        for (std::size_t c = 0; c + 1 < n; ++c)
            for (int i = 0; i < steps; ++i)
                for (int j = 0; j < (rows == 1 ? 1 : steps); ++j) {
                    const double u = (i + 0.5) / steps, v = rows == 1 ? 0.0 : (j + 0.5) / steps;
                    const auto at = [&](std::size_t row, std::size_t column) {
                        return static_cast<double>(p.candela[row * n + column]);
                    };
                    const std::size_t next = rows == 1 ? r : r + 1;
                    const double value = (at(r, c) * (1 - u) + at(r, c + 1) * u) * (1 - v) +
                                         (at(next, c) * (1 - u) + at(next, c + 1) * u) * v;
                    const double d_angle = static_cast<double>(p.angle[c + 1] - p.angle[c]) / steps;
                    const double angle = static_cast<double>(p.angle[c]) + (i + 0.5) * d_angle;
                    const double d_plane = rows == 1
                                               ? 2 * static_cast<double>(pi)
                                               : static_cast<double>(p.plane[r + 1] - p.plane[r]) / steps;
                    const double plane =
                        rows == 1 ? 0 : static_cast<double>(p.plane[r]) + (j + 0.5) * d_plane;
                    // The sphere's own measure: sine of the angle from the pole, which for type B is
                    // `across`.
                    sum += value * d_angle * d_plane * (p.type_b ? std::cos(plane) : std::sin(angle));
                }
    p.lumens = static_cast<float>(sum);
}

}  // namespace stasigraph
