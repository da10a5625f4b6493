// The rule `walkable`: ground by Recast's voxels, spread out along the ways over it.

#include <recastnavigation/Recast.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

#include "probe/candidates.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr double most_columns = 4e6;
/// Ground that nobody is known to reach counts where there is this much of it, square metres.
constexpr float least_ground = 2;
/// How far over ground a seed may be, metres.
constexpr float seed_drop = 4;

struct Soup {
    std::vector<float> vertices;
    std::vector<int> triangles;
};

/// Static triangles that come near a box.
Soup triangles_in(const Level& level, Vec3 low, Vec3 high) {
    Soup soup;
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving) continue;
        const Mesh& mesh = level.meshes[s.mesh];
        const bool mirrored = determinant(s.to_world) < 0;
        for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
            Vec3 p[3];
            for (int k = 0; k < 3; ++k)
                p[k] = transform_point(s.to_world, mesh.positions[mesh.indices[3 * t + k]]);
            const Vec3 a = min(p[0], min(p[1], p[2])), b = max(p[0], max(p[1], p[2]));
            if (b.x < low.x || b.y < low.y || b.z < low.z || a.x > high.x || a.y > high.y || a.z > high.z)
                continue;
            if (mirrored) std::swap(p[1], p[2]);
            for (const Vec3 v : p) {
                soup.triangles.push_back(static_cast<int>(soup.vertices.size() / 3));
                soup.vertices.insert(soup.vertices.end(), {v.x, v.y, v.z});
            }
        }
    }
    return soup;
}

struct Ways {
    std::vector<Vec3> place;
    std::vector<std::array<std::uint32_t, 4>> beside;  ///< none where there is no way.
    float cell = 0;
};

[[noreturn]] void fail(const Volume& v) {
    throw Error{.what = "walkable ground could not be found",
                .where = "volume " + v.name,
                .value = "",
                .remedy = "It may need more memory than there is: use a smaller volume."};
}

/// How ground is looked for in a volume: as fine as its figure is narrow.
rcConfig config_of(const Figure& figure, Vec3 low, Vec3 high) {
    const Vec3 size = high - low;
    rcConfig c{};
    const double area = static_cast<double>(size.x) * static_cast<double>(size.z);
    c.cs = std::max({figure.radius / 2, 0.08f, static_cast<float>(std::sqrt(area / most_columns))});
    c.ch = std::max({c.cs / 2, size.y / 8000});
    c.walkableHeight = std::max(3, static_cast<int>(std::ceil(figure.height / c.ch)));
    c.walkableClimb = static_cast<int>(std::floor(figure.step / c.ch));
    c.walkableRadius = static_cast<int>(std::ceil(figure.radius / c.cs));
    c.walkableSlopeAngle = figure.slope * 180 / pi;
    const float bounds[2][3] = {{low.x, low.y, low.z}, {high.x, high.y, high.z}};
    rcCalcGridSize(bounds[0], bounds[1], c.cs, &c.width, &c.height);
    return c;
}

/// Numbers what can be walked on, and joins it to what is beside it.
void add_ways(const rcConfig& c, Vec3 low, const rcCompactHeightfield& compact, Ways& ways) {
    const auto for_spans = [&](auto&& f) {
        for (int z = 0; z < c.height; ++z)
            for (int x = 0; x < c.width; ++x) {
                const rcCompactCell& cell = compact.cells[x + z * c.width];
                for (unsigned i = cell.index, end = i + cell.count; i < end; ++i) f(x, z, i);
            }
    };
    std::vector<std::uint32_t> number(static_cast<std::size_t>(compact.spanCount), none);
    for_spans([&](int x, int z, unsigned i) {
        if (compact.areas[i] == RC_NULL_AREA) return;
        number[i] = static_cast<std::uint32_t>(ways.place.size());
        ways.place.push_back({low.x + (static_cast<float>(x) + 0.5f) * c.cs,
                              low.y + static_cast<float>(compact.spans[i].y) * c.ch,
                              low.z + (static_cast<float>(z) + 0.5f) * c.cs});
    });
    ways.beside.assign(ways.place.size(), {none, none, none, none});
    for_spans([&](int x, int z, unsigned i) {
        if (number[i] == none) return;
        for (int d = 0; d < 4; ++d) {
            const int con = rcGetCon(compact.spans[i], d);
            if (con == RC_NOT_CONNECTED) continue;
            const int nx = x + rcGetDirOffsetX(d), nz = z + rcGetDirOffsetY(d);
            ways.beside[number[i]][static_cast<std::size_t>(d)] =
                number[compact.cells[nx + nz * c.width].index + static_cast<unsigned>(con)];
        }
    });
}

Ways find_ways(const Level& level, const Volume& volume) {
    auto [low, high] = bounds_of(volume);
    low.y -= *std::max_element(volume.heights.begin(), volume.heights.end()) + 0.5f;
    high.y += volume.figure.height;
    const rcConfig c = config_of(volume.figure, low, high);
    const float bounds[2][3] = {{low.x, low.y, low.z}, {high.x, high.y, high.z}};
    const Soup soup = triangles_in(level, low, high);
    Ways ways;
    ways.cell = c.cs;
    const int triangles = static_cast<int>(soup.triangles.size() / 3);
    if (triangles == 0) return ways;
    rcContext context(false);
    const std::unique_ptr<rcHeightfield, void (*)(rcHeightfield*)> field(rcAllocHeightfield(),
                                                                         rcFreeHeightField);
    const std::unique_ptr<rcCompactHeightfield, void (*)(rcCompactHeightfield*)> compact(
        rcAllocCompactHeightfield(), rcFreeCompactHeightfield);
    std::vector<unsigned char> areas(static_cast<std::size_t>(triangles), 0);
    const int vertices = static_cast<int>(soup.vertices.size() / 3);
    if (!field || !compact ||
        !rcCreateHeightfield(&context, *field, c.width, c.height, bounds[0], bounds[1], c.cs, c.ch))
        fail(volume);
    rcMarkWalkableTriangles(&context, c.walkableSlopeAngle, soup.vertices.data(), vertices,
                            soup.triangles.data(), triangles, areas.data());
    if (!rcRasterizeTriangles(&context, soup.vertices.data(), vertices, soup.triangles.data(), areas.data(),
                              triangles, *field, c.walkableClimb))
        fail(volume);
    rcFilterLowHangingWalkableObstacles(&context, c.walkableClimb, *field);
    rcFilterWalkableLowHeightSpans(&context, c.walkableHeight, *field);
    if (!rcBuildCompactHeightfield(&context, c.walkableHeight, c.walkableClimb, *field, *compact) ||
        !rcErodeWalkableArea(&context, c.walkableRadius, *compact))
        fail(volume);

    add_ways(c, low, *compact, ways);
    return ways;
}

/// Which nodes hang together with the ground beneath a seed; without seeds, with enough ground.
std::vector<std::uint32_t> reached(const Ways& ways, const std::vector<Vec3>& seeds) {
    std::vector<std::uint32_t> part(ways.place.size(), none), order;
    std::vector<std::vector<std::uint32_t>> parts;
    for (std::uint32_t first = 0; first < part.size(); ++first) {
        if (part[first] != none) continue;
        const auto number = static_cast<std::uint32_t>(parts.size());
        std::vector<std::uint32_t>& nodes = parts.emplace_back(1, first);
        part[first] = number;
        for (std::size_t i = 0; i < nodes.size(); ++i)
            for (const std::uint32_t n : ways.beside[nodes[i]])
                if (n != none && part[n] == none) {
                    part[n] = number;
                    nodes.push_back(n);
                }
    }
    std::vector<std::uint8_t> wanted(parts.size(), 0);
    for (const Vec3 s : seeds) {
        std::uint32_t best = none;
        float least = 1e30f;
        for (std::uint32_t n = 0; n < ways.place.size(); ++n) {
            const Vec3 d = s - ways.place[n];
            if (d.y < -0.3f || d.y > seed_drop) continue;
            const float away = length(Vec3{d.x, 0, d.z}) * 4 + d.y;
            if (away < least) {
                least = away;
                best = n;
            }
        }
        if (best != none && least < 4 + seed_drop) wanted[part[best]] = 1;
    }
    const float cell_area = ways.cell * ways.cell;
    for (std::size_t p = 0; p < parts.size(); ++p)
        if (seeds.empty() ? static_cast<float>(parts[p].size()) * cell_area >= least_ground : wanted[p] != 0)
            order.insert(order.end(), parts[p].begin(), parts[p].end());
    return order;
}

}  // namespace

std::vector<Vec3> walkable_ground(const Level& level, const Volume& volume, const std::vector<Vec3>& seeds) {
    const Ways ways = find_ways(level, volume);
    const std::vector<std::uint32_t> order = reached(ways, seeds);
    const int steps = std::max(1, static_cast<int>(std::lround(volume.spacing / ways.cell)));
    std::vector<Vec3> out;
    for (const std::uint32_t n :
         spread_out(ways.place.size(), order, 0, steps, [&](std::uint32_t a, auto&&f) {
             for (const std::uint32_t b : ways.beside[a])
                 if (b != none) f(b);
         }))
        out.push_back(ways.place[n]);
    return out;
}

}  // namespace stasigraph
