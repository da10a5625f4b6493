#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <tuple>

#include "base/text.hpp"
#include "chart/pack.hpp"
#include "chart/segment.hpp"
#include "stasigraph/atlas.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// Patches (what bounces light but has no lightmap) have this share of the level's density.
constexpr float patch_density = 0.5f;

double world_area(const Mesh& mesh, const Affine& to_world) {
    double area = 0;
    for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
        const Vec3 a = mesh.positions[mesh.indices[3 * t]];
        const Vec3 e1 = transform_vector(to_world, mesh.positions[mesh.indices[3 * t + 1]] - a),
                   e2 = transform_vector(to_world, mesh.positions[mesh.indices[3 * t + 2]] - a);
        area += 0.5 * static_cast<double>(length(cross(e1, e2)));
    }
    return area;
}

/// Packs the charts at `scale` texels per mesh unit into a rectangle of at most `limit`; false when they do
/// not fit.
bool lay_out(const FlatCharts& charts, float scale, int margin, int limit, Layout& layout) {
    struct Size {
        int width, height;
        bool turned;
    };
    std::vector<Size> sizes(charts.count);
    std::vector<std::uint32_t> order(charts.count);
    std::iota(order.begin(), order.end(), 0u);
    // Whole texels: a straight border then lies between texels, and a rectangle has no half-covered ones.
    const auto whole = [](float v) {
        return std::max(1, static_cast<int>(v < 8 ? std::ceil(v) : std::round(v)));
    };
    double area = 0;
    int widest = 1;
    for (std::uint32_t c = 0; c < charts.count; ++c) {
        if (charts.size[c].x * scale > 65536 || charts.size[c].y * scale > 65536) return false;
        const int w = whole(charts.size[c].x * scale), h = whole(charts.size[c].y * scale);
        sizes[c] = w >= h ? Size{w, h, false} : Size{h, w, true};
        widest = std::max(widest, sizes[c].width);
        area += static_cast<double>(sizes[c].width + margin) * (sizes[c].height + margin);
    }
    if (widest > limit || area > 1.0 * (limit + margin) * (limit + margin)) return false;
    std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        return std::tie(sizes[a].height, sizes[a].width) > std::tie(sizes[b].height, sizes[b].width);
    });
    std::vector<Cell> best(charts.count), cells(charts.count);
    int best_width = 0, best_height = 0;
    for (const double stretch : {0.7, 0.85, 1.0, 1.15, 1.35, 1.6, 2.0, 2.6}) {
        const int width = std::clamp(static_cast<int>(std::ceil(std::sqrt(area) * stretch)), widest + margin,
                                     limit + margin);
        Skyline sky(width, limit + margin);
        int used = 0;
        bool fits = true;
        for (std::uint32_t c : order) {
            const auto at = sky.place(sizes[c].width + margin, sizes[c].height + margin);
            if (!at) {
                fits = false;
                break;
            }
            cells[c] = *at;
            used = std::max(used, at->x + sizes[c].width);
        }
        const int height = sky.used_height() - margin;
        if (fits && (best_width == 0 || 1.0 * (used + margin) * (height + margin) <
                                            1.0 * (best_width + margin) * (best_height + margin))) {
            best = cells;
            best_width = used;
            best_height = height;
        }
    }
    if (best_width == 0 && charts.count > 0) return false;
    layout.width = std::max(best_width, 1);
    layout.height = std::max(best_height, 1);
    layout.chart_count = charts.count;
    layout.chart = charts.chart;
    layout.source = charts.source;
    layout.indices = charts.indices;
    layout.uv.assign(charts.flat.size(), {});
    for (std::size_t i = 0; i < charts.indices.size(); ++i) {
        const std::uint32_t c = charts.chart[i / 3];
        if (c == none) continue;
        const Size s = sizes[c];
        const Vec2 box = charts.size[c], p = charts.flat[charts.indices[i]];
        // The box and the points were projected by different sums; the last bit must not leave the rectangle.
        const float u = box.x > 0 ? std::clamp(p.x / box.x, 0.0f, 1.0f) : 0,
                    v = box.y > 0 ? std::clamp(p.y / box.y, 0.0f, 1.0f) : 0;
        // A quarter turn keeps the orientation: (u, v) -> (1 - v, u).
        const Vec2 q = s.turned ? Vec2{1 - v, u} : Vec2{u, v};
        layout.uv[charts.indices[i]] = {static_cast<float>(best[c].x) + q.x * static_cast<float>(s.width),
                                        static_cast<float>(best[c].y) + q.y * static_cast<float>(s.height)};
    }
    return true;
}

/// Why the mesh's own TEXCOORD_1 cannot be used; empty when it can, with the area it covers of the unit
/// square.
std::string given_uv_fault(const Mesh& mesh, double& uv_area) {
    uv_area = 0;
    for (std::size_t i = 0; i < mesh.uv1.size(); ++i) {
        const Vec2 p = mesh.uv1[i];
        if (!(p.x >= 0 && p.x <= 1 && p.y >= 0 && p.y <= 1))
            return "vertex " + std::to_string(i) + " lies outside the unit square";
    }
    std::vector<Vec2> corners(mesh.indices.size());
    for (std::size_t i = 0; i < corners.size(); ++i) corners[i] = mesh.uv1[mesh.indices[i]];
    for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
        const double area =
            0.5 * std::abs(cross(corners[3 * t + 1] - corners[3 * t], corners[3 * t + 2] - corners[3 * t]));
        const Vec3 a = mesh.positions[mesh.indices[3 * t]];
        const bool flat = length(cross(mesh.positions[mesh.indices[3 * t + 1]] - a,
                                       mesh.positions[mesh.indices[3 * t + 2]] - a)) == 0;
        if (area <= 0 && !flat) return "triangle " + std::to_string(t) + " has no area in it";
        uv_area += area;
    }
    if (uv_area <= 0) return "it has no area";
    const auto overlaps = find_overlaps(corners, 2e-5f, 1);
    if (!overlaps.empty())
        return "triangles " + std::to_string(overlaps[0].first) + " and " +
               std::to_string(overlaps[0].second) + " overlap in it";
    return {};
}

/// Makes and keeps the layouts of all sizes of all meshes.
class LayoutMaker {
public:
    LayoutMaker(const Level& level, Atlas& atlas, Job& job)
        : level_(level), atlas_(atlas), job_(job), meshes_(level.meshes.size()) {}

    /// The layout of this surface's mesh at the wanted density, and the density it reached.
    std::pair<std::uint32_t, float> layout(const Surface& surface, float density) {
        MeshState& state = prepared(surface.mesh);
        const double area = world_area(level_.meshes[surface.mesh], surface.to_world);
        const double flat_area = state.given ? state.uv_area : state.charts.area;
        if (!(area > 0) || !(flat_area > 0) || !std::isfinite(area)) return {none, 0.0f};
        const double scale = density * std::sqrt(area / flat_area);
        // Sizes within 2 % share a layout: a rotated instance rounds differently and is still the same.
        const auto bucket = static_cast<long>(std::lround(std::log(scale) * 50));
        const auto [at, fresh] = made_.try_emplace({surface.mesh, bucket}, Made{});
        if (fresh) at->second = make(surface, static_cast<float>(std::exp(static_cast<double>(bucket) / 50)));
        return {at->second.layout, static_cast<float>(at->second.scale * std::sqrt(flat_area / area))};
    }

private:
    struct MeshState {
        bool ready = false, given = false;
        double uv_area = 0;
        FlatCharts charts;
    };
    struct Made {
        std::uint32_t layout = none;
        double scale = 0;
    };

    MeshState& prepared(std::uint32_t index) {
        MeshState& state = meshes_[index];
        if (state.ready) return state;
        state.ready = true;
        const Mesh& mesh = level_.meshes[index];
        if (!mesh.uv1.empty()) {
            const std::string fault = given_uv_fault(mesh, state.uv_area);
            state.given = fault.empty();
            if (!state.given)
                job_.note("mesh " + mesh.name + ": its TEXCOORD_1 is not usable (" + fault +
                          "); a new unwrap is made");
        }
        if (!state.given) state.charts = cut_charts(mesh);
        return state;
    }

    Made make(const Surface& surface, float scale) {
        const MeshState& state = meshes_[surface.mesh];
        const int limit = level_.lightmap.page - 2 * level_.lightmap.margin;
        Layout layout{
            .mesh = surface.mesh, .given = state.given, .source = {}, .uv = {}, .indices = {}, .chart = {}};
        float reached = scale;
        if (state.given) {
            reached = std::min(scale, static_cast<float>(limit));
            lay_out_given(level_.meshes[surface.mesh], reached, layout);
        } else {
            while (!lay_out(state.charts, reached, level_.lightmap.margin, limit, layout)) {
                reached *= 0.95f;
                if (reached < scale * 1e-4f)
                    throw Error{
                        .what = "has more charts than a page holds",
                        .where = "surface " + surface.name,
                        .value = std::to_string(state.charts.count) + " charts",
                        .remedy = "Use a larger page, split the mesh, or set lit_by = \"probes\" for it."};
            }
        }
        if (reached < scale)
            job_.note("surface " + surface.name + " is too large for one page of " +
                      std::to_string(level_.lightmap.page) + " texels: it gets " +
                      to_text(std::round(100 * reached / scale)) + " % of its density");
        atlas_.layouts.push_back(std::move(layout));
        return {static_cast<std::uint32_t>(atlas_.layouts.size() - 1), reached};
    }

    static void lay_out_given(const Mesh& mesh, float scale, Layout& layout) {
        layout.width = layout.height = std::max(1, static_cast<int>(std::ceil(scale)));
        layout.source.resize(mesh.positions.size());
        std::iota(layout.source.begin(), layout.source.end(), 0u);
        layout.indices = mesh.indices;
        for (Vec2 p : mesh.uv1) layout.uv.push_back(p * static_cast<float>(layout.width));
        layout.chart.assign(mesh.triangle_count(), 0);
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            const Vec2 a = layout.uv[mesh.indices[3 * t]];
            if (cross(layout.uv[mesh.indices[3 * t + 1]] - a, layout.uv[mesh.indices[3 * t + 2]] - a) == 0)
                layout.chart[t] = none;
        }
        layout.chart_count = 1;
    }

    const Level& level_;
    Atlas& atlas_;
    Job& job_;
    std::vector<MeshState> meshes_;
    std::map<std::pair<std::uint32_t, long>, Made> made_;
};

/// Places the layouts of all lightmapped surfaces, tallest first, on the first page with room.
void pack_pages(const Level& level, Atlas& atlas) {
    const int page = level.lightmap.page, margin = level.lightmap.margin;
    std::vector<std::uint32_t> order;
    for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s)
        if (atlas.surfaces[s].layout != none && level.surfaces[s].lit_by == LitBy::lightmap &&
            level.surfaces[s].part == Part::still)
            order.push_back(s);
    const auto layout_of = [&](std::uint32_t s) -> const Layout& {
        return atlas.layouts[atlas.surfaces[s].layout];
    };
    std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        return std::make_tuple(layout_of(a).height, layout_of(a).width) >
               std::make_tuple(layout_of(b).height, layout_of(b).width);
    });
    std::vector<Skyline> skies;
    for (std::uint32_t s : order) {
        const Layout& layout = layout_of(s);
        std::optional<Cell> at;
        std::size_t p = 0;
        for (; !at; ++p) {
            if (p == skies.size()) skies.emplace_back(page - margin, page - margin);
            at = skies[p].place(layout.width + margin, layout.height + margin);
        }
        atlas.surfaces[s].page = static_cast<std::uint32_t>(p - 1);
        atlas.surfaces[s].x = at->x + margin;
        atlas.surfaces[s].y = at->y + margin;
    }
    // A page that needs less than its side gets the smallest power of two that holds it.
    std::vector<int> extent(skies.size(), 0);
    for (std::uint32_t s : order) {
        const SurfaceUv& uv = atlas.surfaces[s];
        const Layout& layout = layout_of(s);
        extent[uv.page] =
            std::max({extent[uv.page], uv.x + layout.width + margin, uv.y + layout.height + margin});
    }
    for (int e : extent) {
        int side = 16;
        while (side < e) side *= 2;
        atlas.pages.push_back(side);
    }
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

Atlas unwrap(const Level& level, float density_scale, Job& job) {
    check_level(level);
    Atlas atlas{.layouts = {},
                .surfaces = std::vector<SurfaceUv>(level.surfaces.size()),
                .pages = {},
                .margin = level.lightmap.margin};
    LayoutMaker maker(level, atlas, job);
    job.begin("unwrap", level.surfaces.size());
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        if (job.cancelled()) throw Cancelled{};
        const Surface& surface = level.surfaces[s];
        job.advance(1);
        if (surface.part == Part::moving) continue;
        const bool mapped = surface.lit_by == LitBy::lightmap && surface.part == Part::still;
        const float density = level.lightmap.density * density_scale * surface.density;
        const auto [layout, reached] = maker.layout(surface, mapped ? density : density * patch_density);
        if (layout == none) {
            job.note("surface " + surface.name + " has no area and gets no lightmap");
            continue;
        }
        atlas.surfaces[s].layout = layout;
        atlas.surfaces[s].density = reached;
        if (level.materials[surface.material].double_sided)
            atlas.surfaces[s].back_layout = maker.layout(surface, density * patch_density).first;
    }
    pack_pages(level, atlas);
    return atlas;
}

void check_atlas(const Level& level, const Atlas& atlas) {
    const auto fail = [&](const Layout& layout, const std::string& what) {
        throw Error{.what = what,
                    .where = "layout of mesh " + level.meshes[layout.mesh].name,
                    .value = "",
                    .remedy = "This is a defect of the unwrap."};
    };
    for (const Layout& layout : atlas.layouts) {
        std::vector<Vec2> corners;
        for (std::size_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const Vec2 a = layout.uv[layout.indices[3 * t]], b = layout.uv[layout.indices[3 * t + 1]],
                       c = layout.uv[layout.indices[3 * t + 2]];
            for (Vec2 p : {a, b, c})
                if (!(p.x >= 0 && p.y >= 0 && p.x <= static_cast<float>(layout.width) &&
                      p.y <= static_cast<float>(layout.height)))
                    fail(layout, "a UV lies outside its rectangle");
            if (!layout.given && cross(b - a, c - a) < 0) fail(layout, "a triangle is flipped");
            corners.insert(corners.end(), {a, b, c});
        }
        if (!find_overlaps(corners, 0.02f, 1).empty()) fail(layout, "two triangles overlap");
    }
    for (std::uint32_t a = 0; a < atlas.surfaces.size(); ++a)
        for (std::uint32_t b = 0; b < a; ++b) {
            const SurfaceUv &s = atlas.surfaces[a], &t = atlas.surfaces[b];
            if (s.page == none || s.page != t.page) continue;
            const Layout &l = atlas.layouts[s.layout], &m = atlas.layouts[t.layout];
            if (s.x < t.x + m.width + atlas.margin && t.x < s.x + l.width + atlas.margin &&
                s.y < t.y + m.height + atlas.margin && t.y < s.y + l.height + atlas.margin)
                throw Error{.what = "two surfaces come closer than the margin",
                            .where = level.surfaces[a].name,
                            .value = level.surfaces[b].name,
                            .remedy = "This is a defect of the packing."};
        }
}

}  // namespace stasigraph
