// The project's performance figures, as ratios measured in one run on one machine.
// Usage: stasigraph_bench LEVEL.toml      (docs/performance.md keeps the results)

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>

#include "base/random.hpp"
#include "chart/texels.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"
#include "transport/links.hpp"

using namespace stasigraph;

namespace {

double time_of(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

Job make_job(unsigned threads) {
    return Job(JobSettings{.threads = threads, .on_progress = {}, .on_note = {}});
}

/// Gather rays through the recorder beside the bare kernel on the very same rays, one thread.
void gather_against_kernel(const Level& level) {
    Job job = make_job(1);
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part != Part::moving; });
    const Atlas atlas = unwrap(level, 0.5f, job);
    const TexelSet texels = place_texels(level, atlas, job);
    const RowSource rows = texel_rows(level, texels, 1);
    constexpr std::uint32_t links_a_row = 32;
    std::vector<Ray> rays;
    rays.reserve(rows.size() * links_a_row);
    for (std::size_t row = 0; row < rows.size(); ++row)
        for (std::uint32_t k = 0; k < links_a_row; ++k)
            rays.push_back({rows.receivers[row].position, row_direction(rows, row, k)});
    double kernel = 1e30, gather = 1e30;
    std::size_t met = 0;
    for (int round = 0; round < 3; ++round) {
        kernel = std::min(kernel, time_of([&] {
                              for (const Ray& ray : rays) met += caster.closest_raw(ray) ? 1 : 0;
                          }));
        gather = std::min(gather, time_of([&] {
                              Links links;
                              extend_links(level, caster, texels, rows,
                                           std::vector<std::uint32_t>(rows.size(), links_a_row), links, job);
                          }));
    }
    const auto n = static_cast<double>(rays.size());
    fmt::print(
        "gather rays, one thread      {:.2f} million/s; bare kernel on the same rays {:.2f} million/s "
        "({:.0f} % met something)\n",
        n / gather / 1e6, n / kernel / 1e6, 100.0 * static_cast<double>(met) / 3 / n);
    fmt::print("  gather / kernel            {:.2f}   (aim >= 0.85)\n", kernel / gather);
}

/// Valid texels, every so many by area.
std::vector<TexelLight> spread(const std::vector<TexelLight>& all, std::size_t count) {
    double whole = 0, at = 0;
    for (const TexelLight& t : all) whole += t.valid && t.exported ? static_cast<double>(t.area) : 0;
    std::vector<TexelLight> some;
    for (const TexelLight& t : all) {
        if (!t.valid || !t.exported) continue;
        at += static_cast<double>(t.area);
        if (at >= whole * (static_cast<double>(some.size()) + 0.5) / static_cast<double>(count))
            some.push_back(t);
    }
    return some;
}

double error_of(const std::vector<double>& light, const std::vector<double>& truth) {
    double square = 0, sum = 0;
    for (std::size_t i = 0; i < light.size(); ++i) {
        square += (light[i] - truth[i]) * (light[i] - truth[i]);
        sum += truth[i];
    }
    return std::sqrt(square / static_cast<double>(light.size())) / (sum / static_cast<double>(light.size()));
}

/// Bounced light of a baker's texels at noon, lit as the level says: all of it less what is there without a
/// bounce, both smoothed or neither. `seconds`: how long the bounces and the smoothing of all took.
std::vector<double> bounced_light(Baker& baker, Level level, std::size_t count, double& seconds, Job& job) {
    std::vector<double> light;
    const double with = time_of([&] { baker.light(level, job); });
    for (const TexelLight& t : spread(baker.texels(0), count)) light.push_back(static_cast<double>(luminance(t.total)));
    level.quality.bounces = 0;
    baker.light(level, job);
    std::size_t i = 0;
    for (const TexelLight& t : spread(baker.texels(0), count)) light[i++] -= static_cast<double>(luminance(t.total));
    seconds = with;
    return light;
}

/// Root mean square error of bounced light over a spread of texels, against a long reference, with and without
/// smoothing; then the paths and the time the reference needs for the same error, scaled to all texels.
void equal_error(Level level, Job& job) {
    constexpr std::size_t count = 600;
    level.quality.tier = Tier::proof;
    level.quality.denoise = Denoise::off;
    // Direct light is left out on both sides: its passes are timed alone.
    std::vector<Baker> bakers;
    const double whole = time_of([&] {
        bakers.emplace_back(level, job);
        bakers[0].light(level, job);
    });
    Baker& baker = bakers[0];
    const std::vector<TexelLight> texels = baker.texels(0), some = spread(texels, count);
    const auto all = static_cast<double>(
        std::count_if(texels.begin(), texels.end(), [](const TexelLight& t) { return t.valid; }));
    double seconds[2], ours_seconds[2];
    std::vector<double> ours[2];
    for (const int smooth : {0, 1}) {
        level.quality.denoise = smooth ? Denoise::automatic : Denoise::off;
        ours[smooth] = bounced_light(baker, level, count, seconds[smooth], job);
    }
    Level other = level;
    other.quality.denoise = Denoise::off;
    other.quality.bounces = 0;
    for (Light& light : other.lights) light.color = light.color * 1.0001f;
    for (Surface& s : other.surfaces) s.emission_gain *= 1.0001f;
    const double direct_only = time_of([&] { baker.light(other, job); });
    ours_seconds[0] = std::max(whole - direct_only, 1e-3);
    ours_seconds[1] = ours_seconds[0] + std::max(seconds[1] - seconds[0], 0.0);

    std::vector<ReferencePoint> points;
    for (const TexelLight& t : some) points.push_back({t.position, t.normal, t.face_normal});
    const auto reference = [&](int paths, std::uint32_t seed) {
        std::vector<double> light;
        for (const ReferenceLight& r : reference_light(level, 0, points, {.paths = paths, .seed = seed}, job))
            light.push_back(static_cast<double>(luminance(r.bounced)));
        return light;
    };
    constexpr int longest = 65536;
    const std::vector<double> truth = reference(longest, 77);
    for (const int smooth : {0, 1}) {
        const double our_error = error_of(ours[smooth], truth);
        int paths = 64;
        double their_error = 1e9, time = 0;
        for (; their_error > our_error && paths <= longest / 4; paths *= 2)
            time = time_of([&] { their_error = error_of(reference(paths, 5), truth); });
        paths /= 2;
        // Between two numbers of paths the error falls with the root: the time for exactly our error.
        const double exact = time * (their_error / our_error) * (their_error / our_error) * all / static_cast<double>(some.size());
        fmt::print(
            "equal error, bounced light   {}: bake {:.1f} s without direct light, error {:.1f} %; reference {} paths, "
            "error {:.1f} %, for all texels {:.0f} s\n  reference / bake           {:.1f}   (aim >= {})\n",
            smooth ? "smoothed" : "as it came", ours_seconds[smooth], our_error * 100, paths, their_error * 100, exact,
            exact / ours_seconds[smooth], smooth ? "100" : "25");
    }
}

void retune(Level level, Tier tier, Job& job) {
    level.quality.tier = tier;
    double first = 0, again = 0;
    {
        Atlas atlas;
        std::vector<Baker> baker;
        first = time_of([&] {
            baker.emplace_back(level, job);
            baker[0].light(level, job);
        });
        Level changed = level;
        for (Light& light : changed.lights)
            if (light.kind == LightKind::sun) light.color = light.color * 0.5f;
        again = time_of([&] { baker[0].light(changed, job); });
    }
    fmt::print("retune of the sun, {}     first bake {:.1f} s, retune {:.2f} s\n",
               tier == Tier::glance ? "glance" : "proof ", first, again);
    fmt::print(
        "  first / retune             {:.1f}   (aim >= 30 at final, with the cache of a later version)\n",
        first / again);
}

void threads(Level level) {
    level.quality.tier = Tier::glance;
    double seconds[2];
    for (const unsigned n : {1u, 2u}) {
        Job job = make_job(n);
        Atlas atlas;
        seconds[n - 1] = time_of([&] { bake(level, atlas, job); });
    }
    fmt::print(
        "threads, glance              one {:.1f} s, two {:.1f} s\n  one / two                  {:.2f}   (aim "
        ">= 1.9)\n",
        seconds[0], seconds[1], seconds[0] / seconds[1]);
}

}  // namespace

void bench_unwrap();                                                  // unwrap_bench.cpp
void bench_lights();                                                  // lights_bench.cpp
void bench_quality(const char* file, const std::vector<int>& links);  // quality_bench.cpp

int main(int argc, char** argv) {
    if (argc == 2 && std::string_view(argv[1]) == "unwrap") {
        bench_unwrap();
        return 0;
    }
    if (argc == 2 && std::string_view(argv[1]) == "lights") {
        bench_lights();
        return 0;
    }
    const bool equal = argc == 3 && std::string_view(argv[1]) == "equal";
    const bool quality = argc > 2 && std::string_view(argv[1]) == "quality";
    if (argc != 2 && !quality && !equal) {
        fmt::print(stderr,
                   "usage: stasigraph_bench LEVEL.toml | equal LEVEL.toml | unwrap | lights | quality LEVEL.toml [LINKS ...]\n");
        return 2;
    }
    try {
        if (quality) {
            std::vector<int> links;
            for (int k = 3; k < argc; ++k) links.push_back(std::atoi(argv[k]));
            bench_quality(argv[2], links.empty() ? std::vector{16, 32, 64, 256, 512} : links);
            return 0;
        }
        Level level = load_level(argv[equal ? 2 : 1]);
        complete_level(level);
        Job job = make_job(0);
        if (equal) {
            equal_error(level, job);
            return 0;
        }
        gather_against_kernel(level);
        threads(level);
        retune(level, Tier::glance, job);
        retune(level, Tier::proof, job);
        equal_error(level, job);
    } catch (const Error& e) {
        fmt::print(stderr, "{}\n", e.text());
        return 1;
    }
}
