#include "probe/planes.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr float open_room = 100;  ///< Metres to where the room ends that has no wall.
constexpr std::size_t most_edges = 512;

/// A surface's triangles in the world.
std::vector<Vec3> corners_of(const Level& level, const Surface& s) {
    const Mesh& mesh = level.meshes[s.mesh];
    std::vector<Vec3> out;
    for (const std::uint32_t i : mesh.indices) out.push_back(transform_point(s.to_world, mesh.positions[i]));
    if (determinant(s.to_world) < 0)
        for (std::size_t t = 0; t + 2 < out.size(); t += 3) std::swap(out[t + 1], out[t + 2]);
    return out;
}

struct AxisSpan {
    float low = 1e30f, high = -1e30f;
    void add(float v) {
        low = std::min(low, v);
        high = std::max(high, v);
    }
    float size() const { return high - low; }
    float middle() const { return 0.5f * (low + high); }
};
AxisSpan span_along(const std::vector<Vec3>& points, Vec3 axis) {
    AxisSpan s;
    for (const Vec3 p : points) s.add(dot(p, axis));
    return s;
}

/// Along that edge the rectangle around all points is smallest.
Vec3 best_axis(const std::vector<Vec3>& points, Vec3 normal) {
    Vec3 best = Frame(normal).tangent;
    float least = 1e30f;
    for (std::size_t i = 0; i < std::min(points.size(), most_edges); ++i) {
        const std::size_t next = i % 3 == 2 ? i - 2 : i + 1;
        Vec3 along = points[next] - points[i];
        along = normalize(along - normal * dot(along, normal));
        if (!(length(along) > 0.5f)) continue;
        const float area = span_along(points, along).size() * span_along(points, cross(normal, along)).size();
        if (area < least * 0.999f) {
            least = area;
            best = along;
        }
    }
    return best;
}

/// The median of where rays from places all over a plane end along an axis. Sideways they fan out, so that no
/// gap in a wall decides.
float wall_of(const ReflectionProbe& p, Vec3 axis, const RayCaster& caster) {
    constexpr int side = 5;
    constexpr float fan[] = {-0.6f, -0.3f, 0, 0.3f, 0.6f}, rise[] = {0.2f, 0.5f};
    const bool up = dot(axis, p.axes[1]) > 0.5f;
    const Vec3 beside = up ? p.axes[0] : cross(p.axes[1], axis), other = up ? p.axes[2] : p.axes[1];
    std::vector<float> met;
    for (int i = 0; i < side * side; ++i) {
        const float u = static_cast<float>(i % side - side / 2) / (side / 2 + 0.5f),
                    v = static_cast<float>(i / side - side / 2) / (side / 2 + 0.5f);
        const Vec3 at =
            p.middle + p.axes[0] * (u * p.half.x) + p.axes[2] * (v * p.half.z) + p.axes[1] * plane_lift;
        for (const float f : fan)
            for (const float r : rise) {
                const Vec3 way = normalize(axis + beside * f + other * r);
                const Hit hit = caster.closest({at, way, open_room});
                met.push_back(hit.surface == none ? open_room
                                                  : dot(at + way * hit.distance - p.middle, axis));
            }
    }
    const auto middle = met.begin() + static_cast<std::ptrdiff_t>(met.size() / 2);
    std::nth_element(met.begin(), middle, met.end());
    return *middle;
}

}  // namespace

ReflectionProbe plane_of(const Level& level, const Surface& surface, const std::string& where) {
    const std::vector<Vec3> points = corners_of(level, surface);
    Vec3 sum;
    for (std::size_t t = 0; t + 2 < points.size(); t += 3)
        sum = sum + cross(points[t + 1] - points[t], points[t + 2] - points[t]);
    const Vec3 normal = normalize(sum);
    const AxisSpan off = length(normal) > 0.5f ? span_along(points, normal) : AxisSpan{0, 1e30f};
    ReflectionProbe p;
    p.shape = ReflectionShape::plane;
    p.axes[1] = normal;
    if (off.size() < 1e29f) {
        p.axes[0] = best_axis(points, normal);
        p.axes[2] = cross(p.axes[0], p.axes[1]);
    }
    const AxisSpan along = span_along(points, p.axes[0]), across = span_along(points, p.axes[2]);
    const float most = std::max(0.02f, 0.002f * std::max(along.size(), across.size()));
    if (!(off.size() <= most))
        throw Error{
            .what = "a surface that should mirror is not flat",
            .where = where,
            .value = surface.name + (off.size() < 1e29f ? ", " + to_text(off.size()) + " m thick" : ""),
            .remedy = "Name a flat one, or use a probe with a box."};
    p.middle = p.axes[0] * along.middle() + p.axes[1] * off.middle() + p.axes[2] * across.middle();
    p.half = {0.5f * along.size(), plane_reach, 0.5f * across.size()};
    p.blend = 0;
    p.capture = p.middle + normal * (0.5f * off.size() + plane_lift);
    return p;
}

void fit_room(ReflectionProbe& p, const RayCaster& caster) {
    const Vec3 up = p.axes[1];
    const float high = std::max(wall_of(p, up, caster), 10 * plane_lift);
    const auto wall = [&](Vec3 axis) { return wall_of(p, axis, caster); };
    const float a = std::max(wall(p.axes[0]), p.half.x), b = std::max(wall(-p.axes[0]), p.half.x),
                c = std::max(wall(p.axes[2]), p.half.z), d = std::max(wall(-p.axes[2]), p.half.z);
    p.parallax = true;
    // Down as far as up: what is below mirrors what is above.
    p.room_half = {0.5f * (a + b), high, 0.5f * (c + d)};
    p.room_middle = p.middle + p.axes[0] * (0.5f * (a - b)) + p.axes[2] * (0.5f * (c - d));
}

}  // namespace stasigraph
