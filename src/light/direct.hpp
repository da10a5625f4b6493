#pragma once
// Light that reaches a point straight from its sources, with visibility.

#include <array>
#include <vector>

#include "light/light_tree.hpp"
#include "light/sky_light.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// How often a source is drawn, and which draws these are.
struct LightDraws {
    int samples = 1;
    std::uint32_t seed = 0;
    Vec2 point(int k) const { return sobol_point(seed, static_cast<std::uint32_t>(k)); }
};

/// Sends light from everything in this many draws of a view: add(direction, Rgb, distance, barycentric).
template <class View, class Add>
void draw_samples(const View& view, const LightDraws& draws, Add&& add) {
    const float each = 1.0f / static_cast<float>(draws.samples);
    for (int k = 0; k < draws.samples; ++k) {
        const SourceSample s = view.draw(draws.point(k));
        if (s.distance > 0) add(s.direction, s.light * each, s.distance, s.barycentric);
    }
}

/// Of draw_whole(), with room for `most` samples.
template <std::size_t most, class View, class Add>
void draw_up_to(const View& view, float whole, const Receiver& r, const LightDraws& draws, Add&& add) {
    std::array<SourceSample, most> drawn;
    float sum = 0;
    for (int k = 0; k < draws.samples; ++k) {
        SourceSample& s = drawn[static_cast<std::size_t>(k)];
        s = view.draw(draws.point(k));
        if (s.distance > 0) sum += r.weight(s.direction) * max_channel(s.light);
    }
    if (!(sum > 0)) return;
    for (int k = 0; k < draws.samples; ++k) {
        const SourceSample& s = drawn[static_cast<std::size_t>(k)];
        if (s.distance > 0) add(s.direction, s.light * (whole / sum), s.distance, s.barycentric);
    }
}
/// The same, the samples scaled so that with nothing in the way they give exactly `whole`, where that is
/// known: what is left to chance is only what hides the source. A ratio of two estimates, so for the many
/// samples of one source alone: with few, it is biased where a source is half hidden. Heitz et al., Combining
/// Analytic Direct Illumination and Stochastic Shadows, 2018.
template <class View, class Add>
void draw_whole(const View& view, float whole, const Receiver& r, const LightDraws& draws, Add&& add) {
    // Most draws are of a few samples: clearing room for many would take longer than they do.
    constexpr int least = 4, few = 16, most = 1024;
    if (!(whole > 0) || draws.samples < least || draws.samples > most) return draw_samples(view, draws, add);
    if (draws.samples <= few) return draw_up_to<few>(view, whole, r, draws, add);
    draw_up_to<most>(view, whole, r, draws, add);
}

/// Light of a sun over its disc: a radiance of E / (pi sin^2), so that a plane across the axis gets exactly
/// E.
template <class Add>
void draw_sun(const Light& light, const LightDraws& draws, Add&& add) {
    const auto samples = static_cast<float>(draws.samples);
    const Vec3 axis = -light.direction;
    const float half = 0.5f * light.angular_diameter;
    if (!(half > 0)) {
        for (int k = 0; k < draws.samples; ++k) add(axis, light.color * (1 / samples), 1e30f, Vec2{});
        return;
    }
    const float sine = std::sin(half), gap = sine * sine / (1 + std::cos(half));
    const Rgb each = light.color * (2 / ((2 - gap) * samples));
    const Frame frame(axis);
    for (int k = 0; k < draws.samples; ++k)
        add(frame.to_world(cone_direction(draws.point(k), gap)), each, 1e30f, Vec2{});
}

/// Light of one lamp of any kind, without anything in the way: add(direction, illuminance across it,
/// distance). For what is lit lamp by lamp (visibility maps, live light); groups go through DirectLight.
template <class Add>
void draw_light(const Light& light, const std::vector<Profile>& profiles, const Receiver& r,
                const LightDraws& draws, Add&& add) {
    const auto drop = [&](Vec3 w, Rgb e, float distance, Vec2) { add(w, e, distance); };
    if (light.kind == LightKind::sun)
        return draw_sun(light, {light.angular_diameter > 0 ? draws.samples : 1, draws.seed}, drop);
    if (light.kind == LightKind::rectangle) {
        for (const EmissiveTriangle& half : rectangle_halves(light))
            draw_samples(TriangleView(half, r), draws,
                         [&](Vec3 w, Rgb e, float distance, Vec2) { add(w, e * light.color, distance); });
        return;
    }
    const Lamp lamp = make_lamp(light, profiles);
    if (light.kind == LightKind::disc) return draw_samples(DiscView(lamp, r), draws, drop);
    if (light.kind == LightKind::tube) return draw_samples(TubeView(lamp, r), draws, drop);
    const BallView ball(lamp, r);
    if (!ball.empty())
        draw_samples(
            ball,
            {light.radius > 0 ? size_samples(draws.samples, light.radius, ball.distance()) : 1, draws.seed},
            drop);
}

/// One bit for each of sixteen classes, into which the sources of a group are divided in order.
inline constexpr std::size_t source_classes = 16;
struct SourcesMet {
    std::uint16_t seen = 0, hidden = 0;
    bool operator==(const SourcesMet&) const = default;
};

/// A level with what its light is sampled by. Borrowed.
struct LitScene {
    const Level& level;
    const TextureSet& textures;
    const RayCaster& caster;
    const SkyLight& sky;
};

/// How light is sampled at a receiver.
struct DirectDraws {
    const LightEffort& effort;
    const SkyWeights& weights;
    std::uint32_t seed = 0;
};

/// Where shadow rays start: all of them from the receiver itself.
struct FromReceiver {
    Vec3 operator()(std::uint32_t) const { return {}; }
};
/// What is known of shadows, and what is to be learnt.
template <class Place>
struct ShadowRays {
    /// place(k): by how far shadow ray k starts beside the receiver, metres, so that what hides the light is
    /// averaged over a texel.
    Place place;
    SourcesMet known;           ///< Classes of which all is seen, or all hidden: no ray is sent to those.
    SourcesMet* met = nullptr;  ///< Receives the classes of which something was seen, and something hidden;
                                ///< glass hides and shows.
};

/// All sources of one light group. Of the sky, its bright parts; the links carry the rest.
///
/// Threads: const members are safe from any number of threads, each with its own Scratch.
/// Owner:   borrows level, textures, caster and sky.
class DirectLight {
public:
    /// Lights of one role; emissive surfaces and the sky belong to `whole`.
    DirectLight(const LitScene& scene, std::uint32_t group, BakeRole role = BakeRole::whole);

    using Scratch = LightTree::Cut;

    /// Calls add(direction, Rgb) with light that arrives at the receiver: illuminance on a plane across the
    /// direction, so that the caller weighs it by the cosine or projects it. Unbiased for any effort, as far
    /// as what is known of shadows is right.
    template <class Place, class Add>
    void gather(const Receiver& r, const DirectDraws& draws, Scratch& scratch,
                const ShadowRays<Place>& shadows, Add&& add) const {
        const auto& [effort, weights, seed] = draws;
        const SourcesMet known = shadows.known;
        SourcesMet* const met = shadows.met;
        std::uint32_t rays = 0;
        const auto seen = [&](std::uint16_t of_class, Vec3 w, Rgb light, float far) {
            if (!(r.weight(w) > 0) || !(max_channel(light) > 0)) return false;
            if (known.seen & of_class) {
                add(w, light);
                return true;
            }
            const Vec3 aside = shadows.place(rays++);
            Ray ray{r.position + aside, w, far};
            if (far < 1e29f) {
                const Vec3 way = w * far - aside;
                ray.far = length(way);
                ray.direction = way * (1 / std::max(ray.far, 1e-20f));
            }
            const Rgb through = caster_.transmitted(ray);
            const bool clear = through == Rgb{1, 1, 1}, any = max_channel(through) > 0;
            if (met) {
                if (any) met->seen |= of_class;
                if (!clear) met->hidden |= of_class;
            }
            if (any) add(w, light * through);
            return any;
        };
        for (std::size_t i = 0; i < suns_.size(); ++i) {
            const std::uint16_t own = class_of(i);
            if (known.hidden & own) continue;
            draw_sun(suns_[i],
                     {suns_[i].angular_diameter > 0 || effort.spread ? effort.samples : 1,
                      combine_bits(seed, static_cast<std::uint32_t>(i))},
                     [&](Vec3 w, Rgb e, float far, Vec2) { seen(own, w, e, far); });
        }
        if (sky_ && weights.light_samples > 0)
            sky_samples(r, {effort.samples, combine_bits(seed, sky_seed)}, weights,
                        [&](Vec3 w, Rgb light, float far) { seen(0, w, light, far); });
        if (!tree_.empty())
            local(r, {effort, weights, combine_bits(seed, 0x6c6f63u)}, scratch, known.hidden, seen);
    }

    /// The same, all rays from the receiver itself.
    template <class Add>
    void gather(const Receiver& r, const DirectDraws& draws, Scratch& scratch, Add&& add) const {
        gather(r, draws, scratch, ShadowRays<FromReceiver>{}, add);
    }

    /// Whether rays that gather() sends from places within `reach` metres of the receiver may pass through
    /// the box: those to suns and local sources, with any seed.
    bool passes(const Receiver& r, float reach, const Box& box) const;
    /// The same of those to the sky, of which the effort's number and the seed tell where they go.
    bool sky_passes(const Receiver& r, float reach, int samples, std::uint32_t seed, const Box& box) const;

    bool empty() const { return suns_.empty() && !sky_ && tree_.empty(); }
    /// Without the sky.
    std::size_t sources() const { return suns_.size() + lamps_.size() + triangles_.size(); }

private:
    static constexpr std::uint32_t sky_seed = 0x736b79u;

    template <class Seen>
    void sky_samples(const Receiver& r, const LightDraws& draws, const SkyWeights& weights,
                     Seen&& seen) const {
        for (int k = 0; k < draws.samples; ++k) {
            const SkyLight::Sample s = sky_->sample(draws.point(k));
            if (!(s.density > 0)) continue;
            const float share = weights.direct_weight(s.density, r.gather_density(s.direction));
            seen(s.direction, s.radiance * (share / (s.density * static_cast<float>(draws.samples))), 1e30f);
        }
    }

    /// Of a sun, by its number, or of a local source, by its own after all suns.
    std::uint16_t class_of(std::size_t number) const {
        return static_cast<std::uint16_t>(1u << (number * source_classes / sources()));
    }

    template <class Seen>
    void local(const Receiver& r, const DirectDraws& draws, Scratch& scratch, std::uint16_t hidden,
               Seen&& seen) const {
        const LightEffort& effort = draws.effort;
        tree_.cut(r, effort, scratch);
        std::sort(scratch.parts.begin(), scratch.parts.end(),
                  [](const LightTree::Part& a, const LightTree::Part& b) {
                      return a.weight > b.weight || (a.weight == b.weight && a.node < b.node);
                  });
        // Where none of the strongest parts gets through, the receiver lies in another room most likely: of
        // the others one in four (`faint`) is looked at, for four. What is looked at then depends on earlier
        // rays alone, so the mean stays right.
        constexpr std::size_t strongest = 8;
        constexpr LightEffort single{.samples = 1};
        bool lit = false;
        for (std::size_t i = 0; i < scratch.parts.size(); ++i) {
            const LightTree::Part& part = scratch.parts[i];
            const std::uint32_t own = combine_bits(draws.seed, part.node);
            float stands_for = 1;
            if (i >= strongest && !lit) {
                if (!(unit_float(mix_bits(own ^ 0x6c6f6f6bu)) < effort.faint)) continue;
                stands_for = 1 / effort.faint;
            }
            bool got = false;
            float chance = 1;
            const bool alone = tree_.is_leaf(part.node);
            const std::uint32_t at = alone ? tree_.source(part.node)
                                           : tree_.choose(part.node, r, unit_float(mix_bits(own)), chance);
            if (at == none) continue;
            const std::uint16_t of_class = class_of(suns_.size() + at);
            if (hidden & of_class) continue;
            source(at, r, {alone ? effort : single, draws.weights, own},
                   alone ? part.weight / scratch.total : 1, [&](Vec3 w, Rgb light, float far) {
                       got = seen(of_class, w, light * (stands_for / chance), far) || got;
                   });
            // Only the strongest decide: what a few found must not change how the next are weighed.
            if (i < strongest) lit = lit || got;
        }
    }

    /// Light of one source; `share` of the light at the receiver that seems to be its own, and of the
    /// samples.
    template <class Seen>
    void source(std::uint32_t number, const Receiver& r, const DirectDraws& draws, float share,
                Seen&& seen) const {
        const int samples = draws.effort.samples;
        const std::uint32_t seed = draws.seed;
        const auto count = [&](float radius, Vec3 middle) {
            const float d = std::max(length(middle - r.position), 1e-6f);
            const auto n = static_cast<float>(size_samples(samples, radius, d));
            return std::clamp(static_cast<int>(std::ceil(2 * n * share)), 1, samples);
        };
        const auto plain = [&](Vec3 w, Rgb e, float distance, Vec2) { seen(w, e, distance); };
        if (number >= lamps_.size()) {
            const EmissiveTriangle& t = triangles_[number - lamps_.size()];
            const TriangleView view(t, r);
            const Vec3 middle = t.a + (t.ab + t.ac) * (1 / 3.0f);
            // One that fills a good part of the view is worth a few rays however little of the light it
            // sends.
            const int few = length(middle - r.position) < 2 * t.radius ? std::min(samples, 4) : 1;
            const int n = std::max(few, count(t.radius, middle));
            draw_whole(view, view.whole(r), r, {n, seed}, [&](Vec3 w, Rgb e, float distance, Vec2 at) {
                // A shadow ray must end before the surface that sends the light.
                if (t.surface == none) return void(seen(w, e * t.emission, distance));
                seen(w, e * emission(t, at), distance - 2 * ray_start_offset);
            });
            return;
        }
        const Lamp& lamp = lamps_[number];
        const float radius = lamp.light.radius;
        if (lamp.light.kind == LightKind::disc)
            return draw_samples(DiscView(lamp, r), {count(radius, lamp.light.position), seed}, plain);
        if (lamp.light.kind == LightKind::tube)
            return draw_samples(TubeView(lamp, r),
                                {count(0.5f * lamp.light.width + radius, lamp.light.position), seed}, plain);
        const BallView ball(lamp, r);
        if (!ball.empty())
            draw_whole(ball, ball.whole(r) * ball.intensity(), r,
                       {radius > 0 || draws.effort.spread ? count(radius, lamp.light.position) : 1, seed},
                       plain);
    }

    Rgb emission(const EmissiveTriangle& t, Vec2 at) const {
        return t.textured ? textures_.emission(level_, level_.surfaces[t.surface], t.triangle, at.x, at.y)
                          : t.emission;
    }
    void add_surface(std::uint32_t surface);

    const Level& level_;
    const TextureSet& textures_;
    const RayCaster& caster_;
    const SkyLight* sky_ = nullptr;
    std::vector<Light> suns_;
    std::vector<Lamp> lamps_;
    std::vector<EmissiveTriangle> triangles_;  ///< Sources are numbered lamps first, then these.
    LightTree tree_;
    float ball_radius_ = 0;  ///< The largest of points and spots, metres: the tree knows their middles alone.
};

/// The tier's effort. `noise`: relative standard error aimed for; 0 is the tier's own.
LightEffort light_effort(const TierOptions& tier, float noise);

}  // namespace stasigraph
