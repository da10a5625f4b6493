// Retuning: links are recorded once, then the sun moves through a morning without a gather ray.
// Usage: move_the_sun LEVEL.toml

#include <chrono>
#include <cmath>
#include <cstdio>
#include <stasigraph/io.hpp>
#include <stasigraph/stasigraph.hpp>

using namespace stasigraph;

static double seconds(std::chrono::steady_clock::time_point since) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - since).count();
}

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fprintf(stderr, "usage: move_the_sun LEVEL.toml\n");
        return 2;
    }
    try {
        Level level = load_level(argv[1]);
        level.quality.tier = Tier::glance;
        Job job;
        auto start = std::chrono::steady_clock::now();
        Baker baker(level, job);
        baker.light(level, job);
        std::printf("first bake: %.2f s\n", seconds(start));
        for (const float elevation : {20.0f, 35.0f, 50.0f}) {
            for (Light& light : level.lights) {
                if (light.kind != LightKind::sun) continue;
                const float e = elevation * pi / 180, azimuth = 212 * pi / 180;
                light.direction = {-std::sin(azimuth) * std::cos(e), -std::sin(e),
                                   std::cos(azimuth) * std::cos(e)};
            }
            start = std::chrono::steady_clock::now();
            const Baked baked = baker.light(level, job);
            const double took = seconds(start);
            double sum = 0, count = 0;
            for (const PageImage& page : baked.sets[0].pages)
                for (std::size_t i = 0; i < page.texels.size(); ++i)
                    if (page.state[i] == 1) {
                        sum += static_cast<double>(luminance(page.texels[i]));
                        count += 1;
                    }
            std::printf("sun at %2.0f degrees: %.2f s, mean light %.0f lux\n", static_cast<double>(elevation),
                        took, sum / count);
        }
    } catch (const Error& e) {
        std::fprintf(stderr, "%s\n", e.text().c_str());
        return 1;
    }
}
