// The sun that is part of a sky's image.

#include <algorithm>
#include <cmath>

#include "stasigraph/level.hpp"

namespace stasigraph {

namespace {

/// The disc and its glare lie within the one, the sky it is compared with between both; radians.
constexpr float disc_reach = 4 * pi / 180, ring_reach = 9 * pi / 180;
/// How much brighter than the sky around it a sun is, at least.
constexpr float least_contrast = 20;
/// What is brighter than this share of the peak over the sky belongs to the disc.
constexpr float disc_edge = 0.02f;

Vec3 pixel_direction(const Sky& sky, int x, int y) {
    const float a = (static_cast<float>(x) + 0.5f) * 2 * pi / static_cast<float>(sky.width) - pi + sky.turn,
                v = (static_cast<float>(y) + 0.5f) * pi / static_cast<float>(sky.height);
    return {std::sin(v) * std::sin(a), std::cos(v), -std::sin(v) * std::cos(a)};
}

double pixel_angle(const Sky& sky, int y) {
    const double step = 3.14159265358979323846 / sky.height;
    return (std::cos(y * step) - std::cos((y + 1) * step)) * 2 * 3.14159265358979323846 / sky.width;
}

template <class F>
void for_pixels_within(const Sky& sky, Vec3 middle, float reach, F f) {
    const float least = std::cos(reach);
    for (int y = 0; y < sky.height; ++y)
        for (int x = 0; x < sky.width; ++x) {
            const Vec3 d = pixel_direction(sky, x, y);
            if (const float c = dot(d, middle); c >= least)
                f(static_cast<std::size_t>(y) * sky.width + x, y, d, c);
        }
}

std::size_t brightest(const Sky& sky) {
    std::size_t best = 0;
    const std::vector<Rgb>& pixels = *sky.pixels;
    for (std::size_t i = 1; i < pixels.size(); ++i)
        if (luminance(pixels[i]) > luminance(pixels[best])) best = i;
    return best;
}

}  // namespace

Vec3 brightest_direction(const Sky& sky) {
    const std::size_t i = brightest(sky);
    return pixel_direction(sky, static_cast<int>(i % sky.width), static_cast<int>(i / sky.width));
}

std::optional<Light> take_sun(Sky& sky) {
    const Vec3 peak = brightest_direction(sky);
    const std::vector<Rgb>& pixels = *sky.pixels;
    const float top = luminance(pixels[brightest(sky)]);
    std::vector<std::pair<float, std::size_t>> ring;
    for_pixels_within(sky, peak, ring_reach, [&](std::size_t i, int, Vec3, float c) {
        if (c < std::cos(disc_reach)) ring.push_back({luminance(pixels[i]), i});
    });
    if (ring.empty()) return std::nullopt;
    std::sort(ring.begin(), ring.end());
    // The middle half of the ring: neither a tree's edge nor the glare.
    Rgb around;
    const std::size_t from = ring.size() / 4, to = std::max(from + 1, 3 * ring.size() / 4);
    for (std::size_t k = from; k < to; ++k) around += pixels[ring[k].second];
    around = around * (1.0f / static_cast<float>(to - from));
    const float base = luminance(around);
    if (!(top > least_contrast * base)) return std::nullopt;

    const float edge = base + disc_edge * (top - base);
    double axis[3] = {}, light[3] = {}, sum = 0, square = 0;
    std::vector<std::size_t> disc;
    std::vector<std::pair<Vec3, Rgb>> parts;  // direction, lux across it
    for_pixels_within(sky, peak, disc_reach, [&](std::size_t i, int y, Vec3 d, float) {
        const Rgb c = pixels[i];
        if (!(luminance(c) > edge)) return;
        const double omega = pixel_angle(sky, y), l = static_cast<double>(luminance(c) - base);
        axis[0] += l * omega * static_cast<double>(d.x);
        axis[1] += l * omega * static_cast<double>(d.y);
        axis[2] += l * omega * static_cast<double>(d.z);
        sum += l * omega;
        square += l * l * omega;
        disc.push_back(i);
        parts.push_back({d, (c - around) * static_cast<float>(omega)});
    });
    const Vec3 toward =
        normalize({static_cast<float>(axis[0]), static_cast<float>(axis[1]), static_cast<float>(axis[2])});
    for (const auto& [d, e] : parts) {
        const auto c = static_cast<double>(dot(d, toward));
        light[0] += c * static_cast<double>(std::max(e.r, 0.0f));
        light[1] += c * static_cast<double>(std::max(e.g, 0.0f));
        light[2] += c * static_cast<double>(std::max(e.b, 0.0f));
    }
    sky.pixels.edit([&](std::vector<Rgb>& own) {
        for (const std::size_t i : disc) own[i] = around;
    });
    Light sun{.name = "sun", .kind = LightKind::sun, .direction = -toward};
    sun.across = Frame(sun.direction).tangent;
    sun.color =
        Rgb{static_cast<float>(light[0]), static_cast<float>(light[1]), static_cast<float>(light[2])} *
        sky.radiance;
    // As wide as an even disc of the same energy and brightness; no image shows less than its pixels.
    const double omega = sum * sum / square;
    const auto width =
        static_cast<float>(2 * std::acos(1 - std::min(omega / (2 * 3.14159265358979323846), 1.0)));
    sun.angular_diameter = std::clamp(width, 0.53f * pi / 180, 2 * disc_reach);
    return sun;
}

}  // namespace stasigraph
