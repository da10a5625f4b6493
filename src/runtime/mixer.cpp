// Fades, the clock and tiles: what one thread does.

#include "stasigraph/mixer.hpp"

#include <chrono>
#include <new>

#include "runtime/mixer_state.hpp"

namespace stasigraph::runtime {

Mixer::State::State(const Game& g, const Game::Data& d, const MixerOptions& s)
    : game(g),
      data(d),
      settings(s),
      sets(d.sets.count),
      zones(d.zones.count + 1),
      layers(d.layers.count),
      words{sets, layers},
      composer(d, s.paging == Paging::pair        ? 2u
                  : s.paging == Paging::composite ? 1u
                                                  : 0u),
      seen(words.all(zones)),
      fades(zones),
      held(std::size_t{zones} * sets),
      shown(held.size()),
      layer_scale(layers, Color{1, 1, 1}),
      layer_add(layers),
      layer_term(std::size_t{zones} * layers),
      passes(zones),
      wanted(sets + layers),
      pairs(std::size_t{zones} * d.pages.count) {
    std::size_t tiles = 0;
    for (std::uint32_t z = 0; z < zones; ++z) {
        fades[z].from = fades[z].to = s.set;
        fades[z].weight = 1;
        passes[z].terms.resize(sets + layers);
        tiles += composer.tile_count(z);
    }
    changed.resize(s.paging == Paging::many ? 0 : tiles);
    for (std::uint32_t z = 0; z < zones; ++z) mix(z);
    pair_up();
    publish();
}

bool Mixer::State::mix(std::uint32_t zone) {
    const ZoneFade& f = fades[zone];
    float* to = weights(shown, zone);
    const float* mixed = weights(held, zone);
    bool changed_here = false;
    for (std::uint32_t s = 0; s < sets; ++s) {
        float w = f.from == nothing ? mixed[s] * (1 - f.weight) : s == f.from ? 1 - f.weight : 0;
        if (s == f.to) w += f.weight;
        changed_here |= w != to[s];
        to[s] = w;
    }
    for (std::uint32_t l = 0; l < layers; ++l) {
        Color usual;
        for (std::uint32_t s = 0; s < sets; ++s)
            if (to[s] != 0) add(usual, times(game.gain(s, data.layers[l].group), to[s]));
        const Color k = layer_scale[l], more = layer_add[l],
                    term{usual.r * (k.r - 1) + more.r, usual.g * (k.g - 1) + more.g,
                         usual.b * (k.b - 1) + more.b};
        Color& known = layer_term[std::size_t{zone} * layers + l];
        changed_here |= !same(known, term);
        known = term;
    }
    return changed_here;
}

void Mixer::State::publish() {
    seen.publish([&](auto write) {
        bool differs = false;
        for (std::uint32_t z = 0; z < zones; ++z) {
            std::uint32_t n = 0;
            for (std::uint32_t s = 0; s < sets; ++s) {
                const float w = shown[std::size_t{z} * sets + s];
                if (w == 0) continue;
                write(words.set(z, n), s);
                write(words.weight(z, n++), word_of(w));
            }
            write(words.count(z), n);
            for (std::uint32_t l = 0; l < layers; ++l) {
                const Color c = layer_term[std::size_t{z} * layers + l];
                differs |= !same(c, {});
                write(words.layer(z, l), word_of(c.r));
                write(words.layer(z, l) + 1, word_of(c.g));
                write(words.layer(z, l) + 2, word_of(c.b));
            }
        }
        write(Words::differs, differs);
    });
}

void Mixer::State::turn(std::uint32_t zone, const ZoneFade::Wish& wish) {
    ZoneFade& f = fades[zone];
    passes[zone].on &= settings.paging != Paging::pair;
    if (!f.turn(wish)) return;
    // What is shown now is where the fade starts.
    const float* now = weights(shown, zone);
    if (settings.paging != Paging::pair) {
        std::copy(now, now + sets, weights(held, zone));
        f.go_on();
        return;
    }
    f.phase = ZoneFade::Phase::waiting;
    begin_pass(zone, false);
}

std::uint32_t Mixer::State::nearest_step(std::uint32_t series, double hour) const {
    const format::Series& s = data.series[series];
    std::uint32_t best = 0;
    for (std::uint32_t i = 1; i < s.count; ++i) {
        const auto away = [&](std::uint32_t k) {
            return std::abs(hours_between(hour, static_cast<double>(data.steps[s.first + k].hour)));
        };
        if (away(i) < away(best)) best = i;
    }
    return best;
}

void Mixer::State::glide(std::uint32_t zone, double seconds) {
    ZoneFade& f = fades[zone];
    const format::Series& s = data.series[f.series];
    const format::Step* steps = data.steps.data + s.first;
    if (!f.gliding) {
        f.gliding = true;
        std::uint32_t at = 0;
        for (std::uint32_t i = 0; i < s.count; ++i)
            if (steps[i].set == f.to) at = i;
        f.lag = f.catch_up > 0 ? hours_between(clock, static_cast<double>(steps[at].hour)) : 0;
        f.lag_left = static_cast<double>(f.catch_up);
    } else {
        f.lag_left = std::max(0.0, f.lag_left - seconds);
    }
    const double part = f.catch_up > 0 ? f.lag_left / static_cast<double>(f.catch_up) : 0,
                 hour = wrapped(clock + f.lag * part);
    // The last step at or before the hour; before the first one, the last of the day before.
    std::uint32_t i = s.count - 1;
    for (std::uint32_t k = 0; k < s.count; ++k)
        if (static_cast<double>(steps[k].hour) <= hour) i = k;
    if (hour < static_cast<double>(steps[0].hour)) i = s.count - 1;
    const std::uint32_t next = (i + 1) % s.count;
    double span = wrapped(static_cast<double>(steps[next].hour) - static_cast<double>(steps[i].hour));
    if (!(span > 0)) span = 24;
    f.from = steps[i].set;
    f.to = steps[next].set;
    f.weight = static_cast<float>(wrapped(hour - static_cast<double>(steps[i].hour)) / span);
}

std::size_t Mixer::State::page_terms(std::uint32_t zone, bool with_layers, PageTerm* out) {
    std::size_t n = 0;
    const float* now = weights(shown, zone);
    for (std::uint32_t s = 0; s < sets; ++s)
        if (now[s] != 0) out[n++] = {s, now[s], now[s], now[s]};
    for (std::uint32_t l = 0; with_layers && l < layers; ++l) {
        const Color c = layer_term[std::size_t{zone} * layers + l];
        if (!same(c, {})) out[n++] = {data.layers[l].set, c.r, c.g, c.b};
    }
    return n;
}

void Mixer::State::begin_pass(std::uint32_t zone, bool with_layers) {
    Pass& p = passes[zone];
    p.count = page_terms(zone, with_layers, p.terms.data());
    p.next = 0;
    p.on = true;
}

void Mixer::State::write_tile(std::uint32_t zone) {
    Pass& p = passes[zone];
    const bool pair = settings.paging == Paging::pair;
    if (p.next < composer.tile_count(zone)) {
        const std::uint32_t copy = pair ? 1 - fades[zone].copy : 0;
        composer.mix(zone, p.next, copy, p.terms.data(), p.count);
        changed[changed_count] = composer.tile(zone, p.next++);
        changed[changed_count++].copy = copy;
    }
    if (p.next < composer.tile_count(zone)) return;
    p.on = false;
    if (pair) {
        std::copy(weights(shown, zone), weights(shown, zone) + sets, weights(held, zone));
        fades[zone].copy = 1 - fades[zone].copy;
        fades[zone].go_on();
    }
}

void Mixer::State::write_tiles() {
    changed_count = 0;
    if (settings.paging == Paging::many) return;
    if (settings.paging == Paging::composite)
        for (std::uint32_t z = 0; z < zones; ++z) {
            if (passes[z].on) continue;
            const std::size_t n = page_terms(z, true, wanted.data());
            const auto differs = [](const PageTerm& a, const PageTerm& b) {
                return a.set != b.set || a.r != b.r || a.g != b.g || a.b != b.b;
            };
            bool other = n != passes[z].count;
            for (std::size_t i = 0; !other && i < n; ++i) other = differs(wanted[i], passes[z].terms[i]);
            if (other) begin_pass(z, true);
        }
    using Clock = std::chrono::steady_clock;
    const auto start = Clock::now();
    std::size_t bytes = 0;
    bool any = false;
    for (std::uint32_t k = 0; k < zones; ++k) {
        const std::uint32_t z = (first_zone + k) % zones;
        while (passes[z].on) {
            const std::size_t more =
                passes[z].next < composer.tile_count(z) ? composer.tile_bytes(z, passes[z].next) : 0;
            const double spent = std::chrono::duration<double, std::micro>(Clock::now() - start).count();
            if (any && (bytes + more > settings.bytes ||
                        (settings.microseconds > 0 && spent >= settings.microseconds))) {
                first_zone = z;
                return;
            }
            bytes += more;
            any |= more > 0;
            write_tile(z);
        }
    }
    first_zone = (first_zone + 1) % zones;
}

Mixer::~Mixer() {
    delete state_;
}

void Mixer::stop() noexcept {
    delete state_;
    state_ = nullptr;
    message_ = "";
}

Status Mixer::start(const Game& game, const MixerOptions& settings) noexcept try {
    stop();
    if (!game.data_ || settings.set >= game.set_count()) {
        message_ = game.data_ ? "there is no such set" : "there is no game open";
        return Status::not_found;
    }
    state_ = new State(game, *game.data_, settings);
    if (const char* wrong = state_->composer.wrong()) {
        stop();
        message_ = wrong;
        return Status::damaged;
    }
    if (settings.paging == Paging::composite) {
        state_->settings.bytes = static_cast<std::size_t>(-1);
        state_->settings.microseconds = 0;
        state_->write_tiles();
        state_->settings = settings;
    }
    return Status::ok;
} catch (...) {
    stop();
    message_ = "needs more memory than there is";
    return Status::no_memory;
}

bool Mixer::request(std::uint32_t set, std::uint32_t zone, float seconds, Curve curve) noexcept {
    if (!state_ || set >= state_->sets || !state_->has_zone(zone) || !(seconds >= 0)) return false;
    const ZoneFade::Wish wish{set, nothing, seconds, curve};
    if (zone != everywhere) {
        state_->turn(state_->zone_number(zone), wish);
        return true;
    }
    for (std::uint32_t z = 0; z < state_->zones; ++z) state_->turn(z, wish);
    return true;
}

bool Mixer::follow(std::uint32_t series, std::uint32_t zone, float seconds, Curve curve) noexcept {
    if (!state_ || series >= state_->data.series.count || !state_->has_zone(zone) || !(seconds >= 0))
        return false;
    State& s = *state_;
    const std::uint32_t step =
        s.nearest_step(series, wrapped(s.clock + static_cast<double>(seconds) / 2 * s.hours_a_second));
    const ZoneFade::Wish wish{s.data.steps[s.data.series[series].first + step].set, series, seconds / 2,
                              curve};
    for (std::uint32_t z = 0; z < s.zones; ++z)
        if (zone == everywhere || z == s.zone_number(zone)) s.turn(z, wish);
    return true;
}

void Mixer::set_clock(double hour, double hours_a_second) noexcept {
    if (!state_) return;
    state_->clock = std::isfinite(hour) ? wrapped(hour) : 0;
    state_->hours_a_second = std::isfinite(hours_a_second) ? hours_a_second : 0;
}
double Mixer::clock() const noexcept {
    return state_ ? state_->clock : 0;
}

bool Mixer::set_layer(std::uint32_t layer, Color scale, Color more) noexcept {
    if (!state_ || layer >= state_->layers || !finite(scale) || !finite(more)) return false;
    state_->layer_scale[layer] = scale;
    state_->layer_add[layer] = more;
    return true;
}

void Mixer::advance(double seconds) noexcept {
    if (!state_) return;
    State& s = *state_;
    const double by = seconds > 0 && std::isfinite(seconds) ? seconds : 0;
    s.clock = wrapped(s.clock + by * s.hours_a_second);
    bool any = false;
    for (std::uint32_t z = 0; z < s.zones; ++z) {
        ZoneFade& f = s.fades[z];
        if (f.move(by) && f.series != nothing) s.glide(z, by);
        any |= s.mix(z);
    }
    s.write_tiles();
    s.pair_up();
    if (any) s.publish();
}

PagePair Mixer::State::pair(std::uint32_t zone, std::uint32_t page, std::uint32_t part) const {
    if (settings.paging == Paging::composite) {
        const Pixels own = composer.page(0, page, part);
        return {own, own, nothing, nothing, 0};
    }
    const ZoneFade& f = fades[zone];
    PagePair p;
    p.from_set = f.from;
    p.to_set = f.to;
    p.weight = f.weight;
    p.to = data.page(f.to, page, part);
    if (f.from != nothing)
        p.from = data.page(f.from, page, part);
    else if (settings.paging == Paging::pair)
        p.from = composer.page(f.copy, page, part);
    return p;
}

void Mixer::State::pair_up() {
    for (std::uint32_t z = 0; z < zones; ++z)
        for (std::uint32_t p = 0; p < data.pages.count; ++p)
            pairs[std::size_t{z} * data.pages.count + p] = pair(z, p, 0);
}

PagePair Mixer::pages(std::uint32_t zone, std::uint32_t page, std::uint32_t part) const noexcept {
    if (!state_ || part > 3 || page >= state_->data.pages.count || !state_->has_zone(zone) ||
        zone == everywhere)
        return {};
    const std::uint32_t z = state_->zone_number(zone);
    return part > 0 ? state_->pair(z, page, part)
                    : state_->pairs[std::size_t{z} * state_->data.pages.count + page];
}

PagePair Mixer::surface_pages(std::uint32_t surface, std::uint32_t part) const noexcept {
    if (!state_ || surface >= state_->data.surfaces.count) return {};
    const format::Surface& f = state_->data.surfaces[surface];
    return f.page == nothing ? PagePair{} : pages(state_->data.zone(f.zone), f.page, part);
}

std::uint32_t Mixer::changed_count() const noexcept {
    return state_ ? static_cast<std::uint32_t>(state_->changed_count) : 0;
}
Tile Mixer::changed(std::uint32_t number) const noexcept {
    return number < changed_count() ? state_->changed[number] : Tile{};
}
Pixels Mixer::own_page(std::uint32_t copy, std::uint32_t page, std::uint32_t part) const noexcept {
    if (!state_) return {};
    const std::uint32_t copies = state_->settings.paging == Paging::pair        ? 2
                                 : state_->settings.paging == Paging::composite ? 1
                                                                                : 0;
    if (copy >= copies || page >= state_->data.pages.count || part > 3) return {};
    return state_->composer.page(copy, page, part);
}
bool Mixer::whole(std::uint32_t page) const noexcept {
    if (!state_ || page >= state_->data.pages.count) return true;
    for (std::uint32_t z = 0; z < state_->zones; ++z)
        if (state_->passes[z].on && state_->composer.zone_is_on(z, page)) return false;
    return true;
}
float Mixer::progress(std::uint32_t zone) const noexcept {
    if (!state_ || !state_->has_zone(zone) || zone == everywhere) return 1;
    const ZoneFade& f = state_->fades[state_->zone_number(zone)];
    return f.phase == ZoneFade::Phase::fading    ? static_cast<float>(std::min(1.0, f.time / f.seconds))
           : f.phase == ZoneFade::Phase::waiting ? 0.0f
                                                 : 1.0f;
}
bool Mixer::waits(std::uint32_t zone) const noexcept {
    return state_ && state_->has_zone(zone) && zone != everywhere &&
           state_->fades[state_->zone_number(zone)].phase == ZoneFade::Phase::waiting;
}

}  // namespace stasigraph::runtime
