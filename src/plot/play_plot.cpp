// Light on a figure over time, and frames side by side.

#include <algorithm>
#include <cmath>

#include "plot/plot.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/play.hpp"

namespace stasigraph {

namespace {

using namespace plotting;

constexpr double bar_height = 22, row_height = 22;
constexpr std::size_t most_rows = 5;

double lux(Rgb c) {
    return static_cast<double>(luminance(c));
}

Ink ink_of(Rgb c) {
    const float most = std::max(max_channel(c), 1e-9f);
    const auto part = [&](float v) { return 0.25 + 0.75 * static_cast<double>(v / most); };
    return {part(c.r), part(c.g), part(c.b)};
}

std::string label(const PlayChange& c) {
    std::string text = c.kind == PlayKind::clock ? "clock" : c.name;
    if (c.kind == PlayKind::layer && c.flicker > 0) text += " flicker";
    if (c.kind == PlayKind::layer && !(c.flicker > 0)) {
        text += " \u00d7 " + short_number(static_cast<double>(c.scale.r));
        if (c.scale.g != c.scale.r || c.scale.b != c.scale.r)
            text += ", " + short_number(static_cast<double>(c.scale.g)) + ", " +
                    short_number(static_cast<double>(c.scale.b));
    }
    if (!c.zone.empty()) text += " in " + c.zone;
    return text;
}

/// What was asked for, in rows so that names do not overlap; those that would leave the plot stand to the
/// left.
struct Mark {
    const PlayChange* change;
    std::size_t row;
    bool left;
};
std::vector<Mark> place_marks(const PlayScript& script, double far) {
    const double per_second = (plot_width - plot_right - plot_left) / far;
    std::vector<Mark> out;
    double row_end[most_rows] = {};
    for (const PlayChange& c : script.changes) {
        if (c.at > far) continue;
        const double wide = 7.2 * static_cast<double>(label(c).size()) + 10,
                     x = plot_left + c.at * per_second;
        const bool left = x + wide > plot_width - 10;
        const double from = left ? x - wide : x;
        std::size_t row = 0;
        while (row + 1 < most_rows && row_end[row] > from) ++row;
        row_end[row] = left ? x + 8 : x + wide;
        out.push_back({&c, row, left});
    }
    return out;
}

/// Where the figure was, as a bar over the time.
void draw_zones(Plot& plot, const Frame2& f, const std::vector<PlayMoment>& moments, double y) {
    std::vector<std::string> known;
    for (std::size_t i = 0; i < moments.size();) {
        std::size_t end = i;
        while (end < moments.size() && moments[end].zone == moments[i].zone) ++end;
        const std::string& zone = moments[i].zone;
        auto at = std::find(known.begin(), known.end(), zone);
        if (at == known.end()) at = known.insert(known.end(), zone);
        const double shade = 0.2 + 0.07 * static_cast<double>((at - known.begin()) % 4),
                     x0 = f.x(moments[i].at), x1 = f.x(moments[std::min(end, moments.size() - 1)].at);
        plot.fill(x0, y, x1, y + bar_height, {shade, shade * 1.05, shade * 1.2});
        const std::string name = zone.empty() ? "in no zone" : zone;
        if (x1 - x0 > 8.0 * static_cast<double>(name.size()))
            plot.text((x0 + x1) / 2, y + 15, 12, name, 0.5, words);
        i = end;
    }
}

}  // namespace

void write_play_plot(const std::filesystem::path& to, const std::string& title, const PlayScript& script,
                     const std::vector<PlayMoment>& moments) {
    if (moments.empty())
        throw Error{.what = "a walk has no moments", .where = "play", .value = "", .remedy = ""};
    double low = 1e30, high = 0;
    for (const PlayMoment& m : moments) {
        low = std::min(low, lux(m.light));
        high = std::max(high, lux(m.light));
    }
    high = std::max(high, 1e-6);
    low = std::max(low, high * 1e-7);
    const bool logarithmic = high / low > 8;
    const std::vector<Mark> marks = place_marks(script, std::max(moments.back().at, 1e-3));
    std::size_t rows = 0;
    for (const Mark& m : marks) rows = std::max(rows, m.row + 1);
    const Frame2 f{plot_left,
                   plot_width - plot_right,
                   plot_height - plot_bottom - bar_height - 14,
                   plot_top + 8 + row_height * static_cast<double>(rows),
                   std::max(moments.back().at, 1e-3),
                   logarithmic ? low / 1.3 : 0,
                   logarithmic ? high * 1.3 : high * 1.1,
                   logarithmic};
    Plot plot;
    plot.text(plot_left, 30, 18, title, 0, {0.95, 0.95, 0.95});
    plot.text(plot_left, 52, 13, "light on the figure, lux: mean of six sides, in its colour", 0, words);
    grid(plot, f, nullptr);
    const double step = round_step(f.far, 10);
    for (double t = 0; t <= f.far * 1.0001; t += step)
        plot.text(f.x(t), plot_height - plot_bottom + 20, 12, short_number(t) + " s", 0.5, words);
    const Ink mark_ink{0.95, 0.72, 0.3};
    const auto row_of = [](const Mark& m) { return plot_top + 8 + row_height * static_cast<double>(m.row); };
    for (const Mark& m : marks)
        plot.line(f.x(m.change->at), row_of(m) - 10, f.x(m.change->at), f.y0, 1, {0.5, 0.4, 0.22});
    for (const Mark& m : marks) {
        const PlayChange& c = *m.change;
        const double x = f.x(c.at), y = row_of(m), wide = 7.0 * static_cast<double>(label(c).size());
        plot.fill(m.left ? x - 5 - wide : x + 4, y - 11, m.left ? x - 4 : x + 5 + wide, y + 3, paper);
        if (c.seconds > 0)
            plot.line(x, y + 5, f.x(std::min(c.at + static_cast<double>(c.seconds), f.far)), y + 5, 2,
                      mark_ink);
        plot.text(m.left ? x - 5 : x + 5, y, 12, label(c), m.left ? 1 : 0, mark_ink);
    }
    for (std::size_t i = 1; i < moments.size(); ++i) {
        const PlayMoment &a = moments[i - 1], &b = moments[i];
        plot.line(f.x(a.at), f.y(lux(a.light)), f.x(b.at), f.y(lux(b.light)), 2.5, ink_of(b.light));
    }
    draw_zones(plot, f, moments, plot_height - plot_bottom - bar_height);
    write_png(to, plot_width, plot_height, plot.pixels());
}

ContactPicture play_thumbnail(const PlayFrame& frame, const ContactLayout& layout) {
    const float scale =
        std::min({1.0f, static_cast<float>(layout.picture_width) / static_cast<float>(frame.picture.width),
                  static_cast<float>(layout.picture_height) / static_cast<float>(frame.picture.height)});
    const auto scaled = [&](int side) {
        return std::max(1, static_cast<int>(static_cast<float>(side) * scale));
    };
    // Means of what each pixel covers, of colours as they are shown: a lamp must not outshine its
    // surroundings.
    const std::vector<std::uint8_t> from = tone_map(frame.picture, frame.exposure);
    const int width = frame.picture.width, height = frame.picture.height;
    ContactPicture out{.name = {}, .lines = {}, .width = scaled(width), .height = scaled(height), .rgb = {}};
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x)
            for (std::size_t c = 0; c < 3; ++c) {
                const int x0 = x * width / out.width, x1 = std::max(x0 + 1, (x + 1) * width / out.width),
                          y0 = y * height / out.height, y1 = std::max(y0 + 1, (y + 1) * height / out.height);
                int sum = 0;
                for (int v = y0; v < y1; ++v)
                    for (int u = x0; u < x1; ++u)
                        sum += from[3 * static_cast<std::size_t>(v * width + u) + c];
                const int count = (x1 - x0) * (y1 - y0);
                out.rgb.push_back(static_cast<std::uint8_t>((sum + count / 2) / count));
            }
    char time[48];
    std::snprintf(time, sizeof time, "%.1f s, EV %.1f", frame.at, static_cast<double>(frame.exposure));
    out.name = time;
    out.lines = {(frame.zone.empty() ? "in no zone" : frame.zone) + ": " + frame.shows};
    return out;
}

}  // namespace stasigraph
