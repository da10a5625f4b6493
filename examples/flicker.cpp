// A lamp about to fail: its layer flickers, dies, and comes back red, bounces and all.
//
//   flicker baked/game.sgl LIGHT-GROUP [SET]
//
// The group needs layer = true in the bake sheet.

#include <cstdio>
#include <cstring>

#include "stasigraph/mixer.hpp"

using namespace stasigraph::runtime;

namespace {

/// Something between 0 and 1 that looks like a bad contact; the same in every run.
float contact(int frame) {
    std::uint32_t x = static_cast<std::uint32_t>(frame / 4) * 2654435761u;
    x ^= x >> 15;
    x *= 2246822519u;
    x ^= x >> 13;
    return static_cast<float>(x >> 8) / 16777216.0f;
}

/// The probe that has most of the layer's light.
std::uint32_t brightest(const Game& game, std::uint32_t set) {
    std::uint32_t best = 0;
    for (std::uint32_t p = 1; p < game.probe_count(); ++p)
        if (game.coefficients(set, p)[1] > game.coefficients(set, best)[1]) best = p;
    return best;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 3) {
        std::fputs("usage: flicker GAME.sgl LIGHT-GROUP [SET]\n", stderr);
        return 2;
    }
    Game game;
    if (game.open(argv[1]) != Status::ok) {
        std::fprintf(stderr, "%s %s\n", argv[1], game.message());
        return 1;
    }
    const std::uint32_t layer = game.find_layer(argv[2]), set = argc > 3 ? game.find_set(argv[3]) : 0;
    if (layer == nothing || set == nothing || game.probe_count() == 0) {
        std::fputs("the level has no such layer or set, or no probes\n", stderr);
        return 1;
    }
    Mixer mixer;
    MixerOptions settings;
    settings.paging = Paging::many;
    settings.set = set;
    if (mixer.start(game, settings) != Status::ok) return 1;
    Weights here;
    here.count = 1;
    here.probe[0] = brightest(game, game.layer(layer).set);
    here.weight[0] = 1;

    float most = 0;
    std::printf("%s under %s, at the probe that has most of it\n", argv[2], game.set_name(set));
    for (int frame = 0; frame < 150; ++frame) {
        const float gain = frame < 90 ? 0.15f + 0.85f * contact(frame) : 0.0f;
        if (frame < 120)
            mixer.set_layer(layer, {gain, gain, gain});
        else
            mixer.set_layer(layer, {0.7f, 0.05f, 0.03f});  // the emergency lamps
        mixer.advance(1.0 / 60);
        if (frame % 6 != 0) continue;
        const Color c = mixer.sample(here, {0, 1, 0});
        most = c.r > most ? c.r : most;
        const int wide = most > 0 ? static_cast<int>(50 * c.r / most) : 0;
        std::printf("%4.1f s %9.3f %9.3f %9.3f lux |%.*s\n", frame / 60.0, static_cast<double>(c.r),
                    static_cast<double>(c.g), static_cast<double>(c.b), wide,
                    "##################################################");
    }
    return 0;
}
