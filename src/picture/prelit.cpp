#include "picture/prelit.hpp"

#include <algorithm>
#include <numeric>

#include "chart/raster.hpp"
#include "finish/pages.hpp"
#include "level/texture.hpp"

namespace stasigraph {

namespace {

constexpr int most_pixels = 16384;  ///< Along a side.
constexpr int gap = 2;              ///< Texels between the charts of an image of one surface.

/// Draws surfaces into an image: base colour at the pixel, light as the game's sampler would have it there.
class Combiner {
public:
    Combiner(const Level& level, const Atlas& atlas, const BakedSet& set)
        : level_(level), atlas_(atlas), set_(set), textures_(level) {
        for (const BakeSet& s : level.sets)
            if (s.name == set.name) recipe_ = s;
    }

    void draw(PrelitImage& image, Job& job) const {
        const auto pixels = static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height);
        image.nit.assign(pixels, {});
        for (const PrelitImage::Spot& spot : image.spots)
            if (is_transmissive(level_.materials[level_.surfaces[spot.surface].material]))
                image.alpha.assign(pixels, 1.0f);
        std::vector<std::uint8_t> covered(pixels, 0);
        // Surfaces lie apart on an image, so each pixel is written by one task alone.
        job.parallel(image.spots.size(), 1,
                     [&](std::size_t i, std::size_t) { draw_surface(image.spots[i], image, covered); });
        fill_gaps(image, covered);
    }

private:
    void draw_surface(const PrelitImage::Spot& spot, PrelitImage& image,
                      std::vector<std::uint8_t>& covered) const {
        const auto detail = static_cast<float>(image.detail);
        const Layout& layout = atlas_.layouts[atlas_.surfaces[spot.surface].layout];
        for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
            if (layout.chart[t] == none) continue;
            const std::uint32_t* c = &layout.indices[3 * static_cast<std::size_t>(t)];
            const Vec2 shift = spot.shift[layout.chart[t]];
            const Vec2 a = (layout.uv[c[0]] + shift) * detail,
                       ab = (layout.uv[c[1]] - layout.uv[c[0]]) * detail,
                       ac = (layout.uv[c[2]] - layout.uv[c[0]]) * detail;
            const float turn = cross(ab, ac);
            if (!(std::abs(turn) > 1e-12f)) continue;
            const Footprint footprint = pixel_in_texture(spot.surface, t, ab, ac, turn);
            for_touched(a, a + ab, a + ac, [&](int x, int y) {
                if (x < 0 || y < 0 || x >= image.width || y >= image.height) return;
                const std::size_t at = static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width) +
                                       static_cast<std::size_t>(x);
                const Vec2 p = Vec2{static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f} - a;
                float u = cross(p, ac) / turn, v = cross(ab, p) / turn;
                const bool inside = u >= 0 && v >= 0 && u + v <= 1;
                // A pixel whose middle another triangle holds is that one's.
                if (covered[at] == 2 || (covered[at] == 1 && !inside)) return;
                covered[at] = inside ? 2 : 1;
                u = std::clamp(u, 0.0f, 1.0f);
                v = std::clamp(v, 0.0f, 1.0f - u);
                image.nit[at] = seen(spot.surface, t, u, v, footprint);
                if (!image.alpha.empty()) image.alpha[at] = alpha(spot.surface, t, u, v);
            });
        }
    }

    Footprint pixel_in_texture(std::uint32_t s, std::uint32_t t, Vec2 ab, Vec2 ac, float turn) const {
        const Mesh& mesh = level_.meshes[level_.surfaces[s].mesh];
        const Vec2 corner = mesh_uv(mesh, t, 0, 0), b = mesh_uv(mesh, t, 1, 0) - corner,
                   c = mesh_uv(mesh, t, 0, 1) - corner;
        return {b * (ac.y / turn) - c * (ab.y / turn), c * (ab.x / turn) - b * (ac.x / turn)};
    }

    /// Nit: light times albedo over pi, and emission.
    Rgb seen(std::uint32_t s, std::uint32_t t, float u, float v, const Footprint& footprint) const {
        const Surface& surface = level_.surfaces[s];
        const Rgb albedo = textures_.mean_albedo(level_, surface, t, {u, v}, footprint);
        Rgb emitted = textures_.emission(level_, surface, t, u, v);
        if (surface.group != none) emitted = emitted * recipe_.gain(surface.group);
        return albedo * light(s, t, u, v, footprint) * (1 / pi) + emitted;
    }

    Rgb light(std::uint32_t s, std::uint32_t t, float u, float v, const Footprint& footprint) const {
        const SurfaceUv& uv = atlas_.surfaces[s];
        const Layout& layout = atlas_.layouts[uv.layout];
        const std::uint32_t* c = &layout.indices[3 * static_cast<std::size_t>(t)];
        const Vec2 at = layout.uv[c[0]] * (1 - u - v) + layout.uv[c[1]] * u + layout.uv[c[2]] * v +
                        Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
        const Rgb flat = sample_page(set_.pages[uv.page], at);
        const Surface& surface = level_.surfaces[s];
        if (set_.directional.empty() || level_.materials[surface.material].normal_texture.image == none)
            return flat;
        const Mesh& mesh = level_.meshes[surface.mesh];
        Vec3 p[3];
        for (std::size_t k = 0; k < 3; ++k)
            p[k] = transform_point(surface.to_world,
                                   mesh.positions[mesh.indices[3 * static_cast<std::size_t>(t) + k]]);
        const Vec3 face =
            normalize(cross(p[1] - p[0], p[2] - p[0])) * (determinant(surface.to_world) < 0 ? -1.0f : 1.0f);
        const Vec3 own = shading_normal(mesh, t, {u, v}, surface.to_world, face);
        return directional_irradiance(
            flat, sample_page(set_.directional[uv.page], at), own,
            textures_.mapped_normal(level_, surface, {t, {u, v}, footprint}, {own, face}));
    }

    /// What a target without coloured glass can show of it: cover by the share of white light that is kept.
    float alpha(std::uint32_t s, std::uint32_t t, float u, float v) const {
        const Surface& surface = level_.surfaces[s];
        const Material& m = level_.materials[surface.material];
        if (!is_transmissive(m)) return 1;
        if (m.alpha_mode == AlphaMode::mask && !tints(m))
            return std::clamp(textures_.alpha(level_, surface, t, u, v), 0.0f, 1.0f);
        const TextureSet::Transmission p = textures_.transmission(level_, surface, t, u, v);
        return 1 - p.share * (p.tint.r + p.tint.g + p.tint.b) / 3;
    }

    /// Ring by ring from what is covered; what lies further off gets the mean, so that no mip level mixes in
    /// black.
    static void fill_gaps(PrelitImage& image, std::vector<std::uint8_t>& covered) {
        constexpr int rings = 8;
        const int w = image.width, h = image.height;
        std::vector<std::size_t> edge;
        for (int ring = 0; ring < rings; ++ring) {
            edge.clear();
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    const std::size_t at = static_cast<std::size_t>(y) * static_cast<std::size_t>(w) +
                                           static_cast<std::size_t>(x);
                    if (covered[at]) continue;
                    Rgb sum;
                    float a = 0, n = 0;
                    for (int k = 0; k < 9; ++k) {
                        const int px = x + k % 3 - 1, py = y + k / 3 - 1;
                        if (px < 0 || py < 0 || px >= w || py >= h) continue;
                        const std::size_t from = static_cast<std::size_t>(py) * static_cast<std::size_t>(w) +
                                                 static_cast<std::size_t>(px);
                        if (!covered[from]) continue;
                        sum += image.nit[from];
                        if (!image.alpha.empty()) a += image.alpha[from];
                        n += 1;
                    }
                    if (!(n > 0)) continue;
                    image.nit[at] = sum * (1 / n);
                    if (!image.alpha.empty()) image.alpha[at] = a / n;
                    edge.push_back(at);
                }
            for (const std::size_t at : edge) covered[at] = 1;
        }
        double sum[3] = {}, count = 0;
        for (std::size_t i = 0; i < covered.size(); ++i) {
            if (!covered[i]) continue;
            sum[0] += static_cast<double>(image.nit[i].r);
            sum[1] += static_cast<double>(image.nit[i].g);
            sum[2] += static_cast<double>(image.nit[i].b);
            count += 1;
        }
        if (!(count > 0)) return;
        const Rgb mean{static_cast<float>(sum[0] / count), static_cast<float>(sum[1] / count),
                       static_cast<float>(sum[2] / count)};
        for (std::size_t i = 0; i < covered.size(); ++i)
            if (!covered[i]) image.nit[i] = mean;
    }

    const Level& level_;
    const Atlas& atlas_;
    const BakedSet& set_;
    TextureSet textures_;
    BakeSet recipe_;
};

/// The charts of one surface by themselves, in rows of falling height.
PrelitImage image_of(const Atlas& atlas, std::uint32_t surface) {
    const Layout& layout = atlas.layouts[atlas.surfaces[surface].layout];
    PrelitImage image;
    image.spots.push_back({surface, std::vector<Vec2>(layout.charts.size())});
    std::vector<std::uint32_t> order(layout.charts.size());
    std::iota(order.begin(), order.end(), 0u);
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        const Chart &p = layout.charts[a], &q = layout.charts[b];
        return p.height != q.height ? p.height > q.height : a < b;
    });
    double area = 0;
    int widest = 1;
    for (const Chart& c : layout.charts) {
        area += static_cast<double>(c.width + gap) * static_cast<double>(c.height + gap);
        widest = std::max(widest, c.width + gap);
    }
    const int width = std::max(widest, static_cast<int>(std::ceil(std::sqrt(area)))) + gap;
    int x = gap, y = gap, row = 0;
    for (const std::uint32_t c : order) {
        const Chart& chart = layout.charts[c];
        if (x + chart.width + gap > width) {
            x = gap;
            y += row + gap;
            row = 0;
        }
        image.spots[0].shift[c] = {static_cast<float>(x - chart.x), static_cast<float>(y - chart.y)};
        image.width = std::max(image.width, x + chart.width + gap);
        x += chart.width + gap;
        row = std::max(row, chart.height);
    }
    image.height = y + row + gap;
    // Whole blocks of four, as compressed textures want them.
    image.width = (image.width + 3) / 4 * 4;
    image.height = (image.height + 3) / 4 * 4;
    return image;
}

}  // namespace

std::vector<PrelitImage> combine(const Level& level, const Atlas& atlas, const BakedSet& set,
                                 const PrelitOptions& settings, Job& job) {
    std::vector<PrelitImage> images;
    if (settings.by == PrelitBy::page)
        for (const int side : atlas.pages) {
            PrelitImage& image = images.emplace_back();
            image.width = image.height = side;
        }
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page == none) continue;
        if (settings.by == PrelitBy::page)
            images[uv.page].spots.push_back(
                {s, std::vector<Vec2>(atlas.layouts[uv.layout].charts.size(),
                                      {static_cast<float>(uv.x), static_cast<float>(uv.y)})});
        else
            images.push_back(image_of(atlas, s));
    }
    const Combiner combiner(level, atlas, set);
    for (PrelitImage& image : images) {
        image.detail = std::clamp(most_pixels / std::max(image.width, image.height), 1, settings.detail);
        image.width *= image.detail;
        image.height *= image.detail;
        combiner.draw(image, job);
    }
    return images;
}

}  // namespace stasigraph
