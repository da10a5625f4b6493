#pragma once
// What one zone shows, and on its way to what. Standard library only, C++17.

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "stasigraph/mixer.hpp"

namespace stasigraph::runtime {

/// A fade between two sets, or from a mix that is held to a set.
struct ZoneFade {
    enum class Phase : std::uint8_t { still, waiting, fading };
    /// What was asked for.
    struct Wish {
        std::uint32_t set = 0;
        std::uint32_t series = nothing;
        float seconds = 0;
        Curve curve = Curve::smooth;
    };

    std::uint32_t from = 0, to = 0;  ///< Sets; from `nothing`: the held mix.
    float start = 0, weight = 0;     ///< Of `to`: when the fade began, and now.
    double time = 0, seconds = 0;
    Curve curve = Curve::smooth;
    Phase phase = Phase::still;
    Wish next;  ///< While it waits.
    std::uint32_t series = nothing;
    float catch_up = 0;            ///< Seconds in which it catches up with the clock.
    double lag = 0, lag_left = 0;  ///< Hours behind the clock at first; seconds until it has caught up.
    bool gliding = false;
    std::uint32_t copy = 0;  ///< Where the held mix's pages are.

    /// Turns to another set. True where what is shown has to be held first: a mix of two that has neither
    /// end in common with the wish.
    bool turn(const Wish& w) {
        series = w.series;
        catch_up = w.seconds;
        gliding = false;
        if (phase == Phase::waiting) phase = Phase::fading;
        if (!(w.seconds > 0)) {
            from = to = w.set;
            weight = 1;
            phase = Phase::still;
            return false;
        }
        if (weight >= 1) {
            from = to;
            weight = 0;
        }
        if (w.set == to && weight > 0) return begin(w, weight);
        if (w.set == from) {
            if (weight <= 0) {  // there already
                to = from;
                weight = 1;
                phase = Phase::still;
                return false;
            }
            from = to;
            return begin(w, 1 - weight);
        }
        if (weight <= 0) return begin(w, 0);
        next = w;
        return true;
    }
    /// Goes on from the held mix.
    void go_on() {
        from = nothing;
        begin(next, 0);
    }
    /// Moves on; true once the fade has arrived.
    bool move(double by) {
        if (phase != Phase::fading) return phase == Phase::still;
        time += by;
        const auto x = static_cast<float>(std::min(1.0, time / seconds));
        const float shaped = curve == Curve::smooth ? x * x * (3 - 2 * x) : x;
        weight = start + (1 - start) * shaped;
        if (x < 1) return false;
        from = to;
        weight = 1;
        phase = Phase::still;
        return true;
    }

private:
    bool begin(const Wish& w, float at) {
        to = w.set;
        start = weight = at;
        time = 0;
        seconds = static_cast<double>(w.seconds);
        curve = w.curve;
        phase = Phase::fading;
        return false;
    }
};

/// An hour in [0, 24).
inline double wrapped(double hour) {
    const double h = std::fmod(hour, 24.0);
    return h < 0 ? h + 24 : h;
}
/// The shorter way from one hour to another, in [-12, 12).
inline double hours_between(double from, double to) {
    return wrapped(to - from + 12) - 12;
}

}  // namespace stasigraph::runtime
