#pragma once
// Bake sets that switch and mix while a game runs. C++17, standard library only, throws nothing.

#include "stasigraph/game.hpp"

namespace stasigraph::runtime {

/// Every zone, and what is in none, at once. `nothing` in a zone's place is what is in none.
inline constexpr std::uint32_t everywhere = 0xfffffffeu;

enum class Curve : std::uint8_t {
    linear,
    smooth  ///< Begins and ends at rest: 3x^2 - 2x^3.
};

/// How pages are mixed.
enum class Paging : std::uint8_t {
    pair,      ///< By a shader, from two pages and a weight.
    many,      ///< By a shader, from as many pages as a mix has: terms().
    composite  ///< Here, into pages of the mixer's own, tile by tile.
};

struct MixerOptions {
    Paging paging = Paging::pair;
    std::uint32_t set = 0;        ///< Shown at first, everywhere.
    std::size_t bytes = 4 << 20;  ///< Of pixels that one advance() writes, at most; at least a tile.
    double microseconds = 0;      ///< That it spends on them, at most; 0: any.
};

/// A set's share of what a zone shows. Shares sum to 1.
struct Term {
    std::uint32_t set = 0;
    float weight = 0;
};

/// Shown is from * (1 - weight) + to * weight, each times 2 to its own exponent. `set`: whose page it is;
/// `nothing`: one of the mixer's own, whose pixels changed() lists.
struct PagePair {
    Pixels from, to;
    std::uint32_t from_set = nothing, to_set = nothing;
    float weight = 0;
};

/// A rectangle of a page of the mixer's own that the last advance() wrote, texels. `copy`: which of them; 0
/// with Paging::composite, 0 or 1 with Paging::pair.
struct Tile {
    std::uint32_t page = 0, copy = 0, x = 0, y = 0, width = 0, height = 0;
};

/// Mixes the sets of a packed level: each zone fades from what it shows to what was asked for last.
///
/// Fades start from what is shown. With Paging::pair a fade that is turned to a third set waits until what is
/// shown has been written into a page of the mixer's own, at `bytes` an advance(), and stands still so long;
/// the other ways never wait. Light of probes always has the weights of its zone's pages, so that nothing
/// jumps where zones meet.
///
/// Layers come on top: a light group that is kept as a layer has gain `scale` times what the sets say, plus
/// `add`; what that differs from the sets' is a further term, which may be below 0.
///
/// Threads: sample(), surface_light(), terms(), layer_gain() and gain() from any number of threads beside one
/// that calls everything else. They see the state of one advance() as a whole. Owner: borrows the game, which
/// must stay open. Memory: allocates in start() only: with Paging::pair twice the pages of one set, with
/// Paging::composite once, and what is shown: 8 bytes a set and zone, twice.
class Mixer {
public:
    Mixer() noexcept = default;
    ~Mixer();
    Mixer(const Mixer&) = delete;
    Mixer& operator=(const Mixer&) = delete;

    /// On failure nothing is mixed and message() says why. With Paging::composite all pages are written here.
    Status start(const Game& game, const MixerOptions& settings = {}) noexcept;
    void stop() noexcept;
    const char* message() const noexcept { return message_; }

    /// Fades a zone to a set. 0 seconds: at once. False where there is no such set or zone.
    bool request(std::uint32_t set, std::uint32_t zone, float seconds, Curve curve = Curve::smooth) noexcept;
    /// Lets a zone follow a series by the clock: half of the time it fades to the step that is nearest, and
    /// in the other half it catches up with the clock. False where there is no such series or zone.
    bool follow(std::uint32_t series, std::uint32_t zone, float seconds,
                Curve curve = Curve::smooth) noexcept;
    /// Hours, wrapped to [0, 24); and how far it goes in a second of advance().
    void set_clock(double hour, double hours_a_second = 0) noexcept;
    double clock() const noexcept;
    /// Dims, tints or brightens a layer everywhere: {1, 1, 1} and {0, 0, 0} is as the sets have it.
    bool set_layer(std::uint32_t layer, Color scale, Color add = {}) noexcept;

    /// Moves all fades and the clock on, and writes tiles. Cost: by the number of zones and sets, plus the
    /// tiles'.
    void advance(double seconds) noexcept;

    /// What a zone's surfaces show of a page; or a surface, of its own. `part` as of Game::page(). With
    /// Paging::composite `from` and `to` are both the mixer's page.
    PagePair pages(std::uint32_t zone, std::uint32_t page, std::uint32_t part = 0) const noexcept;
    PagePair surface_pages(std::uint32_t surface, std::uint32_t part = 0) const noexcept;
    /// Tiles that the last advance() wrote.
    std::uint32_t changed_count() const noexcept;
    Tile changed(std::uint32_t number) const noexcept;
    /// A page of the mixer's own that a Tile is of, for the game's upload of it; none with Paging::many. With
    /// Paging::pair `from` is one of two copies: tiles are of the other one while a fade waits for it.
    Pixels own_page(std::uint32_t copy, std::uint32_t page, std::uint32_t part = 0) const noexcept;
    /// Whether all of a page of the mixer's own shows one moment: a game that must not show two may wait.
    bool whole(std::uint32_t page) const noexcept;
    /// Share of its fade that a zone has done, 1 when it stands still.
    float progress(std::uint32_t zone) const noexcept;
    /// Whether a zone waits for its pages.
    bool waits(std::uint32_t zone) const noexcept;

    /// What a zone shows; maps of reflection probes have the weights of Game::reflection_zone(). Returns how
    /// many terms there are; at most `most` are written, those of least set first.
    std::uint32_t terms(std::uint32_t zone, Term* out, std::uint32_t most) const noexcept;
    /// What a layer is multiplied by before it is added to the sets; 0 where it is as the sets have it.
    Color layer_gain(std::uint32_t layer, std::uint32_t zone) const noexcept;
    /// Of a light group, as sets and layers have it now: for lamps that the game draws itself.
    Color gain(std::uint32_t group, std::uint32_t zone) const noexcept;

    /// E at a unit normal, lux, never below zero; lamps that probes tell by themselves are worked out at the
    /// point. `hint` as of Game::weights().
    Color sample(Vector point, Vector normal, std::uint32_t& hint) const noexcept;
    /// All light as nine coefficients, lamps included: 27 floats, as of Probes.
    void sample(Vector point, std::uint32_t& hint, float out[27]) const noexcept;
    /// The same where the probes at a point are known.
    Color sample(const Weights& weights, Vector normal) const noexcept;
    void sample(const Weights& weights, float out[27]) const noexcept;
    /// The same for a shader: the strongest lamps, as sets, layers and fades have them now, and all other
    /// light.
    PlaceLight light(const Weights& weights) const noexcept;
    PlaceLight light(Vector point, std::uint32_t& hint) const noexcept;
    /// E of a surface at a place of its TEXCOORD_1, lux: the exact mix, whatever the paging; {0, 0, 0} where
    /// the surface has no page.
    Color surface_light(std::uint32_t surface, float u, float v) const noexcept;

private:
    struct State;
    bool sum(const Weights& at, float out[27], LampSum& seen) const noexcept;
    State* state_ = nullptr;
    const char* message_ = "";
};

}  // namespace stasigraph::runtime
