#include "level/volume_rules.hpp"

#include <algorithm>

#include "base/text.hpp"
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
    const auto within = [](float x, float low, float high) { return x >= low && x <= high; };
    need(within(v.spacing, 0.05f, 1000), v, "probe spacing is out of range", to_text(v.spacing),
         "Use 0.05 to 1000 metres.");
    need(within(v.clearance, 0, 10), v, "clearance is out of range", to_text(v.clearance),
         "Use 0 to 10 metres.");
    need(within(v.near, 0, 1000), v, "near is out of range", to_text(v.near), "Use 0 to 1000 metres.");
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
    const Figure& f = v.figure;
    need(within(f.height, 0.2f, 20) && within(f.radius, 0.05f, 5) && within(f.step, 0, 5) &&
             within(f.slope, 0, pi / 2 * 0.999f),
         v, "a figure's measures are out of range", "",
         "Use a height of 0.2 to 20 m, a radius of 0.05 to 5 m, a step of 0 to 5 m and a slope under 90 "
         "degrees.");
    for (const float h : v.heights)
        need(within(h, 0, 100), v, "a height over ground is out of range", to_text(h),
             "Use 0 to 100 metres.");
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
    const auto within = [](float x, float high) { return x >= 0 && x <= high; };
    if (!within(level.probes.tolerance, 1) || !within(level.probes.merge, 1000) || level.probes.budget < 0)
        throw Error{
            .what = "settings of probes are out of range",
            .where = "probes",
            .value = "",
            .remedy = "Use a tolerance of 0 to 1, a budget of 0 or more, and 0 to 1000 metres to merge."};
}

}  // namespace stasigraph
