// Reflection probes at a point.

#include "runtime/reflection_lookup.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

namespace {

runtime::Point point(Vec3 v) {
    return {v.x, v.y, v.z};
}

runtime::ReflectionVolume place_of(const ReflectionProbe& p) {
    return {.reach = static_cast<runtime::Reach>(p.shape),
            .middle = point(p.middle),
            .half = point(p.half),
            .axis = {point(p.axes[0]), point(p.axes[1]), point(p.axes[2])},
            .radius = p.radius,
            .blend = p.blend,
            .capture = point(p.capture),
            .parallax = p.parallax,
            .room_middle = point(p.room_middle),
            .room_half = point(p.room_half)};
}

}  // namespace

ReflectionWeights reflection_weights(const std::vector<ReflectionProbe>& probes, Vec3 at, Vec3 normal) {
    ReflectionWeights out;
    float left = 1;
    for (std::uint32_t i = 0; i < probes.size() && !runtime::reflections_full(out.count, left); ++i)
        if (const float share =
                runtime::reflection_share(place_of(probes[i]), point(at), point(normal)) * left;
            share > 0) {
            out.probe[static_cast<std::size_t>(out.count)] = i;
            out.weight[static_cast<std::size_t>(out.count++)] = share;
            left -= share;
        }
    return out;
}

Vec3 lookup_direction(const ReflectionProbe& probe, Vec3 at, Vec3 direction) {
    const runtime::Point p = runtime::reflection_lookup(place_of(probe), point(at), point(direction));
    return {p.x, p.y, p.z};
}

}  // namespace stasigraph
