#pragma once
// What both sides of the boundary to C call the same things.

#include <algorithm>
#include <cstdio>
#include <new>

#include "stasigraph/game.h"
#include "stasigraph/game.hpp"

struct sgraph_game {
    stasigraph::runtime::Game game;
};

namespace stasigraph::runtime::c {

inline Vector vector(const float v[3]) {
    return {v[0], v[1], v[2]};
}
inline void copy(Color c, float rgb[3]) {
    rgb[0] = c.r;
    rgb[1] = c.g;
    rgb[2] = c.b;
}
inline void copy(const Pixels& p, sgraph_pixels* out) {
    *out = {p.data, p.size, p.side, p.exponent, static_cast<std::uint32_t>(p.format)};
}
inline Weights weights(const sgraph_weights* w) {
    Weights out;
    out.count = w->count;
    out.beyond = w->beyond;
    std::copy(w->probe, w->probe + 8, out.probe);
    std::copy(w->weight, w->weight + 8, out.weight);
    out.placed = w->placed != 0;
    out.at = vector(w->at);
    return out;
}
inline void copy(const PlaceLight& light, sgraph_place_light* out) {
    std::copy(light.coefficients, light.coefficients + 27, out->coefficients);
    out->count = light.count;
    for (int i = 0; i < PlaceLight::most; ++i) {
        const LampLight& l = light.lamp[i];
        out->lamp[i] = {l.lamp, {l.toward[0], l.toward[1], l.toward[2]}, {l.lux[0], l.lux[1], l.lux[2]}};
    }
}

/// Makes an object for C and opens it: `open` answers a status, `message` what went wrong.
template <class T, class Open, class Message>
sgraph_status opened(T** out, char* message, std::size_t message_size, Open open, Message said) {
    *out = nullptr;
    const auto tell = [&](const char* text) {
        if (message && message_size > 0) std::snprintf(message, message_size, "%s", text);
    };
    T* made = new (std::nothrow) T;
    if (!made) {
        tell("needs more memory than there is");
        return SGRAPH_NO_MEMORY;
    }
    const Status status = open(*made);
    if (status != Status::ok) {
        tell(said(*made));
        delete made;
        return static_cast<sgraph_status>(status);
    }
    *out = made;
    return SGRAPH_OK;
}

}  // namespace stasigraph::runtime::c
