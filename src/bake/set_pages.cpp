#include "bake/set_pages.hpp"

#include <algorithm>
#include <limits>

namespace stasigraph {

namespace {

/// What the spherical harmonics of order 1 multiply the coordinates by.
constexpr float y1 = 0.48860251f;

using Pages = std::vector<PageImage>;

void add_pages(const Pages& from, Rgb gain, Pages& to, Job& job) {
    for (std::size_t p = 0; max_channel(gain) > 0 && p < from.size(); ++p)
        job.parallel(from[p].texels.size(), 65536, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) to[p].texels[i] += from[p].texels[i] * gain;
        });
}

void fill_all(const std::vector<PagePlan>& plans, Pages& pages, Job& job) {
    job.parallel(pages.size(), 1, [&](std::size_t p, std::size_t) { push_pull_fill(plans[p], pages[p]); });
}

/// Light on the normals that flat pages show.
Rgb flat_light(const UnlitLevel& g, const Layer& layer, std::size_t texel) {
    const Rgb e = layer.shown[texel];
    const std::uint32_t row = g.pages.shading_normals.empty() ? none : g.pages.gradient_rows.of(texel);
    if (row == none) return e;
    const Rgb turned = e + dot(gradient_at(layer.gradients, row, 0),
                               g.pages.shading_normals[texel] - g.texels.normal[texel]);
    return {std::max(0.0f, turned.r), std::max(0.0f, turned.g), std::max(0.0f, turned.b)};
}

/// The coefficients of one set. They are fitted at seams like light, but may be below 0.
std::vector<DirectionalPage> directional_pages(const UnlitLevel& g, const Level& lit,
                                               const std::vector<Layer>& layers, const BakeSet& set,
                                               Job& job) {
    Pages axis[3];
    for (std::size_t a = 0; a < 3; ++a) {
        axis[a] = finish_pages(
            g.pages.plans,
            [&](std::size_t i) {
                Rgb sum;
                const std::uint32_t row = g.pages.gradient_rows.of(i);
                for (std::size_t l = 0; row != none && l < layers.size(); ++l)
                    sum += layers[l].gradients.get(row, a) * set.gain(l);
                return sum;
            },
            job);
        if (lit.quality.seams == Seams::automatic)
            fit_seams(g.pages.seams, g.pages.plans, -std::numeric_limits<double>::infinity(), axis[a], job);
        fill_all(g.pages.plans, axis[a], job);
    }
    std::vector<DirectionalPage> out;
    for (std::size_t p = 0; p < g.pages.plans.size(); ++p) {
        DirectionalPage& page = out.emplace_back();
        page.side = g.pages.plans[p].side;
        page.texels.resize(axis[0][p].texels.size());
        job.parallel(page.texels.size(), 65536, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                page.texels[i] = {axis[1][p].texels[i] * (1 / y1), axis[2][p].texels[i] * (1 / y1),
                                  axis[0][p].texels[i] * (1 / y1)};
        });
    }
    return out;
}

}  // namespace

Rgb directional_irradiance(Rgb flat, const std::array<Rgb, 3>& c, Vec3 own, Vec3 n) {
    const Vec3 by = (n - own) * y1;
    const Rgb e = flat + c[0] * by.y + c[1] * by.z + c[2] * by.x;
    return {std::max(0.0f, e.r), std::max(0.0f, e.g), std::max(0.0f, e.b)};
}

void make_layer_pages(const UnlitLevel& g, const Level& lit, Layer& layer, Job& job) {
    layer.pages = finish_pages(
        g.pages.plans, [&](std::size_t i) { return flat_light(g, layer, i); }, job);
    layer.at_seams.clear();
    for (const SeamPlan::Texel& t : g.pages.seams.texels)
        layer.at_seams.push_back(layer.pages[t.page].texels[t.place]);
    if (lit.quality.seams == Seams::automatic) fit_seams(g.pages.seams, g.pages.plans, 0, layer.pages, job);
}

AllPages mix_pages(const UnlitLevel& g, const Level& lit, const std::vector<Layer>& layers, Job& job) {
    const Pages dark = finish_pages(
        g.pages.plans, [](std::size_t) { return Rgb{}; }, job);
    AllPages all;
    for (const BakeSet& recipe : lit.sets) {
        SetPages& set = all.sets.emplace_back(SetPages{dark, {}});
        std::vector<Rgb> before(g.pages.seams.texels.size()), after(before.size());
        for (std::size_t l = 0; l < layers.size(); ++l) {
            add_pages(layers[l].pages, recipe.gain(l), set.pages, job);
            for (std::size_t i = 0; i < before.size(); ++i)
                before[i] += layers[l].at_seams[i] * recipe.gain(l);
        }
        if (lit.lightmap.shape == LightmapShape::directional)
            set.directional = directional_pages(g, lit, layers, recipe, job);
        fill_all(g.pages.plans, set.pages, job);
        for (std::size_t i = 0; i < after.size(); ++i)
            after[i] = set.pages[g.pages.seams.texels[i].page].texels[g.pages.seams.texels[i].place];
        all.seam_before = std::max(all.seam_before, seam_jump(g.pages.seams, before));
        all.seam = std::max(all.seam, seam_jump(g.pages.seams, after));
    }
    return all;
}

}  // namespace stasigraph
