// Rooms whose light changes: the power goes out in one zone while the others stay lit, and comes back.
//
//   switch_sets baked/game.sgl ZONE SET-AT-FIRST SET-THEN

#include <cstdio>

#include "stasigraph/mixer.hpp"

using namespace stasigraph::runtime;

namespace {

/// Mean light of a zone's probes, lux, as a moving thing among them would have it from above.
float light_in(const Game& game, const Mixer& mixer, std::uint32_t zone) {
    float sum = 0;
    int count = 0;
    for (std::uint32_t p = 0; p < game.probe_count(); ++p) {
        if (game.probe_zone(p) != zone) continue;
        Weights own;
        own.count = 1;
        own.probe[0] = p;
        own.weight[0] = 1;
        sum += mixer.sample(own, {0, 1, 0}).g;
        ++count;
    }
    return count > 0 ? sum / static_cast<float>(count) : 0;
}

void print(const char* when, const Game& game, const Mixer& mixer) {
    std::printf("%-12s", when);
    for (std::uint32_t z = 0; z < game.zone_count(); ++z)
        std::printf(" %10.4g", static_cast<double>(light_in(game, mixer, z)));
    std::puts("");
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 5) {
        std::fputs("usage: switch_sets GAME.sgl ZONE SET-AT-FIRST SET-THEN\n", stderr);
        return 2;
    }
    Game game;
    if (game.open(argv[1]) != Status::ok) {
        std::fprintf(stderr, "%s %s\n", argv[1], game.message());
        return 1;
    }
    const std::uint32_t zone = game.find_zone(argv[2]), first = game.find_set(argv[3]),
                        then = game.find_set(argv[4]);
    if (zone == nothing || first == nothing || then == nothing) {
        std::fputs("the level has no such zone or set\n", stderr);
        return 1;
    }
    // A shader that takes two pages and a weight: nothing is copied until a fade is turned to a third set.
    Mixer mixer;
    MixerOptions settings;
    settings.paging = Paging::pair;
    settings.set = first;
    if (mixer.start(game, settings) != Status::ok) {
        std::fprintf(stderr, "%s\n", mixer.message());
        return 1;
    }

    std::printf("%-12s", "green, lux");
    for (std::uint32_t z = 0; z < game.zone_count(); ++z) std::printf(" %10s", game.zone_name(z));
    std::puts("");
    print("at first", game, mixer);

    // A game asks once, moves on every frame, and binds what it is told.
    mixer.request(then, zone, 1.0f);
    for (int frame = 1; frame <= 60; ++frame) {
        mixer.advance(1.0 / 60);
        if (frame == 30) {
            print("half way", game, mixer);
            for (std::uint32_t s = 0; s < game.surface_count(); ++s) {
                const SurfaceInfo info = game.surface(s);
                if (info.zone != zone || info.page == nothing) continue;
                const PagePair p = mixer.surface_pages(s);
                // After a turned fade what was shown lies in a page of the mixer's own, which is no set's.
                const char* from = p.from_set == nothing ? "what was shown" : game.set_name(p.from_set);
                std::printf("  %s draws page %u of %s and %s, weight %.3f\n", info.name, info.page, from,
                            game.set_name(p.to_set), static_cast<double>(p.weight));
                break;
            }
            // Second thoughts in mid-fade: on from what is shown, without a jump.
            mixer.request(first, zone, 0.5f);
        }
    }
    print("and back", game, mixer);
    mixer.request(then, everywhere, 0);
    mixer.advance(0);
    print("all, at once", game, mixer);
    return 0;
}
