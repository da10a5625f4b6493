#include "stasigraph/atlas.hpp"

#include <algorithm>
#include <cmath>

#include "chart/given_uv.hpp"
#include "chart/page_texels.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// A triangle thinner than this on the page may lie on either side of nothing. Texels.
constexpr float thinnest = 1.0f / 500;

[[noreturn]] void fail(const std::string& what, const std::string& where, const std::string& value = "") {
    throw Error{.what = what, .where = where, .value = value, .remedy = "This is a defect of the unwrap."};
}

void check_layout(const Layout& layout, const std::string& name) {
    std::vector<Vec2> corners;
    for (std::size_t t = 0; t < layout.chart.size(); ++t) {
        if (layout.chart[t] == none) continue;
        if (layout.chart[t] >= layout.charts.size()) fail("a triangle names a chart that is not there", name);
        Vec2 p[3];
        float longest = 0;
        for (int k = 0; k < 3; ++k) p[k] = layout.uv[layout.indices[3 * t + k]];
        for (int k = 0; k < 3; ++k) {
            longest = std::max(longest, length(p[(k + 1) % 3] - p[k]));
            if (!(p[k].x >= 0 && p[k].y >= 0 && p[k].x <= static_cast<float>(layout.width) &&
                  p[k].y <= static_cast<float>(layout.height)))
                fail("a UV lies outside its rectangle", name, "triangle " + std::to_string(t));
        }
        if (!layout.given && cross(p[1] - p[0], p[2] - p[0]) < -thinnest * longest)
            fail("a triangle is turned over", name, std::to_string(t));
        corners.insert(corners.end(), p, p + 3);
    }
    if (layout.given) return;
    const auto overlaps = find_overlaps(corners, 0.02f, 1);
    if (!overlaps.empty()) fail("two triangles overlap", name);
}

/// Which chart each texel of a page belongs to, as surface * 2^32 + chart.
struct Owners {
    int side;
    std::vector<std::uint64_t> owner;
    static constexpr std::uint64_t nobody = ~0ull;
    Owners(const Atlas& atlas, std::uint32_t page)
        : side(atlas.pages[page]), owner(static_cast<std::size_t>(side) * side, nobody) {
        for_page_texels(atlas, page, [&](std::uint32_t s, std::size_t t, int x, int y) {
            const SurfaceUv& uv = atlas.surfaces[s];
            const Layout& layout = atlas.layouts[uv.layout];
            // The charts of given UVs keep what distance they keep.
            const std::uint64_t me =
                static_cast<std::uint64_t>(s) << 32 | (layout.given ? 0 : layout.chart[t]);
            const int px = std::min(x, layout.width - 1) + uv.x, py = std::min(y, layout.height - 1) + uv.y;
            if (px < 0 || py < 0 || px >= side || py >= side) fail("leaves its page", atlas.surfaces[s].name);
            std::uint64_t& o = owner[static_cast<std::size_t>(py) * side + px];
            if (o != nobody && o != me)
                fail("two charts share a texel", atlas.surfaces[s].name, atlas.surfaces[o >> 32].name);
            o = me;
        });
    }
    std::size_t count() const {
        return owner.size() - static_cast<std::size_t>(std::count(owner.begin(), owner.end(), nobody));
    }
};

void check_margins(const Atlas& atlas, const Owners& page) {
    for (int y = 0; y < page.side; ++y)
        for (int x = 0; x < page.side; ++x) {
            const std::uint64_t me = page.owner[static_cast<std::size_t>(y) * page.side + x];
            if (me == Owners::nobody) continue;
            if (x < atlas.margin || y < atlas.margin || x >= page.side - atlas.margin ||
                y >= page.side - atlas.margin)
                fail("comes closer to the page's edge than the margin", atlas.surfaces[me >> 32].name);
            for (int ny = y; ny <= std::min(y + atlas.margin, page.side - 1); ++ny)
                for (int nx = ny == y ? x + 1 : std::max(0, x - atlas.margin);
                     nx <= std::min(x + atlas.margin, page.side - 1); ++nx) {
                    const std::uint64_t other = page.owner[static_cast<std::size_t>(ny) * page.side + nx];
                    if (other != Owners::nobody && other != me)
                        fail("two charts come closer than the margin", atlas.surfaces[me >> 32].name,
                             atlas.surfaces[other >> 32].name);
                }
        }
}

/// Border edges of a surface that have a neighbour in the world: twice their length in metres.
double seam_length(const Level& level, const Surface& surface, const Layout& layout) {
    const Mesh& mesh = level.meshes[surface.mesh];
    struct Edge {
        Vec3 low, high;
        std::uint32_t a, b;  ///< Vertices of the layout, in the order of the places.
        float length;
    };
    const auto less = [](Vec3 p, Vec3 q) {
        return p.x != q.x ? p.x < q.x : p.y != q.y ? p.y < q.y : p.z < q.z;
    };
    std::vector<Edge> edges;
    for (std::size_t i = 0; i < layout.indices.size(); ++i) {
        if (layout.chart[i / 3] == none) continue;
        std::uint32_t a = layout.indices[i], b = layout.indices[i % 3 == 2 ? i - 2 : i + 1];
        Vec3 p = mesh.positions[layout.source[a]], q = mesh.positions[layout.source[b]];
        const float l = length(transform_vector(surface.to_world, q - p));
        if (less(q, p)) {
            std::swap(p, q);
            std::swap(a, b);
        }
        edges.push_back({p, q, a, b, l});
    }
    std::sort(edges.begin(), edges.end(), [&](const Edge& e, const Edge& f) {
        return less(e.low, f.low) || (e.low == f.low && less(e.high, f.high));
    });
    double sum = 0;
    for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
        const Edge &e = edges[i], &f = edges[i + 1];
        if (e.low == f.low && e.high == f.high &&
            (layout.uv[e.a] != layout.uv[f.a] || layout.uv[e.b] != layout.uv[f.b]))
            sum += static_cast<double>(e.length);
    }
    return sum;
}

}  // namespace

Vec2 Atlas::scale(std::uint32_t surface) const {
    const SurfaceUv& uv = surfaces[surface];
    const auto side = static_cast<float>(pages[uv.page]);
    return {static_cast<float>(layouts[uv.layout].width) / side,
            static_cast<float>(layouts[uv.layout].height) / side};
}

Vec2 Atlas::offset(std::uint32_t surface) const {
    const SurfaceUv& uv = surfaces[surface];
    const auto side = static_cast<float>(pages[uv.page]);
    return {static_cast<float>(uv.x) / side, static_cast<float>(uv.y) / side};
}

void check_atlas(const Level& level, const Atlas& atlas) {
    for (const Layout& layout : atlas.layouts)
        check_layout(layout, "layout of mesh " + level.meshes[layout.mesh]->name);
    for (std::uint32_t p = 0; p < atlas.pages.size(); ++p) check_margins(atlas, Owners(atlas, p));
}

AtlasFigures measure_atlas(const Level& level, const Atlas& atlas) {
    AtlasFigures f{.page_coverage = {}};
    double world = 0, weighted = 0, stretched = 0;
    f.least_density = 1e30;
    for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        ++f.surfaces;
        f.given += layout.given;
        f.charts += layout.charts.size();
        std::vector<double> area(layout.charts.size(), 0.0);
        for (std::size_t t = 0; t < layout.chart.size(); ++t)
            if (layout.chart[t] != none) {
                const Vec2 a = layout.uv[layout.indices[3 * t]];
                area[layout.chart[t]] +=
                    0.5 * std::abs(static_cast<double>(cross(layout.uv[layout.indices[3 * t + 1]] - a,
                                                             layout.uv[layout.indices[3 * t + 2]] - a)));
            }
        for (std::size_t c = 0; c < area.size(); ++c) {
            const double density = static_cast<double>(uv.density * layout.charts[c].share);
            f.unseen += layout.charts[c].share < 1;
            f.least_density = std::min(f.least_density, density);
            f.most_density = std::max(f.most_density, density);
            const double metres = area[c] / (density * density);
            world += metres;
            weighted += metres * density;
            stretched += metres * static_cast<double>(layout.charts[c].mean_stretch);
            f.worst_stretch = std::max(f.worst_stretch, static_cast<double>(layout.charts[c].worst_stretch));
        }
        f.seam_length += seam_length(level, level.surfaces[s], layout);
    }
    if (f.surfaces == 0) f.least_density = 0;
    if (world > 0) {
        f.mean_density = weighted / world;
        f.mean_stretch = stretched / world;
    }
    for (std::uint32_t p = 0; p < atlas.pages.size(); ++p) {
        const Owners page(atlas, p);
        f.texels += static_cast<double>(page.count());
        f.page_texels += static_cast<double>(page.owner.size());
        f.page_coverage.push_back(static_cast<double>(page.count()) / static_cast<double>(page.owner.size()));
    }
    if (f.page_texels > 0) f.coverage = f.texels / f.page_texels;
    return f;
}

}  // namespace stasigraph
