#pragma once
// Light that reaches a point straight from its sources, with visibility.

#include <algorithm>
#include <memory>
#include <vector>

#include "base/random.hpp"
#include "light/emitters.hpp"
#include "light/receiver.hpp"

namespace stasigraph {

/// Balance heuristic between explicit sampling and gather rays that happen to meet an emitter: both
/// techniques' weights for one direction sum to 1. Veach and Guibas, 1995. The counts are those of the first
/// links and of the light samples, fixed for a bake, so that a row may grow without its explicit part being
/// done again.
struct EmitterWeights {
    float light_samples = 1, gather_samples = 0;
    float explicit_weight(float light_density, float gather_density) const {
        const float a = light_samples * light_density, b = gather_samples * gather_density;
        return a + b > 0 ? a / (a + b) : 0;
    }
    float gathered_weight(float light_density, float gather_density) const {
        return gather_samples > 0 ? 1 - explicit_weight(light_density, gather_density) : 0;
    }
};

/// All sources of one light group but the sky, which the links carry.
///
/// Threads: const members are safe from any number of threads, each with its own Scratch.
/// Owner:   borrows level and caster.
class DirectLight {
public:
    DirectLight(const Level& level, const TextureSet& textures, const RayCaster& caster, std::uint32_t group);

    using Scratch = Emitters::Choice;

    /// Calls add(direction, Rgb) with light that arrives at the receiver: illuminance on a plane across the
    /// direction, so that the caller weighs it by the cosine or projects it. Unbiased for any number of
    /// samples.
    template <class Add>
    void gather(const Receiver& r, int samples, const EmitterWeights& weights, std::uint32_t seed,
                Scratch& scratch, Add&& add) const {
        for (std::size_t i = 0; i < lights_.size(); ++i)
            one_light(lights_[i], r, samples, combine_bits(seed, static_cast<std::uint32_t>(i)), add);
        if (!emitters_.empty()) emissive(r, samples, weights, combine_bits(seed, 0x656d6974u), scratch, add);
    }

    const Emitters& emitters() const { return emitters_; }
    bool empty() const { return lights_.empty() && emitters_.empty(); }

private:
    template <class Add>
    void one_light(const Light& light, const Receiver& r, int samples, std::uint32_t seed, Add&& add) const {
        if (light.kind == LightKind::sun) return sun(light, r, samples, seed, add);
        const Vec3 to = light.position - r.position;
        const float d2 = dot(to, to), d = std::sqrt(d2);
        if (!(d > 0)) return;
        const Vec3 axis = to * (1 / d);
        const Rgb intensity = light.color * (cone_share(light, axis) * range_share(light, d));
        if (!(max_channel(intensity) > 0)) return;
        if (light.radius <= 0) {
            if (r.weight(axis) > 0 && !caster_.blocked({r.position, axis, d}))
                add(axis, intensity * (1 / d2));
            return;
        }
        // A sphere of radiance I / (pi r^2), sampled uniformly over its cone of directions.
        const float radius = std::min(light.radius, 0.999f * d), s2 = radius * radius / d2;
        const float gap = s2 / (1 + std::sqrt(1 - s2));  // 1 - cos of the half angle
        const int n = std::clamp(static_cast<int>(std::ceil(static_cast<float>(samples) * 10 * radius / d)),
                                 1, samples);
        const Rgb each = intensity * (2 * gap / (radius * radius * static_cast<float>(n)));
        const Frame frame(axis);
        for (int k = 0; k < n; ++k) {
            const Vec3 w =
                frame.to_world(cone_direction(sobol_point(seed, static_cast<std::uint32_t>(k)), gap));
            if (!(r.weight(w) > 0)) continue;
            const float along = d * dot(w, axis);
            const float entry = along - std::sqrt(std::max(0.0f, along * along - (d2 - radius * radius)));
            if (!caster_.blocked({r.position, w, std::max(0.0f, entry)})) add(w, each);
        }
    }

    template <class Add>
    void sun(const Light& light, const Receiver& r, int samples, std::uint32_t seed, Add&& add) const {
        const Vec3 axis = -light.direction;
        const float half = 0.5f * light.angular_diameter;
        const int n = half > 0 ? samples : 1;
        const float sine = std::sin(half), gap = sine * sine / (1 + std::cos(half));
        // A disc of radiance E / (pi sin^2), so that a plane across the axis gets exactly E.
        const Rgb each = light.color * (half > 0 ? 2 / ((2 - gap) * static_cast<float>(n)) : 1.0f);
        const Frame frame(axis);
        for (int k = 0; k < n; ++k) {
            const Vec3 w =
                half > 0
                    ? frame.to_world(cone_direction(sobol_point(seed, static_cast<std::uint32_t>(k)), gap))
                    : axis;
            if (r.weight(w) > 0 && !caster_.blocked({r.position, w})) add(w, each);
        }
    }

    template <class Add>
    void emissive(const Receiver& r, int samples, const EmitterWeights& weights, std::uint32_t seed,
                  Scratch& scratch, Add&& add) const {
        emitters_.weigh(r, scratch);
        if (!(scratch.total > 0)) return;
        for (int k = 0; k < samples; ++k) {
            const EmitterPoint p =
                emitters_.choose(scratch, sobol_point(seed, static_cast<std::uint32_t>(k)));
            const Vec3 to = p.position - r.position;
            const float d2 = dot(to, to), d = std::sqrt(d2);
            if (!(d > 0) || !(p.area_density > 0)) continue;
            const Vec3 w = to * (1 / d);
            const float facing =
                emitters_.two_sided(p.emitter) ? std::abs(dot(p.normal, w)) : -dot(p.normal, w);
            if (!(facing > 0) || !(r.weight(w) > 0)) continue;
            const float density = p.area_density * d2 / facing;  // per steradian
            const Rgb light = emitters_.emission(p) * (weights.explicit_weight(density, r.gather_density(w)) /
                                                       (density * static_cast<float>(samples)));
            if (!(max_channel(light) > 0)) continue;
            if (!caster_.blocked({r.position, w, d - 2 * ray_start_offset})) add(w, light);
        }
    }

    static float cone_share(const Light& light, Vec3 toward_light);
    static float range_share(const Light& light, float distance);

    const RayCaster& caster_;
    std::vector<Light> lights_;
    Emitters emitters_;
};

}  // namespace stasigraph
