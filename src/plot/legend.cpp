// What the colours of a picture mean, written into it.

#include <cairo.h>

#include <algorithm>

#include "picture/colors.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

void draw_legend(int width, int height, const std::vector<LegendLine>& lines,
                 std::vector<std::uint8_t>& rgb) {
    constexpr int line_height = 20, inset = 10, swatch = 12;
    constexpr double size = 13;
    std::vector<std::uint32_t> words(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    for (std::size_t i = 0; i < words.size(); ++i)
        words[i] = static_cast<std::uint32_t>(rgb[3 * i]) << 16 |
                   static_cast<std::uint32_t>(rgb[3 * i + 1]) << 8 | rgb[3 * i + 2];
    cairo_surface_t* surface = cairo_image_surface_create_for_data(
        reinterpret_cast<unsigned char*>(words.data()), CAIRO_FORMAT_RGB24, width, height, 4 * width);
    cairo_t* c = cairo_create(surface);
    cairo_select_font_face(c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c, size);
    double widest = 0;
    for (const LegendLine& l : lines) {
        cairo_text_extents_t box;
        cairo_text_extents(c, l.text.c_str(), &box);
        widest = std::max(widest, box.x_advance);
    }
    const int tall = line_height * static_cast<int>(lines.size()) + inset;
    const double top = height - inset - tall;
    cairo_set_source_rgba(c, 0.06, 0.065, 0.075, 0.82);
    cairo_rectangle(c, inset, top, widest + swatch + 3 * inset, tall);
    cairo_fill(c);
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const double y = top + inset / 2.0 + line_height * static_cast<double>(i);
        const Rgb k = lines[i].color;
        cairo_set_source_rgb(c, static_cast<double>(srgb_code(k.r)), static_cast<double>(srgb_code(k.g)),
                             static_cast<double>(srgb_code(k.b)));
        cairo_rectangle(c, 2 * inset, y + (line_height - swatch) / 2.0, swatch, swatch);
        cairo_fill(c);
        cairo_set_source_rgb(c, 0.92, 0.92, 0.92);
        cairo_move_to(c, 3 * inset + swatch, y + 15);
        cairo_show_text(c, lines[i].text.c_str());
    }
    cairo_destroy(c);
    cairo_surface_flush(surface);
    cairo_surface_destroy(surface);
    for (std::size_t i = 0; i < words.size(); ++i)
        for (std::size_t k = 0; k < 3; ++k)
            rgb[3 * i + k] = static_cast<std::uint8_t>(words[i] >> (16 - 8 * k));
}

}  // namespace stasigraph
