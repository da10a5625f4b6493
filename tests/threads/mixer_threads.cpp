// Eight readers beside a writer, under ThreadSanitizer: what readers see is always the state of one moment.
// mixer_threads FILE.sgl [FRAMES]: the level of tests/two_rooms.hpp, packed.

#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <thread>
#include <vector>

#include "stasigraph/mixer.hpp"

using namespace stasigraph::runtime;

namespace {

std::atomic<bool> done{false};
std::atomic<long> looks{0}, wrong{0};

/// Both zones are always asked for the same at once, so both must show the same whenever it is looked at.
void read(const Game& game, const Mixer& mixer, float x) {
    std::uint32_t hint = nothing;
    long count = 0;
    while (!done) {
        Term terms[8];
        const std::uint32_t n = mixer.terms(0, terms, 8);
        float sum = 0;
        for (std::uint32_t i = 0; i < n; ++i) sum += terms[i].weight;
        if (n == 0 || n > 4 || std::abs(sum - 1) > 1e-5f) ++wrong;
        // Light of probes of both zones at once: a mix of what any two sets give, never of two moments.
        const Weights w = game.weights({x, 1.2f, 0.1f}, hint);
        const Color c = mixer.sample(w, {0, 1, 0});
        float low = 1e30f, high = 0;
        for (std::uint32_t s = 0; s < 3; ++s) {
            const float g = game.irradiance(s, w, {0, 1, 0}).r;
            low = std::fmin(low, g);
            high = std::fmax(high, g);
        }
        if (!(c.r >= low * 0.999f - 1e-4f && c.r <= high * 1.001f + 1e-4f)) ++wrong;
        const Color s = mixer.surface_light(0, 0.31f, 0.42f);
        if (!std::isfinite(s.r) || s.r < 0) ++wrong;
        // Leave the writer its share of few cores.
        if (++count % 20 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(3));
    }
    looks += count;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 2) return 2;
    const long frames = argc > 2 ? std::atol(argv[2]) : 1000000;
    Game game;
    if (game.open(argv[1]) != Status::ok) {
        std::fprintf(stderr, "%s\n", game.message());
        return 1;
    }
    Mixer mixer;
    if (mixer.start(game, {Paging::many, 0, 0, 0}) != Status::ok) return 1;
    std::vector<std::thread> readers;
    for (int i = 0; i < 8; ++i)
        readers.emplace_back([&, i] { read(game, mixer, -3.2f + 0.9f * static_cast<float>(i)); });
    std::uint32_t random = 1;
    for (long f = 0; f < frames; ++f) {
        random = random * 1664525u + 1013904223u;
        if (random >> 28 == 0) mixer.request((random >> 8) % 3, everywhere, 0.3f);
        mixer.advance(1.0 / 60);
    }
    done = true;
    for (std::thread& t : readers) t.join();
    std::printf("%ld frames, %ld looks, %ld wrong\n", frames, looks.load(), wrong.load());
    return wrong == 0 && looks > 8 ? 0 : 1;
}
