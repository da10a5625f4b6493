#pragma once
// Points in double: cuts of cuts must not drift.

#include <cmath>

#include "stasigraph/math.hpp"

namespace stasigraph {

struct Point3 {
    double x = 0, y = 0, z = 0;
};
inline Point3 operator+(Point3 a, Point3 b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Point3 operator-(Point3 a, Point3 b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Point3 operator*(Point3 a, double f) {
    return {a.x * f, a.y * f, a.z * f};
}
inline double dot(Point3 a, Point3 b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline Point3 cross(Point3 a, Point3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline double length(Point3 a) {
    return std::sqrt(dot(a, a));
}
inline Point3 unit(Point3 a) {
    const double l = length(a);
    return l > 0 ? a * (1 / l) : a;
}
inline Point3 in_double(Vec3 p) {
    return {static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)};
}
inline Vec3 in_float(Point3 p) {
    return {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)};
}

struct Point2 {
    double x = 0, y = 0;
};
inline Point2 operator+(Point2 a, Point2 b) {
    return {a.x + b.x, a.y + b.y};
}
inline Point2 operator-(Point2 a, Point2 b) {
    return {a.x - b.x, a.y - b.y};
}
inline Point2 operator*(Point2 a, double f) {
    return {a.x * f, a.y * f};
}
inline double dot(Point2 a, Point2 b) {
    return a.x * b.x + a.y * b.y;
}
inline double cross(Point2 a, Point2 b) {
    return a.x * b.y - a.y * b.x;
}
inline double length(Point2 a) {
    return std::hypot(a.x, a.y);
}

/// A plane with axes of its own.
struct FlatFrame {
    Point3 origin, along, across, normal;
    static FlatFrame of(Point3 origin, Point3 normal) {
        const Point3 far = std::abs(normal.x) < 0.6 ? Point3{1, 0, 0} : Point3{0, 1, 0};
        const Point3 along = unit(cross(normal, far));
        return {origin, along, cross(normal, along), normal};
    }
    Point2 flat(Point3 p) const { return {dot(p - origin, along), dot(p - origin, across)}; }
    double height(Point3 p) const { return dot(p - origin, normal); }
};

}  // namespace stasigraph
