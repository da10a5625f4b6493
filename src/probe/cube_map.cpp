#include "probe/cube_map.hpp"

#include <algorithm>
#include <cmath>

#include "stasigraph/reflect.hpp"

namespace stasigraph {

Vec3 face_direction(int face, float right, float down) {
    switch (face) {
        case 0:
            return {1, -down, -right};
        case 1:
            return {-1, -down, right};
        case 2:
            return {right, 1, down};
        case 3:
            return {right, -1, -down};
        case 4:
            return {right, -down, 1};
        default:
            return {-right, -down, -1};
    }
}

Vec3 cube_direction(int side, int face, float x, float y) {
    const float scale = 2 / static_cast<float>(side);
    return normalize(face_direction(face, x * scale - 1, y * scale - 1));
}

std::size_t texel_beyond(int side, int face, int x, int y) {
    const auto at = [&](int i) { return (2 * static_cast<float>(i) + 1) / static_cast<float>(side) - 1; };
    const CubePoint p = cube_point(face_direction(face, at(x), at(y)));
    const auto texel = [&](float share) {
        return std::clamp(static_cast<int>((share + 1) * 0.5f * static_cast<float>(side)), 0, side - 1);
    };
    return texel_number(side, p.face, texel(p.right), texel(p.down));
}

namespace {

/// The four texels around a place and how far it is from the first towards the others.
struct Between {
    int x, y;
    float tx, ty;
};
Between between(const CubePoint& p, int side) {
    const auto half = static_cast<float>(side) * 0.5f;
    const float x = (p.right + 1) * half - 0.5f, y = (p.down + 1) * half - 0.5f;
    const float fx = std::clamp(std::floor(x), -1.0f, static_cast<float>(side) - 1),
                fy = std::clamp(std::floor(y), -1.0f, static_cast<float>(side) - 1);
    return {static_cast<int>(fx), static_cast<int>(fy), x - fx, y - fy};
}

/// Of four texels, rows from the top.
Rgb mixed(const std::array<Rgb, 4>& of, const Between& b) {
    return (of[0] * (1 - b.tx) + of[1] * b.tx) * (1 - b.ty) + (of[2] * (1 - b.tx) + of[3] * b.tx) * b.ty;
}

}  // namespace

Rgb cube_light(const CubeMap& map, Vec3 direction) {
    const CubePoint p = cube_point(direction);
    const Between b = between(p, map.side);
    const auto texel = [&](int x, int y) {
        const bool inside = x >= 0 && y >= 0 && x < map.side && y < map.side;
        return map
            .texels[inside ? texel_number(map.side, p.face, x, y) : texel_beyond(map.side, p.face, x, y)];
    };
    return mixed({texel(b.x, b.y), texel(b.x + 1, b.y), texel(b.x, b.y + 1), texel(b.x + 1, b.y + 1)}, b);
}

FramedCubes::FramedCubes(const std::vector<CubeMap>& maps)
    : width_(static_cast<std::size_t>(maps[0].side) + 2),
      half_(static_cast<float>(maps[0].side) * 0.5f),
      most_(std::nextafter(static_cast<float>(maps[0].side) + 1, 0.0f)),
      texels_(6 * width_ * width_ * lanes) {
    const int side = maps[0].side;
    for (int face = 0; face < 6; ++face)
        for (int y = -1; y <= side; ++y)
            for (int x = -1; x <= side; ++x) {
                const bool inside = x >= 0 && y >= 0 && x < side && y < side;
                const std::size_t from =
                    inside ? texel_number(side, face, x, y) : texel_beyond(side, face, x, y);
                float* to = &texels_[texel_number(side + 2, face, x + 1, y + 1) * lanes];
                for (const CubeMap& map : maps) {
                    const Rgb c = map.texels[from];
                    for (const float v : {c.r, c.g, c.b}) *to++ = v;
                }
            }
}

CubeMap halved(const CubeMap& map) {
    CubeMap out{map.side / 2, {}};
    out.texels.reserve(6 * static_cast<std::size_t>(out.side) * static_cast<std::size_t>(out.side));
    const auto at = [&](int i) { return (2 * static_cast<float>(i) + 1) / static_cast<float>(map.side) - 1; };
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < out.side; ++y)
            for (int x = 0; x < out.side; ++x) {
                Rgb sum;
                float whole = 0;
                for (int k = 0; k < 4; ++k) {
                    const int sx = 2 * x + (k & 1), sy = 2 * y + (k >> 1);
                    const float u = at(sx), v = at(sy), d = 1 + u * u + v * v, angle = 1 / (d * std::sqrt(d));
                    sum += map.texels[texel_number(map.side, face, sx, sy)] * angle;
                    whole += angle;
                }
                out.texels.push_back(sum * (1 / whole));
            }
    return out;
}

}  // namespace stasigraph
