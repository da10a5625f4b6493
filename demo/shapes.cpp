#include "shapes.hpp"

#include <cstring>
#include <stdexcept>

namespace demo {

std::uint16_t Shape::vertex(Point p, Point n, double u, double v) {
    const std::size_t index = positions.size() / 3;
    if (index > 65535) throw std::length_error("a shape of the demo has more than 65536 vertices");
    for (double c : {p.x, p.y, p.z}) positions.push_back(static_cast<float>(c));
    for (double c : {n.x, n.y, n.z}) normals.push_back(static_cast<float>(c));
    uvs.push_back(static_cast<float>(u));
    uvs.push_back(static_cast<float>(v));
    return static_cast<std::uint16_t>(index);
}

void Shape::quad(Point a, Point b, Point c, Point d) {
    const Point cr = cross(c - a, d - b);
    if (length(cr) < 1e-9) return;
    const Point n = unit(cr), along = length(b - a) > 1e-9 ? unit(b - a) : unit(c - d),
                across = cross(n, along);
    std::uint16_t i[4];
    int k = 0;
    for (Point p : {a, b, c, d}) i[k++] = vertex(p, n, dot(p - a, along), -dot(p - a, across));
    if (length(cross(b - a, c - a)) > 1e-9) indices.insert(indices.end(), {i[0], i[1], i[2]});
    if (length(cross(c - a, d - a)) > 1e-9) indices.insert(indices.end(), {i[0], i[2], i[3]});
}

void Shape::triangle(Point a, Point b, Point c) {
    const Point n = unit(cross(b - a, c - a)), along = unit(b - a), across = cross(n, along);
    std::uint16_t i[3];
    int k = 0;
    for (Point p : {a, b, c}) i[k++] = vertex(p, n, dot(p - a, along), -dot(p - a, across));
    indices.insert(indices.end(), {i[0], i[1], i[2]});
}

void Shape::box(Point l, Point h, const char* faces) {
    const auto has = [&](char f) { return std::strchr(faces, f) != nullptr; };
    if (has('x')) quad({l.x, l.y, l.z}, {l.x, l.y, h.z}, {l.x, h.y, h.z}, {l.x, h.y, l.z});
    if (has('X')) quad({h.x, l.y, h.z}, {h.x, l.y, l.z}, {h.x, h.y, l.z}, {h.x, h.y, h.z});
    if (has('y')) quad({l.x, l.y, l.z}, {h.x, l.y, l.z}, {h.x, l.y, h.z}, {l.x, l.y, h.z});
    if (has('Y')) quad({l.x, h.y, h.z}, {h.x, h.y, h.z}, {h.x, h.y, l.z}, {l.x, h.y, l.z});
    if (has('z')) quad({h.x, l.y, l.z}, {l.x, l.y, l.z}, {l.x, h.y, l.z}, {h.x, h.y, l.z});
    if (has('Z')) quad({l.x, l.y, h.z}, {h.x, l.y, h.z}, {h.x, h.y, h.z}, {l.x, h.y, h.z});
}

void Shape::lathe(const std::vector<std::array<double, 2>>& profile, int segments) {
    for (std::size_t p = 0; p + 1 < profile.size(); ++p) {
        const double r0 = profile[p][0], y0 = profile[p][1], r1 = profile[p + 1][0], y1 = profile[p + 1][1];
        const double l = std::hypot(r1 - r0, y1 - y0);
        // The slope at each end: this piece's own, or the mean with its neighbour where they bend little.
        const auto slope = [&](std::size_t neighbour, bool exists) {
            std::array<double, 2> own{(y1 - y0) / l, -(r1 - r0) / l};
            if (!exists) return own;
            const auto [a0, b0] = profile[neighbour];
            const auto [a1, b1] = profile[neighbour + 1];
            const double m = std::hypot(a1 - a0, b1 - b0);
            const std::array<double, 2> other{(b1 - b0) / m, -(a1 - a0) / m};
            if (own[0] * other[0] + own[1] * other[1] < 0.866) return own;
            const double s = std::hypot(own[0] + other[0], own[1] + other[1]);
            return std::array<double, 2>{(own[0] + other[0]) / s, (own[1] + other[1]) / s};
        };
        const auto low = slope(p - 1, p > 0), high = slope(p + 1, p + 2 < profile.size());
        std::vector<std::uint16_t> bottom, top;
        for (int s = 0; s <= segments; ++s) {
            const double a = tau * (s % segments) / segments, c = std::cos(a), d = std::sin(a),
                         u = tau * std::max(r0, r1) * s / segments;
            bottom.push_back(vertex({r0 * c, y0, -r0 * d}, {low[0] * c, low[1], -low[0] * d}, u, -y0));
            top.push_back(vertex({r1 * c, y1, -r1 * d}, {high[0] * c, high[1], -high[0] * d}, u, -y0 - l));
        }
        for (int s = 0; s < segments; ++s) {
            if (r0 > 0) indices.insert(indices.end(), {bottom[s], bottom[s + 1], top[s + 1]});
            if (r1 > 0) indices.insert(indices.end(), {bottom[s], top[s + 1], top[s]});
        }
    }
}

void Shape::rod(Point from, Point to, double radius, int segments) {
    Shape upright;
    const double l = length(to - from);
    upright.lathe({{0, 0}, {radius, 0}, {radius, l}, {0, l}}, segments);
    const Point y = unit(to - from), help = std::abs(y.y) > 0.9 ? Point{1, 0, 0} : Point{0, 1, 0};
    const Point x = unit(cross(help, y)), z = cross(x, y);
    add(upright, [&](Point p) { return from + x * p.x + y * p.y + z * p.z; });
}

void Shape::add(const Shape& other, const std::function<Point(Point)>& map) {
    const auto base = static_cast<std::uint16_t>(positions.size() / 3);
    const Point zero = map({0, 0, 0});
    for (std::size_t i = 0; i < other.positions.size(); i += 3) {
        const Point n = unit(map({other.normals[i], other.normals[i + 1], other.normals[i + 2]}) - zero);
        vertex(map({other.positions[i], other.positions[i + 1], other.positions[i + 2]}), n,
               other.uvs[i / 3 * 2], other.uvs[i / 3 * 2 + 1]);
    }
    for (std::uint16_t i : other.indices) indices.push_back(static_cast<std::uint16_t>(i + base));
}

void Shape::sheet(int columns, int rows, const std::function<Point(int, int)>& at,
                  const std::function<bool(int, int)>& keep, bool flip) {
    std::vector<int> made(static_cast<std::size_t>(columns + 1) * (rows + 1), -1);
    const auto corner = [&](int i, int j) {
        int& index = made[static_cast<std::size_t>(j) * (columns + 1) + i];
        if (index >= 0) return static_cast<std::uint16_t>(index);
        const auto clamp = [](int v, int n) { return v < 0 ? 0 : v > n ? n : v; };
        const Point p = at(i, j), dx = at(clamp(i + 1, columns), j) - at(clamp(i - 1, columns), j),
                    dy = at(i, clamp(j + 1, rows)) - at(i, clamp(j - 1, rows));
        Point n = cross(dx, dy);
        if (length(n) < 1e-9) {
            // A pole, where a whole row is one point: one step in, the sheet is next to level with it.
            const int r = j == 0 ? 1 : j == rows ? rows - 1 : j;
            n = cross(at(clamp(i + 1, columns), r) - at(clamp(i - 1, columns), r),
                      at(i, clamp(r + 1, rows)) - at(i, clamp(r - 1, rows)));
        }
        n = unit(n);
        if (flip) n = n * -1;
        index = vertex(p, n, p.x, p.z);
        return static_cast<std::uint16_t>(index);
    };
    for (int j = 0; j < rows; ++j)
        for (int i = 0; i < columns; ++i) {
            if (!keep(i, j)) continue;
            const std::uint16_t a = corner(i, j), b = corner(i + 1, j), c = corner(i + 1, j + 1),
                                d = corner(i, j + 1);
            const auto put = [&](std::uint16_t p, std::uint16_t q, std::uint16_t r) {
                const auto point = [&](std::uint16_t v) {
                    return Point{positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]};
                };
                if (length(cross(point(q) - point(p), point(r) - point(p))) < 1e-7) return;
                if (flip)
                    indices.insert(indices.end(), {p, r, q});
                else
                    indices.insert(indices.end(), {p, q, r});
            };
            put(a, b, c);
            put(a, c, d);
        }
}

double noise(int x, int y, int seed) {
    std::uint32_t h = static_cast<std::uint32_t>(x) * 0x8da6b343u ^
                      static_cast<std::uint32_t>(y) * 0xd8163841u ^
                      static_cast<std::uint32_t>(seed) * 0xcb1ab31fu;
    h ^= h >> 16;
    h *= 0x7feb352du;
    h ^= h >> 15;
    h *= 0x846ca68bu;
    h ^= h >> 16;
    return h / 4294967296.0;
}

double hills(double x, double z) {
    double sum = 0, amplitude = 0.55, scale = 1.0 / 14;
    for (int octave = 0; octave < 4; ++octave) {
        const double fx = std::floor(x * scale), fz = std::floor(z * scale);
        double tx = x * scale - fx, tz = z * scale - fz;
        tx = tx * tx * (3 - 2 * tx);
        tz = tz * tz * (3 - 2 * tz);
        const int ix = static_cast<int>(fx), iz = static_cast<int>(fz);
        const auto n = [&](int dx, int dz) { return 2 * noise(ix + dx, iz + dz, octave) - 1; };
        sum += amplitude *
               ((n(0, 0) * (1 - tx) + n(1, 0) * tx) * (1 - tz) + (n(0, 1) * (1 - tx) + n(1, 1) * tx) * tz);
        amplitude *= 0.5;
        scale *= 2.1;
    }
    return sum;
}

}  // namespace demo
