// Pictures side by side, each with what it is and what it came to written under it.

#include <cairo.h>

#include <algorithm>
#include <cmath>

#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr int gap = 12, title_height = 40, line_height = 18;
constexpr double title_size = 18, name_size = 14, text_size = 12.5;

/// An 8-bit RGB canvas that is lettered on.
class Canvas {
public:
    Canvas(int width, int height)
        : width_(width),
          height_(height),
          pixels_(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), 0x16181cu),
          surface_(cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(pixels_.data()),
                                                       CAIRO_FORMAT_RGB24, width, height, 4 * width)),
          cairo_(cairo_create(surface_)) {}
    ~Canvas() {
        cairo_destroy(cairo_);
        cairo_surface_destroy(surface_);
    }
    Canvas(const Canvas&) = delete;
    Canvas& operator=(const Canvas&) = delete;

    void text(int x, int baseline, int most_width, double size, bool bold, std::string words) {
        cairo_select_font_face(cairo_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                               bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(cairo_, size);
        const auto wide = [&](const std::string& s) {
            cairo_text_extents_t box;
            cairo_text_extents(cairo_, s.c_str(), &box);
            return box.x_advance > most_width;
        };
        // The end gives way; never within a character of several bytes.
        if (wide(words)) {
            while (!words.empty() && wide(words + "\u2026")) {
                while (words.size() > 1 && (static_cast<unsigned char>(words.back()) & 0xc0) == 0x80)
                    words.pop_back();
                words.pop_back();
            }
            words += "\u2026";
        }
        const double shade = bold ? 0.95 : 0.75;
        cairo_set_source_rgb(cairo_, shade, shade, shade);
        cairo_move_to(cairo_, x, baseline);
        cairo_show_text(cairo_, words.c_str());
        cairo_surface_flush(surface_);
    }

    void picture(int x, int y, const ContactPicture& p) {
        cairo_surface_flush(surface_);
        for (int row = 0; row < p.height; ++row)
            for (int column = 0; column < p.width; ++column) {
                const std::uint8_t* c = &p.rgb[3 * (static_cast<std::size_t>(row) * p.width + column)];
                pixels_[static_cast<std::size_t>(y + row) * width_ + x + column] =
                    static_cast<std::uint32_t>(c[0]) << 16 | static_cast<std::uint32_t>(c[1]) << 8 | c[2];
            }
        cairo_surface_mark_dirty(surface_);
    }

    std::vector<std::uint8_t> rgb() const {
        std::vector<std::uint8_t> out;
        out.reserve(pixels_.size() * 3);
        for (const std::uint32_t p : pixels_)
            for (const int shift : {16, 8, 0}) out.push_back(static_cast<std::uint8_t>(p >> shift));
        return out;
    }
    int width() const { return width_; }
    int height() const { return height_; }

private:
    int width_, height_;
    std::vector<std::uint32_t> pixels_;
    cairo_surface_t* surface_;
    cairo_t* cairo_;
};

}  // namespace

ContactLayout contact_layout(std::size_t pictures, int width, std::size_t lines) {
    ContactLayout l{.columns =
                        std::max(1, static_cast<int>(std::ceil(std::sqrt(static_cast<double>(pictures)))))};
    // Two or three fit into one row of pictures that are wider than high; a single row shows differences
    // best.
    if (pictures == 3) l.columns = 3;
    const int rows = (static_cast<int>(pictures) + l.columns - 1) / l.columns;
    l.width = width;
    l.picture_width = (width - gap * (l.columns + 1)) / l.columns;
    l.picture_height = l.picture_width * 10 / 16;
    l.height = title_height +
               rows * (l.picture_height + line_height * static_cast<int>(lines + 1) + 2 * gap) + gap / 2;
    return l;
}

void write_contact_sheet(const std::filesystem::path& to, const std::string& title,
                         const ContactLayout& layout, const std::vector<ContactPicture>& pictures) {
    std::size_t lines = 0;
    for (const ContactPicture& p : pictures) {
        lines = std::max(lines, p.lines.size());
        if (p.width > layout.picture_width || p.height > layout.picture_height ||
            p.rgb.size() != 3 * static_cast<std::size_t>(p.width) * static_cast<std::size_t>(p.height))
            throw Error{.what = "a picture does not fit into its contact sheet",
                        .where = p.name,
                        .value = std::to_string(p.width) + "x" + std::to_string(p.height),
                        .remedy = "Draw it in the size of the layout."};
    }
    Canvas canvas(layout.width, layout.height);
    canvas.text(gap, 27, layout.width - 2 * gap, title_size, true, title);
    const int row_height = layout.picture_height + line_height * static_cast<int>(lines + 1) + 2 * gap;
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        const auto column = static_cast<int>(i) % layout.columns, row = static_cast<int>(i) / layout.columns;
        const int x = gap + column * (layout.picture_width + gap), y = title_height + row * row_height;
        canvas.picture(x, y, pictures[i]);
        int baseline = y + layout.picture_height + line_height;
        canvas.text(x, baseline, layout.picture_width, name_size, true, pictures[i].name);
        for (const std::string& line : pictures[i].lines)
            canvas.text(x, baseline += line_height, layout.picture_width, text_size, false, line);
    }
    write_png(to, canvas.width(), canvas.height(), canvas.rgb());
}

}  // namespace stasigraph
