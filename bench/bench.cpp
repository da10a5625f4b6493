// The project's performance figures, as ratios measured in one run on one machine.
// docs/performance.md keeps the results.

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>

#include "base/random.hpp"
#include "bench_tier.hpp"
#include "bench_time.hpp"
#include "chart/texels.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"
#include "transport/links.hpp"

using namespace stasigraph;

namespace {

Job make_job(unsigned threads) {
    return Job(JobOptions{.threads = threads, .on_progress = {}, .on_note = {}});
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
    const std::vector<std::uint32_t> lengths(rows.size(), links_a_row);
    double kernel = 1e30, gather = 1e30;
    std::size_t met = 0;
    for (int round = 0; round < 3; ++round) {
        kernel = std::min(kernel, time_of([&] {
                              for (const Ray& ray : rays) met += caster.closest_raw(ray) ? 1 : 0;
                          }));
        gather = std::min(gather, time_of([&] {
                              Links links;
                              extend_links({level, caster, texels}, {rows, lengths}, links, job);
                          }));
    }
    const auto n = static_cast<double>(rays.size());
    fmt::print(
        "gather rays, one thread      {:.2f} million/s; bare kernel on the same rays {:.2f} million/s "
        "({:.0f} % met something)\n",
        n / gather / 1e6, n / kernel / 1e6, 100.0 * static_cast<double>(met) / 3 / n);
    fmt::print("  gather / kernel            {:.2f}   (aim >= 0.85)\n", kernel / gather);
}

/// The places of every so many of the texels by area.
std::vector<std::size_t> spread(const std::vector<TexelLight>& all, const std::vector<std::uint8_t>& usable,
                                std::size_t count) {
    double whole = 0, at = 0;
    for (std::size_t i = 0; i < all.size(); ++i) whole += usable[i] ? static_cast<double>(all[i].area) : 0;
    std::vector<std::size_t> some;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!usable[i]) continue;
        at += static_cast<double>(all[i].area);
        if (at >= whole * (static_cast<double>(some.size()) + 0.5) / static_cast<double>(count))
            some.push_back(i);
    }
    return some;
}

/// Of light at some places: the root mean square error over the mean.
double error_of(const std::vector<double>& light, const std::vector<double>& truth) {
    double square = 0, sum = 0;
    for (std::size_t i = 0; i < light.size(); ++i) {
        square += (light[i] - truth[i]) * (light[i] - truth[i]);
        sum += truth[i];
    }
    return std::sqrt(square / static_cast<double>(light.size())) / (sum / static_cast<double>(light.size()));
}

/// The same, each place's error against all light there, or a twentieth of the mean where that is more.
double error_by_all(const std::vector<double>& light, const std::vector<double>& truth,
                    const std::vector<double>& all) {
    double mean = 0, square = 0;
    for (const double l : all) mean += l / static_cast<double>(all.size());
    for (std::size_t i = 0; i < light.size(); ++i) {
        const double off = (light[i] - truth[i]) / std::max(all[i], 0.05 * mean);
        square += off * off;
    }
    return std::sqrt(square / static_cast<double>(light.size()));
}

/// All texels at noon without a bounce, smoothed as the level says.
std::vector<TexelLight> unbounced_light(Baker& baker, Level level, Job& job) {
    level.quality.bounces = 0;
    baker.light(level, job);
    return baker.texels(0);
}

/// Seconds of a job's stages, those of one name or all of them.
double stage_seconds(const Job& job, std::string_view name = {}) {
    double sum = 0;
    for (const Job::StageTime& t : job.times())
        if (name.empty() || t.name == name) sum += t.seconds;
    return sum;
}

struct OneBake {
    std::string name;
    double seconds = 0;  ///< Without direct light.
    std::vector<TexelLight> texels, unbounced;
};

/// Each as it came, and smoothed.
std::vector<OneBake> bakes_with(Level level, const std::vector<int>& links) {
    std::vector<OneBake> bakes;
    for (const int n : links) {
        level.quality.links = n;
        level.quality.denoise = Denoise::off;
        Job job = make_job(0);
        Baker baker(level, job);
        baker.light(level, job);
        const double plain = stage_seconds(job) - stage_seconds(job, "direct light");
        const auto name = [&](const char* how) { return (n ? std::to_string(n) + " links" : "proof") + how; };
        std::vector<TexelLight> texels = baker.texels(0);
        bakes.push_back({name(", as it came"), plain, std::move(texels), unbounced_light(baker, level, job)});
        level.quality.denoise = Denoise::automatic;
        job.plan({});
        baker.light(level, job);
        const double smoothing = stage_seconds(job, "denoise");
        texels = baker.texels(0);
        bakes.push_back(
            {name(", smoothed"), plain + smoothing, std::move(texels), unbounced_light(baker, level, job)});
    }
    return bakes;
}

/// Whether a texel is invalid, and where it then moves, is told by its links: those alone that all bakes
/// agree on.
std::vector<std::uint8_t> agreed_texels(const std::vector<OneBake>& bakes) {
    const std::vector<TexelLight>& texels = bakes[0].texels;
    std::vector<std::uint8_t> usable(texels.size(), 1);
    for (std::size_t i = 0; i < usable.size(); ++i)
        for (const OneBake& b : bakes)
            if (!b.texels[i].valid || !b.texels[i].exported || !(b.texels[i].position == texels[i].position))
                usable[i] = 0;
    return usable;
}

/// Two errors of bounced light over a spread of texels, against a long reference, with and without smoothing:
/// over its mean, and at each place over all light there, as it is seen. Then the time that the reference
/// needs for the same error, scaled to all texels. Direct light is left out of both. Bounced light is all
/// light less light without a bounce, which a bake gathers by links of their own: the noise of both is in it.
/// With so many links a texel, or as the tier has them for 0.
void equal_error(Level level, const std::vector<int>& links) {
    constexpr std::size_t count = 600;
    level.quality.tier = Tier::proof;
    level.volumes.clear();
    const std::vector<OneBake> bakes = bakes_with(level, links);
    const std::vector<TexelLight>& texels = bakes[0].texels;
    const auto all = static_cast<double>(
        std::count_if(texels.begin(), texels.end(), [](const TexelLight& t) { return t.valid; }));
    const std::vector<std::size_t> places = spread(texels, agreed_texels(bakes), count);
    std::vector<ReferencePoint> points;
    for (const std::size_t i : places)
        points.push_back({texels[i].position, texels[i].normal, texels[i].face_normal});
    Job job = make_job(0);
    std::vector<double> all_light;
    const auto reference = [&](int paths, std::uint32_t seed) {
        std::vector<double> light;
        all_light.clear();
        for (const ReferenceLight& r :
             reference_light(level, 0, points, {.paths = paths, .seed = seed}, job)) {
            light.push_back(static_cast<double>(luminance(r.bounced)));
            all_light.push_back(static_cast<double>(luminance(r.direct + r.bounced)));
        }
        return light;
    };
    constexpr int longest = 32768, asked = 1024;
    std::vector<double> theirs;
    const double time = time_of([&] { theirs = reference(asked, 5); });
    const std::vector<double> truth = reference(longest, 77);
    const double to_all = all / static_cast<double>(points.size());
    // The reference's error falls with the root of its paths.
    const auto row = [&](const OneBake& bake, const char* what, double error, double other) {
        const double exact = time * (other / error) * (other / error) * to_all;
        fmt::print(
            "equal error {:<17} {:<23} bake {:.1f} s, error {:.1f} %; reference {:.0f} s: {:.1f} times\n",
            what, bake.name, bake.seconds, error * 100, exact, exact / bake.seconds);
        std::fflush(stdout);
    };
    const double their_error = error_of(theirs, truth), their_by_all = error_by_all(theirs, truth, all_light);
    for (const OneBake& bake : bakes) {
        std::vector<double> light;
        for (const std::size_t i : places)
            light.push_back(static_cast<double>(luminance(bake.texels[i].total - bake.unbounced[i].total)));
        row(bake, "over its mean", error_of(light, truth), their_error);
        row(bake, "of all light", error_by_all(light, truth, all_light), their_by_all);
    }
    fmt::print(
        "  ({} paths had {:.1f} % over the mean and {:.2f} % of all light in {:.1f} s for {} of {:.0f} "
        "texels)\n",
        asked, their_error * 100, their_by_all * 100, time, points.size(), all);
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

/// Where the time of a bake from nothing goes. Tracing the first links is what the others are held against:
/// its rays depend on the level alone. A clock that wanders within the run spoils that.
void stages(const Level& level) {
    Job job;
    Baker baker(level, job);
    baker.light(baker.level(), job);
    double links = 0, all = 0;
    for (const Job::StageTime& t : job.times()) {
        all += t.seconds;
        if (t.name == "links") links += t.seconds;
    }
    fmt::print("{:<24}{:>9} {:>12} {:>8}\n", "stage", "seconds", "first links", "share");
    for (const Job::StageTime& t : job.times())
        fmt::print("{:<24}{:>9.1f} {:>12.2f} {:>7.1f} %\n", t.name, t.seconds, t.seconds / links,
                   100 * t.seconds / all);
    fmt::print("{:<24}{:>9.1f} {:>12.2f}\n", "all", all, all / links);
}

}  // namespace

void bench_unwrap();                        // unwrap_bench.cpp
void bench_check(const std::string& file);  // check_bench.cpp
void bench_heaps(Tier tier, std::uint32_t first, std::uint32_t end);
void bench_parts(const std::string& file);                                      // parts_bench.cpp
void bench_joints(const std::string& only, const std::vector<int>& densities);  // joints_bench.cpp
void bench_dots(const std::string& file, const std::string& tier, float density,
                const std::string& kept);  // dots_bench.cpp
void bench_direct(const std::string& file, const std::string& tier, float density);
void bench_lights();  // lights_bench.cpp
void bench_group();
void bench_images();  // images_bench.cpp
void bench_tree();
void bench_quality(const char* file, const std::vector<int>& links);  // quality_bench.cpp

void bench_edits(const char* file, const std::string& moves, const std::string& tier);  // edits_bench.cpp
void bench_generated(float texels_in_millions);
void bench_size(float texels_in_millions, double gigabytes);
void bench_series(const char* file);
void bench_lookups(const char* file);
void bench_probes(const char* file);                              // probes_bench.cpp
void bench_probe_noise(const char* file);                         // probe_noise_bench.cpp
void bench_probe_walks(const char* file);                         // probe_walks_bench.cpp
void bench_probe_planes(const char* file, const char* pictures);  // probe_planes_bench.cpp
// probe_figures_bench.cpp
void bench_probe_figures(const char* file, const char* set, const char* picture);
void bench_reflections(const char* file);  // reflections_bench.cpp
void bench_mixing(const char* file);       // mixing_bench.cpp
void bench_progress(const char* file, const std::string& tier);

namespace {

std::vector<int> numbers(int argc, char** argv, int from, std::vector<int> otherwise) {
    std::vector<int> list;
    for (int k = from; k < argc; ++k) list.push_back(std::atoi(argv[k]));
    return list.empty() ? otherwise : list;
}

/// Those of probes, mixing and reflections.
bool run_in_space(int argc, char** argv) {
    const std::string_view name = argc > 1 ? argv[1] : "";
    if (argc == 3 && name == "probes")
        bench_probes(argv[2]);
    else if (argc == 3 && name == "probe_noise")
        bench_probe_noise(argv[2]);
    else if (argc == 3 && name == "probe_walks")
        bench_probe_walks(argv[2]);
    else if (argc >= 3 && name == "probe_planes")
        bench_probe_planes(argv[2], argc > 3 ? argv[3] : "");
    else if (argc >= 4 && name == "probe_figures")
        bench_probe_figures(argv[2], argv[3], argc > 4 ? argv[4] : "");
    else if (argc == 3 && name == "lookups")
        bench_lookups(argv[2]);
    else if (argc == 3 && name == "mixing")
        bench_mixing(argv[2]);
    else if (argc == 3 && name == "reflections")
        bench_reflections(argv[2]);
    else
        return false;
    return true;
}

/// One bench by name; false where there is none of that name with so many arguments.
bool run(int argc, char** argv) {
    const std::string_view name = argc > 1 ? argv[1] : "";
    const auto level = [&] {
        Level l = load_level(argv[2]);
        complete_level(l);
        return l;
    };
    if (argc == 2 && name == "unwrap")
        bench_unwrap();
    else if (argc == 2 && name == "group")
        bench_group();
    else if (argc == 2 && name == "images")
        bench_images();
    else if (argc == 2 && name == "tree")
        bench_tree();
    else if (argc == 2 && name == "lights")
        bench_lights();
    else if (argc == 3 && name == "check")
        bench_check(argv[2]);
    else if (argc >= 2 && name == "heaps") {
        const std::vector<int> some = numbers(argc, argv, 3, {0, 200});
        bench_heaps(tier_called(argc > 2 ? argv[2] : ""), static_cast<std::uint32_t>(some[0]),
                    static_cast<std::uint32_t>(some.back()));
    } else if (argc == 3 && name == "parts")
        bench_parts(argv[2]);
    else if (argc >= 3 && name == "dots")
        bench_dots(argv[2], argc > 3 ? argv[3] : "proof",
                   argc > 4 ? static_cast<float>(std::atof(argv[4])) : 0.5f, argc > 5 ? argv[5] : "");
    else if (argc >= 3 && name == "direct")
        bench_direct(argv[2], argc > 3 ? argv[3] : "proof",
                     argc > 4 ? static_cast<float>(std::atof(argv[4])) : 0.5f);
    else if (argc >= 2 && name == "joints")
        bench_joints(argc > 2 && std::string_view(argv[2]) != "all" ? argv[2] : "",
                     numbers(argc, argv, 3, {4, 8, 16, 32}));
    else if (argc >= 3 && name == "quality")
        bench_quality(argv[2], numbers(argc, argv, 3, {16, 32, 64, 256, 512}));
    else if (argc >= 3 && name == "equal")
        equal_error(level(), numbers(argc, argv, 3, {0, 16, 32}));
    else if (argc >= 4 && name == "edits")
        bench_edits(argv[2], argv[3], argc > 4 ? argv[4] : "proof");
    else if (argc >= 2 && name == "size")
        bench_size(argc > 2 ? static_cast<float>(std::atof(argv[2])) : 16,
                   argc > 3 ? std::atof(argv[3]) : 12);
    else if (argc >= 2 && name == "generated")
        bench_generated(argc > 2 ? static_cast<float>(std::atof(argv[2])) : 8);
    else if (argc == 4 && name == "progress")
        bench_progress(argv[2], argv[3]);
    else if (argc == 3 && name == "series")
        bench_series(argv[2]);
    else if (argc >= 3 && name == "stages") {
        Level l = level();
        l.quality.tier = tier_called(argc > 3 ? argv[3] : "");
        stages(l);
    } else if (argc == 3 && name == "kernel") {
        gather_against_kernel(level());
        threads(level());
    } else
        return run_in_space(argc, argv);
    return true;
}

}  // namespace

int main(int argc, char** argv) {
    try {
        if (run(argc, argv)) return 0;
        fmt::print(
            stderr,
            "usage: stasigraph_bench kernel LEVEL.toml | equal LEVEL.toml [LINKS ...] | "
            "edits LEVEL.toml SURFACE [TIER] | generated [MILLION TEXELS] | size [MILLION TEXELS] "
            "[GB] | series LEVEL.toml | probes LEVEL.toml | probe_noise LEVEL.toml | probe_walks LEVEL.toml "
            "| probe_planes LEVEL.toml [FOLDER] | probe_figures LEVEL.toml SET [PICTURE] | lookups "
            "LEVEL.toml | "
            "reflections LEVEL.toml | "
            "mixing LEVEL.toml | check LEVEL.toml | heaps [TIER] [FIRST END] | dots LEVEL [TIER] [SHARE OF "
            "DENSITY] [FILE] | direct LEVEL.toml [TIER] [SHARE OF DENSITY] | "
            "progress LEVEL.toml TIER | stages LEVEL.toml [TIER] | "
            "quality LEVEL.toml [LINKS ...] | unwrap | lights | group | images | tree\n");
        return 2;
    } catch (const Error& e) {
        fmt::print(stderr, "{}\n", e.text());
        return 1;
    }
}
