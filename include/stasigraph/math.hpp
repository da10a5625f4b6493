#pragma once
// Small value types shared by the whole library. Right-handed, +Y up, metres; light in linear Rec. 709.

#include <array>
#include <cmath>
#include <cstdint>

namespace stasigraph {

inline constexpr float pi = 3.14159265358979323846f;
inline constexpr std::uint32_t none = 0xffffffffu;  ///< "No such index", wherever an index may be absent.

struct Vec2 {
    float x = 0, y = 0;
    friend constexpr bool operator==(Vec2, Vec2) = default;
};
constexpr Vec2 operator+(Vec2 a, Vec2 b) {
    return {a.x + b.x, a.y + b.y};
}
constexpr Vec2 operator-(Vec2 a, Vec2 b) {
    return {a.x - b.x, a.y - b.y};
}
constexpr Vec2 operator*(Vec2 a, float s) {
    return {a.x * s, a.y * s};
}
constexpr float dot(Vec2 a, Vec2 b) {
    return a.x * b.x + a.y * b.y;
}
constexpr float cross(Vec2 a, Vec2 b) {
    return a.x * b.y - a.y * b.x;
}
inline float length(Vec2 a) {
    return std::sqrt(dot(a, a));
}

struct Vec3 {
    float x = 0, y = 0, z = 0;
    friend constexpr bool operator==(Vec3, Vec3) = default;
};
constexpr Vec3 operator+(Vec3 a, Vec3 b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
constexpr Vec3 operator-(Vec3 a, Vec3 b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
constexpr Vec3 operator-(Vec3 a) {
    return {-a.x, -a.y, -a.z};
}
constexpr Vec3 operator*(Vec3 a, float s) {
    return {a.x * s, a.y * s, a.z * s};
}
constexpr Vec3 operator*(float s, Vec3 a) {
    return a * s;
}
constexpr float dot(Vec3 a, Vec3 b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
constexpr Vec3 cross(Vec3 a, Vec3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline float length(Vec3 a) {
    return std::sqrt(dot(a, a));
}
/// The unit vector along `a`; `a` itself when its length is zero.
inline Vec3 normalize(Vec3 a) {
    const float l = length(a);
    return l > 0 ? a * (1.0f / l) : a;
}
constexpr Vec3 min(Vec3 a, Vec3 b) {
    return {a.x < b.x ? a.x : b.x, a.y < b.y ? a.y : b.y, a.z < b.z ? a.z : b.z};
}
constexpr Vec3 max(Vec3 a, Vec3 b) {
    return {a.x > b.x ? a.x : b.x, a.y > b.y ? a.y : b.y, a.z > b.z ? a.z : b.z};
}
inline bool is_finite(Vec3 a) {
    return std::isfinite(a.x) && std::isfinite(a.y) && std::isfinite(a.z);
}

/// A colour-valued amount of light, or a reflectance; the unit is the context's (lux, nit, candela, 1).
struct Rgb {
    float r = 0, g = 0, b = 0;
    friend constexpr bool operator==(Rgb, Rgb) = default;
};
constexpr Rgb operator+(Rgb a, Rgb b) {
    return {a.r + b.r, a.g + b.g, a.b + b.b};
}
constexpr Rgb operator-(Rgb a, Rgb b) {
    return {a.r - b.r, a.g - b.g, a.b - b.b};
}
constexpr Rgb operator*(Rgb a, Rgb b) {
    return {a.r * b.r, a.g * b.g, a.b * b.b};
}
constexpr Rgb operator*(Rgb a, float s) {
    return {a.r * s, a.g * s, a.b * s};
}
constexpr Rgb& operator+=(Rgb& a, Rgb b) {
    return a = a + b;
}
/// Relative luminance of linear Rec. 709 (ITU-R BT.709-6).
constexpr float luminance(Rgb c) {
    return 0.2126f * c.r + 0.7152f * c.g + 0.0722f * c.b;
}
constexpr float max_channel(Rgb c) {
    const float top = c.r > c.g ? c.r : c.g;
    return top > c.b ? top : c.b;
}

/// An affine map: columns x, y, z and an origin. Applies to points as x*p.x + y*p.y + z*p.z + origin.
struct Affine {
    Vec3 x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}, origin{0, 0, 0};
    friend constexpr bool operator==(const Affine&, const Affine&) = default;
};
constexpr Vec3 transform_vector(const Affine& m, Vec3 v) {
    return m.x * v.x + m.y * v.y + m.z * v.z;
}
constexpr Vec3 transform_point(const Affine& m, Vec3 p) {
    return transform_vector(m, p) + m.origin;
}
constexpr float determinant(const Affine& m) {
    return dot(m.x, cross(m.y, m.z));
}
/// Normals go with the inverse transpose; up to a positive factor this is the cofactor matrix times the
/// determinant's sign. The result is not normalised.
constexpr Vec3 transform_normal(const Affine& m, Vec3 n) {
    const float side = determinant(m) < 0 ? -1.0f : 1.0f;
    return (cross(m.y, m.z) * n.x + cross(m.z, m.x) * n.y + cross(m.x, m.y) * n.z) * side;
}
constexpr Affine operator*(const Affine& a, const Affine& b) {
    return {transform_vector(a, b.x), transform_vector(a, b.y), transform_vector(a, b.z),
            transform_point(a, b.origin)};
}

/// Two unit vectors that make a right-handed frame with the unit vector n.
/// Duff et al., Building an Orthonormal Basis, Revisited, JCGT 6(1), 2017.
struct Frame {
    Vec3 tangent, bitangent, normal;
    explicit Frame(Vec3 n) : normal(n) {
        const float sign = std::copysign(1.0f, n.z);
        const float a = -1.0f / (sign + n.z);
        const float b = n.x * n.y * a;
        tangent = {1.0f + sign * n.x * n.x * a, sign * b, -sign * n.x};
        bitangent = {b, sign + n.y * n.y * a, -n.y};
    }
    Vec3 to_world(Vec3 v) const { return tangent * v.x + bitangent * v.y + normal * v.z; }
};

}  // namespace stasigraph
