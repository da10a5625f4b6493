#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/text.hpp"
#include "codec/images.hpp"
#include "sheet/sheet_lights.hpp"

#include "sheet/sheet_shapes.hpp"
namespace stasigraph {

namespace {

/// The fifteen types of the standard in its order and nearly its words.
constexpr std::string_view standard_names[15] = {"overcast",
                                                 "overcast, brighter toward the sun",
                                                 "overcast, moderately graded",
                                                 "overcast, moderately graded, brighter toward the sun",
                                                 "uniform",
                                                 "partly cloudy",
                                                 "partly cloudy, brighter around the sun",
                                                 "partly cloudy, with a corona",
                                                 "partly cloudy, sun hidden",
                                                 "partly cloudy, graded, brighter around the sun",
                                                 "white-blue",
                                                 "clear",
                                                 "clear, polluted",
                                                 "turbid",
                                                 "white-blue, turbid"};

/// Reflectance of what lies under the horizon of a standard sky unless said otherwise: dry ground.
constexpr float ground_albedo = 0.15f;

std::string place_text(Vec3 toward) {
    float azimuth = std::atan2(toward.x, -toward.z) / degree;
    if (azimuth < 0) azimuth += 360;
    char text[80];
    std::snprintf(text, sizeof text, "azimuth %.1f, elevation %.1f", static_cast<double>(azimuth),
                  static_cast<double>(std::asin(std::clamp(toward.y, -1.0f, 1.0f)) / degree));
    return text;
}

int type_from(const Entry& e) {
    const toml::node* node = e.node("type");
    if (node->is_integer()) return static_cast<int>(*e.number("type", 1, 15));
    const std::string name = e.needed_text("type");
    const auto at = std::find(std::begin(standard_names), std::end(standard_names), name);
    if (at != std::end(standard_names)) return static_cast<int>(at - std::begin(standard_names)) + 1;
    const std::string near = nearest_word(name, standard_names);
    std::string all;
    for (std::string_view n : standard_names) all += (all.empty() ? "\"" : ", \"") + std::string(n) + "\"";
    e.fail("type", "is no standard sky",
           near.empty() ? "Use 1 to 15, or " + all + "." : "Did you mean \"" + near + "\"?");
}

/// The disc of the image becomes the sun: the level's own one where there is one.
void sun_from_image(const Entry& e, Level& level) {
    const std::string how = e.needed_text("sun");
    if (how != "from image") e.fail("sun", "is no way to get a sun", "Use \"from image\".");
    if (level.sky.kind != SkyKind::image) e.fail("sun", "needs an image", "Add image = \"name.exr\".");
    const std::optional<Light> found = take_sun(level.sky);
    if (!found)
        e.fail("sun", "nothing in the image is twenty times as bright as the sky around it",
               "Its sun is hidden or was painted out; use a [[light]] of kind \"sun\".");
    char text[160];
    std::snprintf(text, sizeof text, "%.0f lux, %.2f degrees wide",
                  static_cast<double>(luminance(found->color)),
                  static_cast<double>(found->angular_diameter / degree));
    level.notes.push_back("the image's sun stands at " + place_text(-found->direction) + ": " + text +
                          "; it is taken out of the sky");
    for (Light& light : level.lights)
        if (light.kind == LightKind::sun) {
            level.notes.push_back("light " + light.name + " is that sun now");
            light.color = found->color;
            light.direction = found->direction;
            light.across = found->across;
            light.angular_diameter = found->angular_diameter;
            return;
        }
    level.lights.push_back(*found);
}

}  // namespace

void apply_sky(const Entry& e, SheetFiles& files, Level& level) {
    Sky& sky = level.sky;
    const int kinds = (e.has("radiance") ? 1 : 0) + (e.has("image") ? 1 : 0) + (e.has("type") ? 1 : 0);
    if (kinds > 1)
        e.fail(e.has("image") ? "image" : "type", "a sky is of one kind",
               "Use one of radiance, image and type.");
    const auto only = [&](const char* key, bool fits, const char* remedy) {
        if (e.has(key) && !fits) e.fail(key, "does not go with this sky", remedy);
    };
    only("turn", e.has("image"), "It turns an image.");
    only("sun", e.has("image"), "It needs an image.");
    for (const char* key : {"lux", "azimuth", "elevation", "ground"})
        only(key, e.has("type"), "It belongs to a standard sky: add type.");
    if (const auto v = e.color("radiance", 1e9)) sky.radiance = *v;
    if (e.has("image")) {
        SkyPixels image =
            read_sky_image(files.open(e, "image"), e.where("image") + " " + e.needed_text("image"));
        if (!image.note.empty()) level.notes.push_back(image.note);
        sky.kind = SkyKind::image;
        sky.width = image.width;
        sky.height = image.height;
        sky.pixels = std::move(image.pixels);
        sky.radiance = {1, 1, 1};
        sky.turn = static_cast<float>(e.number("turn", -360, 360).value_or(0)) * degree;
    }
    if (e.has("type")) {
        sky.kind = SkyKind::standard;
        sky.type = type_from(e);
        sky.radiance = {1, 1, 1};
    }
    if (const auto k = e.number("kelvin", 1000, 20000))
        sky.radiance = kelvin_to_rgb(static_cast<float>(*k)) * luminance(sky.radiance);
    if (const auto v = e.number("gain", 0, 1e6)) sky.radiance = sky.radiance * static_cast<float>(*v);
    if (const auto v = e.text("group")) sky.group = group_index(level, *v);
    if (e.has("sun")) sun_from_image(e, level);
}

void follow_sun(const Entry& e, Level& level) {
    Sky& sky = level.sky;
    const Light* sun = nullptr;
    for (const Light& light : level.lights)
        if (light.kind == LightKind::sun && (!sun || luminance(light.color) > luminance(sun->color)))
            sun = &light;
    if (sky.kind == SkyKind::image && sun && !e.has("sun")) {
        const Vec3 brightest = brightest_direction(sky);
        char text[80];
        std::snprintf(text, sizeof text, "%.1f",
                      static_cast<double>(
                          std::acos(std::clamp(-dot(brightest, sun->direction), -1.0f, 1.0f)) / degree));
        level.notes.push_back("sun " + sun->name + " (" + place_text(-sun->direction) + ") stands " + text +
                              " degrees from the brightest place of the sky's image (" +
                              place_text(brightest) + ")");
    }
    if (sky.kind != SkyKind::standard) return;
    // Types 1, 3 and 5 are the same on all sides.
    const bool even = sky.type == 1 || sky.type == 3 || sky.type == 5;
    if (e.has("azimuth") || e.has("elevation")) {
        const float a = static_cast<float>(e.number("azimuth", -360, 720).value_or(180)) * degree,
                    h = static_cast<float>(e.number("elevation", 0, 90).value_or(45)) * degree;
        sky.sun = {std::sin(a) * std::cos(h), std::sin(h), -std::cos(a) * std::cos(h)};
    } else if (sun) {
        sky.sun = -sun->direction;
        if (sky.sun.y < 0 && !even)
            level.notes.push_back("the sun is under the horizon; the standard sky is that of a sun on it");
    } else if (!even) {
        e.fail("type", "this sky is brighter toward the sun, and there is none",
               "Add a sun, or azimuth and elevation under [sky].");
    }
    const auto lux = static_cast<float>(e.number("lux", 0, 1e9).value_or(10000));
    // What `gain` and `kelvin` made of it so far is a colour of luminance gain.
    const Rgb color = sky.radiance;
    sky.radiance = color * standard_sky_zenith(sky.type, sky.sun, lux);
    const Rgb ground = e.color("ground", 1).value_or(Rgb{ground_albedo, ground_albedo, ground_albedo});
    sky.below = color * ground * (lux / pi);
}

}  // namespace stasigraph
