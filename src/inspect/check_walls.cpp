// Walls that stand on a surface whose texels are too large for them, where both sides are lit differently.

#include <algorithm>
#include <cmath>
#include <map>

#include "inspect/check_scene.hpp"
#include "stasigraph/parts.hpp"
#include "trace/walls.hpp"

namespace stasigraph {

namespace {

constexpr float thickest = 0.6f;      ///< Metres; what is thicker holds at three texels per metre.
constexpr float wall_size = 0.5f;     ///< Metres along its foot and up; less is a post or a rail.
constexpr float foot_reach = 5;       ///< Metres from a wall to what it stands on.
constexpr float sheet_width = 0.05f;  ///< Metres to which light mixed beside a sheet is to be kept.
constexpr float apart = 4;            ///< This many times brighter one side has to be,
constexpr float error_apart = 16;     ///< and this many to be seen at a glance;
constexpr float unseen = 0.02f;       ///< and by this share of a set's mean: less is not seen.
constexpr float cell = 2;             ///< Metres within which one place stands for all along a wall.
constexpr int quick_paths = 48, sure_paths = 512;

/// A surface that goes on beneath a wall, on either side of it.
struct Parted {
    std::uint32_t wall = 0, floor = 0;
    Vec3 a, b, normal;    ///< On the floor, metres.
    Vec3 front;           ///< Of the wall.
    float thickness = 0;  ///< Of the wall, metres; 0: a sheet.
    float bright = 0, dark = 0;
    std::string set;
};

/// From a point of a wall through it, and through what overlaps it: the other side, where that is parallel
/// and near. A sheet is its own other side.
bool other_side(const CheckScene& scene, const SurfacePoint& p, Vec3& q) {
    q = p.at;
    const Vec3 in = -p.normal;
    const auto both = [&](std::uint32_t s) { return scene.material(s).double_sided; };
    if (both(p.surface)) return true;
    int solids = scene.caster.solids_around(p.at + in * (2 * ray_start_offset), in);
    if (solids <= 0) return true;
    float gone = ray_start_offset;
    while (gone < thickest) {
        const Hit hit = scene.caster.closest({p.at + in * gone, in, thickest - gone});
        if (hit.surface == none) return false;
        gone += hit.distance;
        if (!both(hit.surface) && !scene.caster.is_glass(hit.surface)) solids += hit.back ? -1 : 1;
        if (solids == 0) {
            q = p.at + in * gone;
            return dot(scene.corners(hit.surface, hit.triangle).normal, in) > 0.95f;
        }
        gone += ray_start_offset;
    }
    return false;
}

/// Whether what stands between two places of a floor is a wall and no post: as long as that, and as high.
bool is_wall(const RayCaster& caster, Vec3 a, Vec3 b, Vec3 normal) {
    const Vec3 along = normalize(cross(b - a, normal));
    const auto parts = [&](Vec3 by) { return wall_between(caster, a + by, b + by) >= 0; };
    for (const float height : {0.3f * wall_size, 0.6f * wall_size, wall_size})
        if (!parts(normal * height)) return false;
    const Vec3 lift = normal * 0.05f;
    const float half = 0.5f * wall_size;
    const bool before = parts(lift - along * half), after = parts(lift + along * half);
    return (before && after) || (before && parts(lift - along * wall_size)) ||
           (after && parts(lift + along * wall_size));
}

/// What both sides of a wall stand on, seen along one way in its plane.
bool stands_on(const CheckScene& scene, const SurfacePoint& p, Vec3 q, Vec3 down, Parted& found) {
    const float density = scene.level.lightmap.density * tier_options(scene.level.quality).density_scale;
    const float off = std::max(0.02f, 0.5f / density);
    const Vec3 from[2] = {p.at + p.normal * off, q - p.normal * off};
    Hit hit[2];
    Vec3 at[2];
    for (int k = 0; k < 2; ++k) {
        const Vec3 start = k == 0 ? p.at + p.normal * ray_start_offset : q - p.normal * ray_start_offset;
        const Vec3 out = k == 0 ? p.normal : -p.normal;
        if (scene.caster.closest({start, out, off}).surface != none) return false;
        hit[k] = scene.caster.closest({from[k], down, foot_reach});
        if (hit[k].surface == none || hit[k].back || scene.caster.is_glass(hit[k].surface)) return false;
        at[k] = from[k] + down * hit[k].distance;
    }
    const std::uint32_t floor = hit[0].surface;
    if (hit[1].surface != floor || !(scene.facts[floor].density > 0)) return false;
    const Vec3 n = scene.corners(floor, hit[0].triangle).normal,
               m = scene.corners(floor, hit[1].triangle).normal;
    if (dot(n, m) < 0.999f || std::abs(dot(at[1] - at[0], n)) > 0.01f) return false;
    if (std::abs(dot(n, p.normal)) > 0.3f) return false;
    const Vec3 lift = n * 0.01f;
    const float wall = wall_between(scene.caster, at[0] + lift, at[1] + lift);
    const float own = scene.facts[floor].density;
    if (wall < 0 || wall * own >= 2 || (wall == 0 && own * sheet_width >= 1)) return false;
    if (!is_wall(scene.caster, at[0], at[1], n)) return false;
    for (const Vec3 place : at)
        if (!scene.seen(place + n * 0.03f, n)) return false;  // nobody sees what is inside of something
    found = {.wall = p.surface,
             .floor = floor,
             .a = at[0],
             .b = at[1],
             .normal = n,
             .front = p.normal,
             .thickness = wall};
    return true;
}

std::vector<Parted> find_parted(const CheckScene& scene) {
    const std::size_t surfaces = scene.level.surfaces.size();
    std::vector<std::vector<Parted>> found(surfaces);
    scene.job.parallel(surfaces, 1, [&](std::size_t i, std::size_t) {
        const auto s = static_cast<std::uint32_t>(i);
        if (scene.level.surfaces[s].part == Part::moving || scene.caster.is_glass(s)) return;
        for (const SurfacePoint& p : scene.points(s, 2, 12, 256)) {
            Vec3 q;
            if (!other_side(scene, p, q)) continue;
            const Frame frame(p.normal);
            // Down and up along a wall first, then along it.
            Vec3 up = Vec3{0, 1, 0} - p.normal * p.normal.y;
            up = length(up) > 0.1f ? normalize(up) : frame.tangent;
            const Vec3 along = cross(up, p.normal);
            for (const Vec3 way : {-up, up, along, -along})
                if (Parted parted; stands_on(scene, p, q, way, parted)) found[i].push_back(parted);
        }
    });
    // One place for each wall, floor and cell.
    struct Key {
        std::uint32_t wall, floor;
        int x, y, z;
        auto operator<=>(const Key&) const = default;
    };
    std::map<Key, Parted> kept;
    for (const auto& list : found)
        for (const Parted& p : list) {
            const auto at = [](float v) { return static_cast<int>(std::floor(v / cell)); };
            const auto [place, fresh] =
                kept.try_emplace({p.wall, p.floor, at(p.a.x), at(p.a.y), at(p.a.z)}, p);
            if (!fresh && p.thickness < place->second.thickness) place->second = p;
        }
    std::vector<Parted> all;
    for (const auto& [key, p] : kept) all.push_back(p);
    return all;
}

/// Mean light of a set over all that has a lightmap, lux.
float mean_light(const CheckScene& scene, std::uint32_t set) {
    std::vector<SurfacePoint> points;
    std::vector<double> weight;
    for (std::uint32_t s = 0; s < scene.facts.size(); ++s) {
        if (!(scene.facts[s].density > 0)) continue;
        const auto own = scene.points(s, 0.05, 1, 16);
        for (const SurfacePoint& p : own) {
            points.push_back(p);
            weight.push_back(scene.facts[s].area / static_cast<double>(own.size()));
        }
    }
    const std::vector<Rgb> light = glimpse(scene, set, points, 8, 0x6d65616eu);
    double sum = 0, all = 0;
    for (std::size_t i = 0; i < light.size(); ++i) {
        sum += weight[i] * static_cast<double>(luminance(light[i]));
        all += weight[i];
    }
    return all > 0 ? static_cast<float>(sum / all) : 0;
}

bool differs(float a, float b, float mean) {
    const float bright = std::max(a, b), dark = std::min(a, b);
    return bright > apart * dark && bright - dark > unseen * mean;
}

/// Looks quickly at all, and again at those that seem to part light.
void light_sides(const CheckScene& scene, std::vector<Parted>& parted) {
    for (const std::uint32_t set : scene.plain_sets()) {
        const float mean = mean_light(scene, set);
        std::vector<std::uint32_t> some(parted.size());
        for (std::uint32_t i = 0; i < some.size(); ++i) some[i] = i;
        for (const int paths : {quick_paths, sure_paths}) {
            std::vector<SurfacePoint> points;
            for (const std::uint32_t i : some)
                for (const Vec3 at : {parted[i].a, parted[i].b})
                    points.push_back({at, parted[i].normal, parted[i].floor, 0});
            const std::vector<Rgb> light =
                glimpse(scene, set, points, paths, 0x73696465u + static_cast<std::uint32_t>(paths));
            std::vector<std::uint32_t> left;
            for (std::size_t k = 0; k < some.size(); ++k) {
                const float a = luminance(light[2 * k]), b = luminance(light[2 * k + 1]);
                if (!differs(a, b, mean)) continue;
                left.push_back(some[k]);
                Parted& p = parted[some[k]];
                const float bright = std::max(a, b), dark = std::max(std::min(a, b), 1e-3f * mean);
                if (paths == quick_paths || !(bright * p.dark > p.bright * dark || p.set.empty())) continue;
                p.bright = bright;
                p.dark = dark;
                p.set = scene.level.sets[set].name;
                if (a < b) std::swap(p.a, p.b);
            }
            some = std::move(left);
        }
    }
    std::erase_if(parted, [](const Parted& p) { return p.set.empty(); });
}

/// The surface of a level in parts that a place of one of its surfaces lies on; none where that is covered.
std::uint32_t part_at(const Level& cut, const std::vector<std::uint32_t>& parts, Vec3 place) {
    constexpr float reach = 2e-3f;
    for (const std::uint32_t s : parts) {
        const Surface& surface = cut.surfaces[s];
        const Mesh& mesh = cut.meshes[surface.mesh];
        for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
            if (mesh.is_covered(t)) continue;
            const auto at = [&](std::uint32_t k) {
                return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
            };
            const Vec3 a = at(0), b = at(1), c = at(2), n = cross(b - a, c - a);
            const float l = length(n);
            if (!(l > 0) || std::abs(dot(place - a, n)) > reach * l) continue;
            const float u = dot(cross(c - b, place - b), n), v = dot(cross(a - c, place - c), n),
                        w = dot(cross(b - a, place - a), n);
            if (std::min({u, v, w}) >= -reach * l) return s;
        }
    }
    return none;
}

/// Where a bake cuts a surface along the wall, nothing is wrong.
void leave_out_cut(const CheckScene& scene, std::vector<Parted>& parted) {
    if (parted.empty() || scene.level.lightmap.cut == Cut::off) return;
    Level cut = scene.level;
    if (part_surfaces(cut, scene.job).parts == 0) return;
    std::vector<std::vector<std::uint32_t>> parts(scene.level.surfaces.size());
    for (std::uint32_t s = 0; s < cut.surfaces.size(); ++s) {
        const std::uint32_t of = s < parts.size() ? s : cut.surfaces[s].part_of;
        if (of != none) parts[of].push_back(s);
    }
    std::erase_if(parted, [&](const Parted& p) {
        const std::uint32_t a = part_at(cut, parts[p.floor], p.a), b = part_at(cut, parts[p.floor], p.b);
        return a != none && b != none && a != b;
    });
}

}  // namespace

void check_walls(const CheckScene& scene, Findings& out) {
    std::vector<Parted> parted = find_parted(scene);
    leave_out_cut(scene, parted);
    light_sides(scene, parted);
    std::map<std::pair<std::uint32_t, std::uint32_t>, Parted> worst;
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> places;
    for (const Parted& p : parted) {
        const std::pair key(p.wall, p.floor);
        ++places[key];
        const auto [at, fresh] = worst.try_emplace(key, p);
        if (!fresh && p.bright * at->second.dark > at->second.bright * p.dark) at->second = p;
    }
    const auto number = [](float v) { return short_text(static_cast<double>(v)); };
    for (const auto& [key, p] : worst) {
        const std::string wall = scene.level.surfaces[p.wall].name,
                          floor = scene.level.surfaces[p.floor].name;
        const float density = scene.facts[p.floor].density, enough = 2 / density;
        const bool is_sheet = p.thickness == 0;
        const float needed =
            (is_sheet ? 1 / sheet_width : 2 / p.thickness) / density * scene.level.surfaces[p.floor].density;
        out.push_back(
            {.id = is_sheet ? "sheet-wall" : "thin-wall",
             .severity = p.bright > error_apart * p.dark ? Severity::error : Severity::warning,
             .names = {wall, floor},
             .what = wall + (is_sheet ? " has no thickness" : " is " + number(p.thickness) + " m thick") +
                     " and parts " + number(p.bright) + " from " + number(p.dark) + " lux (set " + p.set +
                     ") on " + floor + ", whose texels are " + number(100 / density) +
                     " cm: light shows on the dark side.",
             .remedy = "Make it " + number(enough) + " m thick or more, end " + floor +
                       " beneath it, or give " + floor + " density = " + number(needed * 1.01f) + ".",
             .measure = static_cast<double>(p.thickness),
             .limit = static_cast<double>(enough),
             .unit = "m",
             .places = places[key],
             .at = (p.a + p.b) * 0.5f + p.normal * 0.02f,
             // The dark side; of a sheet the one from which it is drawn.
             .facing = normalize(p.normal + (is_sheet ? p.front : normalize(p.b - p.a))),
             .size = 0.6f});
    }
}

}  // namespace stasigraph
