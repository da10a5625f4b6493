// What changes cost beside a bake from nothing, files written: a light's colour, its place, a thing that
// moves; a series of hours; and how much memory a large level takes.

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <mutex>

#include "base/forecast.hpp"
#include "bench_folder.hpp"
#include "bench_tier.hpp"
#include "shapes.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"

namespace fs = std::filesystem;
using namespace stasigraph;

namespace {

/// Memory of this process that no file stands behind, bytes. Links that lie in the cache's files are not in
/// it.
double own_memory() {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);)
        if (line.starts_with("RssAnon:")) return 1024.0 * std::atof(line.c_str() + 8);
    return 0;
}

struct EditRun {
    double seconds = 0, memory = 0;
    std::vector<Job::StageTime> stages;
    Baked baked;
    double of(std::initializer_list<const char*> names) const {
        double sum = 0;
        for (const Job::StageTime& t : stages)
            if (std::find(names.begin(), names.end(), t.name) != names.end()) sum += t.seconds;
        return sum;
    }
};

/// A bake with what the place keeps; files are written where the level came from one.
EditRun bake_in(const TemporaryFolder& place, const Level& level, Atlas& atlas, const char* file,
                double memory = 0) {
    EditRun run;
    std::mutex lock;
    JobOptions settings;
    settings.memory = static_cast<std::uint64_t>(memory);
    settings.on_progress = [&](const Progress&) {
        const std::lock_guard guard(lock);
        run.memory = std::max(run.memory, own_memory());
    };
    settings.on_note = [](std::string_view text) { fmt::print("  {}\n", text); };
    Job job(settings);
    const auto start = std::chrono::steady_clock::now();
    run.baked = bake(level, atlas, job,
                     open_store(
                         place.path / "cache", [](const std::string& text) { fmt::print("  {}\n", text); },
                         std::uint64_t{64} << 30));
    if (file) save_bake(place.path / "baked", file, {level, atlas}, run.baked);
    run.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    run.stages = job.times();
    return run;
}

void print(const char* what, const EditRun& run, const EditRun& first) {
    const BakeFigures& f = run.baked.figures;
    std::string stages;
    for (const Job::StageTime& t : run.stages)
        if (t.seconds > 0.005 * first.seconds) stages += fmt::format(" {} {:.1f}", t.name, t.seconds);
    fmt::print("{:<28} {:7.2f} s  {:6.1f} times  {:5.2f} % of {:.0f} million links traced, {} layers;{}\n",
               what, run.seconds, first.seconds / run.seconds,
               100.0 * static_cast<double>(f.traced) / static_cast<double>(std::max<std::size_t>(1, f.links)),
               static_cast<double>(f.links) / 1e6, f.layers_made, stages);
    std::fflush(stdout);
}

Light& sun_of(Level& level) {
    return *std::find_if(level.lights.begin(), level.lights.end(),
                         [](const Light& l) { return l.kind == LightKind::sun; });
}

void changes(Level level, const std::string& moves, const char* file) {
    TemporaryFolder place;
    Atlas atlas;
    const EditRun first = bake_in(place, level, atlas, file);
    print("from nothing", first, first);
    fmt::print("  {} texels and patches, {:.1f} GB of its own memory at most\n",
               first.baked.figures.texels + first.baked.figures.patches, first.memory / 1e9);
    sun_of(level).color = sun_of(level).color * Rgb{0.8f, 0.7f, 0.5f};
    print("the sun's colour", bake_in(place, level, atlas, file), first);
    sun_of(level).direction = normalize(sun_of(level).direction + Vec3{0.1f, 0, 0.05f});
    print("the sun's place", bake_in(place, level, atlas, file), first);
    const auto lamp = std::find_if(level.lights.begin(), level.lights.end(), [](const Light& l) {
        return l.kind == LightKind::point || l.kind == LightKind::spot;
    });
    if (lamp != level.lights.end()) {
        lamp->position = lamp->position + Vec3{0.05f, 0.02f, 0};
        print("a lamp's place", bake_in(place, level, atlas, file), first);
    }
    const auto thing = std::find_if(level.surfaces.begin(), level.surfaces.end(),
                                    [&](const Surface& s) { return s.name == moves; });
    if (thing == level.surfaces.end()) return;
    thing->to_world.origin = thing->to_world.origin + Vec3{0.4f, 0, 0.1f};
    const EditRun edit = bake_in(place, level, atlas, file);
    print((moves + " moved").c_str(), edit, first);
    const auto rays = [](const EditRun& r) { return r.of({"links", "probe links"}); };
    fmt::print("  links alone {:.1f} times, direct light {:.1f} times\n", rays(first) / rays(edit),
               first.of({"direct light"}) / std::max(1e-3, edit.of({"direct light"})));
}

/// Hills, lumps and blocks: about 500 thousand triangles.
Level generated(float texels_in_millions) {
    Level level;
    test::add_mesh(level, test::terrain(330, 200)).name = "hills";
    test::Numbers n(11);
    const auto place = [&](Surface& s, float size) {
        s.to_world.x = {size, 0, 0};
        s.to_world.y = {0, size, 0};
        s.to_world.z = {0, 0, size};
        s.to_world.origin = {180 * n.next() - 90, 2 + 6 * n.next(), 180 * n.next() - 90};
    };
    for (int i = 0; i < 40; ++i) {
        Surface& s = test::add_mesh(level, test::noisy_blob(24, 1, 0.05f));
        s.name = "lump " + std::to_string(i);
        place(s, 2 + 3 * n.next());
    }
    for (std::uint32_t i = 0; i < 6; ++i) {
        Surface& s = test::add_mesh(level, test::boxes(60, i));
        s.name = "blocks " + std::to_string(i);
        place(s, 1);
    }
    Light sun{.name = "sun", .kind = LightKind::sun, .color = {60000, 58000, 54000}};
    sun.direction = normalize(Vec3{0.4f, -0.7f, 0.2f});
    sun.angular_diameter = 0.0093f;
    level.lights.push_back(sun);
    level.sky.radiance = {900, 1100, 1500};
    level.quality.tier = Tier::proof;
    level.quality.links = 64;
    level.lightmap.page = 4096;
    complete_level(level);
    std::size_t triangles = 0;
    double area = 0;
    for (const Surface& s : level.surfaces) {
        const Mesh& m = level.meshes[s.mesh];
        triangles += m.triangle_count();
        for (std::size_t t = 0; t < m.triangle_count(); ++t) {
            const auto at = [&](std::size_t k) {
                return transform_point(s.to_world, m.positions[m.indices[3 * t + k]]);
            };
            area += 0.5 * static_cast<double>(length(cross(at(1) - at(0), at(2) - at(0))));
        }
    }
    level.lightmap.density = std::sqrt(texels_in_millions * 1e6f / static_cast<float>(area));
    fmt::print("{} triangles, {:.0f} square metres, {:.1f} texels per metre\n", triangles, area,
               level.lightmap.density);
    std::fflush(stdout);
    return level;
}

}  // namespace

void bench_edits(const char* file, const std::string& moves, const std::string& tier) {
    Level level = load_level(file);
    complete_level(level);
    level.quality.tier = tier_called(tier);
    changes(level, moves, file);
}

void bench_size(float texels_in_millions, double gigabytes) {
    TemporaryFolder place;
    Atlas atlas;
    const EditRun run = bake_in(place, generated(texels_in_millions), atlas, nullptr, gigabytes * 1e9);
    print("from nothing", run, run);
    fmt::print("  {} texels and patches, {:.1f} GB of its own memory at most; {:.1f} GB allowed with links\n",
               run.baked.figures.texels + run.baked.figures.patches, run.memory / 1e9, gigabytes);
}
void bench_generated(float texels_in_millions) {
    changes(generated(texels_in_millions), "lump 3", nullptr);
}

/// The level's first set once, then with as many hours as the sheet's series has, all from nothing.
void bench_series(const char* file) {
    Level level = load_level(file);
    complete_level(level);
    level.quality.tier = Tier::glance;
    Level one = level;
    std::erase_if(one.sets, [](const BakeSet& s) { return s.step != none; });
    one.sets.resize(1);
    Atlas atlas;
    TemporaryFolder first_place;
    const EditRun first = bake_in(first_place, one, atlas, file);
    print("one set", first, first);
    Atlas again;
    std::size_t steps = 0;
    std::erase_if(level.sets, [&](const BakeSet& s) { return s.step == none; });
    steps = level.sets.size();
    fs::remove_all(first_place.path);
    const EditRun all = bake_in(first_place, level, again, file);
    print(fmt::format("{} hours", steps).c_str(), all, first);
    fmt::print("  {} hours / one set       {:.2f}   (aim <= 3)\n", steps, all.seconds / first.seconds);
}

/// A bake from nothing, and what its forecast was told, as tests/data keeps it.
void bench_progress(const char* file, const std::string& tier) {
    Level level = load_level(file);
    complete_level(level);
    level.quality.tier = tier_called(tier);
    JobOptions settings;
    settings.on_progress = [](const Progress&) {};
    Job job(settings);
    std::vector<ForecastEvent> events;
    record_forecast(job, events);
    Atlas atlas;
    bake(level, atlas, job);
    const double whole = events.back().seconds;
    double last = 0;
    for (const ForecastEvent& e : events) {
        const bool running = e.kind == ForecastEvent::Kind::running;
        if (running && e.seconds - last < whole / 200) continue;
        if (running) last = e.seconds;
        fmt::print("{}\t{}\t{:.5g}\t{:.3f}\n", static_cast<int>(e.kind), e.stage, e.value, e.seconds);
    }
}
