#include "bake/shown_texels.hpp"

#include <cmath>

#include "bake/judge_texels.hpp"
#include "bake/kept_array.hpp"
#include "finish/denoise.hpp"

namespace stasigraph {

namespace {

Footprint footprint_of(const Level& level, const TexelSet& texels, std::uint32_t i) {
    const Mesh& mesh = level.meshes[level.surfaces[texels.grid[i] / 2].mesh];
    if (mesh.uv0.empty()) return {};
    const UvTriangle& uv = texels.uv_of(i);
    const float turn = cross(uv.ab, uv.ac);
    if (!(std::abs(turn) > 1e-12f)) return {};
    const Vec2 corner = mesh_uv(mesh, texels.triangle[i], 0, 0);
    const Vec2 b = mesh_uv(mesh, texels.triangle[i], 1, 0) - corner,
               c = mesh_uv(mesh, texels.triangle[i], 0, 1) - corner;
    // The inverse of the map from barycentrics to texels, then on to the texture's UVs.
    return {b * (uv.ac.y / turn) - c * (uv.ab.y / turn), c * (uv.ab.x / turn) - b * (uv.ac.x / turn)};
}

/// What the normal maps of materials make of the texels' normals, on average.
std::vector<Vec3> shading_normals_of(const ShownLevel& s, Job& job) {
    std::vector<Vec3> out(s.texels.size());
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const float side = s.texels.grid[i] % 2 == 1 ? -1.0f : 1.0f;
            out[i] = s.textures.mapped_normal(s.level, s.level.surfaces[s.texels.grid[i] / 2],
                                              {s.texels.triangle[i], s.texels.barycentric[i], s.footprint[i]},
                                              {s.texels.normal[i] * side, s.texels.face_normal[i] * side}) *
                     side;
        }
    });
    return out;
}

}  // namespace

std::vector<Footprint> uv_footprints(const Level& level, const TexelSet& texels, Job& job) {
    std::vector<Footprint> out(texels.size());
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            out[i] = footprint_of(level, texels, static_cast<std::uint32_t>(i));
    });
    return out;
}

ShownTexels plan_shown_texels(const ShownLevel& s, const BakeStore& store, const std::string& key, Job& job) {
    ShownTexels out;
    TexelFlags on_pages(s.texels.size());
    for (std::size_t i = 0; i < on_pages.size(); ++i)
        on_pages.set(i, s.judged.is_valid(i) && (s.judged.hidden.empty() || !s.judged.hidden[i]));
    out.plans = plan_pages(s.atlas, s.texels, on_pages, job);
    SeamFlags open;
    const bool known = load_kept(store, "seams-" + key, open.bytes());
    out.seams = plan_seams({s.level, s.atlas, out.plans, s.caster}, open, job);
    if (!known) save_kept(store, "seams-" + key, open.bytes());

    const bool directional = s.level.lightmap.shape == LightmapShape::directional;
    if (!directional && !has_normal_maps(s.level)) return out;
    TexelFlags shown = lightmapped_texels(s.texels, s.atlas, s.judged);
    if (directional) {
        out.gradient_rows = GradientRows({.shown = shown, .kept = shown});
        return out;
    }
    const std::string normals = "shading-normals-" + key;
    if (!load_kept(store, normals, out.shading_normals, s.texels.size())) {
        out.shading_normals = shading_normals_of(s, job);
        save_kept(store, normals, out.shading_normals);
    }
    for (std::size_t i = 0; i < out.shading_normals.size(); ++i)
        if (out.shading_normals[i] == s.texels.normal[i]) shown.set(i, false);
    const TexelFlags kept = grown(s.judged.graph, shown, smoothing_steps);
    out.gradient_rows = GradientRows({.shown = shown, .kept = kept});
    return out;
}

}  // namespace stasigraph
