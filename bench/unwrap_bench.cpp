// What unwrapping costs, from ten thousand triangles to a million.

#include <fmt/core.h>
#include <sys/resource.h>

#include <chrono>
#include <cmath>

#include "shapes.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

double seconds_of(const auto& body) {
    const auto start = std::chrono::steady_clock::now();
    body();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double peak_megabytes() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return static_cast<double>(usage.ru_maxrss) / 1024;
}

void run(Mesh mesh, const LightmapOptions& settings, double* first) {
    const auto triangles = static_cast<double>(mesh.triangle_count());
    const std::string name = mesh.name;
    Level level;
    test::add_mesh(level, std::move(mesh));
    level.lightmap = settings;
    complete_level(level);
    Atlas atlas;
    Job job;
    const double seconds = seconds_of([&] { atlas = unwrap(level, 1, job); });
    job.finish();
    double cut = 0;
    for (const auto& t : job.times())
        if (t.name == "unwrap") cut += t.seconds;
    const AtlasFigures f = measure_atlas(level, atlas);
    const double price = seconds / (triangles * std::log2(triangles));
    if (first && *first == 0) *first = price;
    fmt::print("{:<16} {:>9.0f} {:>7} {:>8.2f} {:>8.2f} {:>9} {:>8.1f}% {:>8.3f} {:>7.2f} {:>9.0f}\n", name,
               triangles, f.charts, seconds, cut, first ? fmt::format("{:.2f}", price / *first) : "",
               100 * f.coverage, f.mean_stretch, f.worst_stretch, peak_megabytes());
    std::fflush(stdout);
}

}  // namespace

void bench_unwrap() {
    fmt::print("{:<16} {:>9} {:>7} {:>8} {:>8} {:>9} {:>9} {:>8} {:>7} {:>9}\n", "mesh", "triangles",
               "charts", "seconds", "of that", "/ n log n", "coverage", "stretch", "worst", "peak MB");
    fmt::print("{:<16} {:>9} {:>7} {:>8} {:>8} {:>9} {:>9} {:>8} {:>7} {:>9}\n", "", "", "", "in all",
               "charts", "", "", "mean", "", "so far");
    double first = 0;
    for (const int n : {29, 58, 91, 130, 183, 289})
        run(test::noisy_blob(n, 8, 0.2f / static_cast<float>(n)), {.density = 18, .page = 1024}, &first);
    fmt::print("\nAs much density as one page of 1024 holds:\n");
    const LightmapOptions one{.density = 100, .page = 1024, .pages = 1};
    run(test::noisy_blob(60, 8, 0.003f), one, nullptr);
    run(test::terrain(100, 20), one, nullptr);
    run(test::sphere(40, 4), one, nullptr);
    run(test::torus_knot(300, 16, 2), one, nullptr);
    run(test::branching_tube(64), {.density = 300, .page = 1024, .pages = 1}, nullptr);
    run(test::boxes(60, 3), one, nullptr);
}
