#include "light/source.hpp"

#include <cmath>

namespace stasigraph {

Lamp make_lamp(const Light& light, const std::vector<Profile>& profiles) {
    return {.light = light,
            .profile = light.profile == none ? nullptr : &profiles[light.profile],
            .cos_inner = std::cos(light.inner_cone),
            .cos_outer = std::cos(light.outer_cone)};
}

std::array<EmissiveTriangle, 2> rectangle_halves(const Light& light) {
    const Vec3 w = light.across * (0.5f * light.width),
               h = cross(light.across, light.direction) * (0.5f * light.height), p = light.position;
    const auto half = [&](Vec3 a, Vec3 b, Vec3 c) {
        return EmissiveTriangle{.a = a,
                            .ab = b - a,
                            .ac = c - a,
                            .normal = light.direction,
                            .radius = 0.5f * std::hypot(light.width, light.height),
                            .area = 0.5f * light.width * light.height,
                            .emission = light.color,
                            .range = light.range};
    };
    return {half(p - w - h, p + w - h, p + w + h), half(p - w - h, p + w + h, p - w + h)};
}

float lamp_share(const Lamp& lamp, Vec3 away) {
    const Light& light = lamp.light;
    if (lamp.profile)
        return lamp.profile->peak > 0
                   ? profile_candela(*lamp.profile, light.direction, light.across, away) / lamp.profile->peak
                   : 0;
    if (light.kind != LightKind::spot) return 1;
    // KHR_lights_punctual, "Inner and Outer Cone Angles", where the exponent is 2.
    const float t = std::clamp(
        (dot(light.direction, away) - lamp.cos_outer) / std::max(0.001f, lamp.cos_inner - lamp.cos_outer),
        0.0f, 1.0f);
    return light.falloff_exponent == 2 ? t * t : std::pow(t, light.falloff_exponent);
}

// ---- balls: a sphere of radiance I / (pi r^2), evenly over its cone of directions

BallView::BallView(const Lamp& lamp, const Receiver& r) {
    const Vec3 to = lamp.light.position - r.position;
    const float d2 = dot(to, to);
    distance_ = std::sqrt(d2);
    if (!(distance_ > 0)) return;
    axis_ = to * (1 / distance_);
    intensity_ = lamp.light.color * (lamp_share(lamp, -axis_) * range_share(lamp.light.range, distance_));
    if (lamp.light.radius > 0) {
        radius_ = std::min(lamp.light.radius, 0.999f * distance_);
        const float s2 = radius_ * radius_ / d2;
        gap_ = s2 / (1 + std::sqrt(1 - s2));  // 1 - cos of the half angle
        frame_ = Frame(axis_);
    }
}

SourceSample BallView::draw(Vec2 random) const {
    if (!(radius_ > 0)) return {axis_, distance_, intensity_ * (1 / (distance_ * distance_)), {}};
    const Vec3 w = frame_.to_world(cone_direction(random, gap_));
    const float along = distance_ * dot(w, axis_);
    const float entry =
        along - std::sqrt(std::max(0.0f, along * along - (distance_ * distance_ - radius_ * radius_)));
    return {w, std::max(1e-6f, entry), intensity_ * (2 * gap_ / (radius_ * radius_)), {}};
}

float BallView::whole(const Receiver& r) const {
    if (r.in_air || !(radius_ > 0)) return 0;
    const float c = dot(r.normal, axis_), sine = radius_ / distance_;
    return std::min(c, dot(r.face_normal, axis_)) > sine ? c / (distance_ * distance_) : 0.0f;
}

// ---- discs: evenly over the area

DiscView::DiscView(const Lamp& lamp, const Receiver& r)
    : light_(lamp.light), from_(r.position), down_(cross(lamp.light.across, lamp.light.direction)) {}

SourceSample DiscView::draw(Vec2 random) const {
    float s, c;
    sincos_turn(random.y, s, c);
    const float radius = light_.radius * std::sqrt(random.x);
    const Vec3 to = light_.position + light_.across * (radius * c) + down_ * (radius * s) - from_;
    const float d2 = dot(to, to), d = std::sqrt(d2);
    if (!(d > 0)) return {};
    const Vec3 w = to * (1 / d);
    const float facing = -dot(w, light_.direction);
    if (!(facing > 0)) return {};
    const float area = pi * light_.radius * light_.radius;
    return {w, d, light_.color * (facing * area / d2 * range_share(light_.range, d)), {}};
}

// ---- tubes: along the axis evenly by angle, around it evenly over the width seen
// (Kulla and Fajardo, Importance Sampling Techniques for Path Tracing in Participating Media, 2012:
// equi-angular)

TubeView::TubeView(const Lamp& lamp, const Receiver& r) : light_(lamp.light), from_(r.position) {
    const Vec3 to = from_ - light_.position;
    along_ = dot(to, light_.across);
    const Vec3 beside = to - light_.across * along_;
    away_ = length(beside);
    out_ = away_ > 1e-6f ? beside * (1 / away_) : Frame(light_.across).tangent;
    third_ = cross(light_.across, out_);
    away_ = std::max(away_, 1e-4f);
    const float half = 0.5f * light_.width;
    angle_ = std::atan2(-half - along_, away_);
    spread_ = std::atan2(half - along_, away_) - angle_;
}

SourceSample TubeView::draw(Vec2 random) const {
    const float tangent = std::tan(angle_ + spread_ * random.x);
    const float at = along_ + away_ * tangent;  // on the axis, from the middle
    // Per metre: away / (spread (away^2 + offset^2)) = 1 / (spread away (1 + tangent^2)).
    const float density_along = 1 / (spread_ * away_ * (1 + tangent * tangent));
    const float sine = 2 * random.y - 1, cosine = std::sqrt(std::max(0.0f, 1 - sine * sine));
    const Vec3 normal = out_ * cosine + third_ * sine;
    const Vec3 to = light_.position + light_.across * at + normal * light_.radius - from_;
    const float d2 = dot(to, to), d = std::sqrt(d2);
    if (!(d > 0) || !(spread_ > 0)) return {};
    const Vec3 w = to * (1 / d);
    const float facing = -dot(w, normal);
    if (!(facing > 0)) return {};
    // Around: density cosine / 2 by angle, over the radius by length; facing holds the same cosine again.
    const float weight = facing / std::max(cosine, 1e-6f) * 2 * light_.radius / (density_along * d2);
    return {w, d, light_.color * (weight * range_share(light_.range, d)), {}};
}

// ---- triangles: where near by solid angle (Arvo, Stratified Sampling of Spherical Triangles, 1995), warped
// by the cosine (Hart et al., Practical Product Sampling by Fitting and Composing Warps, 2020); else by area

TriangleView::TriangleView(const EmissiveTriangle& t, const Receiver& r) : triangle_(t), from_(r.position) {
    const Vec3 middle = t.a + (t.ab + t.ac) * (1 / 3.0f) - from_;
    if (t.radius * t.radius < 0.02f * dot(middle, middle)) return;
    a_ = normalize(t.a - from_);
    b_ = normalize(t.a + t.ab - from_);
    c_ = normalize(t.a + t.ac - from_);
    const Vec3 ab = cross(a_, b_), bc = cross(b_, c_), ca = cross(c_, a_);
    if (!(length(ab) > 1e-5f && length(bc) > 1e-5f && length(ca) > 1e-5f)) return;
    const Vec3 nab = normalize(ab), nbc = normalize(bc), nca = normalize(ca);
    const auto angle = [](Vec3 p, Vec3 q) { return std::acos(std::clamp(-dot(p, q), -1.0f, 1.0f)); };
    alpha_ = angle(nab, nca);
    const float solid = alpha_ + angle(nab, nbc) + angle(nbc, nca) - pi;
    cos_c_ = dot(a_, b_);
    if (!(solid > 1e-3f)) return;
    solid_ = solid;
    const auto cosine = [&](Vec3 w) { return r.in_air ? 1.0f : std::max(0.02f, dot(r.normal, w)); };
    corner_[0] = cosine(a_);
    corner_[1] = cosine(b_);
    corner_[2] = cosine(c_);
}

/// A number in [0, 1) with a density that runs straight from `low` at 0 to `high` at 1.
static float sample_linear(float u, float low, float high) {
    return std::min(u * (low + high) / (low + std::sqrt(low * low + (high * high - low * low) * u)),
                    0x1.fffffep-1f);
}

SourceSample TriangleView::draw(Vec2 random) const {
    const EmissiveTriangle& t = triangle_;
    float u = 0, v = 0, weight = 0, d = 0;
    Vec3 w;
    if (solid_ > 0) {
        // The cosine at the receiver, taken as bilinear over the square: both y = 0 corners are the point b.
        const float foot = 2 * corner_[1], head = corner_[0] + corner_[2];
        random.y = sample_linear(random.y, foot, head);
        const float left = corner_[1] + (corner_[0] - corner_[1]) * random.y,
                    right = corner_[1] + (corner_[2] - corner_[1]) * random.y;
        random.x = sample_linear(random.x, left, right);
        const float density = 4 * (left + (right - left) * random.x) / (foot + head);
        const float area = random.x * solid_, s = std::sin(area - alpha_), c = std::cos(area - alpha_);
        const float cos_a = std::cos(alpha_), sin_a = std::sin(alpha_);
        const float p = c - cos_a, q = s + sin_a * cos_c_;
        const float below = (q * s + p * c) * sin_a;
        const float k =
            std::abs(below) > 1e-12f ? std::clamp(((q * c - p * s) * cos_a - q) / below, -1.0f, 1.0f) : 1.0f;
        const auto beside = [](Vec3 x, Vec3 y) { return normalize(x - y * dot(x, y)); };
        const Vec3 edge = a_ * k + beside(c_, a_) * std::sqrt(std::max(0.0f, 1 - k * k));
        const float z = 1 - random.y * (1 - dot(edge, b_));
        w = normalize(b_ * z + beside(edge, b_) * std::sqrt(std::max(0.0f, 1 - z * z)));
        // Back to the plane, for the texture and the length of the shadow ray.
        const float facing = dot(w, t.normal);
        if (!(std::abs(facing) > 1e-6f) || (!t.two_sided && facing > 0)) return {};
        d = dot(t.a - from_, t.normal) / facing;
        if (!(d > 0)) return {};
        const Vec3 at = from_ + w * d - t.a, n = cross(t.ab, t.ac);
        const float n2 = dot(n, n);
        u = std::clamp(dot(cross(at, t.ac), n) / n2, 0.0f, 1.0f);
        v = std::clamp(dot(cross(t.ab, at), n) / n2, 0.0f, 1 - u);
        weight = solid_ / density;
    } else {
        const float root = std::sqrt(random.x);
        u = root * (1 - random.y);
        v = root * random.y;
        const Vec3 to = t.a + t.ab * u + t.ac * v - from_;
        const float d2 = dot(to, to);
        d = std::sqrt(d2);
        if (!(d > 0)) return {};
        w = to * (1 / d);
        const float facing = t.two_sided ? std::abs(dot(t.normal, w)) : -dot(t.normal, w);
        if (!(facing > 0)) return {};
        weight = t.area * facing / d2;
    }
    weight *= range_share(t.range, d);
    return {w, d, {weight, weight, weight}, t.corner + t.u * u + t.v * v};
}

// Lambert, Photometria, 1760: E of a polygon is half the sum of its edges' angles, each times the cosine
// between the receiver's normal and that of the plane through the edge and the receiver.
float TriangleView::whole(const Receiver& r) const {
    if (!(solid_ > 0) || r.in_air || triangle_.range > 0) return 0;
    if (!triangle_.two_sided && dot(from_ - triangle_.a, triangle_.normal) <= 0) return 0;
    std::array<Vec3, 8> corners{a_, b_, c_}, kept;
    std::size_t count = 3;
    for (const Vec3 plane : {r.normal, r.face_normal}) {
        std::size_t n = 0;
        for (std::size_t i = 0; i < count; ++i) {
            const Vec3 p = corners[i], q = corners[(i + 1) % count];
            const float hp = dot(p, plane), hq = dot(q, plane);
            if (hp > 0) kept[n++] = p;
            if ((hp > 0) != (hq > 0)) kept[n++] = normalize(p + (q - p) * (hp / (hp - hq)));
        }
        corners = kept;
        count = n;
        if (count < 3) return 0;
    }
    float sum = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const Vec3 turn = cross(corners[i], corners[(i + 1) % count]);
        const float sine = length(turn);
        if (sine > 0)
            sum += std::atan2(sine, dot(corners[i], corners[(i + 1) % count])) * dot(turn, r.normal) / sine;
    }
    return 0.5f * std::abs(sum);
}

}  // namespace stasigraph
