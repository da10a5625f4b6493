#include "inspect/check_scene.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/random.hpp"
#include "base/text.hpp"
#include "light/path_tracer.hpp"
#include "trace/even_points.hpp"

namespace stasigraph {

namespace {

/// From each volume, and rays from each place. More find smaller things that nobody sees, and take longer.
constexpr std::uint32_t places_per_volume = 192, places_per_zone_box = 16, rays_per_place = 1024;
constexpr std::uint32_t places_anywhere = 128;  ///< Where there is neither a volume nor a camera.
constexpr std::uint32_t points_per_surface = 64;

std::vector<SurfaceFacts> facts_of(const Level& level) {
    const float scale = tier_options(level.quality).density_scale;
    std::vector<SurfaceFacts> facts(level.surfaces.size());
    for (std::uint32_t s = 0; s < facts.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        const auto count = static_cast<std::uint32_t>(level.meshes[surface.mesh]->triangle_count());
        for (std::uint32_t t = 0; t < count; ++t) {
            const RayCaster::Corners c = world_corners(level, s, t);
            facts[s].area += 0.5 * static_cast<double>(length(cross(c.b - c.a, c.c - c.a)));
            for (const Vec3 p : {c.a, c.b, c.c}) facts[s].box.add(p);
        }
        if (surface.part == Part::still && surface.lit_by == LitBy::lightmap)
            facts[s].density = level.lightmap.density * surface.density * scale;
    }
    return facts;
}

/// Under what some volume calls its floor: earth between buildings is not solid by what is modelled of it.
bool beneath_floor(const CheckScene& scene, Vec3 place) {
    const Hit above = scene.caster.closest({place, {0, 1, 0}});
    if (above.surface == none || !above.back) return false;
    const Surface& s = scene.level.surfaces[above.surface];
    return std::any_of(scene.level.volumes.begin(), scene.level.volumes.end(), [&](const Volume& v) {
        return !v.floor.empty() && (glob_match(v.floor, s.node) || glob_match(v.floor, s.name));
    });
}

/// Volumes that are filled by exploring hold places for people where those can be reached by sight from their
/// seeds or from cameras; a void under a stair is none. Other volumes are wanted wherever they are free.
void keep_reached(const CheckScene& scene, const std::vector<Vec3>& at,
                  const std::vector<std::uint32_t>& volume, std::vector<std::uint8_t>& free) {
    const Level& level = scene.level;
    std::vector<Vec3> reached;
    for (const Camera& c : level.cameras)
        if (!scene.space.solid(c.eye)) reached.push_back(c.eye);
    for (const Volume& v : level.volumes) reached.insert(reached.end(), v.seeds.begin(), v.seeds.end());
    if (reached.empty()) return;
    const auto explored = [&](std::size_t i) {
        if (volume[i] == none) return true;  // cameras reach themselves, boxes of zones what they may
        const Volume& v = level.volumes[volume[i]];
        return v.has(ProbeRule::explore) && !v.has(ProbeRule::lattice);
    };
    std::vector<std::uint8_t> known(at.size(), 0);
    for (std::size_t next = 0; next < reached.size(); ++next)
        for (std::size_t i = 0; i < at.size(); ++i)
            if (free[i] && !known[i] && scene.space.sees(reached[next], at[i])) {
                known[i] = 1;
                reached.push_back(at[i]);
            }
    for (std::size_t i = 0; i < at.size(); ++i)
        if (explored(i) && !known[i]) free[i] = 0;
}

/// Candidates, of which those inside of something are no places.
void find_places(const CheckScene& scene, Looks& looks) {
    const Level& level = scene.level;
    std::vector<Vec3> candidates;
    std::vector<std::uint32_t> volume;
    const auto add = [&](Vec3 at, std::uint32_t v) {
        candidates.push_back(at);
        volume.push_back(v);
    };
    for (std::uint32_t v = 0; v < level.volumes.size(); ++v)
        for (std::uint32_t i = 0; i < places_per_volume && !level.volumes[v].except; ++i)
            if (const Vec3 at = place_in(level.volumes[v], share_of(v + 0x706c6163u, i));
                holds(level.volumes[v], at))
                add(at, v);
    for (std::uint32_t z = 0; z < level.zones.size(); ++z)
        for (const Volume& box : level.zones[z].boxes)
            for (std::uint32_t i = 0; i < places_per_zone_box && !level.volumes.empty(); ++i)
                add(place_in(box, share_of(z + 0x7a6f6eu, i)), none);
    for (const Camera& c : level.cameras) add(c.eye, none);
    looks.known = !candidates.empty();
    if (!looks.known && !scene.bounds.empty())
        for (std::uint32_t i = 0; i < places_anywhere; ++i) {
            const Vec3 share = share_of(0x616e7977u, i), size = scene.bounds.half() * 2;
            add(scene.bounds.low + Vec3{share.x * size.x, share.y * size.y, share.z * size.z}, none);
        }
    std::vector<std::uint8_t> free(candidates.size(), 0);
    scene.job.parallel(free.size(), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            free[i] = !beneath_floor(scene, candidates[i]) && !scene.space.solid(candidates[i]);
    });
    keep_reached(scene, candidates, volume, free);
    for (std::size_t i = 0; i < free.size(); ++i)
        if (free[i]) {
            looks.places.push_back(candidates[i]);
            looks.volume.push_back(volume[i]);
        }
}

void look_around(const CheckScene& scene, Looks& looks) {
    const std::size_t surfaces = scene.level.surfaces.size();
    looks.fronts.assign(surfaces, 0);
    looks.backs.assign(surfaces, 0);
    for (const Surface& s : scene.level.surfaces)
        looks.from_behind.emplace_back(scene.level.meshes[s.mesh]->triangle_count(), std::uint8_t{0});
    std::vector<std::vector<Hit>> hits(looks.places.size());
    scene.job.parallel(hits.size(), 1, [&](std::size_t i, std::size_t) {
        for (std::uint32_t r = 0; r < rays_per_place; ++r) {
            const Vec3 way =
                sphere_direction(sobol_point(combine_bits(static_cast<std::uint32_t>(i), 0x6c6f6fu), r));
            if (const Hit hit = scene.caster.closest({looks.places[i], way}); hit.surface != none)
                hits[i].push_back(hit);
        }
    });
    for (const auto& list : hits)
        for (const Hit& hit : list) {
            const bool back = hit.back && !scene.material(hit.surface).double_sided;
            ++(back ? looks.backs : looks.fronts)[hit.surface];
            if (back) looks.from_behind[hit.surface][hit.triangle] = 1;
        }
}

Box bounds_of_still(const Level& level, const std::vector<SurfaceFacts>& facts) {
    Box box;
    for (std::size_t s = 0; s < facts.size(); ++s)
        if (level.surfaces[s].part == Part::still && !facts[s].box.empty()) box.add(facts[s].box);
    return box;
}

}  // namespace

Vec3 share_of(std::uint32_t seed, std::uint32_t i) {
    const Vec2 flat = sobol_point(seed, i);
    return {flat.x, unit_float(combine_bits(i, seed)), flat.y};
}

RayCaster::Corners world_corners(const Level& level, std::uint32_t s, std::uint32_t triangle) {
    const Surface& surface = level.surfaces[s];
    const Mesh& mesh = level.meshes[surface.mesh];
    const auto corner = [&](std::size_t k) {
        return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * std::size_t{triangle} + k]]);
    };
    RayCaster::Corners c{corner(0), corner(1), corner(2), {}};
    c.normal = normalize(cross(c.b - c.a, c.c - c.a)) * (determinant(surface.to_world) < 0 ? -1.0f : 1.0f);
    return c;
}

CheckScene::CheckScene(const Level& l, Job& j)
    : level(l),
      job(j),
      textures(l),
      caster(l, textures, [](const Surface& s) { return s.part != Part::moving; }),
      space(l, caster),
      facts(facts_of(l)),
      bounds(bounds_of_still(l, facts)) {
    find_places(*this, looks);
    look_around(*this, looks);
}

std::vector<SurfacePoint> CheckScene::points(std::uint32_t s, double per_m2, std::size_t least,
                                             std::size_t most) const {
    const auto count = static_cast<std::uint32_t>(level.meshes[level.surfaces[s].mesh]->triangle_count());
    const double area = facts[s].area;
    std::vector<SurfacePoint> out;
    if (!(area > 0)) return out;
    const double wanted =
        std::clamp(std::ceil(area * per_m2), static_cast<double>(least), static_cast<double>(most));
    for_even_points(
        count, wanted, [&](std::size_t t) { return corners(s, static_cast<std::uint32_t>(t)); },
        [&](Vec3 at, const RayCaster::Corners& c, std::size_t t) {
            out.push_back({at, c.normal, s, static_cast<std::uint32_t>(t)});
            return false;
        });
    return out;
}

bool CheckScene::seen(Vec3 at, Vec3 normal) const {
    std::vector<std::pair<float, std::uint32_t>> near;
    for (std::uint32_t i = 0; i < looks.places.size(); ++i)
        if (const Vec3 d = looks.places[i] - at; dot(d, normal) > 0) near.push_back({dot(d, d), i});
    std::sort(near.begin(), near.end());
    for (const auto& [square, i] : near) {
        const float far = std::sqrt(square);
        const Vec3 way = (looks.places[i] - at) * (1 / far);
        if (!caster.blocked({at + normal * ray_start_offset, way, far})) return true;
    }
    return looks.places.empty();
}

bool CheckScene::seen(std::uint32_t s) const {
    if (looks.fronts[s] > 0) return true;
    for (const SurfacePoint& p : points(s, 4, 8, points_per_surface))
        if (seen(p.at, p.normal) || (material(s).double_sided && seen(p.at, -p.normal))) return true;
    return false;
}

std::vector<std::uint32_t> CheckScene::plain_sets() const {
    std::vector<std::uint32_t> sets;
    for (std::uint32_t i = 0; i < level.sets.size(); ++i)
        if (level.sets[i].step == none && level.sets[i].layer == none) sets.push_back(i);
    return sets;
}

std::vector<Rgb> glimpse(const CheckScene& scene, std::uint32_t set, const std::vector<SurfacePoint>& points,
                         int paths, std::uint32_t seed) {
    const PathTracer tracer(scene.level, set, scene.textures, scene.caster);
    std::vector<Rgb> light(points.size());
    scene.job.parallel(points.size(), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const ReferenceLight e =
                tracer.irradiance(surface_receiver(points[i].at, points[i].normal, points[i].normal),
                                  {.paths = paths, .bounces = -1, .seed = seed},
                                  combine_bits(seed, static_cast<std::uint32_t>(i)));
            light[i] = e.direct + e.bounced;
        }
    });
    return light;
}

ShownSurface show_surface(const CheckScene& scene, std::uint32_t s) {
    constexpr float small = 4;  // metres
    const Box& box = scene.facts[s].box;
    const float size = std::max(0.2f, 2 * length(box.half()));
    const std::vector<SurfacePoint> points = scene.points(s, 1, 1, 16);
    if (points.empty()) return {box.middle(), {}, std::min(size, small)};
    std::size_t best = 0, most = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
        std::size_t seen = 0;
        for (std::size_t p = 0; p < scene.looks.places.size(); p += 8) {
            const Vec3 d = scene.looks.places[p] - points[i].at;
            const float far = length(d);
            if (dot(d, points[i].normal) <= 0) continue;
            seen += !scene.caster.blocked(
                {points[i].at + points[i].normal * ray_start_offset, d * (1 / far), far});
        }
        if (seen <= most) continue;
        most = seen;
        best = i;
    }
    return {size < small ? box.middle() : points[best].at, points[best].normal, std::min(size, small)};
}

std::string short_text(double value) {
    char text[32];
    const double size = std::abs(value);
    std::snprintf(text, sizeof text, size >= 100 || size == 0 ? "%.0f" : "%.3g", value);
    return text;
}

std::string some_of(const std::vector<std::string>& names, std::size_t most) {
    std::string text;
    for (std::size_t i = 0; i < names.size() && i < most; ++i) text += (i ? ", " : "") + names[i];
    if (names.size() > most) text += " and " + std::to_string(names.size() - most) + " more";
    return text;
}

}  // namespace stasigraph
