// What is shown, for any number of threads.

#include "runtime/mixer_state.hpp"
#include "runtime/probe_light.hpp"

namespace stasigraph::runtime {

std::uint32_t Mixer::terms(std::uint32_t zone, Term* out, std::uint32_t most) const noexcept {
    if (!state_ || !state_->has_zone(zone) || zone == everywhere) return 0;
    const std::uint32_t z = state_->zone_number(zone);
    std::uint32_t count = 0;
    state_->seen.read([&](const Shown::Word* w) {
        count = whole_at(w, state_->words.count(z));
        for (std::uint32_t i = 0; i < std::min(count, most); ++i)
            out[i] = {whole_at(w, state_->words.set(z, i)), float_at(w, state_->words.weight(z, i))};
    });
    return count;
}

Color Mixer::layer_gain(std::uint32_t layer, std::uint32_t zone) const noexcept {
    Color out;
    if (!state_ || layer >= state_->layers || !state_->has_zone(zone) || zone == everywhere) return out;
    state_->seen.read([&](const Shown::Word* w) {
        out = layer_at(w, state_->words.layer(state_->zone_number(zone), layer));
    });
    return out;
}

Color Mixer::gain(std::uint32_t group, std::uint32_t zone) const noexcept {
    Color out;
    if (!state_ || group >= state_->data.groups.count || !state_->has_zone(zone) || zone == everywhere)
        return out;
    const std::uint32_t z = state_->zone_number(zone);
    state_->seen.read([&](const Shown::Word* w) {
        out = {};
        const std::uint32_t n = whole_at(w, state_->words.count(z));
        for (std::uint32_t i = 0; i < n; ++i)
            add(out, times(state_->game.gain(whole_at(w, state_->words.set(z, i)), group),
                           float_at(w, state_->words.weight(z, i))));
        for (std::uint32_t l = 0; l < state_->layers; ++l)
            if (state_->data.layers[l].group == group) add(out, layer_at(w, state_->words.layer(z, l)));
    });
    return floored(out);
}

void Mixer::State::add_layers(const Shown::Word* w, const Weights& at, float to[27], LampSum* lamps) const {
    const float* light = lamps ? data.rest.data : data.light.data;
    const bool together = in_one_zone(at);
    for (int k = 0; k < at.count; ++k) {
        const std::uint32_t probe = at.probe[k], zone = zone_number(game.probe_zone(probe));
        for (std::uint32_t l = 0; l < layers; ++l) {
            const Color gain = layer_at(w, words.layer(zone, l));
            if (same(gain, {})) continue;
            const std::uint32_t set = data.layers[l].set;
            const float* c = light + 27 * (std::size_t{set} * data.net.count + probe);
            const float by[3] = {gain.r * at.weight[k], gain.g * at.weight[k], gain.b * at.weight[k]};
            for (int i = 0; i < 27; ++i) to[i] += c[i] * by[i % 3];
            if (!lamps) continue;
            const float whole[3] = {gain.r, gain.g, gain.b};
            if (!together)
                lamps->add_color(data.entries, probe, data.colors(set), by);
            else if (k == 0)
                lamps->add_color(data.colors(set), whole);
        }
    }
}

bool Mixer::State::in_one_zone(const Weights& at) const {
    for (int k = 1; k < at.count; ++k)
        if (game.probe_zone(at.probe[k]) != game.probe_zone(at.probe[0])) return false;
    return true;
}

void Mixer::State::add_sets(const Shown::Word* w, const Weights& at, float out[27], LampSum* lamps) const {
    // What a zone shows is read once for however many of its probes follow one another.
    constexpr std::uint32_t most = 8;
    std::uint32_t set[most];
    float share[most];
    std::uint32_t known = 0, n = 0;
    bool any = false;
    const float* light = lamps ? data.rest.data : data.light.data;
    const std::uint32_t* zone_of = data.probe_zones.count > 0 ? data.probe_zones.data : nullptr;
    const std::size_t probes = data.net.count;
    const auto take = [&](std::uint32_t zone) {
        if (any && zone == known) return;
        any = true;
        known = zone;
        n = whole_at(w, words.count(zone));
        for (std::uint32_t i = 0; i < n && i < most; ++i) {
            set[i] = whole_at(w, words.set(zone, i));
            share[i] = float_at(w, words.weight(zone, i));
        }
    };
    const auto set_of = [&](std::uint32_t i) { return i < most ? set[i] : whole_at(w, words.set(known, i)); };
    const auto share_of_set = [&](std::uint32_t i) {
        return i < most ? share[i] : float_at(w, words.weight(known, i));
    };
    LightSum sum;
    for (int k = 0; k < at.count; ++k) {
        const std::uint32_t probe = at.probe[k];
        take(zone_of ? zone_number(zone_of[probe]) : zones - 1);
        for (std::uint32_t i = 0; i < n; ++i)
            sum.add(light + 27 * (probes * set_of(i) + probe), at.weight[k] * share_of_set(i));
    }
    sum.get(out);
    if (!lamps || at.count == 0) return;
    const bool together = in_one_zone(at);
    // Where one set alone is shown and no layer, its dark lamps need not be looked at.
    const bool alone = together && n == 1 && whole_at(w, Words::differs) == 0;
    for (int k = 0; k < at.count; ++k)
        lamps->add_probe(data.entries, at.probe[k], at.weight[k], alone ? data.colors(set_of(0)) : nullptr);
    for (int k = 0; k < (together ? 1 : at.count); ++k) {
        const std::uint32_t probe = at.probe[k];
        take(zone_of ? zone_number(zone_of[probe]) : zones - 1);
        for (std::uint32_t i = 0; i < n; ++i) {
            const float by = share_of_set(i) * (together ? 1 : at.weight[k]), all[3] = {by, by, by};
            if (together)
                lamps->add_color(data.colors(set_of(i)), all);
            else
                lamps->add_color(data.entries, probe, data.colors(set_of(i)), all);
        }
    }
}

/// Light at some probes as it is shown now; whether lamps are apart from it.
bool Mixer::sum(const Weights& at, float out[27], LampSum& seen) const noexcept {
    if (!state_ || state_->data.light.count == 0) {
        std::fill(out, out + 27, 0.0f);
        return false;
    }
    const State& s = *state_;
    const bool apart = at.placed && s.data.rest.count > 0;
    s.seen.read([&](const Shown::Word* w) {
        seen.clear();
        s.add_sets(w, at, out, apart ? &seen : nullptr);
        if (whole_at(w, Words::differs) != 0) s.add_layers(w, at, out, apart ? &seen : nullptr);
        if (apart) seen.look(s.data.lamps);
    });
    return apart;
}

void Mixer::sample(const Weights& at, float out[27]) const noexcept {
    Weights anywhere = at;
    anywhere.placed = false;
    LampSum seen;
    sum(anywhere, out, seen);
}
Color Mixer::sample(const Weights& at, Vector n) const noexcept {
    float all[27], rgb[3];
    LampSum seen;
    const bool apart = sum(at, all, seen);
    light_of(all, n.x, n.y, n.z, rgb);
    if (apart) seen.light(state_->data.lamps, point(at.at), point(n), rgb);
    for (float& v : rgb) v = v > 0 ? v : 0;
    return floored({rgb[0], rgb[1], rgb[2]});
}
PlaceLight Mixer::light(const Weights& at) const noexcept {
    PlaceLight out;
    LampSum seen;
    if (sum(at, out.coefficients, seen))
        out.count =
            seen.strongest(state_->data.lamps, point(at.at), out.lamp, PlaceLight::most, out.coefficients);
    return out;
}
PlaceLight Mixer::light(Vector p, std::uint32_t& hint) const noexcept {
    return state_ ? light(state_->game.weights(p, hint)) : PlaceLight{};
}
Color Mixer::sample(Vector p, Vector n, std::uint32_t& hint) const noexcept {
    return state_ ? sample(state_->game.weights(p, hint), n) : Color{};
}
void Mixer::sample(Vector p, std::uint32_t& hint, float out[27]) const noexcept {
    sample(state_ ? state_->game.weights(p, hint) : Weights{}, out);
}

Color Mixer::surface_light(std::uint32_t surface, float u, float v) const noexcept {
    if (!state_ || surface >= state_->data.surfaces.count) return {};
    const State& s = *state_;
    const format::Surface& f = s.data.surfaces[surface];
    if (f.page == nothing) return {};
    const auto side = static_cast<float>(s.data.pages[f.page]);
    const float x = (u * f.scale[0] + f.offset[0]) * side, y = (v * f.scale[1] + f.offset[1]) * side;
    const std::uint32_t z = s.zone_number(s.data.zone(f.zone));
    Color out;
    s.seen.read([&](const Shown::Word* w) {
        out = {};
        const std::uint32_t n = whole_at(w, s.words.count(z));
        for (std::uint32_t i = 0; i < n; ++i)
            add(out, times(s.game.page_light(whole_at(w, s.words.set(z, i)), f.page, x, y),
                           float_at(w, s.words.weight(z, i))));
        for (std::uint32_t l = 0; l < s.layers; ++l) {
            const Color k = layer_at(w, s.words.layer(z, l));
            if (same(k, {})) continue;
            const Color own = s.game.page_light(s.data.layers[l].set, f.page, x, y);
            add(out, {own.r * k.r, own.g * k.g, own.b * k.b});
        }
    });
    return floored(out);
}

}  // namespace stasigraph::runtime
