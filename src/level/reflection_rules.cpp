#include "level/reflection_rules.hpp"

#include <cmath>

#include "base/text.hpp"
#include "level/field_ranges.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

const char* to_text(ReflectionOrigin origin) {
    constexpr const char* names[] = {"hand", "rooms", "water", "ground"};
    return names[static_cast<int>(origin)];
}

const char* to_text(ReflectionShape shape) {
    constexpr const char* names[] = {"box", "sphere", "plane"};
    return names[static_cast<int>(shape)];
}

namespace {

void need(bool good, const std::string& name, const char* what, const std::string& value,
          const char* remedy) {
    if (!good) throw Error{.what = what, .where = "reflection " + name, .value = value, .remedy = remedy};
}

/// What probes and rules both say.
template <class T>
void check_capture(const T& r) {
    need(r.resolution >= 32 && r.resolution <= 1024 && (r.resolution & (r.resolution - 1)) == 0, r.name,
         "resolution is no power of two between 32 and 1024", std::to_string(r.resolution),
         "Use 64, 128 or 256.");
    check_ranges(r, "reflection " + r.name);
    need(r.near >= 0 && r.near < r.sky_beyond, r.name, "near does not lie between 0 and sky_beyond",
         to_text(r.near), "Use 0.05 metres.");
    need(std::isfinite(r.priority), r.name, "priority is not finite", "", "");
}

void check_probe(const ReflectionProbe& p) {
    check_capture(p);
    const bool sphere = p.shape == ReflectionShape::sphere;
    need(is_finite(p.middle) && is_finite(p.half) && is_finite(p.capture) && is_finite(p.room_middle) &&
             is_finite(p.room_half),
         p.name, "a reflection probe is not finite", "", "");
    for (const Vec3 place : {p.middle, p.capture, p.room_middle}) check_place(place, "reflection " + p.name);
    need(sphere ? p.radius > 0 : p.half.x > 0 && p.half.y > 0 && p.half.z > 0, p.name, "reaches nothing", "",
         "Its low corner must lie below its high corner on every axis, a radius above 0.");
    need(!p.parallax || (p.room_half.x > 0 && p.room_half.y > 0 && p.room_half.z > 0), p.name,
         "the room is empty", "", "Its low corner must lie below its high corner on every axis.");
    const Vec3 d = p.capture - p.room_middle;
    const float half[3] = {p.room_half.x, p.room_half.y, p.room_half.z};
    for (std::size_t a = 0; p.parallax && a < 3; ++a)
        need(std::abs(dot(d, p.axes[a])) < half[a], p.name, "captures from outside of its room",
             to_text(p.capture.x) + ", " + to_text(p.capture.y) + ", " + to_text(p.capture.z),
             "Move capture in, make the room larger, or set parallax = false.");
}

void check_rule(const ReflectionRule& r) {
    check_capture(r);
    need(r.rooms || r.water || r.ground, r.name, "asks for nothing", "",
         "Write fill = [\"rooms\", \"water\", \"ground\"], one or several.");
    if (!r.ground) return;
    const Vec3 size = size_of(r.region);
    const double rows = std::ceil(static_cast<double>(size.x / r.spacing)) *
                        std::ceil(static_cast<double>(size.z / r.spacing));
    need(rows <= 10000, r.name, "asks for too many rows over ground", to_text(rows),
         "Use a wider spacing or a smaller region.");
}

}  // namespace

double reflection_texels(double probes, int resolution) {
    double texels = 0;
    for (int side = resolution; side >= 4; side /= 2) texels += 6.0 * side * side;
    return probes * texels;
}

void check_reflection_texels(double texels) {
    if (texels > most_reflection_texels)
        throw Error{.what = "reflection probes take too much",
                    .where = "reflection",
                    .value = to_text(std::ceil(texels / 1e6)) + " million texels a set",
                    .remedy = "Use a lower resolution or fewer of them; " +
                              to_text(most_reflection_texels / 1e6) + " million texels will do."};
}

void check_reflections(const Level& level) {
    double texels = 0;
    for (const ReflectionProbe& p : level.reflections) {
        check_probe(p);
        texels += reflection_texels(1, p.resolution);
    }
    for (const ReflectionRule& r : level.reflection_rules) check_rule(r);
    check_reflection_texels(texels);
}

}  // namespace stasigraph
