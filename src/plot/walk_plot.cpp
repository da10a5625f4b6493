// A walk as a plot: light from probes and exact light over distance.

#include <algorithm>
#include <cmath>

#include "plot/plot.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

using namespace plotting;

constexpr double walk_gap = 60, error_height = 150;
constexpr Ink exact_ink{0.95, 0.95, 0.95}, probe_ink{0.35, 0.75, 1}, plain_ink{0.55, 0.45, 0.3},
    jump_ink{1, 0.3, 0.25};

double walk_lux(Rgb c) {
    return static_cast<double>(luminance(c));
}

void draw_walk_key(Plot& plot, std::size_t jumps) {
    const double key = 54;
    plot.text(plot_left, key, 13, "lux", 0, words);
    plot.line(160, key - 4, 190, key - 4, 3, exact_ink);
    plot.text(196, key, 13, "exact", 0, words);
    plot.line(260, key - 4, 290, key - 4, 2, probe_ink);
    plot.text(296, key, 13, "between probes", 0, words);
    plot.line(430, key - 4, 460, key - 4, 1.5, plain_ink);
    plot.text(466, key, 13, "without regard to walls", 0, words);
    plot.line(650, key - 10, 650, key + 2, 2, jump_ink);
    plot.text(658, key, 13, jumps == 1 ? "1 jump" : std::to_string(jumps) + " jumps", 0, words);
}

}  // namespace

void write_walk_plot(const fs::path& to, const std::string& title, const std::vector<WalkStep>& steps) {
    if (steps.empty()) throw Error{.what = "a walk has no steps", .where = "walk", .value = "", .remedy = ""};
    double low = 1e30, high = 0;
    std::size_t jumps = 0;
    float worst = 0;
    for (const WalkStep& s : steps) {
        for (const double v : {walk_lux(s.probes), walk_lux(s.exact)}) {
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
    Frame2 light{plot_left,
                 plot_width - plot_right,
                 plot_height - plot_bottom - error_height - walk_gap,
                 plot_top,
                 far,
                 logarithmic ? low / 1.3 : 0,
                 logarithmic ? high * 1.3 : high * 1.1,
                 logarithmic};
    Frame2 error{plot_left,
                 plot_width - plot_right,
                 plot_height - plot_bottom,
                 plot_height - plot_bottom - error_height,
                 far,
                 0,
                 std::clamp(static_cast<double>(worst) * 110, 20.0, 200.0)};
    Plot plot;
    plot.text(plot_left, 30, 18, title, 0, exact_ink);
    draw_walk_key(plot, jumps);
    grid(plot, light, nullptr);
    grid(plot, error, "m");
    for (const WalkStep& s : steps)
        if (s.jump) {
            const double x = light.x(static_cast<double>(s.distance));
            plot.line(x, light.y0, x, light.y1, 1.5, jump_ink);
            plot.line(x, error.y0, x, error.y1, 1.5, jump_ink);
        }
    const auto curve = [&](const Frame2& f, auto&& value, double thick, Ink ink) {
        plot.curve(
            f, steps.size(),
            [&](std::size_t i) { return std::pair(static_cast<double>(steps[i].distance), value(steps[i])); },
            thick, ink);
    };
    curve(
        light, [](const WalkStep& s) { return walk_lux(s.uncorrected); }, 1.5, plain_ink);
    curve(
        light, [](const WalkStep& s) { return walk_lux(s.exact); }, 3, exact_ink);
    curve(
        light, [](const WalkStep& s) { return walk_lux(s.probes); }, 2, probe_ink);
    plot.text(plot_left, error.y1 - 10, 13, "error, % of lightness", 0, words);
    curve(
        error, [](const WalkStep& s) { return 100 * static_cast<double>(s.error); }, 2, probe_ink);
    write_png(to, plot_width, plot_height, plot.pixels());
}

}  // namespace stasigraph
