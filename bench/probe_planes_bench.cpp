// How evenly probes light something large: a screen before each camera, lit at every pixel, against exact
// light.

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "probe/decimate.hpp"
#include "probe/net.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"
#include "trace/ray_caster.hpp"

using namespace stasigraph;

namespace {

constexpr float screen_width = 4, screen_height = 3, ahead = 3;  // metres
/// Metres between places of exact light; so many pixels lie between two of them.
constexpr float coarse = 0.1f;
constexpr int finer = 10;
constexpr int columns = 41, rows = 31;  // of coarse places
constexpr int pixels_wide = (columns - 1) * finer + 1, pixels_high = (rows - 1) * finer + 1;

struct Screen {
    Vec3 corner, across, up, normal;  ///< The lower left corner; unit vectors.
    Vec3 at(float x, float y) const { return corner + across * x + up * y; }
};

Screen screen_before(const Camera& camera) {
    const Vec3 along = normalize(camera.toward - camera.eye);
    Screen s;
    s.normal = along * -1.0f;
    s.across = normalize(cross(along, {0, 1, 0}));
    s.up = cross(s.across, along);
    s.corner = camera.eye + along * ahead - s.across * (screen_width / 2) - s.up * (screen_height / 2);
    return s;
}

/// Lightness by pixel, and which of them the camera sees.
struct Lit {
    std::vector<float> told, exact;
    std::vector<std::uint8_t> seen;
    std::size_t number(int x, int y) const { return static_cast<std::size_t>(y * pixels_wide + x); }
};

/// CIE 1976 lightness of luminance, white being 100.
float lightness_of(Rgb light, float white) {
    const float y = luminance(light) / white;
    return y > 0.008856f ? 116 * std::cbrt(y) - 16 : 903.3f * y;
}

/// Over pairs of pixels that are both seen: differences of neighbours, and of those ten apart.
struct Evenness {
    double told = 0, exact = 0;  ///< Squares of differences.
    int steps = 0, over = 0;     ///< Steps of a pixel; those that change by over 1 % more than exact light.
    float worst = 0;             ///< Of them, of the lightness there.
};

Evenness evenness(const Lit& lit) {
    Evenness e;
    for (int y = 0; y < pixels_high; ++y)
        for (int x = 0; x < pixels_wide; ++x)
            for (const bool upward : {false, true}) {
                const auto beside = [&](int by) {
                    const int bx = upward ? x : x + by, by_y = upward ? y + by : y;
                    return bx < pixels_wide && by_y < pixels_high ? lit.number(bx, by_y) : lit.seen.size();
                };
                const std::size_t here = lit.number(x, y), next = beside(1), far = beside(finer);
                if (!lit.seen[here]) continue;
                if (next < lit.seen.size() && lit.seen[next]) {
                    const float at = std::max(lit.exact[here], 10.0f),
                                off = (std::fabs(lit.told[next] - lit.told[here]) -
                                       std::fabs(lit.exact[next] - lit.exact[here])) /
                                      at;
                    ++e.steps;
                    if (off > 0.01f) ++e.over;
                    e.worst = std::max(e.worst, off);
                }
                if (x % finer == 0 && y % finer == 0 && far < lit.seen.size() && lit.seen[far]) {
                    const double t = static_cast<double>(lit.told[far] - lit.told[here]),
                                 x2 = static_cast<double>(lit.exact[far] - lit.exact[here]);
                    e.told += t * t;
                    e.exact += x2 * x2;
                }
            }
    return e;
}

void write_pair(const std::filesystem::path& to, const Lit& lit) {
    const auto [low, high] = [&] {
        float a = 100, b = 0;
        for (std::size_t i = 0; i < lit.seen.size(); ++i)
            if (lit.seen[i]) {
                a = std::min(a, lit.exact[i]);
                b = std::max(b, lit.exact[i]);
            }
        return std::pair(a, b);
    }();
    std::vector<std::uint8_t> rgb;
    for (int y = pixels_high - 1; y >= 0; --y)
        for (const std::vector<float>* v : {&lit.told, &lit.exact})
            for (int x = 0; x < pixels_wide; ++x) {
                const std::size_t i = lit.number(x, y);
                const float t = 40 + 200 * ((*v)[i] - low) / std::max(high - low, 1.0f);
                rgb.insert(rgb.end(), 3,
                           lit.seen[i] ? static_cast<std::uint8_t>(std::clamp(t, 0.0f, 255.0f)) : 20);
            }
    write_png(to, 2 * pixels_wide, pixels_high, rgb);
}

}  // namespace

/// Of a level that is baked: a screen of 4 by 3 m, 3 m before each camera and facing it, as far as it is seen
/// from there, in every set. Squares of differences over 10 cm, and steps of a centimetre. `pictures`: a
/// folder for what probes tell beside exact light; none where empty.
void bench_probe_planes(const char* file, const char* pictures) {
    const Level level = load_level(file);
    const SavedBake bake = load_bake(default_output(file), level, "");
    if (bake.stale) fmt::print("the bake is out of date\n");
    Job job;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part == Part::still; });
    const auto sees = [&](Vec3 from, Vec3 to) {
        const Vec3 way = to - from;
        const float far = length(way);
        return !caster.blocked({from, way * (1 / far), far});
    };
    fmt::print("{:<16}{:<14}{:>26}{:>30}{:>9}\n", "camera", "set", "gradients, of exact light's",
               "steps 1 % over exact light's", "worst");
    for (const Camera& camera : level.cameras) {
        const Screen screen = screen_before(camera);
        std::vector<Vec3> places;
        for (int y = 0; y < rows; ++y)
            for (int x = 0; x < columns; ++x)
                places.push_back(screen.at(coarse * static_cast<float>(x), coarse * static_cast<float>(y)));
        std::vector<std::uint8_t> free;
        for (const Vec3 place : places) free.push_back(sees(camera.eye, place));
        for (const BakedSet& set : bake.sets) {
            const ViewLight light{&set, &bake.probes, &bake.visibility, nullptr, nullptr};
            const std::vector<ExactLight> exact =
                exact_light({level, bake.atlas}, light, places, {screen.normal}, job);
            const auto recipe = std::find_if(level.sets.begin(), level.sets.end(),
                                             [&](const BakeSet& s) { return s.name == set.name; });
            const float white = white_of(*recipe, set.probes);
            Lit lit;
            std::uint32_t hint = none;
            for (int y = 0; y < pixels_high; ++y)
                for (int x = 0; x < pixels_wide; ++x) {
                    const float fx = static_cast<float>(x) / finer, fy = static_cast<float>(y) / finer;
                    const Vec3 at = screen.at(fx * coarse, fy * coarse);
                    const ProbeWeights weights = probe_weights(bake.probes, at, hint);
                    lit.told.push_back(lightness_of(
                        probe_irradiance(weights, set.probes, set.lamps, at, screen.normal), white));
                    const int cx = std::min(static_cast<int>(fx), columns - 2),
                              cy = std::min(static_cast<int>(fy), rows - 2);
                    const float tx = fx - static_cast<float>(cx), ty = fy - static_cast<float>(cy);
                    const auto place = [&](int i, int j) {
                        return static_cast<std::size_t>((cy + j) * columns + cx + i);
                    };
                    const auto value = [&](int i, int j) {
                        return lightness_of(exact[place(i, j)].irradiance, white);
                    };
                    lit.seen.push_back(free[place(0, 0)] && free[place(1, 0)] && free[place(0, 1)] &&
                                       free[place(1, 1)] && sees(camera.eye, at));
                    lit.exact.push_back((value(0, 0) * (1 - tx) + value(1, 0) * tx) * (1 - ty) +
                                        (value(0, 1) * (1 - tx) + value(1, 1) * tx) * ty);
                }
            const Evenness e = evenness(lit);
            fmt::print("{:<16}{:<14}{:>21.2f} times{:>21} of {:>6}{:>7.1f} %\n", camera.name, set.name,
                       e.exact > 0 ? e.told / e.exact : 0, e.over, e.steps, 100 * e.worst);
            std::fflush(stdout);
            if (*pictures)
                write_pair(std::filesystem::path(pictures) / (camera.name + "-" + set.name + ".png"), lit);
        }
    }
}
