#pragma once
// Curves over an axis, lettered by Cairo.

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <string>
#include <vector>

namespace stasigraph::plotting {

inline constexpr int plot_width = 1280, plot_height = 800;
inline constexpr double plot_left = 90, plot_right = 30, plot_top = 70, plot_bottom = 60;

struct Ink {
    double r, g, b;
};
inline constexpr Ink paper{0.086, 0.094, 0.11}, faint{0.22, 0.24, 0.27}, words{0.78, 0.8, 0.82};

struct Frame2 {
    double x0, x1, y0, y1;  ///< Pixels; y0 is the lower edge.
    double far, low, high;  ///< Where x ends, and values at the edges.
    bool logarithmic = false;
    double x(double metres) const { return x0 + (x1 - x0) * metres / far; }
    double y(double v) const {
        const auto scale = [&](double s) { return logarithmic ? std::log(std::max(s, low)) : s; };
        return y0 + (y1 - y0) * (scale(std::min(v, high)) - scale(low)) / (scale(high) - scale(low));
    }
};

class Plot {
public:
    Plot()
        : surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, plot_width, plot_height)),
          c_(cairo_create(surface_)) {
        ink(paper);
        cairo_paint(c_);
        cairo_select_font_face(c_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    }
    ~Plot() {
        cairo_destroy(c_);
        cairo_surface_destroy(surface_);
    }
    Plot(const Plot&) = delete;
    Plot& operator=(const Plot&) = delete;

    void ink(Ink i) { cairo_set_source_rgb(c_, i.r, i.g, i.b); }
    /// `anchor`: 0 begins at x, 1 ends there, 0.5 is centred.
    void text(double x, double y, double size, const std::string& s, double anchor, Ink i) {
        cairo_set_font_size(c_, size);
        cairo_text_extents_t box;
        cairo_text_extents(c_, s.c_str(), &box);
        ink(i);
        cairo_move_to(c_, x - anchor * box.x_advance, y);
        cairo_show_text(c_, s.c_str());
    }
    void line(double x0, double y0, double x1, double y1, double thick, Ink i) {
        ink(i);
        cairo_set_line_width(c_, thick);
        cairo_move_to(c_, x0, y0);
        cairo_line_to(c_, x1, y1);
        cairo_stroke(c_);
    }
    /// `at(i)`: x and y of the i-th place, in the frame's own measures.
    template <class F>
    void curve(const Frame2& f, std::size_t count, F at, double thick, Ink i) {
        ink(i);
        cairo_set_line_width(c_, thick);
        for (std::size_t k = 0; k < count; ++k) {
            const auto [x, y] = at(k);
            k == 0 ? cairo_move_to(c_, f.x(x), f.y(y)) : cairo_line_to(c_, f.x(x), f.y(y));
        }
        cairo_stroke(c_);
    }
    void fill(double x0, double y0, double x1, double y1, Ink i) {
        ink(i);
        cairo_rectangle(c_, x0, y0, x1 - x0, y1 - y0);
        cairo_fill(c_);
    }
    std::vector<std::uint8_t> pixels() {
        cairo_surface_flush(surface_);
        const unsigned char* data = cairo_image_surface_get_data(surface_);
        const int stride = cairo_image_surface_get_stride(surface_);
        std::vector<std::uint8_t> out;
        for (int y = 0; y < plot_height; ++y)
            for (int x = 0; x < plot_width; ++x)
                for (const int channel : {2, 1, 0}) out.push_back(data[y * stride + 4 * x + channel]);
        return out;
    }

private:
    cairo_surface_t* surface_;
    cairo_t* c_;
};

inline std::string short_number(double v) {
    char text[32];
    std::snprintf(text, sizeof text, v >= 1e5 ? "%.0fk" : v >= 10 ? "%.0f" : "%.3g", v >= 1e5 ? v / 1e3 : v);
    return text;
}

/// A round step that makes about this many of a range.
inline double round_step(double range, double wanted) {
    const double raw = range / wanted, ten = std::pow(10, std::floor(std::log10(raw)));
    for (const double m : {1.0, 2.0, 5.0})
        if (m * ten >= raw) return m * ten;
    return 10 * ten;
}

/// `unit`: of the axis; null where no numbers are to stand under it.
inline void grid(Plot& plot, const Frame2& f, const char* unit) {
    const double step = round_step(f.far, 10);
    for (double m = 0; m <= f.far * 1.0001; m += step) {
        plot.line(f.x(m), f.y0, f.x(m), f.y1, 1, faint);
        if (unit) plot.text(f.x(m), f.y0 + 20, 12, short_number(m) + " " + unit, 0.5, words);
    }
    const auto across = [&](double v) {
        plot.line(f.x0, f.y(v), f.x1, f.y(v), 1, faint);
        plot.text(f.x0 - 8, f.y(v) + 4, 12, short_number(v), 1, words);
    };
    if (f.logarithmic) {
        const bool few = std::log10(f.high / f.low) < 2.2;
        for (double ten = std::pow(10, std::floor(std::log10(f.low))); ten <= f.high; ten *= 10)
            for (const double m : {1.0, 2.0, 5.0})
                if ((few || m == 1.0) && m * ten >= f.low && m * ten <= f.high) across(m * ten);
        return;
    }
    for (double v = 0; v <= f.high * 1.0001; v += round_step(f.high, 5)) across(v);
}

}  // namespace stasigraph::plotting
