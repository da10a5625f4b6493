#pragma once
// Light of one lamp at a place in closed form, nothing in the way. Standard library only, C++17, nothing
// allocated: the game and the baker work it out by the same code.

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "runtime/net_lookup.hpp"
#include "stasigraph/lamp.hpp"

namespace stasigraph::runtime {

/// Lamps with their profiles, borrowed.
struct LampView {
    const Lamp* lamp = nullptr;
    std::uint32_t count = 0;
    const LampProfile* profile = nullptr;
    const float* values = nullptr;  ///< Of profiles.
};

namespace detail {

inline Point to_point(const float* v) {
    return {v[0], v[1], v[2]};
}
inline Point cross(Point a, Point b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

/// The angle of a vector from +X, to 1e-6 radians: a polynomial of least largest error, a few times quicker
/// than the library's.
inline float angle_of(float y, float x) {
    const float ax = std::fabs(x), ay = std::fabs(y), most = ax > ay ? ax : ay;
    if (!(most > 0)) return 0;
    const float t = (ax > ay ? ay : ax) / most, s = t * t;
    float a = 0.0080069198f;
    a = a * s - 0.037443035f;
    a = a * s + 0.084354148f;
    a = a * s - 0.13512179f;
    a = a * s + 0.19887322f;
    a = a * s - 0.33327013f;
    a = (a * s + 0.99999942f) * t;
    if (ay > ax) a = 1.5707963f - a;
    if (x < 0) a = 3.1415927f - a;
    return y < 0 ? -a : a;
}

/// The angle of a cosine over its sine, to 4e-6 of it; likewise.
inline float angle_over_sine(float cosine) {
    const float x = std::fabs(cosine);
    float a = 0.043883711f;
    a = a * x - 0.19922961f;
    a = a * x + 0.42557859f;
    a = a * x - 0.62007363f;
    a = a * x + 0.77867741f;
    a = a * x - 0.99962594f;
    a = a * x + 1.5707929f;
    if (cosine >= 0) return a;
    const float square = 1 - x * x;
    return 3.1415927f / std::sqrt(square > 1e-12f ? square : 1e-12f) - a;
}

/// A place between ascending angles.
struct AngleStep {
    std::uint32_t at = 0;
    float share = 0;
    bool inside = false;
};
inline AngleStep angle_step(const float* angles, std::uint32_t count, float angle) {
    constexpr float rounding = 1e-5f;
    if (angle < angles[0] - rounding || angle > angles[count - 1] + rounding) return {};
    if (count == 1) return {0, 0, true};
    // Most profiles have even steps.
    const auto last = static_cast<float>(count - 2);
    const float guess = (angle - angles[0]) / (angles[count - 1] - angles[0]) * (last + 1);
    auto at = static_cast<std::uint32_t>(guess > 0 ? (guess < last ? guess : last) : 0);
    while (at > 0 && angle < angles[at]) --at;
    while (at + 2 < count && angle >= angles[at + 1]) ++at;
    const float step = angles[at + 1] - angles[at], share = step > 0 ? (angle - angles[at]) / step : 0;
    return {at, share < 0 ? 0 : (share > 1 ? 1 : share), true};
}

/// Share of a profile's peak in a direction away from the lamp.
inline float profile_share(const LampView& view, const Lamp& lamp, Point away) {
    const LampProfile& p = view.profile[lamp.profile];
    const float *planes = view.values + p.first, *angles = planes + p.planes, *shares = angles + p.angles;
    const Point aim = to_point(lamp.direction), across = to_point(lamp.across), third = cross(across, aim);
    const float a = dot(away, aim), x = dot(away, across), y = dot(away, third);
    float plane, angle;
    if (p.type_b) {
        plane = angle_of(x, std::sqrt(a * a + y * y));
        angle = angle_of(y, a);
    } else {
        angle = angle_of(std::sqrt(x * x + y * y), a);
        plane = p.planes > 1 ? angle_of(y, x) : 0;
        if (plane < 0) plane += 6.2831853f;
    }
    const AngleStep c = angle_step(angles, p.angles, angle);
    if (!c.inside) return 0;
    const auto row = [&](std::uint32_t r) {
        const float* v = shares + std::size_t{r} * p.angles + c.at;
        return p.angles == 1 ? v[0] : v[0] * (1 - c.share) + v[1] * c.share;
    };
    if (p.planes == 1) return row(0);
    const AngleStep r = angle_step(planes, p.planes, plane);
    return r.inside ? row(r.at) * (1 - r.share) + row(r.at + 1) * r.share : 0;
}

/// Share of a point's or spot's intensity in a direction away from it.
inline float aim_share(const LampView& view, const Lamp& lamp, Point away) {
    if (lamp.profile != 0xffffffffu) return profile_share(view, lamp, away);
    if (lamp.kind != LampKind::spot) return 1;
    // KHR_lights_punctual, "Inner and Outer Cone Angles", where the exponent is 2.
    const float between = lamp.cos_inner - lamp.cos_outer;
    float t = (dot(to_point(lamp.direction), away) - lamp.cos_outer) / (between > 0.001f ? between : 0.001f);
    t = t > 0 ? (t < 1 ? t : 1) : 0;
    return lamp.falloff_exponent == 2 ? t * t : std::pow(t, lamp.falloff_exponent);
}

/// KHR_lights_punctual, "Range Property": 1 at the lamp, 0 from the range on.
inline float window_share(float range, float distance) {
    if (!(range > 0)) return 1;
    const float q = distance / range, w = 1 - q * q * q * q;
    return w > 0 ? w : 0;
}

/// The cosine towards a round source of which the horizon may cut a part: the exact one where it does not,
/// and where it does a parabola that meets it and zero without a bend.
inline float round_cosine(float cosine, float sine) {
    if (cosine >= sine) return cosine;
    if (!(cosine > -sine)) return 0;
    const float over = cosine + sine;
    return over * over / (4 * sine);
}

/// Irradiance over a convex polygon of radiance 1 as seen from a place, clipped at its horizon: Lambert's
/// formula, as in Baum, Rushmeier and Winget, Improving Radiosity Solutions Through the Use of Analytically
/// Determined Form-Factors, 1989. Corners are offsets from the place.
inline float polygon_light(const Point* corner, int count, Point normal) {
    constexpr int most = 10;
    Point cut[most];
    int size = 0;
    for (int i = 0; i < count; ++i) {
        const Point a = corner[i], b = corner[i + 1 < count ? i + 1 : 0];
        const float over_a = dot(a, normal), over_b = dot(b, normal);
        if (over_a >= 0) cut[size++] = a;
        if ((over_a >= 0) != (over_b >= 0)) cut[size++] = a + (b - a) * (over_a / (over_a - over_b));
    }
    if (size < 3) return 0;
    for (int i = 0; i < size; ++i) {
        const float l = dot(cut[i], cut[i]);
        if (!(l > 1e-12f)) return 0;
        cut[i] = cut[i] * (1 / std::sqrt(l));
    }
    float sum = 0;
    for (int i = 0; i < size; ++i) {
        const Point a = cut[i], b = cut[i + 1 < size ? i + 1 : 0];
        sum += angle_over_sine(dot(a, b)) * dot(cross(a, b), normal);
    }
    return 0.5f * std::fabs(sum);
}

/// Metres that a place keeps from the plane of an opening. Beyond it light comes as right before it: who
/// walks through a door is told of the room beyond by probes on both sides, and none of them stops at once.
constexpr float least_before = 0.05f;
inline Point before_opening(const Lamp& lamp, Point from) {
    const Point aim = to_point(lamp.direction);
    const float before = dot(from - to_point(lamp.position), aim);
    return before < least_before ? from + aim * (least_before - before) : from;
}
/// The way out through an opening and level, 0 where that is up or down; its second axis is `second`.
inline Point run_of(const Lamp& lamp, Point second) {
    const Point out = to_point(lamp.direction) * -1.0f;
    const float up = std::fabs(second.y);
    return up > 1e-3f ? Point{out.x * (1 / up), 0, out.z * (1 / up)} : Point{0, 0, 0};
}
/// The part of an opening that is seen along lines of its rise, from `low` to `high` along its second axis, 0
/// in the middle; false where there is none.
inline bool part_of_opening(const Lamp& lamp, Point from, Point second, float& low, float& high) {
    low = -0.5f * lamp.height;
    high = 0.5f * lamp.height;
    const Point run = run_of(lamp, second), middle = to_point(lamp.position) - from;
    const float flat = dot(middle, run), slope = dot(second, run);
    for (const bool least : {true, false}) {
        const float rise = least ? lamp.cos_inner : lamp.cos_outer;
        if (!(std::fabs(rise) < 1e6f)) continue;
        // Height above the line of that rise: at + by * t, t along the second axis.
        const float way = least ? 1.0f : -1.0f, at = way * (middle.y - rise * flat),
                    by = way * (second.y - rise * slope);
        if (by > 1e-6f)
            low = std::max(low, -at / by);
        else if (by < -1e-6f)
            high = std::min(high, -at / by);
        else if (at < 0)
            return false;
    }
    return low < high;
}
/// Of an opening of radiance 1.
inline float opening_light(const Lamp& lamp, Point from, Point normal) {
    from = before_opening(lamp, from);
    const Point u = to_point(lamp.across), v = cross(u, to_point(lamp.direction)),
                middle = to_point(lamp.position) - from, w = u * (0.5f * lamp.width);
    float low = 0, high = 0;
    if (!part_of_opening(lamp, from, v, low, high)) return 0;
    const Point corner[4] = {middle - w + v * low, middle + w + v * low, middle + w + v * high,
                             middle - w + v * high};
    return polygon_light(corner, 4, normal);
}

constexpr int disc_corners = 8;

/// The corners of a rectangle, or of an octagon with a disc's area, as offsets from a place.
inline int corners_of(const Lamp& lamp, Point from, Point* out) {
    const Point middle = to_point(lamp.position) - from, u = to_point(lamp.across),
                v = cross(u, to_point(lamp.direction));
    if (lamp.kind == LampKind::rectangle) {
        const Point w = u * (0.5f * lamp.width), h = v * (0.5f * lamp.height);
        out[0] = middle - w - h;
        out[1] = middle + w - h;
        out[2] = middle + w + h;
        out[3] = middle - w + h;
        return 4;
    }
    // pi = 4 sin(pi / 4) f^2
    constexpr float f = 1.0539154f, d = 0.70710678f;
    constexpr float turn[disc_corners][2] = {{1, 0},  {d, d},   {0, 1},  {-d, d},
                                             {-1, 0}, {-d, -d}, {0, -1}, {d, -d}};
    for (int i = 0; i < disc_corners; ++i)
        out[i] = middle + u * (f * lamp.radius * turn[i][0]) + v * (f * lamp.radius * turn[i][1]);
    return disc_corners;
}

/// Of a tube of radiance 1, thin against its distance: the integral along its axis in closed form.
inline float tube_light(const Lamp& lamp, Point from, Point normal) {
    const Point axis = to_point(lamp.across), to = to_point(lamp.position) - from;
    const float along = dot(to, axis);
    const Point beside = to - axis * along;
    const float h2 = std::max(dot(beside, beside), std::max(lamp.radius * lamp.radius, 1e-8f)),
                h = std::sqrt(h2);
    // Above the horizon: flat + slope * l >= 0, with l along the axis from its nearest place.
    const float flat = dot(beside, normal), slope = dot(axis, normal);
    float low = along - 0.5f * lamp.width, high = along + 0.5f * lamp.width;
    if (slope > 1e-6f)
        low = std::max(low, -flat / slope);
    else if (slope < -1e-6f)
        high = std::min(high, -flat / slope);
    else if (!(flat > 0))
        return 0;
    if (!(high > low)) return 0;
    const float dl = h2 + low * low, dh = h2 + high * high;
    const float even = (high / dh - low / dl) / (2 * h2) +
                       angle_of(h * (high - low), h2 + high * low) / (2 * h2 * h),
                odd = 0.5f * (1 / dl - 1 / dh);
    const float sum = 2 * lamp.radius * h * (flat * even + slope * odd);
    return sum > 0 ? sum : 0;
}

/// From this many times its size on a lamp is as good as a point.
constexpr float far_off = 16;

}  // namespace detail

/// A lamp as one direction: where it stands from a place, and lux on a plane that faces it, per unit of its
/// colour. An opening is none.
struct LampWay {
    Point toward{0, 1, 0};
    float light = 0;
    float sine = 0;  ///< Of half the angle it fills.
};
inline LampWay lamp_way(const LampView& view, const Lamp& lamp, Point from) {
    using detail::to_point;
    const Point aim = to_point(lamp.direction);
    if (lamp.kind == LampKind::sun) return {aim * -1.0f, 1, lamp.sine};
    if (lamp.kind == LampKind::opening) return {};
    const Point to = to_point(lamp.position) - from;
    const float d2 = std::max(dot(to, to), std::max(lamp.radius * lamp.radius, 1e-8f)), d = std::sqrt(d2);
    const Point toward = to * (1 / d);
    LampWay out{toward, detail::window_share(lamp.range, d) / d2, std::min(lamp.radius / d, 0.999f)};
    const float facing = -dot(toward, aim);
    switch (lamp.kind) {
        case LampKind::rectangle:
            out.light *= lamp.width * lamp.height * (facing > 0 ? facing : 0);
            out.sine =
                std::min(0.5f * std::sqrt(lamp.width * lamp.width + lamp.height * lamp.height) / d, 0.999f);
            break;
        case LampKind::disc:
            out.light *= 3.14159265f * lamp.radius * lamp.radius * (facing > 0 ? facing : 0);
            break;
        case LampKind::tube: {
            const float along = dot(toward, to_point(lamp.across)), square = 1 - along * along;
            out.light *= 2 * lamp.radius * lamp.width * std::sqrt(square > 0 ? square : 0);
            out.sine = std::min(0.5f * lamp.width / d, 0.999f);
            break;
        }
        default:
            if (out.light > 0) out.light *= detail::aim_share(view, lamp, toward * -1.0f);
    }
    return out;
}

/// Lux at a unit normal per unit of a lamp's colour, nothing in the way.
inline float lamp_light(const LampView& view, const Lamp& lamp, Point from, Point normal) {
    if (lamp.kind == LampKind::sun)
        return detail::round_cosine(-dot(detail::to_point(lamp.direction), normal), lamp.sine);
    if (lamp.kind == LampKind::opening) return detail::opening_light(lamp, from, normal);
    if (lamp.kind == LampKind::rectangle || lamp.kind == LampKind::disc || lamp.kind == LampKind::tube) {
        const Point middle = detail::to_point(lamp.position) - from;
        const bool flat = lamp.kind != LampKind::tube;
        if (flat && !(dot(middle, detail::to_point(lamp.direction)) < 0)) return 0;
        const float half = lamp.kind == LampKind::disc ? lamp.radius
                           : flat ? 0.5f * std::sqrt(lamp.width * lamp.width + lamp.height * lamp.height)
                                  : 0.5f * lamp.width;
        if (!(dot(middle, normal) > -half)) return 0;
        const float square = dot(middle, middle), near_by = half * detail::far_off;
        if (square < near_by * near_by) {
            const float window = lamp.range > 0 ? detail::window_share(lamp.range, std::sqrt(square)) : 1;
            if (!(window > 0)) return 0;
            if (!flat) return window * detail::tube_light(lamp, from, normal);
            Point corner[detail::disc_corners];
            return window * detail::polygon_light(corner, detail::corners_of(lamp, from, corner), normal);
        }
    }
    // Before the aim is worked out, which takes longest.
    const Point to = detail::to_point(lamp.position) - from;
    const float over = dot(to, normal);
    if (!(over > 0) && !(over > -lamp.radius)) return 0;
    const LampWay way = lamp_way(view, lamp, from);
    return way.light > 0 ? way.light * detail::round_cosine(dot(way.toward, normal), way.sine) : 0;
}

}  // namespace stasigraph::runtime
