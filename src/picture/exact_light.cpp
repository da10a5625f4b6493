// What probes at any place would hold, by rays into the baked result; and a walk that compares.

#include <algorithm>
#include <cmath>

#include "picture/viewer.hpp"
#include "probe/decimate.hpp"
#include "probe/probe_rows.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t rays = 4096, lamp_samples = 64;
constexpr std::uint32_t seed = 0x77616c6bu;
constexpr std::size_t most_steps = 20000;
/// Of lightness, from one step to the next, beyond what the light itself does: what one sees as a jump.
constexpr float least_jump = 0.1f;

/// Calls f(direction, lux on a surface that faces it) for all light that arrives at a place.
template <class F>
void for_light_at(const Level& level, const Viewer& viewer, const BakeSet& recipe, Vec3 place, F f) {
    const float share = 4 * pi / static_cast<float>(rays);
    std::uint32_t unused = none;
    for (std::uint32_t k = 0; k < rays; ++k) {
        const Vec3 w = sphere_direction(sobol_point(seed, k));
        f(w, viewer.along(place, w, unused) * share);
    }
    const Receiver r{.position = place, .normal = {}, .face_normal = {}, .in_air = true};
    for (std::uint32_t l = 0; l < level.lights.size(); ++l) {
        const Light& light = level.lights[l];
        const Rgb gain = recipe.gain(light.group);
        if (light.role != BakeRole::whole || !(max_channel(gain * light.color) > 0)) continue;
        draw_light(light, level.profiles, r, {static_cast<int>(lamp_samples), seed + l},
                   [&](Vec3 w, Rgb e, float distance) {
                       f(w, e * gain * viewer.caster().transmitted({place, w, distance}));
                   });
    }
}

ShRgb light_at(const Level& level, const Viewer& viewer, const BakeSet& recipe, Vec3 place) {
    ShRgb sh{};
    for_light_at(level, viewer, recipe, place, [&](Vec3 w, Rgb e) { add_light(sh, w, e); });
    return sh;
}

const BakeSet& recipe_of(const Level& level, const BakedSet& set) {
    for (const BakeSet& s : level.sets)
        if (s.name == set.name) return s;
    throw Error{.what = "there is no such bake set", .where = "walk", .value = set.name, .remedy = ""};
}

std::vector<WalkStep> steps_along(const std::vector<Vec3>& path, float step) {
    std::vector<WalkStep> out;
    float done = 0;
    for (std::size_t i = 0; i + 1 < path.size(); ++i) {
        const Vec3 leg = path[i + 1] - path[i];
        const float far = length(leg);
        const auto n = static_cast<std::size_t>(std::ceil(far / step));
        if (out.size() + n > most_steps)
            throw Error{.what = "a walk has too many steps",
                        .where = "walk",
                        .value = std::to_string(out.size() + n),
                        .remedy = "Use a longer step or a shorter path; 20000 are enough."};
        for (std::size_t k = i == 0 ? 0 : 1; k <= n; ++k) {
            const float t = n > 0 ? static_cast<float>(k) / static_cast<float>(n) : 0;
            WalkStep& s = out.emplace_back();
            s.at = path[i] + leg * t;
            s.distance = done + far * t;
        }
        done += far;
    }
    return out;
}

/// As a bake sees the level: without what moves, and without light that stays live.
ViewOptions as_baked() {
    ViewOptions view;
    view.moving = false;
    view.black_backs = true;
    return view;
}

}  // namespace

std::vector<ExactLight> exact_light(const ChartedLevel& charted, const ViewLight& light,
                                    const std::vector<Vec3>& places, const std::vector<Vec3>& facings,
                                    Job& job) {
    const Level& level = charted.level;
    const Viewer viewer(charted, light, as_baked(), 1, {.live = false});
    const BakeSet& recipe = recipe_of(level, *light.set);
    std::vector<ExactLight> out(places.size() * facings.size());
    job.parallel(places.size(), 1, [&](std::size_t i, std::size_t) {
        ExactLight* const to = out.data() + i * facings.size();
        ShRgb sh{};
        for_light_at(level, viewer, recipe, places[i], [&](Vec3 w, Rgb e) {
            add_light(sh, w, e);
            for (std::size_t f = 0; f < facings.size(); ++f)
                to[f].irradiance += e * std::max(0.0f, dot(w, facings[f]));
        });
        for (std::size_t f = 0; f < facings.size(); ++f) to[f].as_probe = sh_irradiance(sh, facings[f]);
    });
    return out;
}

std::vector<WalkStep> walk_probes(const ChartedLevel& charted, const ViewLight& light,
                                  const std::vector<Vec3>& path, const WalkOptions& settings, Job& job) {
    const Level& level = charted.level;
    if (!light.set || !light.probes || light.probes->size() == 0 ||
        light.set->probes.size() != light.probes->size())
        throw Error{.what = "the bake has no probes",
                    .where = "walk",
                    .value = "",
                    .remedy = "Add a [[volume]] and bake."};
    std::vector<WalkStep> steps = steps_along(path, settings.step);
    const Viewer viewer(charted, light, as_baked(), 1, {.live = false});
    const BakeSet& recipe = recipe_of(level, *light.set);
    const Vec3 facing = normalize(settings.facing);
    job.begin(Stage::walk, steps.size());
    std::uint32_t hint = none;
    for (WalkStep& s : steps) {
        s.weights = probe_weights(*light.probes, s.at, hint);
        s.probes = probe_irradiance(s.weights, light.set->probes, light.set->lamps, s.at, facing);
        std::uint32_t other = hint;
        s.uncorrected = probe_irradiance(probe_weights(*light.probes, s.at, other, false), light.set->probes,
                                         light.set->lamps, s.at, facing);
    }
    job.parallel(steps.size(), 1, [&](std::size_t i, std::size_t) {
        steps[i].exact = sh_irradiance(light_at(level, viewer, recipe, steps[i].at), facing);
        job.advance(1);
    });
    const float white = white_of(recipe, light.set->probes);
    for (std::size_t i = 0; i < steps.size(); ++i) {
        WalkStep& s = steps[i];
        s.error = lightness_apart(s.exact, s.probes, white);
        if (i == 0) continue;
        const WalkStep& before = steps[i - 1];
        s.jump = lightness_apart(before.probes, s.probes, white) >
                 least_jump + lightness_apart(before.exact, s.exact, white);
    }
    return steps;
}

}  // namespace stasigraph
