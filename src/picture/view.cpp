#include <algorithm>

#include "picture/draw.hpp"
#include "picture/probe_marks.hpp"
#include "picture/viewer.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t picture_rows_per_task = 8;

/// Pixels that differ from one beside them by more than `seen` of the brighter, and all within `around`
/// pixels of where one surface gives way to another, so that what is thinner than a pixel is found where one
/// sample missed it.
std::vector<std::uint8_t> busy_pixels(const Picture& picture, const std::vector<std::uint32_t>& surface,
                                      Job& job) {
    constexpr float seen = 0.06f;
    constexpr int around = 2;
    const int width = picture.width, height = picture.height;
    const auto at = [&](int x, int y) {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x);
    };
    const auto differ = [](Rgb a, Rgb b) {
        const float most = std::max(max_channel(a), max_channel(b));
        return std::max({std::abs(a.r - b.r), std::abs(a.g - b.g), std::abs(a.b - b.b)}) > seen * most;
    };
    std::vector<std::uint8_t> edge(picture.pixels.size(), 0), busy(picture.pixels.size(), 0);
    const auto rows = [&](auto&& row) {
        job.parallel(static_cast<std::size_t>(height), picture_rows_per_task,
                     [&](std::size_t begin, std::size_t end) {
                         for (std::size_t y = begin; y < end; ++y) row(static_cast<int>(y));
                     });
    };
    rows([&](int y) {
        for (int x = 0; x < width; ++x) {
            const std::size_t here = at(x, y);
            const auto look = [&](std::size_t there) {
                edge[here] |= surface[here] != surface[there];
                busy[here] |= differ(picture.pixels[here], picture.pixels[there]);
            };
            if (x > 0) look(at(x - 1, y));
            if (y > 0) look(at(x, y - 1));
            if (x + 1 < width) look(at(x + 1, y));
            if (y + 1 < height) look(at(x, y + 1));
        }
    });
    rows([&](int y) {
        for (int x = 0; x < width; ++x)
            for (int v = std::max(0, y - around); v <= std::min(height - 1, y + around); ++v)
                for (int u = std::max(0, x - around); u <= std::min(width - 1, x + around); ++u)
                    busy[at(x, y)] |= edge[at(u, v)];
    });
    return busy;
}

}  // namespace

std::size_t draw_units(const ViewOptions& settings) {
    return static_cast<std::size_t>(settings.height) * (settings.samples > 1 ? 2 : 1);
}

Picture draw(const Shot& shot, const ViewOptions& settings, Job& job) {
    Picture picture{settings.width, settings.height,
                    std::vector<Rgb>(static_cast<std::size_t>(settings.width) * settings.height)};
    const auto height = static_cast<std::size_t>(settings.height);
    const auto each_row = [&](auto&& draw) {
        job.parallel(height, picture_rows_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t y = begin; y < end; ++y) draw(static_cast<int>(y));
            job.advance(end - begin);
        });
    };
    const int side = std::max(1, static_cast<int>(std::sqrt(static_cast<float>(settings.samples)) + 0.5f));
    const auto at = [&](int x, int y) {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(settings.width) +
               static_cast<std::size_t>(x);
    };
    std::vector<std::uint32_t> surface(picture.pixels.size());
    each_row([&](int y) {
        for (int x = 0; x < settings.width; ++x)
            picture.pixels[at(x, y)] = shot.pixel(x, y, 1, surface[at(x, y)]);
    });
    if (side > 1) {
        // More samples are for pixels near which something changes.
        const std::vector<std::uint8_t> busy = busy_pixels(picture, surface, job);
        each_row([&](int y) {
            for (int x = 0; x < settings.width; ++x)
                if (busy[at(x, y)]) picture.pixels[at(x, y)] = shot.pixel(x, y, side, surface[at(x, y)]);
        });
    }
    return picture;
}

namespace {

/// The exposure value of the set that is shown, where its recipe has one.
std::optional<float> own_exposure(const Level& level, const BakedSet& shown) {
    const auto set = std::find_if(level.sets.begin(), level.sets.end(),
                                  [&](const BakeSet& s) { return s.name == shown.name; });
    return set != level.sets.end() ? set->exposure : std::nullopt;
}

/// The irradiance that shows white things as light grey at the exposure of the set or, where it has none, at
/// that of what stands around.
Rgb even_light(const ChartedLevel& charted, const ViewLight& light, const Camera& camera,
               ViewOptions settings, Job& job) {
    constexpr int smaller = 8;
    // A luminance of 2^ev / 8 is shown as 0.18: one of 2^ev / 1.44 as 1, before highlights are rolled off.
    const auto lux_at = [](float ev) { return Rgb{1, 1, 1} * (pi * std::exp2(ev) / 1.44f); };
    if (const auto ev = own_exposure(charted.level, *light.set)) return lux_at(*ev);
    settings.width = std::max(8, settings.width / smaller);
    settings.height = std::max(8, settings.height / smaller);
    settings.samples = 1;
    settings.moving = false;
    const Viewer around(charted, light, settings, camera.vertical_fov, {});
    job.begin(Stage::picture, draw_units(settings));
    return lux_at(auto_exposure(draw(Shot(around, camera, settings), settings, job)));
}

[[noreturn]] void lacks(const char* what, const char* remedy) {
    throw Error{.what = what, .where = "view", .value = "", .remedy = remedy};
}

bool has_mirrors(const ViewLight& light) {
    return light.set && light.reflections && !light.reflections->empty() &&
           light.set->reflections.size() == light.reflections->size();
}

/// Whether there is what a picture is to show.
void check_view(const ChartedLevel& charted, const ViewLight& light, const ViewOptions& settings) {
    const Show show = settings.show;
    const auto is_one_of = [&](std::initializer_list<Show> some) {
        return std::find(some.begin(), some.end(), show) != some.end();
    };
    if (settings.width < 8 || settings.height < 8 || settings.width > 8192 || settings.height > 8192)
        throw Error{.what = "picture size is out of range",
                    .where = "--size",
                    .value = std::to_string(settings.width) + "x" + std::to_string(settings.height),
                    .remedy = "Use 8 to 8192 pixels."};
    if (!light.set &&
        is_one_of({Show::lit, Show::light, Show::probes, Show::reflections, Show::lux, Show::groups}))
        lacks("this picture needs a bake", "Run `stasigraph bake` first.");
    if ((show == Show::marks && !light.marks) || (show == Show::groups && !light.groups) ||
        (show == Show::lux && !(settings.lux_low > 0 && settings.lux_high > settings.lux_low)))
        lacks("this picture lacks what it is to show",
              "Set ViewLight::marks, ViewLight::groups, or a range of lux over 0.");
    if (show == Show::occlusion &&
        (!light.occlusion || light.occlusion->size() != charted.atlas.pages.size()))
        lacks("the bake has no occlusion map",
              "Add [occlusion] with reach = 1.5 (metres) to the sheet, and bake.");
    if (show == Show::probes &&
        (!light.probes || light.probes->size() == 0 || light.set->probes.size() != light.probes->size()))
        lacks("the bake has no probes", "Add a [[volume]] to the sheet, and bake.");
    if (show == Show::reflections && !has_mirrors(light))
        lacks("the bake has no reflection probes", "Add a [[reflection]] to the sheet, and bake.");
    if (show == Show::zones && (charted.level.zones.empty() || !light.zones))
        lacks("the level has no zones", "Add a [[zone]] with a name, low and high (metres) to the sheet.");
}

}  // namespace

Picture view(const ChartedLevel& charted, const ViewLight& light, const Camera& camera,
             const ViewOptions& settings, Job& job) {
    check_place(camera.eye, "camera " + camera.name);
    check_place(camera.toward, "camera " + camera.name);
    check_view(charted, light, settings);
    ViewLight lit = light;
    if (!has_mirrors(light)) lit.reflections = nullptr;
    Viewer viewer(charted, lit, settings, camera.vertical_fov, {});
    if (light.set && !settings.probe_light)
        viewer.set_even_light(even_light(charted, lit, camera, settings, job));
    const Shot shot(viewer, camera, settings);
    job.begin(Stage::picture, draw_units(settings));
    Picture picture = draw(shot, settings, job);
    if (settings.show == Show::probes || settings.show == Show::reflections) {
        // What the probes stand in steps back.
        for (Rgb& c : picture.pixels) {
            const float grey = luminance(c);
            c = Rgb{grey, grey, grey} * 0.2f + c * 0.2f;
        }
        const std::optional<float> own = own_exposure(charted.level, *light.set);
        const float ev = own ? *own : auto_exposure(picture) + 1;
        const float white = std::exp2(ev) / 2;
        if (settings.show == Show::probes)
            draw_probes({viewer, shot, light, white}, settings.net, picture, job);
        else
            draw_reflections({viewer, shot, light, white}, picture, job);
    }
    if (settings.show == Show::zones) draw_zones({viewer, shot, light}, charted.level.zones, picture, job);
    job.finish();
    return picture;
}

Rgb lux_color(float lux, float low, float high) {
    // Dark blue over teal, green and yellow to red: lightness rises up to yellow, so that it reads in grey
    // too.
    constexpr Rgb stops[] = {{0.02f, 0.02f, 0.12f}, {0.03f, 0.1f, 0.5f},  {0.0f, 0.35f, 0.45f},
                             {0.1f, 0.6f, 0.15f},   {0.95f, 0.8f, 0.05f}, {0.95f, 0.25f, 0.02f},
                             {0.6f, 0.0f, 0.02f}};
    constexpr int last = static_cast<int>(std::size(stops)) - 1;
    if (!(lux >= low)) return {0.01f, 0.01f, 0.01f};
    if (lux > high) return {1, 1, 1};
    const float at = std::log(lux / low) / std::log(high / low) * last;
    const int i = std::min(static_cast<int>(at), last - 1);
    return stops[i] + (stops[i + 1] - stops[i]) * (at - static_cast<float>(i));
}

Rgb group_color(std::uint32_t group) {
    constexpr Rgb colors[] = {{0.95f, 0.7f, 0.1f},  {0.2f, 0.45f, 0.9f},  {0.85f, 0.12f, 0.1f},
                              {0.15f, 0.6f, 0.25f}, {0.6f, 0.25f, 0.8f},  {0.1f, 0.7f, 0.7f},
                              {0.95f, 0.4f, 0.6f},  {0.45f, 0.3f, 0.15f}, {0.6f, 0.75f, 0.15f},
                              {0.75f, 0.75f, 0.8f}};
    return group < std::size(colors) ? colors[group] : chart_color(group, 7);
}

float auto_exposure(const Picture& picture) {
    std::vector<float> logs;
    for (Rgb c : picture.pixels)
        if (const float l = luminance(c); l > 1e-6f) logs.push_back(std::log2(l));
    if (logs.empty()) return 0;
    // The mean without the darkest and brightest twentieth: a lamp or a black corner must not decide.
    const std::size_t cut = logs.size() / 20;
    const auto middle = logs.begin() + static_cast<std::ptrdiff_t>(cut),
               end = logs.end() - static_cast<std::ptrdiff_t>(cut);
    std::nth_element(logs.begin(), middle, logs.end());
    std::nth_element(middle, end, logs.end());
    double sum = 0;
    for (std::size_t i = cut; i < logs.size() - cut; ++i) sum += static_cast<double>(logs[i]);
    // A scene's mean is darker than a grey card: half a stop more light than metered looks right.
    return static_cast<float>(sum / static_cast<double>(logs.size() - 2 * cut)) + 2.5f;
}

std::vector<std::uint8_t> tone_map(const Picture& picture, std::optional<float> ev) {
    std::vector<std::uint8_t> out;
    out.reserve(picture.pixels.size() * 3);
    // Metered luminance 2^ev / 8 goes to 0.18; a rational curve then rolls the highlights off.
    const float scale = ev ? 0.18f * 8 / std::exp2(*ev) : 1;
    const auto code = [&](float v) {
        if (ev) {
            v *= scale;
            v = v * (1 + v / 36) / (1 + v * 0.8f);  // 1 at 3.4, 4.2 stops over grey; slope 1 at the dark end
        }
        return static_cast<std::uint8_t>(srgb_code(v) * 255 + 0.5f);
    };
    for (Rgb c : picture.pixels) {
        out.push_back(code(c.r));
        out.push_back(code(c.g));
        out.push_back(code(c.b));
    }
    return out;
}

}  // namespace stasigraph
