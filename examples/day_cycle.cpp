// A day in two minutes: a ring of sets that follows a clock, past midnight and on.
//
//   day_cycle baked/game.sgl SERIES [X Y Z]
//
// The level needs a [[series]]; demo/observatory/hours.toml has "june".

#include <chrono>
#include <cstdio>
#include <cstdlib>

#include "stasigraph/mixer.hpp"

using namespace stasigraph::runtime;

int main(int argc, char** argv) {
    if (argc < 3) {
        std::fputs("usage: day_cycle GAME.sgl SERIES [X Y Z]\n", stderr);
        return 2;
    }
    Game game;
    if (game.open(argv[1]) != Status::ok) {
        std::fprintf(stderr, "%s %s\n", argv[1], game.message());
        return 1;
    }
    const std::uint32_t series = game.find_series(argv[2]);
    Mixer mixer;
    MixerOptions settings;
    settings.paging = Paging::many;  // a series needs two pages at any time
    if (series == nothing || game.probe_count() == 0 || mixer.start(game, settings) != Status::ok) {
        std::fputs("the level has no such series, or no probes\n", stderr);
        return 1;
    }
    Vector at{0, 1.5f, 0};
    if (argc > 5)
        at = {std::strtof(argv[3], nullptr), std::strtof(argv[4], nullptr), std::strtof(argv[5], nullptr)};

    std::printf("%s: %u sets\n", game.series_name(series), game.series_length(series));
    mixer.set_clock(4, 24.0 / 120);
    mixer.follow(series, everywhere, 0);
    std::uint32_t hint = nothing;
    double spent = 0;
    int frames = 0;
    for (; frames <= 120 * 60; ++frames) {
        const auto start = std::chrono::steady_clock::now();
        mixer.advance(frames == 0 ? 0 : 1.0 / 60);
        spent += std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - start).count();
        if (frames % 450 != 0) continue;
        Term terms[4];
        const std::uint32_t n = mixer.terms(nothing, terms, 4);
        const Color c = mixer.sample(at, {0, 1, 0}, hint);
        std::printf("%05.2f h  %9.1f %9.1f %9.1f lux  ", mixer.clock(), static_cast<double>(c.r),
                    static_cast<double>(c.g), static_cast<double>(c.b));
        for (std::uint32_t i = 0; i < n && i < 4; ++i)
            std::printf("%s%s %.0f %%", i ? ", " : "", game.set_name(terms[i].set),
                        100 * static_cast<double>(terms[i].weight));
        std::puts("");
    }
    std::printf("%.2f us a frame to follow the clock\n", spent / frames);
    return 0;
}
