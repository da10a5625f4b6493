#pragma once
// Places in double: cuts of cuts must not drift.

#include <cmath>

#include "stasigraph/math.hpp"

namespace stasigraph {

struct Place3 {
    double x = 0, y = 0, z = 0;
};
inline Place3 operator+(Place3 a, Place3 b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Place3 operator-(Place3 a, Place3 b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Place3 operator*(Place3 a, double f) {
    return {a.x * f, a.y * f, a.z * f};
}
inline double dot(Place3 a, Place3 b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline Place3 cross(Place3 a, Place3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline double length(Place3 a) {
    return std::sqrt(dot(a, a));
}
inline Place3 unit(Place3 a) {
    const double l = length(a);
    return l > 0 ? a * (1 / l) : a;
}
inline Place3 in_double(Vec3 p) {
    return {static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)};
}
inline Vec3 in_float(Place3 p) {
    return {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
}

struct Place2 {
    double x = 0, y = 0;
};
inline Place2 operator+(Place2 a, Place2 b) {
    return {a.x + b.x, a.y + b.y};
}
inline Place2 operator-(Place2 a, Place2 b) {
    return {a.x - b.x, a.y - b.y};
}
inline Place2 operator*(Place2 a, double f) {
    return {a.x * f, a.y * f};
}
inline double dot(Place2 a, Place2 b) {
    return a.x * b.x + a.y * b.y;
}
inline double cross(Place2 a, Place2 b) {
    return a.x * b.y - a.y * b.x;
}
inline double length(Place2 a) {
    return std::hypot(a.x, a.y);
}

/// A plane with axes of its own.
struct FlatFrame {
    Place3 origin, along, across, normal;
    static FlatFrame of(Place3 origin, Place3 normal) {
        const Place3 far = std::abs(normal.x) < 0.6 ? Place3{1, 0, 0} : Place3{0, 1, 0};
        const Place3 along = unit(cross(normal, far));
        return {origin, along, cross(normal, along), normal};
    }
    Place2 flat(Place3 p) const { return {dot(p - origin, along), dot(p - origin, across)}; }
    double height(Place3 p) const { return dot(p - origin, normal); }
};

}  // namespace stasigraph
