#include <cairo.h>

#include <algorithm>
#include <numbers>

#include "chart/page_texels.hpp"
#include "picture/colors.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr int least_width = 1024;
constexpr double font_sizes[] = {16, 13, 11, 9};

struct Texel {
    std::uint32_t surface = none, chart = none;
    friend bool operator==(const Texel&, const Texel&) = default;
};

std::vector<Texel> owners(const Atlas& atlas, std::uint32_t page) {
    const int side = atlas.pages[page];
    std::vector<Texel> texels(static_cast<std::size_t>(side) * side);
    for_page_texels(atlas, page, [&](std::uint32_t s, std::size_t t, int x, int y) {
        const SurfaceUv& uv = atlas.surfaces[s];
        x += uv.x;
        y += uv.y;
        if (x < side && y < side)
            texels[static_cast<std::size_t>(y) * side + x] = {s, atlas.layouts[uv.layout].chart[t]};
    });
    return texels;
}

/// Writes names on surfaces, each on the first rectangle of its own texels that holds it.
class Names {
public:
    Names(std::vector<std::uint32_t>& pixels, int width, int scale, const std::vector<Texel>& texels,
          int side)
        : surface_(cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(pixels.data()),
                                                       CAIRO_FORMAT_RGB24, width, width, 4 * width)),
          cairo_(cairo_create(surface_)),
          scale_(scale),
          texels_(texels),
          side_(side) {
        cairo_select_font_face(cairo_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    }
    ~Names() {
        cairo_destroy(cairo_);
        cairo_surface_destroy(surface_);
    }
    Names(const Names&) = delete;
    Names& operator=(const Names&) = delete;

    /// Of texels of the page.
    struct Area {
        int x = 0, y = 0, width = 0, height = 0;
    };

    void write(const std::string& name, std::uint32_t surface, const Area& within) {
        for (const double size : font_sizes) {
            cairo_set_font_size(cairo_, size);
            cairo_text_extents_t box;
            cairo_text_extents(cairo_, name.c_str(), &box);
            for (const bool upright : {false, true}) {
                Area at{.width = static_cast<int>((upright ? size : box.width) + 6) / scale_ + 1,
                        .height = static_cast<int>((upright ? box.width : size) + 6) / scale_ + 1};
                if (!find(surface, within, at)) continue;
                cairo_save(cairo_);
                cairo_translate(cairo_, (at.x + 0.5 * at.width) * scale_, (at.y + 0.5 * at.height) * scale_);
                if (upright) cairo_rotate(cairo_, -std::numbers::pi / 2);
                cairo_move_to(cairo_, -box.width / 2 - box.x_bearing, 0.36 * size);
                cairo_set_source_rgb(cairo_, 0.03, 0.03, 0.05);
                cairo_show_text(cairo_, name.c_str());
                cairo_restore(cairo_);
                return;
            }
        }
    }

private:
    /// Where a rectangle of texels of the surface lies within the given one: the most central on a grid.
    bool find(std::uint32_t surface, const Area& within, Area& at) const {
        const auto [x, y, width, height] = within;
        const int w = at.width, h = at.height;
        if (w > width || h > height) return false;
        int best = 1 << 30;
        const int step = std::max(1, std::min(width - w, height - h) / 16);
        for (int py = y; py + h <= y + height; py += step)
            for (int px = x; px + w <= x + width; px += step) {
                const int off = std::abs(2 * px + w - 2 * x - width) + std::abs(2 * py + h - 2 * y - height);
                if (off >= best) continue;
                bool all = true;
                for (int r = py; all && r < py + h; ++r)
                    for (int c = px; all && c < px + w; ++c)
                        all = texels_[static_cast<std::size_t>(r) * side_ + c].surface == surface;
                if (!all) continue;
                best = off;
                at.x = px;
                at.y = py;
            }
        return best < 1 << 30;
    }

    cairo_surface_t* surface_;
    cairo_t* cairo_;
    int scale_;
    const std::vector<Texel>& texels_;
    int side_;
};

}  // namespace

void write_page_picture(const std::filesystem::path& to, const Level& level, const Atlas& atlas,
                        std::uint32_t page) {
    const int side = atlas.pages[page], scale = std::max(1, least_width / side), width = side * scale;
    const std::vector<Texel> texels = owners(atlas, page);
    std::vector<std::uint32_t> pixels(static_cast<std::size_t>(width) * width, 0x16181cu);
    for (int y = 0; y < width; ++y)
        for (int x = 0; x < width; ++x) {
            const Texel t = texels[static_cast<std::size_t>(y / scale) * side + x / scale];
            if (t.surface == none) continue;
            const Rgb c = chart_color(t.surface, t.chart);
            const auto code = [](float v) { return static_cast<std::uint32_t>(srgb_code(v) * 255 + 0.5f); };
            pixels[static_cast<std::size_t>(y) * width + x] = code(c.r) << 16 | code(c.g) << 8 | code(c.b);
        }
    {
        Names names(pixels, width, scale, texels, side);
        for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s) {
            const SurfaceUv& uv = atlas.surfaces[s];
            if (uv.page != page) continue;
            const Layout& layout = atlas.layouts[uv.layout];
            const auto largest = std::max_element(
                layout.charts.begin(), layout.charts.end(),
                [](const Chart& a, const Chart& b) { return a.width * a.height < b.width * b.height; });
            if (largest != layout.charts.end())
                names.write(level.surfaces[s].name, s,
                            {uv.x + largest->x, uv.y + largest->y, largest->width, largest->height});
        }
    }
    std::vector<std::uint8_t> rgb;
    rgb.reserve(pixels.size() * 3);
    for (const std::uint32_t p : pixels)
        for (const int shift : {16, 8, 0}) rgb.push_back(static_cast<std::uint8_t>(p >> shift));
    write_png(to, width, width, rgb);
}

}  // namespace stasigraph
