// Faces that look the wrong way, and faces in one place.

#include <algorithm>
#include <array>
#include <map>
#include <numeric>

#include "inspect/check_scene.hpp"

namespace stasigraph {

namespace {

/// Rays that have to meet a surface from behind, and none from the front, before it counts as turned.
constexpr std::uint32_t backs_enough = 24;
/// Two faces this close flicker, metres: about what depth buffers can tell apart at a distance of ten metres.
constexpr float one_place = 0.0005f;
/// Of a surface's points, those in one place with others' that are no chance touch.
constexpr double doubled_share = 0.9;
constexpr double least_doubled = 0.02;  ///< Square metres.

/// Triangles of a mesh on whose edges both sides run the same way, against most of their piece.
std::vector<std::uint32_t> turned_triangles(const Mesh& mesh) {
    struct Less {
        bool operator()(Vec3 a, Vec3 b) const { return std::tie(a.x, a.y, a.z) < std::tie(b.x, b.y, b.z); }
    };
    const std::size_t count = mesh.triangle_count();
    std::map<Vec3, std::uint32_t, Less> number;
    std::vector<std::uint32_t> corner(3 * count);
    for (std::size_t c = 0; c < corner.size(); ++c)
        corner[c] =
            number.try_emplace(mesh.positions[mesh.indices[c]], static_cast<std::uint32_t>(number.size()))
                .first->second;
    struct Side {
        std::uint32_t low, high, triangle;
        bool up;
    };
    std::vector<Side> sides;
    for (std::uint32_t c = 0; c < corner.size(); ++c) {
        const std::uint32_t a = corner[c], b = corner[c % 3 == 2 ? c - 2 : c + 1];
        if (a != b) sides.push_back({std::min(a, b), std::max(a, b), c / 3, a < b});
    }
    std::sort(sides.begin(), sides.end(), [](const Side& x, const Side& y) {
        return std::tie(x.low, x.high, x.triangle) < std::tie(y.low, y.high, y.triangle);
    });
    // Neighbours over edges of exactly two triangles; `flip`: the two wind differently.
    std::vector<std::vector<std::pair<std::uint32_t, bool>>> beside(count);
    for (std::size_t i = 0; i + 1 < sides.size();) {
        std::size_t end = i + 1;
        while (end < sides.size() && sides[end].low == sides[i].low && sides[end].high == sides[i].high)
            ++end;
        if (end - i == 2) {
            const bool flip = sides[i].up == sides[i + 1].up;
            beside[sides[i].triangle].push_back({sides[i + 1].triangle, flip});
            beside[sides[i + 1].triangle].push_back({sides[i].triangle, flip});
        }
        i = end;
    }
    std::vector<int> way(count, 0);
    std::vector<std::uint32_t> turned;
    for (std::uint32_t first = 0; first < count; ++first) {
        if (way[first] != 0) continue;
        std::vector<std::uint32_t> piece{first};
        way[first] = 1;
        bool sound = true;  // a strip with a twist has no side
        for (std::size_t k = 0; k < piece.size(); ++k)
            for (const auto& [n, flip] : beside[piece[k]]) {
                const int wanted = flip ? -way[piece[k]] : way[piece[k]];
                if (way[n] == 0) {
                    way[n] = wanted;
                    piece.push_back(n);
                } else {
                    sound = sound && way[n] == wanted;
                }
            }
        const auto ups = std::count_if(piece.begin(), piece.end(), [&](auto t) { return way[t] > 0; });
        const int less = 2 * ups > static_cast<std::ptrdiff_t>(piece.size()) ? -1 : 1;
        for (const std::uint32_t t : piece)
            if (sound && way[t] == less) turned.push_back(t);
    }
    return turned;
}

Finding turned_finding(const CheckScene& scene, std::uint32_t s, const std::vector<std::uint32_t>& triangles,
                       const std::string& how) {
    double area = 0, most = 0;
    Finding f{.id = "flipped-faces", .severity = Severity::error, .names = {scene.level.surfaces[s].name}};
    for (const std::uint32_t t : triangles) {
        const RayCaster::Corners c = scene.corners(s, t);
        const double own = 0.5 * static_cast<double>(length(cross(c.b - c.a, c.c - c.a)));
        area += own;
        if (own <= most) continue;
        most = own;
        f.at = (c.a + c.b + c.c) * (1.0f / 3);
        f.facing = -c.normal;
        f.size = std::clamp(static_cast<float>(std::sqrt(own)), 0.2f, 3.0f);
    }
    f.what = how;
    f.remedy = "Turn the faces in the modelling program, or make their material double-sided.";
    f.measure = area;
    f.unit = "m2";
    f.places = triangles.size();
    return f;
}

void check_turned(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    std::map<std::uint32_t, std::vector<std::uint32_t>> by_mesh;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        if (scene.material(s).double_sided || level.surfaces[s].part == Part::moving) continue;
        const auto [at, fresh] = by_mesh.try_emplace(level.surfaces[s].mesh);
        if (fresh) at->second = turned_triangles(level.meshes[level.surfaces[s].mesh]);
        if (!at->second.empty()) {
            out.push_back(turned_finding(scene, s, at->second,
                                         std::to_string(at->second.size()) + " triangles of " +
                                             level.surfaces[s].name +
                                             " wind against those around them: they are black, and "
                                             "games do not draw them."));
            continue;
        }
        if (level.surfaces[s].part != Part::still || scene.looks.fronts[s] > 0 ||
            scene.looks.backs[s] < backs_enough)
            continue;
        std::vector<std::uint32_t> triangles;
        for (std::uint32_t t = 0; t < scene.looks.from_behind[s].size(); ++t)
            if (scene.looks.from_behind[s][t]) triangles.push_back(t);
        out.push_back(turned_finding(scene, s, triangles,
                                     level.surfaces[s].name + " is met from behind alone: from where people "
                                                              "are it is black, and games do not draw it."));
    }
}

/// What lies in one place with a point, facing the same way; none where nothing does.
std::uint32_t doubled_by(const CheckScene& scene, const SurfacePoint& p) {
    constexpr float lift = 0.002f;
    const Hit hit = scene.caster.closest({p.at + p.normal * lift, -p.normal, lift + one_place});
    if (hit.surface == none || hit.back || (hit.surface == p.surface && hit.triangle == p.triangle))
        return none;
    if (std::abs(hit.distance - lift) > one_place) return none;
    const RayCaster::Corners c = scene.corners(hit.surface, hit.triangle);
    return dot(c.normal, p.normal) > 0.999f ? hit.surface : none;
}

void check_doubled(const CheckScene& scene, Findings& out) {
    const Level& level = scene.level;
    struct Pair {
        std::size_t places = 0;  ///< That somebody can see: not where two things stand on each other.
        double share[2] = {0, 0}, area = 0;  ///< Of each of the two.
        SurfacePoint at;
    };
    std::map<std::pair<std::uint32_t, std::uint32_t>, Pair> pairs;
    std::vector<std::vector<std::pair<std::uint32_t, SurfacePoint>>> found(level.surfaces.size());
    std::vector<std::size_t> asked(level.surfaces.size(), 0);
    scene.job.parallel(found.size(), 1, [&](std::size_t i, std::size_t) {
        const auto s = static_cast<std::uint32_t>(i);
        if (level.surfaces[s].part != Part::still || scene.caster.is_glass(s)) return;
        const auto points = scene.points(s, 4, 16, 512);
        asked[s] = points.size();
        for (const SurfacePoint& p : points)
            if (const std::uint32_t other = doubled_by(scene, p); other != none)
                found[s].push_back({other, p});
    });
    for (std::uint32_t s = 0; s < found.size(); ++s)
        for (const auto& [other, p] : found[s]) {
            Pair& pair = pairs[std::pair(std::min(s, other), std::max(s, other))];
            const double each = 1 / static_cast<double>(asked[s]);
            pair.share[s < other ? 0 : 1] += each;
            if (!scene.seen(p.at + p.normal * 0.01f, p.normal)) continue;
            if (pair.places++ == 0) pair.at = p;
            pair.area += each * scene.facts[s].area;
        }
    for (const auto& [key, pair] : pairs) {
        if (pair.places < 2 || pair.area < least_doubled) continue;
        const bool all = std::max(pair.share[0], pair.share[1]) > doubled_share;
        // Of one material they differ in their light alone.
        const bool same = level.surfaces[key.first].material == level.surfaces[key.second].material;
        const std::string a = level.surfaces[key.first].name, b = level.surfaces[key.second].name;
        out.push_back({.id = "coplanar-faces",
                       .severity = all    ? Severity::error
                                   : same ? Severity::hint
                                          : Severity::warning,
                       .names = {a, b},
                       .what = (all ? a + " and " + b + " lie in one place"
                                    : "Parts of " + a + " and " + b + " lie in one place") +
                               ": they flicker in a game, and each shadows the other in a bake.",
                       .remedy = all ? "Delete one of them." : "Cut away what is covered, or move it 1 mm.",
                       .measure = pair.area,
                       .unit = "m2",
                       .places = pair.places,
                       .at = pair.at.at,
                       .facing = pair.at.normal,
                       .size = std::clamp(static_cast<float>(std::sqrt(pair.area)), 0.2f, 2.0f)});
    }
}

}  // namespace

void check_faces(const CheckScene& scene, Findings& out) {
    check_turned(scene, out);
    check_doubled(scene, out);
}

}  // namespace stasigraph
