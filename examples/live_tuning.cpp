// A host program that keeps a level open while its light is tuned: change something, get the pages that are
// different. Usage: live_tuning LEVEL.toml [CACHE SURFACE]
// With a folder for a cache, the surface is moved as well: what it does not touch is not traced again.

#include <chrono>
#include <cmath>
#include <cstdio>
#include <stasigraph/io.hpp>
#include <stasigraph/stasigraph.hpp>

using namespace stasigraph;

static double mean_light(const BakedSet& set) {
    double sum = 0, count = 0;
    for (const PageImage& page : set.pages)
        for (std::size_t i = 0; i < page.texels.size(); ++i)
            if (page.state[i] == 1) {
                sum += static_cast<double>(luminance(page.texels[i]));
                count += 1;
            }
    return count > 0 ? sum / count : 0;
}

static void tune(Session& session, Job& job, const char* what, const Level& level) {
    const auto start = std::chrono::steady_clock::now();
    const std::vector<PageRef> pages = session.update(level, job);
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    std::printf("%-28s %7.0f ms, %2zu pages changed, %zu of %zu groups lit, mean light %.1f lux\n", what,
                took * 1000, pages.size(), session.baked().figures.layers_made,
                session.baked().figures.layers, mean_light(session.baked().sets[0]));
}

int main(int argc, char** argv) {
    if (argc != 2 && argc != 4) {
        std::fprintf(stderr, "usage: live_tuning LEVEL.toml [CACHE SURFACE]\n");
        return 2;
    }
    try {
        Level level = load_level(argv[1]);
        level.quality.tier = Tier::glance;
        // A host shows progress where it likes; job.cancel() from its button ends a running call.
        int told = 0;
        Job job({.threads = 0, .on_progress = [&](const Progress&) { ++told; }, .on_note = {}});
        const auto start = std::chrono::steady_clock::now();
        const auto note = [](const std::string& text) { std::fprintf(stderr, "%s\n", text.c_str()); };
        Session session(level, job, nullptr, argc == 4 ? open_store(argv[2], note) : BakeStore{});
        std::printf("opened in %.1f s, told of %d times; mean light %.1f lux\n",
                    std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count(), told,
                    mean_light(session.baked().sets[0]));

        level = session.level();
        tune(session, job, "nothing", level);
        for (Light& light : level.lights)
            if (light.kind == LightKind::sun) light.color = light.color * Rgb{0.5f, 0.45f, 0.4f};
        tune(session, job, "the sun half and warmer", level);
        level.sets[0].gains[level.sky.group] *= 2;
        tune(session, job, "the sky twice in one set", level);
        for (Light& light : level.lights)
            if (light.kind == LightKind::sun) {
                const float e = 15 * pi / 180, azimuth = 240 * pi / 180;
                light.direction = {-std::sin(azimuth) * std::cos(e), -std::sin(e),
                                   std::cos(azimuth) * std::cos(e)};
            }
        tune(session, job, "the sun lower", level);
        level.quality.bounces = 1;
        tune(session, job, "one bounce", level);
        if (argc == 4) {
            for (Surface& surface : level.surfaces)
                if (surface.name == argv[3]) surface.to_world.origin.x += 0.4f;
            tune(session, job, "a thing moved", level);
            const BakeFigures& f = session.baked().figures;
            std::printf("%.1f %% of the links traced again\n",
                        100.0 * static_cast<double>(f.traced) / static_cast<double>(f.links));
        }
    } catch (const Cancelled&) {
        std::fprintf(stderr, "cancelled\n");
        return 1;
    } catch (const Error& e) {
        std::fprintf(stderr, "%s\n", e.text().c_str());
        return 1;
    }
}
