#include "level/volume_rules.hpp"

#include <algorithm>

#include "base/text.hpp"
#include "level/field_ranges.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

void need(bool good, const Volume& v, const char* what, const std::string& value, const char* remedy) {
    if (!good) throw Error{.what = what, .where = "volume " + v.name, .value = value, .remedy = remedy};
}

/// Along one axis.
double nodes_along(float size, float spacing) {
    return std::max(1.0, std::ceil(static_cast<double>(size) / static_cast<double>(spacing) - 1e-4));
}

double lattice_count(const Volume& v) {
    const Vec3 size = size_of(v);
    return nodes_along(size.x, v.spacing) * nodes_along(size.y, v.spacing) * nodes_along(size.z, v.spacing);
}

void check_volume(const Level& level, const Volume& v) {
    check_ranges(v, "volume " + v.name);
    check_ranges(v.figure, "volume " + v.name + ", figure.");
    if (v.shape == VolumeShape::box)
        need(v.half.x > 0 && v.half.y > 0 && v.half.z > 0, v, "a volume is empty", "",
             "Its low corner must lie below its high corner on every axis.");
    else
        need(v.radius > 0, v, "a volume is empty", to_text(v.radius), "Its radius must be above 0.");
    need(is_finite(v.half) && std::isfinite(v.radius) && length(v.half) <= farthest_place &&
             v.radius <= farthest_place,
         v, "a volume is larger than 1000 km, or not finite", "", "");
    check_place(v.middle, "volume " + v.name);
    check_place(v.end, "volume " + v.name);
    need(!v.has(ProbeRule::walkable) || !v.heights.empty(), v, "there are no heights over walkable ground",
         "", "Write heights = [0.3, 1.6].");
    for (const Vec3 s : v.seeds)
        need(holds(v, s), v, "a seed lies outside of the volume",
             to_text(s.x) + ", " + to_text(s.y) + ", " + to_text(s.z),
             "Move it in, or make the volume larger.");
    if (v.has(ProbeRule::explore) && v.seeds.empty() && !v.from_floors)
        need(std::any_of(level.cameras.begin(), level.cameras.end(),
                         [&](const Camera& c) { return holds(v, c.eye); }),
             v, "there is nowhere to explore from", "",
             "Write seeds = [[x, y, z]] or seeds = \"floors\", or put a camera in it.");
}

}  // namespace

std::array<int, 3> lattice_nodes(const Volume& v) {
    const Vec3 size = size_of(v);
    const auto along = [&](float s) { return static_cast<int>(nodes_along(s, v.spacing)); };
    return {along(size.x), along(size.y), along(size.z)};
}

std::vector<Vec3> lattice_places(const Volume& v) {
    const std::array<int, 3> n = lattice_nodes(v);
    const auto share = [](int i, int count) {
        return (static_cast<float>(i) + 0.5f) / static_cast<float>(count);
    };
    std::vector<Vec3> out;
    for (int z = 0; z < n[2]; ++z)
        for (int y = 0; y < n[1]; ++y)
            for (int x = 0; x < n[0]; ++x) {
                const Vec3 p = place_in(v, {share(x, n[0]), share(y, n[1]), share(z, n[2])});
                if (holds(v, p)) out.push_back(p);
            }
    return out;
}

double probes_asked(const Volume& v) {
    if (v.except) return 0;
    double count = 0;
    const Vec3 size = size_of(v);
    if (v.has(ProbeRule::lattice)) count += lattice_count(v);
    if (v.has(ProbeRule::explore)) count += lattice_count(v);
    if (v.has(ProbeRule::walkable))
        count += nodes_along(size.x, v.spacing) * nodes_along(size.z, v.spacing) *
                 static_cast<double>(v.heights.size());
    return count;
}

void check_volumes(const Level& level) {
    double total = 0;
    for (const Volume& v : level.volumes) {
        check_volume(level, v);
        const double asked = probes_asked(v);
        total += asked;
        need(total <= most_probes, v, "volumes ask for more than a million probes",
             to_text(std::ceil(asked)) + " at a spacing of " + to_text(v.spacing) + " m",
             "Use a wider spacing or a smaller volume.");
    }
    for (const Vec3 p : level.hand_probes)
        if (!is_finite(p))
            throw Error{.what = "a probe's place is not finite", .where = "probe", .value = "", .remedy = ""};
    check_ranges(level.probes, "probes.");
}

}  // namespace stasigraph
