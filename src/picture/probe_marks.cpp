#include "picture/probe_marks.hpp"

#include <algorithm>
#include <cmath>

#include "runtime/net_lookup.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t marked_rows_per_task = 8;
constexpr float least_radius = 0.05f, most_radius = 0.14f;  ///< Metres.
constexpr Rgb bad{1, 0.02f, 0.02f}, edge{0.25f, 0.75f, 1};
constexpr float nearest_shown = 0.15f;  ///< Metres from the eye: nearer ones would hide everything.

struct Canvas {
    const Shot& shot;
    Picture& picture;
    std::vector<float> depth;  ///< Metres along each pixel's ray.

    std::size_t at(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(picture.width) +
               static_cast<std::size_t>(x);
    }
    bool inside(int x, int y) const { return x >= 0 && y >= 0 && x < picture.width && y < picture.height; }
    void blend(int x, int y, Rgb c, float share) {
        Rgb& p = picture.pixels[at(x, y)];
        p = p * (1 - share) + c * share;
    }
};

/// `light(normal, way)`: what the ball sends against the way along which its surface is seen.
template <class Light>
void draw_ball(Canvas& canvas, Vec3 middle, float radius, Light light) {
    const Projected p = canvas.shot.project(middle);
    if (p.depth < nearest_shown + radius) return;
    const float size = p.pixels_per_metre * radius * 1.3f + 1;
    const int x0 = static_cast<int>(p.x - size), x1 = static_cast<int>(p.x + size) + 1,
              y0 = static_cast<int>(p.y - size), y1 = static_cast<int>(p.y + size) + 1;
    for (int y = std::max(0, y0); y <= std::min(canvas.picture.height - 1, y1); ++y)
        for (int x = std::max(0, x0); x <= std::min(canvas.picture.width - 1, x1); ++x) {
            constexpr int side = 2;
            Rgb sum;
            float covered = 0, nearest = 1e30f;
            for (int s = 0; s < side * side; ++s) {
                const Vec3 way = canvas.shot.direction(
                    static_cast<float>(x) + (static_cast<float>(s % side) + 0.5f) / side,
                    static_cast<float>(y) + (static_cast<float>(s / side) + 0.5f) / side);
                const Vec3 from = canvas.shot.eye() - middle;
                const float b = dot(from, way), c = dot(from, from) - radius * radius, d = b * b - c;
                if (d < 0) continue;
                const float t = -b - std::sqrt(d);
                if (t > canvas.depth[canvas.at(x, y)]) continue;
                sum += light((from + way * t) * (1 / radius), way);
                covered += 1;
                nearest = std::min(nearest, t);
            }
            if (covered == 0) continue;
            canvas.blend(x, y, sum * (1 / covered), covered / (side * side));
            if (2 * covered >= side * side) canvas.depth[canvas.at(x, y)] = nearest;
        }
}

/// A line of one pixel between two places, where nothing is before it.
void draw_line(Canvas& canvas, Vec3 a, Vec3 b, Rgb color, float share) {
    const auto ahead = [&](Vec3 p) { return dot(p - canvas.shot.eye(), canvas.shot.ahead()); };
    constexpr float near = 0.05f;
    float da = ahead(a), db = ahead(b);
    if (da < near && db < near) return;
    if (da < near) a = a + (b - a) * ((near - da) / (db - da));
    if (db < near) b = b + (a - b) * ((near - db) / (da - db));
    const Projected p = canvas.shot.project(a), q = canvas.shot.project(b);
    const float long_side = std::max(std::abs(q.x - p.x), std::abs(q.y - p.y));
    const int steps = static_cast<int>(std::min(long_side, 8192.0f)) + 1;
    for (int i = 0; i <= steps; ++i) {
        const float t = static_cast<float>(i) / static_cast<float>(steps), x = p.x + (q.x - p.x) * t,
                    y = p.y + (q.y - p.y) * t;
        const int px = static_cast<int>(std::floor(x)), py = static_cast<int>(std::floor(y));
        if (!canvas.inside(px, py)) continue;
        // Depth along the ray: one over the depth ahead is even over the picture.
        const float deep = 1 / ((1 - t) / p.depth + t / q.depth);
        const float along = deep / dot(canvas.shot.direction(x, y), canvas.shot.ahead());
        if (along < canvas.depth[canvas.at(px, py)]) canvas.blend(px, py, color, share);
    }
}

void cross_out(Canvas& canvas, Vec3 middle, Rgb color) {
    const Projected p = canvas.shot.project(middle);
    if (p.depth < nearest_shown) return;
    const int size = std::clamp(static_cast<int>(p.pixels_per_metre * most_radius), 4, 14);
    for (int d = -size; d <= size; ++d)
        for (int w = 0; w < 2; ++w)
            for (const int turn : {1, -1}) {
                const int x = static_cast<int>(p.x) + d + w, y = static_cast<int>(p.y) + turn * d;
                if (canvas.inside(x, y)) canvas.blend(x, y, color, 1);
            }
}

Canvas canvas_of(const Viewer& viewer, const Shot& shot, Picture& picture, Job& job) {
    Canvas canvas{shot, picture, std::vector<float>(picture.pixels.size())};
    job.parallel(static_cast<std::size_t>(picture.height), marked_rows_per_task,
                 [&](std::size_t begin, std::size_t end) {
                     for (std::size_t y = begin; y < end; ++y)
                         for (int x = 0; x < picture.width; ++x)
                             canvas.depth[canvas.at(x, static_cast<int>(y))] = viewer.depth(
                                 shot.eye(),
                                 shot.direction(static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f));
                 });
    return canvas;
}

/// The edges of a box.
void draw_box(Canvas& canvas, Vec3 middle, Vec3 half, const std::array<Vec3, 3>& axes, Rgb color) {
    constexpr float share = 0.7f;
    const Vec3 x = axes[0] * half.x, y = axes[1] * half.y, z = axes[2] * half.z;
    for (const float a : {-1.0f, 1.0f})
        for (const float b : {-1.0f, 1.0f}) {
            draw_line(canvas, middle - x + y * a + z * b, middle + x + y * a + z * b, color, share);
            draw_line(canvas, middle - y + x * a + z * b, middle + y + x * a + z * b, color, share);
            draw_line(canvas, middle - z + x * a + y * b, middle + z + x * a + y * b, color, share);
        }
}

/// The edges of a box, or of a ball's three great circles.
void draw_reach(Canvas& canvas, const ReflectionProbe& p, Rgb color) {
    constexpr float share = 0.7f;
    if (p.shape == ReflectionShape::sphere) {
        constexpr int steps = 48;
        for (std::size_t a = 0; a < 3; ++a)
            for (int i = 0; i < steps; ++i) {
                const auto at = [&](int k) {
                    const float t = 2 * pi * static_cast<float>(k) / steps;
                    return p.middle +
                           (p.axes[a] * std::cos(t) + p.axes[(a + 1) % 3] * std::sin(t)) * p.radius;
                };
                draw_line(canvas, at(i), at(i + 1), color, share);
            }
        return;
    }
    draw_box(canvas, p.middle, p.half, p.axes, color);
}

}  // namespace

void draw_reflections(const MarkedView& seen, Picture& picture, Job& job) {
    const ViewLight& light = seen.light;
    constexpr float ball = 0.3f;  // metres
    constexpr Rgb colors[] = {{1, 1, 1}, {1, 0.65f, 0.2f}, {0.25f, 0.75f, 1}, {0.45f, 1, 0.45f}};
    Canvas canvas = canvas_of(seen.viewer, seen.shot, picture, job);
    for (std::size_t i = 0; i < light.reflections->size(); ++i) {
        const ReflectionProbe& p = (*light.reflections)[i];
        draw_ball(canvas, p.capture, ball, [&](Vec3 normal, Vec3 way) {
            return cube_light(light.set->reflections[i].levels[0], way - normal * (2 * dot(way, normal)));
        });
    }
    for (const ReflectionProbe& p : *light.reflections)
        draw_reach(canvas, p, colors[static_cast<std::size_t>(p.origin)] * seen.white);
}

void draw_probes(const MarkedView& seen, bool net_too, Picture& picture, Job& job) {
    const ViewLight& light = seen.light;
    const ProbeNet& net = *light.probes;
    Canvas canvas = canvas_of(seen.viewer, seen.shot, picture, job);
    for (std::size_t p = 0; p < net.size(); ++p)
        if (!(net.front_share[p] < runtime::least_front_share))
            draw_ball(
                canvas, net.position[p], std::clamp(0.4f * net.clearance[p], least_radius, most_radius),
                [&](Vec3 normal, Vec3) { return sh_irradiance(light.set->probes[p], normal) * (1 / pi); });
    if (net_too)
        for (std::size_t c = 0; c < net.vertex.size(); ++c)
            for (int a = 0; a < 4; ++a)
                for (int b = a + 1; b < 4; ++b) {
                    const std::uint32_t u = net.vertex[c][static_cast<std::size_t>(a)],
                                        v = net.vertex[c][static_cast<std::size_t>(b)];
                    // Each edge by the first cell that has it, as cells are in order of their vertices.
                    if (u < net.size() && v < net.size())
                        draw_line(canvas, net.position[u], net.position[v], edge * seen.white, 0.25f);
                }
    for (std::size_t p = 0; p < net.size(); ++p)
        if (net.front_share[p] < runtime::least_front_share)
            cross_out(canvas, net.position[p], bad * seen.white);
}

void draw_zones(const MarkedView& seen, const std::vector<Zone>& zones, Picture& picture, Job& job) {
    const ViewLight& light = seen.light;
    Canvas canvas = canvas_of(seen.viewer, seen.shot, picture, job);
    for (std::size_t p = 0; light.probes && p < light.probes->size(); ++p)
        draw_ball(canvas, light.probes->position[p],
                  std::clamp(0.4f * light.probes->clearance[p], least_radius, most_radius),
                  [&](Vec3 normal, Vec3) {
                      return zone_color(light.zones->probe[p]) * (0.9f + 0.6f * std::max(normal.y, 0.0f));
                  });
    for (std::uint32_t z = 0; z < zones.size(); ++z)
        for (const Volume& box : zones[z].boxes)
            draw_box(canvas, box.middle, box.half, box.axes, zone_color(z) * 1.3f);
}

}  // namespace stasigraph
