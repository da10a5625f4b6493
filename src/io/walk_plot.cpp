// A walk as a plot: light from probes and exact light over distance.

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <functional>

#include "io/bake_files.hpp"
#include "stasigraph/error.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr int width = 1280, height = 800;
constexpr double left = 90, right = 30, top = 70, gap = 60, error_height = 150, bottom = 60;

struct Ink {
    double r, g, b;
};
constexpr Ink paper{0.086, 0.094, 0.11}, faint{0.22, 0.24, 0.27}, words{0.78, 0.8, 0.82},
    exact_ink{0.95, 0.95, 0.95}, probe_ink{0.35, 0.75, 1}, plain_ink{0.55, 0.45, 0.3}, jump_ink{1, 0.3, 0.25};

struct Frame2 {
    double x0, x1, y0, y1;  ///< Pixels; y0 is the lower edge.
    double far, low, high;  ///< Metres, and values at the edges.
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
        : surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height)),
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
    void curve(const Frame2& f, const std::vector<WalkStep>& steps,
               const std::function<double(const WalkStep&)>& v, double thick, Ink i) {
        ink(i);
        cairo_set_line_width(c_, thick);
        for (std::size_t k = 0; k < steps.size(); ++k) {
            const double x = f.x(static_cast<double>(steps[k].distance)), y = f.y(v(steps[k]));
            k == 0 ? cairo_move_to(c_, x, y) : cairo_line_to(c_, x, y);
        }
        cairo_stroke(c_);
    }
    std::vector<std::uint8_t> pixels() {
        cairo_surface_flush(surface_);
        const unsigned char* data = cairo_image_surface_get_data(surface_);
        const int stride = cairo_image_surface_get_stride(surface_);
        std::vector<std::uint8_t> out;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                for (const int channel : {2, 1, 0}) out.push_back(data[y * stride + 4 * x + channel]);
        return out;
    }

private:
    cairo_surface_t* surface_;
    cairo_t* c_;
};

std::string short_number(double v) {
    char text[32];
    std::snprintf(text, sizeof text, v >= 1e5 ? "%.0fk" : v >= 10 ? "%.0f" : "%.3g", v >= 1e5 ? v / 1e3 : v);
    return text;
}

/// A round step that makes about so many of a range.
double round_step(double range, double wanted) {
    const double raw = range / wanted, ten = std::pow(10, std::floor(std::log10(raw)));
    for (const double m : {1.0, 2.0, 5.0})
        if (m * ten >= raw) return m * ten;
    return 10 * ten;
}

void grid(Plot& plot, const Frame2& f, bool numbers_below) {
    const double step = round_step(f.far, 10);
    for (double m = 0; m <= f.far * 1.0001; m += step) {
        plot.line(f.x(m), f.y0, f.x(m), f.y1, 1, faint);
        if (numbers_below) plot.text(f.x(m), f.y0 + 20, 12, short_number(m) + " m", 0.5, words);
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

double lux(Rgb c) {
    return static_cast<double>(luminance(c));
}

}  // namespace

void write_walk_plot(const fs::path& to, const std::string& title, const std::vector<WalkStep>& steps) {
    if (steps.empty()) throw Error{.what = "a walk has no steps", .where = "walk", .value = "", .remedy = ""};
    double low = 1e30, high = 0;
    std::size_t jumps = 0;
    float worst = 0;
    for (const WalkStep& s : steps) {
        for (const double v : {lux(s.probes), lux(s.exact)}) {
            low = std::min(low, v);
            high = std::max(high, v);
        }
        jumps += s.jump ? 1 : 0;
        worst = std::max(worst, s.error);
    }
    high = std::max(high, 1e-6);
    low = std::max(low, high * 1e-5);
    const double far = std::max(1e-3, static_cast<double>(steps.back().distance));
    const bool logarithmic = high / low > 8;
    Frame2 light{left,
                 width - right,
                 height - bottom - error_height - gap,
                 top,
                 far,
                 logarithmic ? low / 1.3 : 0,
                 logarithmic ? high * 1.3 : high * 1.1,
                 logarithmic};
    Frame2 error{left,
                 width - right,
                 height - bottom,
                 height - bottom - error_height,
                 far,
                 0,
                 std::clamp(static_cast<double>(worst) * 110, 20.0, 200.0)};
    Plot plot;
    plot.text(left, 30, 18, title, 0, exact_ink);
    const double key = 54;
    plot.text(left, key, 13, "lux", 0, words);
    plot.line(160, key - 4, 190, key - 4, 3, exact_ink);
    plot.text(196, key, 13, "exact", 0, words);
    plot.line(260, key - 4, 290, key - 4, 2, probe_ink);
    plot.text(296, key, 13, "between probes", 0, words);
    plot.line(430, key - 4, 460, key - 4, 1.5, plain_ink);
    plot.text(466, key, 13, "without regard to walls", 0, words);
    plot.line(650, key - 10, 650, key + 2, 2, jump_ink);
    plot.text(658, key, 13, jumps == 1 ? "1 jump" : std::to_string(jumps) + " jumps", 0, words);
    grid(plot, light, false);
    grid(plot, error, true);
    for (const WalkStep& s : steps)
        if (s.jump) {
            const double x = light.x(static_cast<double>(s.distance));
            plot.line(x, light.y0, x, light.y1, 1.5, jump_ink);
            plot.line(x, error.y0, x, error.y1, 1.5, jump_ink);
        }
    plot.curve(
        light, steps, [](const WalkStep& s) { return lux(s.uncorrected); }, 1.5, plain_ink);
    plot.curve(
        light, steps, [](const WalkStep& s) { return lux(s.exact); }, 3, exact_ink);
    plot.curve(
        light, steps, [](const WalkStep& s) { return lux(s.probes); }, 2, probe_ink);
    plot.text(left, error.y1 - 10, 13, "error, % of lightness", 0, words);
    plot.curve(
        error, steps, [](const WalkStep& s) { return 100 * static_cast<double>(s.error); }, 2, probe_ink);
    write_png(to, width, height, plot.pixels());
}

}  // namespace stasigraph
