#pragma once
// Shapes the observatory is made of: positions, normals and UVs in metres.

#include <array>
#include <cmath>
#include <cstdint>
#include <functional>
#include <vector>

namespace demo {

struct Point {
    double x = 0, y = 0, z = 0;
};
inline Point operator+(Point a, Point b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Point operator-(Point a, Point b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Point operator*(Point a, double s) {
    return {a.x * s, a.y * s, a.z * s};
}
inline double dot(Point a, Point b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline Point cross(Point a, Point b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline double length(Point a) {
    return std::sqrt(dot(a, a));
}
inline Point unit(Point a) {
    return a * (1 / length(a));
}

inline constexpr double tau = 6.283185307179586;
inline constexpr double deg = tau / 360;

struct Shape {
    std::vector<float> positions, normals, uvs;
    std::vector<float> lightmap_uvs;  ///< TEXCOORD_1; empty, or two for each vertex.
    std::vector<std::uint16_t> indices;

    std::uint16_t vertex(Point p, Point n, double u, double v);
    /// Corners counter-clockwise from the front; UVs in metres along the first edges. Left out when it has no
    /// area.
    void quad(Point a, Point b, Point c, Point d);
    void triangle(Point a, Point b, Point c);
    /// An axis-aligned box; `faces` picks from "xXyYzZ" (lower case: the low side).
    void box(Point low, Point high, const char* faces = "xXyYzZ");
    /// Turned around the Y axis: (radius, y) pairs from the bottom up, smooth where the profile bends less
    /// than 30 degrees.
    void lathe(const std::vector<std::array<double, 2>>& profile, int segments);
    /// A cylinder between two points, with caps.
    void rod(Point from, Point to, double radius, int segments);
    /// Appends another shape, each point mapped.
    void add(const Shape& other, const std::function<Point(Point)>& map);
    /// Grid of points with smooth normals; false in `keep(i, j)` leaves a cell out.
    void sheet(int columns, int rows, const std::function<Point(int, int)>& at,
               const std::function<bool(int, int)>& keep, bool flip);
};

/// A number in [0, 1) that depends on its arguments alone.
double noise(int x, int y, int seed);
/// Smooth noise over the plane, a few octaves, about [-1, 1].
double hills(double x, double z);

}  // namespace demo
