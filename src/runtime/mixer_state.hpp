#pragma once
// What a mixer knows: mixer.cpp moves it on, mixer_light.cpp tells of it. Standard library only, C++17.

#include <algorithm>
#include <cmath>
#include <vector>

#include "runtime/composer.hpp"
#include "runtime/game_data.hpp"
#include "runtime/shown.hpp"
#include "runtime/zone_fade.hpp"

namespace stasigraph::runtime {

/// The places of a zone's words in what readers see.
struct Words {
    std::size_t sets, layers;
    /// The first word: whether any layer differs from what the sets say.
    static constexpr std::size_t differs = 0;
    std::size_t each() const { return 1 + 2 * sets + 3 * layers; }
    std::size_t count(std::size_t zone) const { return 1 + zone * each(); }
    std::size_t all(std::size_t zones) const { return count(zones); }
    std::size_t set(std::size_t zone, std::size_t term) const { return count(zone) + 1 + term; }
    std::size_t weight(std::size_t zone, std::size_t term) const { return count(zone) + 1 + sets + term; }
    std::size_t layer(std::size_t zone, std::size_t l) const { return count(zone) + 1 + 2 * sets + 3 * l; }
};

inline Color times(Color c, float by) {
    return {c.r * by, c.g * by, c.b * by};
}
inline void add(Color& to, Color c) {
    to = {to.r + c.r, to.g + c.g, to.b + c.b};
}
inline bool same(Color a, Color b) {
    return a.r == b.r && a.g == b.g && a.b == b.b;
}
inline bool finite(Color c) {
    return std::isfinite(c.r) && std::isfinite(c.g) && std::isfinite(c.b);
}
inline Color layer_at(const Shown::Word* w, std::size_t at) {
    return {float_at(w, at), float_at(w, at + 1), float_at(w, at + 2)};
}
inline Color floored(Color c) {
    return {std::max(c.r, 0.0f), std::max(c.g, 0.0f), std::max(c.b, 0.0f)};
}

struct Mixer::State {
    const Game& game;
    const Game::Data& data;
    MixerOptions settings;
    std::uint32_t sets, zones, layers;  ///< Zones with what is in none, which comes last.
    Words words;
    Composer composer;
    Shown seen;

    std::vector<ZoneFade> fades;
    std::vector<float> held, shown;  ///< Weights of sets, by zone.
    std::vector<Color> layer_scale, layer_add;
    std::vector<Color> layer_term;  ///< By zone and layer.
    double clock = 0, hours_a_second = 0;

    // Tiles.
    struct Pass {
        bool on = false;
        std::uint32_t next = 0;
        std::vector<PageTerm> terms;  ///< As they were when it began.
        std::size_t count = 0;
    };
    std::vector<Pass> passes;
    std::vector<PageTerm> wanted;
    std::vector<Tile> changed;
    std::size_t changed_count = 0;
    std::uint32_t first_zone = 0;  ///< Whose turn it is.

    State(const Game& g, const Game::Data& d, const MixerOptions& s);

    std::uint32_t zone_number(std::uint32_t zone) const { return zone == nothing ? zones - 1 : zone; }
    bool has_zone(std::uint32_t zone) const {
        return zone == nothing || zone == everywhere || zone < zones - 1;
    }
    float* weights(std::vector<float>& of, std::uint32_t zone) { return &of[std::size_t{zone} * sets]; }

    /// Works out what a zone shows; true where that changed.
    bool mix(std::uint32_t zone);
    void publish();
    void turn(std::uint32_t zone, const ZoneFade::Wish& wish);
    void glide(std::uint32_t zone, double seconds);
    std::uint32_t nearest_step(std::uint32_t series, double hour) const;
    /// Weights of sets and layers for pages.
    std::size_t page_terms(std::uint32_t zone, bool with_layers, PageTerm* out);
    void write_tiles();
    void write_tile(std::uint32_t zone);
    void begin_pass(std::uint32_t zone, bool with_layers);

    /// The sum of what sets show at some probes. `lamps`: what they see of those, which is then left out of
    /// the sum; null: it is all light.
    void add_sets(const Shown::Word* w, const Weights& at, float out[27], LampSum* lamps) const;
    /// Whether these probes show the same mix.
    bool in_one_zone(const Weights& at) const;
    /// Adds what layers differ from the sets there.
    void add_layers(const Shown::Word* w, const Weights& at, float to[27], LampSum* lamps) const;

    /// What surfaces of a zone draw of a page, part 0: worked out once a frame for however many of them.
    std::vector<PagePair> pairs;
    PagePair pair(std::uint32_t zone, std::uint32_t page, std::uint32_t part) const;
    void pair_up();
};

}  // namespace stasigraph::runtime
