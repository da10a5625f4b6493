#include "bake/set_pages.hpp"

#include <algorithm>
#include <limits>

namespace stasigraph {

namespace {

/// What the spherical harmonics of order 1 multiply the coordinates by.
constexpr float y1 = 0.48860251f;

using Pages = std::vector<PageImage>;

void add_pages(const Pages& from, float gain, Pages& to, Job& job) {
    for (std::size_t p = 0; gain > 0 && p < from.size(); ++p)
        job.parallel(from[p].texels.size(), 65536, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) to[p].texels[i] += from[p].texels[i] * gain;
        });
}

void fill_all(const std::vector<PagePlan>& plans, Pages& pages, Job& job) {
    job.parallel(pages.size(), 1, [&](std::size_t p, std::size_t) { fill_rest(plans[p], pages[p]); });
}

/// Light on the normals that flat pages show.
Rgb flat_light(const LayerSource& s, std::size_t texel, std::size_t group) {
    const Rgb e = s.light(texel, group);
    const std::uint32_t row = s.bent.empty() ? none : s.sloped.of(texel);
    if (row == none) return e;
    const Rgb turned = e + dot(slope_at(s.slopes, row, group), s.bent[texel] - s.texels.normal[texel]);
    return {std::max(0.0f, turned.r), std::max(0.0f, turned.g), std::max(0.0f, turned.b)};
}

/// The coefficients of one set. They are fitted at seams like light, but may be below 0.
std::vector<DirectionalPage> directional_pages(const LayerSource& s, const std::vector<float>& gains,
                                               Job& job) {
    Pages axis[3];
    for (std::size_t a = 0; a < 3; ++a) {
        axis[a] = finish_pages(
            s.plans,
            [&](std::size_t i) {
                Rgb sum;
                const std::uint32_t row = s.sloped.of(i);
                for (std::size_t g = 0; row != none && g < gains.size(); ++g)
                    sum += s.slopes.get(row, 3 * g + a) * gains[g];
                return sum;
            },
            job);
        if (s.level.quality.seams == Seams::automatic)
            fit_seams(s.seams, s.plans, -std::numeric_limits<double>::infinity(), axis[a], job);
        fill_all(s.plans, axis[a], job);
    }
    std::vector<DirectionalPage> out;
    for (std::size_t p = 0; p < s.plans.size(); ++p) {
        DirectionalPage& page = out.emplace_back();
        page.side = s.plans[p].side;
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

/// Seams are fitted group by group: light is added up, and so what is fitted must be, while a fit may not go
/// below zero.
AllPages make_pages(const LayerSource& s, Job& job) {
    const std::vector<BakeSet>& sets = s.level.sets;
    const Pages dark = finish_pages(
        s.plans, [](std::size_t) { return Rgb{}; }, job);
    AllPages all;
    all.sets.assign(sets.size(), {dark, {}});
    std::vector<Pages> raw(sets.size(), dark);
    for (std::size_t g = 0; g < s.level.groups.size(); ++g) {
        Pages pages = finish_pages(
            s.plans, [&](std::size_t i) { return flat_light(s, i, g); }, job);
        for (std::size_t i = 0; i < sets.size(); ++i) add_pages(pages, sets[i].gains[g], raw[i], job);
        if (s.level.quality.seams == Seams::automatic) fit_seams(s.seams, s.plans, 0, pages, job);
        for (std::size_t i = 0; i < sets.size(); ++i)
            add_pages(pages, sets[i].gains[g], all.sets[i].pages, job);
    }
    for (std::size_t i = 0; i < sets.size(); ++i) {
        SetPages& set = all.sets[i];
        all.seam_before = std::max(all.seam_before, seam_jump(s.seams, raw[i]));
        if (s.level.lightmap.shape == LightmapShape::directional)
            set.directional = directional_pages(s, sets[i].gains, job);
        fill_all(s.plans, set.pages, job);
        all.seam = std::max(all.seam, seam_jump(s.seams, set.pages));
        job.advance(1);
    }
    return all;
}

}  // namespace stasigraph
