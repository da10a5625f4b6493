// Volumes of probes, reflection probes, zones, and places that are too dark.

#include <algorithm>
#include <cmath>
#include <map>

#include "base/random.hpp"
#include "inspect/check_scene.hpp"
#include "probe/candidates.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/link_zones.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t samples = 512;          ///< Places in a volume or a box.
constexpr double most_outside = 0.3;            ///< Of a volume, beyond all that stands still,
constexpr float air_above = 5, air_around = 1;  ///< with this much of the open air, metres.
constexpr float head = 2;                       ///< Metres over the floor to which things are told apart.
constexpr double most_behind_walls = 0.15;      ///< Of a reflection box's free space.
constexpr double most_shared = 0.1;             ///< Of the smaller of two zones.
constexpr double partly = 0.1;                  ///< Of a surface, inside of boxes.
constexpr std::size_t most_steps = 160;         ///< Places on the ground at which light is looked at.

std::string percent(double share) {
    return short_text(100 * share) + " %";
}

/// Whether rules put probes on a grid of their own, all through a volume.
bool spreads(const Volume& v) {
    return v.has(ProbeRule::lattice) || v.has(ProbeRule::explore);
}

/// How high the space of a volume is over its floors: the middle one of many heights; 0 where there is none.
float room_height(const CheckScene& scene, std::uint32_t v) {
    const Volume& volume = scene.level.volumes[v];
    std::vector<float> heights;
    for (std::size_t i = 0; i < scene.looks.places.size(); ++i) {
        if (scene.looks.volume[i] != v) continue;
        const Vec3 at = scene.looks.places[i];
        const Hit floor = scene.caster.closest({at, {0, -1, 0}, 50}),
                  roof = scene.caster.closest({at, {0, 1, 0}, 50});
        if (floor.surface == none || floor.back) continue;
        float top = roof.surface == none ? 50 : roof.distance;
        const auto [low, high] = bounds_of(volume);
        top = std::min(top, high.y - at.y);
        const float bottom = std::min(floor.distance, at.y - low.y);
        heights.push_back(top + bottom);
    }
    if (heights.size() < 4) return 0;
    std::nth_element(heights.begin(), heights.begin() + static_cast<std::ptrdiff_t>(heights.size() / 2),
                     heights.end());
    return heights[heights.size() / 2];
}

void check_volumes(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    Box reach = scene.bounds.grown(air_around);
    reach.high.y = scene.bounds.high.y + air_above;
    for (std::uint32_t v = 0; v < level.volumes.size(); ++v) {
        const Volume& volume = level.volumes[v];
        if (volume.except) continue;
        const auto [low, high] = bounds_of(volume);
        const Vec3 size = high - low;
        std::size_t inside = 0, all = 0;
        for (std::uint32_t i = 0; i < samples; ++i) {
            const Vec3 at = place_in(volume, share_of(0x766f6cu, i));
            if (!holds(volume, at)) continue;
            ++all;
            inside += reach.holds(at) ? 1 : 0;
        }
        const double outside = all > 0 ? 1 - static_cast<double>(inside) / static_cast<double>(all) : 0;
        if (outside > most_outside)
            out.push_back({.id = "volume-outside",
                           .severity = Severity::warning,
                           .names = {volume.name},
                           .what = percent(outside) + " of volume " + volume.name +
                                   " sticks out of the level: its probes there light nothing.",
                           .remedy = "Fit it to where things move; the level spans " +
                                     short_text(static_cast<double>(scene.bounds.low.x)) + ".." +
                                     short_text(static_cast<double>(scene.bounds.high.x)) + ", " +
                                     short_text(static_cast<double>(scene.bounds.low.y)) + ".." +
                                     short_text(static_cast<double>(scene.bounds.high.y)) + ", " +
                                     short_text(static_cast<double>(scene.bounds.low.z)) + ".." +
                                     short_text(static_cast<double>(scene.bounds.high.z)) + " m.",
                           .measure = outside,
                           .limit = most_outside,
                           .unit = "of its space",
                           .at = (low + high) * 0.5f,
                           .size = length(size)});
        const float height = std::min(room_height(scene, v), head);
        if (!spreads(volume) || !(height > 0) || !(volume.spacing > height)) continue;
        out.push_back({.id = "volume-coarse",
                       .severity = Severity::warning,
                       .names = {volume.name},
                       .what = "Probes of volume " + volume.name + " are " +
                               short_text(static_cast<double>(volume.spacing)) +
                               " m apart: over most floors one alone has to light both feet and head, and "
                               "things take their light from the floor.",
                       .remedy = "Set spacing to " + short_text(static_cast<double>(height)) +
                                 " or less, or fill = [\"walkable\"], which puts probes at two heights.",
                       .measure = static_cast<double>(volume.spacing),
                       .limit = static_cast<double>(height),
                       .unit = "m",
                       .at = (low + high) * 0.5f,
                       .size = length(size)});
    }
}

/// The box of a reflection probe that was placed by hand: what of its free space the probe cannot have seen.
void check_reflection_boxes(const CheckScene& scene, Findings& out) {
    for (const ReflectionProbe& r : scene.level.reflections) {
        if (r.shape == ReflectionShape::plane) continue;
        std::vector<Vec3> seen, hidden;
        for (std::uint32_t i = 0; i < samples; ++i) {
            const Vec3 s = share_of(0x7265666cu, i);
            const Vec3 d{2 * s.x - 1, 2 * s.y - 1, 2 * s.z - 1};
            Vec3 at = r.middle;
            if (r.shape == ReflectionShape::sphere) {
                if (length(d) > 1) continue;
                at = at + d * r.radius;
            } else {
                at = at + r.axes[0] * (d.x * r.half.x) + r.axes[1] * (d.y * r.half.y) +
                     r.axes[2] * (d.z * r.half.z);
            }
            // Rims stand in walls.
            at = r.middle + (at - r.middle) * 0.95f;
            if (scene.space.solid(at)) continue;
            (scene.space.sees(r.capture, at) ? seen : hidden).push_back(at);
        }
        // Behind a crate is not behind a wall: what is seen from somewhere that is seen is in the same room.
        std::vector<Vec3> parted;
        const std::size_t step = std::max<std::size_t>(1, seen.size() / 48);
        for (const Vec3 at : hidden) {
            bool near = false;
            for (std::size_t k = 0; k < seen.size() && !near; k += step) near = scene.space.sees(seen[k], at);
            if (!near) parted.push_back(at);
        }
        const std::size_t free = seen.size() + hidden.size();
        if (free == 0) continue;
        const double share = static_cast<double>(parted.size()) / static_cast<double>(free);
        if (!(share > most_behind_walls)) continue;
        // The wall between: halfway to the first hidden place.
        const Vec3 way = parted[0] - r.capture;
        const Hit wall = scene.caster.closest({r.capture, normalize(way), length(way)});
        out.push_back({.id = "reflection-crosses-wall",
                       .severity = Severity::warning,
                       .names = {r.name},
                       .what = percent(share) + " of what reflection probe " + r.name +
                               " reaches lies behind a wall: things there mirror the wrong room.",
                       .remedy = "Shrink it to its room, or write fill = [\"rooms\"] and let it be fitted.",
                       .measure = share,
                       .limit = most_behind_walls,
                       .unit = "of its free space",
                       .at = wall.surface != none ? r.capture + normalize(way) * wall.distance : parted[0],
                       .facing = -normalize(way),
                       .size = 2});
    }
}

bool in_boxes(const Zone& zone, Vec3 at) {
    return std::any_of(zone.boxes.begin(), zone.boxes.end(), [&](const Volume& v) { return holds(v, at); });
}

void check_overlaps(const CheckScene& scene, Findings& out) {
    const std::vector<Zone>& zones = scene.level.zones;
    for (std::size_t a = 0; a < zones.size(); ++a)
        for (std::size_t b = a + 1; b < zones.size(); ++b) {
            double worst = 0;
            Vec3 at;
            for (const auto& [from, to] : {std::pair{a, b}, std::pair{b, a}}) {
                std::size_t shared = 0, all = 0;
                Vec3 sum;
                for (const Volume& box : zones[from].boxes)
                    for (std::uint32_t i = 0; i < samples; ++i) {
                        const Vec3 p = place_in(box, share_of(0x7a6f6eu, i));
                        ++all;
                        if (!in_boxes(zones[to], p)) continue;
                        ++shared;
                        sum = sum + p;
                    }
                const double share = all > 0 ? static_cast<double>(shared) / static_cast<double>(all) : 0;
                if (!(share > worst)) continue;
                worst = share;
                at = sum * (1 / static_cast<float>(shared));
            }
            if (!(worst > most_shared)) continue;
            out.push_back(
                {.id = "zones-overlap",
                 .severity = Severity::warning,
                 .names = {zones[a].name, zones[b].name},
                 .what = "Zones " + zones[a].name + " and " + zones[b].name + " share " + percent(worst) +
                         " of the smaller one: what lies there switches with the one that sees most of it.",
                 .remedy = "Let boxes meet at walls and doors.",
                 .measure = worst,
                 .limit = most_shared,
                 .unit = "of the smaller",
                 .at = at,
                 .size = 2});
        }
}

/// Probes where they are, or free places all over the zones.
std::vector<Vec3> places_in_zones(const CheckScene& scene) {
    std::vector<Vec3> places;
    if (scene.level.placed) {
        for (const ProbePlace& p : *scene.level.placed) places.push_back(p.position);
        return places;
    }
    constexpr std::uint32_t each = 96;
    for (const Zone& zone : scene.level.zones)
        for (const Volume& box : zone.boxes)
            for (std::uint32_t i = 0; i < each; ++i) places.push_back(place_in(box, share_of(0x7a70u, i)));
    std::vector<std::uint8_t> solid(places.size(), 0);
    scene.job.parallel(places.size(), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) solid[i] = scene.space.solid(places[i]);
    });
    std::size_t i = 0;
    std::erase_if(places, [&](Vec3) { return solid[i++] != 0; });
    return places;
}

void check_left_out(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    const ZoneLinks links = link_zones(level, places_in_zones(scene), {}, scene.job);
    std::vector<std::string> names;
    std::size_t partly_in = 0;
    Finding f{.id = "zone-leaves-out", .severity = Severity::warning};
    double most = 0;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        if (links.surface[s] != none || !(scene.facts[s].density > 0)) continue;
        const auto points = scene.points(s, 4, 16, 128);
        std::size_t in = 0;
        SurfacePoint first;
        for (const SurfacePoint& p : points) {
            const Vec3 at = p.at + p.normal * 0.02f;
            if (std::none_of(level.zones.begin(), level.zones.end(),
                             [&](const Zone& z) { return in_boxes(z, at); }))
                continue;
            if (in++ == 0) first = p;
        }
        const double share =
            points.empty() ? 0 : static_cast<double>(in) / static_cast<double>(points.size());
        if (share < partly) continue;
        ++partly_in;
        names.push_back(level.surfaces[s].name);
        if (share <= most) continue;
        most = share;
        f.at = first.at;
        f.facing = first.normal;
    }
    if (partly_in == 0) return;
    f.what = std::to_string(partly_in) + (partly_in == 1 ? " surface lies" : " surfaces lie") +
             " at least partly in a zone's box and " + (partly_in == 1 ? "belongs" : "belong") +
             " to none, so that it does not switch: " + some_of(names, 6) + ".";
    f.remedy = "List them with match in the zone they belong to, or enlarge its box.";
    f.names = names;
    f.measure = most;
    f.limit = partly;
    f.unit = "of a surface in a box";
    f.places = partly_in;
    f.size = 2;
    out.push_back(std::move(f));
}

}  // namespace

void check_probes(const CheckScene& scene, Findings& out) {
    check_volumes(scene, out);
    check_reflection_boxes(scene, out);
}

void check_zones(const CheckScene& scene, Findings& out) {
    if (scene.level.zones.empty()) return;
    check_overlaps(scene, out);
    check_left_out(scene, out);
}

namespace {

/// UnlitLevel that people reach from where cameras stand, spread out; all over the volumes.
std::vector<SurfacePoint> ground_people_reach(const CheckScene& scene) {
    std::vector<Vec3> steps;
    for (const Volume& v : scene.level.volumes) {
        if (v.except) continue;
        try {
            for (const Vec3 p :
                 walkable_ground(scene.level, v, seeds_of(scene.level, v, "volume " + v.name, scene.space)))
                steps.push_back(p);
        } catch (const Error&) {
            // Nothing to walk on: volumes of other rules may be all air.
        }
    }
    std::vector<SurfacePoint> ground;
    const std::size_t each = std::max<std::size_t>(1, steps.size() / most_steps);
    for (std::size_t i = 0; i < steps.size(); i += each) {
        const Hit hit = scene.caster.closest({steps[i] + Vec3{0, 0.5f, 0}, {0, -1, 0}, 1});
        if (hit.surface == none || hit.back) continue;
        ground.push_back({steps[i] + Vec3{0, 0.5f - hit.distance, 0},
                          scene.corners(hit.surface, hit.triangle).normal, hit.surface, hit.triangle});
    }
    return ground;
}

}  // namespace

void check_dark(const CheckScene& scene, Findings& out) {
    const float limit = scene.level.check.least_light;
    if (!(limit > 0) || !scene.looks.known) return;
    const std::vector<SurfacePoint> ground = ground_people_reach(scene);
    for (const std::uint32_t set : scene.plain_sets()) {
        const std::vector<Rgb> quick = glimpse(scene, set, ground, 32, 0x6461726bu);
        std::vector<SurfacePoint> dim;
        for (std::size_t i = 0; i < quick.size(); ++i)
            if (luminance(quick[i]) < 2 * limit) dim.push_back(ground[i]);
        const std::vector<Rgb> sure = glimpse(scene, set, dim, 256, 0x64696du);
        std::size_t dark = 0, darkest = 0;
        for (std::size_t i = 0; i < sure.size(); ++i) {
            if (luminance(sure[i]) < luminance(sure[darkest])) darkest = i;
            dark += luminance(sure[i]) < limit ? 1 : 0;
        }
        if (dark == 0) continue;
        const double lux = static_cast<double>(luminance(sure[darkest]));
        out.push_back(
            {.id = "too-dark",
             .severity = Severity::error,
             .names = {scene.level.sets[set].name, scene.level.surfaces[dim[darkest].surface].name},
             .what = "In set " + scene.level.sets[set].name + " " +
                     percent(static_cast<double>(dark) / static_cast<double>(ground.size())) +
                     " of the ground that people reach is darker than least_lux; the darkest "
                     "place has " +
                     short_text(lux) + " lux.",
             .remedy = "Add a lamp there or raise a gain; without [check] least_lux nothing is too dark.",
             .measure = lux,
             .limit = static_cast<double>(limit),
             .unit = "lux",
             .places = dark,
             .at = dim[darkest].at,
             .facing = dim[darkest].normal,
             .size = 1.5f});
    }
}

}  // namespace stasigraph
