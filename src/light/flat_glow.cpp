#include "light/flat_glow.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace stasigraph {

namespace {

constexpr std::size_t most_triangles = 256;
constexpr float least_glow = 0.1f;     ///< Metres; what is smaller is as good in coefficients.
constexpr float in_front = 0.001f;     ///< Metres off the faces, so that they do not hide it.
constexpr float one_way = 0.9999f;     ///< Cosine of normals that are the same.
constexpr float flat_within = 0.002f;  ///< Metres.
constexpr float least_glow_filled = 0.97f, most_glow_filled = 1.03f;

/// The rectangle that faces of one plane may fill.
struct Flat {
    Vec3 normal, across, corner;
    float area = 0, low[2] = {0, 0}, high[2] = {0, 0};
    Rgb light;  ///< Over the area.

    Vec3 up() const { return cross(normal, across); }
    void add(const std::array<Vec3, 3>& at, float own, Rgb emission) {
        for (const Vec3 p : at)
            for (int k = 0; k < 2; ++k) {
                const float v = dot(p - corner, k == 0 ? across : up());
                low[k] = std::min(low[k], v);
                high[k] = std::max(high[k], v);
            }
        area += own;
        light += emission * own;
    }
};

/// The side of a triangle at its widest corner that is the longer one: of half a rectangle a side of that.
Vec3 side_of(const std::array<Vec3, 3>& at) {
    std::array<Vec3, 3> edge{at[1] - at[0], at[2] - at[1], at[0] - at[2]};
    std::sort(edge.begin(), edge.end(), [](Vec3 a, Vec3 b) { return dot(a, a) < dot(b, b); });
    return normalize(edge[1]);
}

Rgb emission_over(const Level& level, const TextureSet& textures, const Surface& surface, std::uint32_t t) {
    constexpr int steps = 8;
    Rgb sum;
    int count = 0;
    for (int i = 0; i < steps; ++i)
        for (int j = 0; i + j < steps; ++j, ++count)
            sum += textures.emission(level, surface, t, (static_cast<float>(i) + 1 / 3.0f) / steps,
                                     (static_cast<float>(j) + 1 / 3.0f) / steps);
    return sum * (1 / static_cast<float>(count));
}

}  // namespace

std::vector<Light> flat_glow(const Level& level, const TextureSet& textures) {
    std::vector<Light> out;
    for (const Surface& surface : level.surfaces) {
        const Material& material = level.materials[surface.material];
        const Mesh& mesh = level.meshes[surface.mesh];
        if (surface.part == Part::moving || surface.group == none || mesh.triangle_count() > most_triangles ||
            !(max_channel(material.emission) * surface.emission_gain > 0))
            continue;
        const float mirrored = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
        std::vector<Flat> flats;
        for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
            std::array<Vec3, 3> at;
            for (std::size_t k = 0; k < 3; ++k)
                at[k] = transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
            const Vec3 product = cross(at[1] - at[0], at[2] - at[0]);
            const float twice = length(product);
            if (!(twice > 1e-8f)) continue;
            const Vec3 normal = product * (mirrored / twice);
            auto known = std::find_if(flats.begin(), flats.end(), [&](const Flat& f) {
                return dot(f.normal, normal) > one_way &&
                       std::abs(dot(at[0] - f.corner, f.normal)) < flat_within;
            });
            if (known == flats.end()) {
                const Vec3 side = side_of(at);
                flats.push_back({normal, side, at[0]});
                known = flats.end() - 1;
            }
            known->add(at, 0.5f * twice, emission_over(level, textures, surface, t));
        }
        for (const Flat& f : flats) {
            const float width = f.high[0] - f.low[0], height = f.high[1] - f.low[1],
                        filled = f.area / (width * height);
            if (width < least_glow || height < least_glow || !(filled > least_glow_filled) ||
                !(filled < most_glow_filled))
                continue;
            Light light;
            light.name = surface.name;
            light.kind = LightKind::rectangle;
            light.color = f.light * (1 / f.area);
            light.direction = f.normal;
            light.across = f.across;
            light.position = f.corner + f.across * (0.5f * (f.low[0] + f.high[0])) +
                             f.up() * (0.5f * (f.low[1] + f.high[1])) + f.normal * in_front;
            light.width = width;
            light.height = height;
            light.group = surface.group;
            if (max_channel(light.color) > 0) out.push_back(light);
        }
    }
    return out;
}

}  // namespace stasigraph
