// What a game pays: opening a packed level, switching its zones, compositing pages, looking light up in a
// fade.

#include <fmt/core.h>

#include "bench_folder.hpp"
#include "bench_time.hpp"
#include "bench_walk.hpp"
#include "stasigraph/game_file.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/mixer.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;
namespace rt = stasigraph::runtime;

void bench_mixing(const char* file);

namespace {

struct Made {
    Level level;
    Atlas atlas;
    Baked baked;
    ZoneLinks links;
};

Made made(const char* file) {
    Made m;
    m.level = load_level(file);
    m.level.quality.tier = Tier::glance;
    Job job;
    m.baked = bake(m.level, m.atlas, job);
    m.links = link_zones(m.level, m.baked.probes.position, {}, job);
    return m;
}

/// Each surface again and again, up to a number of them.
void many_surfaces(Made& m, std::size_t count) {
    const std::size_t own = m.level.surfaces.size();
    for (std::size_t i = own; i < count; ++i) {
        m.level.surfaces.push_back(m.level.surfaces[i % own]);
        m.level.surfaces.back().name += "/" + std::to_string(i / own);
        m.atlas.surfaces.push_back(m.atlas.surfaces[i % own]);
        m.links.surface.push_back(m.links.surface[i % own]);
    }
}

/// Each set again under other names, until the pages take so many bytes.
void many_sets(Made& m, std::size_t bytes) {
    std::size_t one = 0;
    for (const PageImage& p : m.baked.sets[0].pages) one += p.texels.size() * 8;
    one += m.baked.probes.size() * 108;
    const std::size_t own = m.baked.sets.size();
    for (std::size_t i = own; i * one < bytes; ++i) {
        m.level.sets.push_back(m.level.sets[i % own]);
        m.level.sets.back().name += " " + std::to_string(i);
        m.baked.sets.push_back(m.baked.sets[i % own]);
        m.baked.sets.back().name = m.level.sets.back().name;
    }
}

void switching(const Made& demo, const std::filesystem::path& file) {
    Made m = demo;
    many_surfaces(m, 10000);
    save_game(file, {m.level, m.atlas}, m.baked, {}, &m.links);
    rt::Game game;
    rt::Mixer mixer;
    if (game.open(file.c_str()) != rt::Status::ok || mixer.start(game) != rt::Status::ok) return;
    constexpr int rounds = 200;
    double sum = 0, most = 0, weights = 0;
    for (int i = 0; i < rounds; ++i) {
        // Asked for, moved on, and every surface told what to bind.
        const double t = time_of([&] {
            mixer.request(static_cast<std::uint32_t>(i) % 3, rt::everywhere, i % 2 ? 0.0f : 0.5f);
            mixer.advance(1.0 / 60);
            for (std::uint32_t s = 0; s < game.surface_count(); ++s)
                weights += static_cast<double>(mixer.surface_pages(s).weight);
        });
        sum += t;
        most = std::max(most, t);
        mixer.advance(10);
    }
    fmt::print("switching {} zones, {} surfaces   {:.3f} ms, {:.3f} at most ({:.1f})\n",
               game.zone_count() + 1, game.surface_count(), 1e3 * sum / rounds, 1e3 * most, weights);
}

/// `zones`: whether squares are shared between those of the level, or all is in one.
void compositing(Made m, const std::filesystem::path& file, GamePixels pixels, bool zones) {
    if (!zones) {
        m.level.zones.clear();
        std::fill(m.links.surface.begin(), m.links.surface.end(), none);
        std::fill(m.links.probe.begin(), m.links.probe.end(), none);
    }
    save_game(file, {m.level, m.atlas}, m.baked, {.pixels = pixels}, &m.links);
    rt::Game game;
    rt::Mixer mixer;
    if (game.open(file.c_str()) != rt::Status::ok ||
        mixer.start(game, {.paging = rt::Paging::composite, .bytes = std::size_t{1} << 40}) != rt::Status::ok)
        return;
    const auto run = [&](const char* what, auto&& ask) {
        // Every texel of every page once, however zones share its tiles.
        std::size_t all = 0, bytes = 0;
        for (std::uint32_t p = 0; p < game.page_count(); ++p) all += game.page(0, p).size;
        double seconds = 0;
        while (seconds < 1) {
            ask();
            seconds += time_of([&] { mixer.advance(0.001); });
            bytes += all;
        }
        fmt::print("compositing {}, {}, {:<14} {:.2f} GB/s written\n",
                   pixels == GamePixels::half ? "half  " : "rgb9e5", zones ? "six zones" : "one      ", what,
                   static_cast<double>(bytes) / seconds / 1e9);
    };
    std::uint32_t set = 0;
    run("one set", [&] { mixer.request(set++ % 2, rt::everywhere, 0); });
    mixer.request(0, rt::everywhere, 0);
    mixer.advance(0);
    mixer.request(1, rt::everywhere, 1e6f, rt::Curve::linear);
    run("two, in a fade", [] {});
    if (game.layer_count() == 0) return;
    float gain = 0;
    run("and a layer", [&] { mixer.set_layer(0, {0.2f, 0.3f, gain += 0.001f}); });
}

void opening(const Made& demo, const std::filesystem::path& file) {
    Made m = demo;
    many_sets(m, 200'000'000);
    save_game(file, {m.level, m.atlas}, m.baked, {}, &m.links);
    double best = 1e9, worst = 0, mixing = 1e9;
    for (int i = 0; i < 20; ++i) {
        rt::Game game;
        rt::Mixer mixer;
        const double t = time_of([&] { game.open(file.c_str()); });
        best = std::min(best, t);
        worst = std::max(worst, t);
        mixing = std::min(mixing, time_of([&] { mixer.start(game); }));
    }
    fmt::print("opening {:.0f} MB, {} sets          {:.2f} ms, {:.2f} at most; a mixer on it {:.2f} ms\n",
               static_cast<double>(std::filesystem::file_size(file)) / 1e6, m.baked.sets.size(), 1e3 * best,
               1e3 * worst, 1e3 * mixing);
}

void looking(const Made& m, const std::filesystem::path& file) {
    save_game(file, {m.level, m.atlas}, m.baked, {}, &m.links);
    rt::Game game;
    rt::Mixer mixer;
    if (game.open(file.c_str()) != rt::Status::ok || mixer.start(game) != rt::Status::ok) return;
    const std::vector<Vec3> walk = free_walk(m.baked.probes, 1000000);
    const auto walks = [&](const char* what) {
        double check = 0;
        std::uint32_t hint = rt::nothing;
        const double t = time_of([&] {
            for (const Vec3 p : walk)
                check += static_cast<double>(mixer.sample({p.x, p.y, p.z}, {0, 1, 0}, hint).g);
        });
        fmt::print("light of {} probes, {:<14} {:.1f} million/s from probe to probe ({:.4g})\n",
                   m.baked.probes.size(), what, static_cast<double>(walk.size()) / t / 1e6, check);
    };
    walks("at rest");
    mixer.request(1, rt::everywhere, 1e6f, rt::Curve::linear);
    mixer.advance(3e5);
    walks("in a fade");
}

}  // namespace

void bench_mixing(const char* file) {
    const TemporaryFolder folder;
    const Made m = made(file);
    const std::filesystem::path game = folder.path / "game.sgl";
    switching(m, game);
    for (const bool zones : {false, true})
        for (const GamePixels pixels : {GamePixels::half, GamePixels::rgb9e5})
            compositing(m, game, pixels, zones);
    looking(m, game);
    opening(m, game);
}
