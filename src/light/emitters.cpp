#include "light/emitters.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// Index of the step of a cumulative sum that holds `at`, which is then rescaled to [0, 1) within the step.
std::uint32_t pick(const std::vector<float>& cumulative, float& at) {
    const float target = at * cumulative.back();
    auto i = static_cast<std::size_t>(std::upper_bound(cumulative.begin(), cumulative.end(), target) -
                                      cumulative.begin());
    i = std::min(i, cumulative.size() - 1);
    while (i > 0 && cumulative[i] == cumulative[i - 1]) --i;  // rounding may land on an empty step
    const float below = i == 0 ? 0 : cumulative[i - 1], step = cumulative[i] - below;
    at = step > 0 ? std::clamp((target - below) / step, 0.0f, 0x1.fffffep-1f) : 0.0f;
    return static_cast<std::uint32_t>(i);
}

float step_of(const std::vector<float>& cumulative, std::uint32_t i) {
    return cumulative[i] - (i == 0 ? 0.0f : cumulative[i - 1]);
}

}  // namespace

Emitters::Emitters(const Level& level, const TextureSet& textures, const RayCaster& caster,
                   std::uint32_t group)
    : level_(level), textures_(textures), caster_(caster), number_(level.surfaces.size(), none) {
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        const Material& material = level.materials[surface.material];
        if (surface.group != group || surface.part == Part::moving) continue;
        if (!(luminance(material.emission) * surface.emission_gain > 0)) continue;
        const Mesh& mesh = level.meshes[surface.mesh];
        Emitter e{
            .surface = s, .centre = {}, .two_sided = material.double_sided, .cumulative = {}, .area = {}};
        Vec3 low{1e30f, 1e30f, 1e30f}, high = -low;
        for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
            const RayCaster::Corners c = caster.corners(s, t);
            const float area = 0.5f * length(cross(c.b - c.a, c.c - c.a));
            // Mean of three inner points stands for the texture's mean; a little is added so that no lit
            // point of a textured emitter is ever out of reach.
            const float mean = (luminance(textures.emission(level, surface, t, 1 / 6.0f, 1 / 6.0f)) +
                                luminance(textures.emission(level, surface, t, 4 / 6.0f, 1 / 6.0f)) +
                                luminance(textures.emission(level, surface, t, 1 / 6.0f, 4 / 6.0f))) /
                               3;
            const float floor = 0.1f * luminance(material.emission) * surface.emission_gain;
            e.power += area * std::max(mean, floor);
            e.area.push_back(area);
            e.cumulative.push_back(e.power);
            for (Vec3 p : {c.a, c.b, c.c}) {
                low = min(low, p);
                high = max(high, p);
            }
        }
        if (!(e.power > 0)) continue;
        e.centre = (low + high) * 0.5f;
        e.radius = length(high - low) * 0.5f;
        number_[s] = static_cast<std::uint32_t>(emitters_.size());
        emitters_.push_back(std::move(e));
    }
}

void Emitters::weigh(const Receiver& receiver, Choice& choice) const {
    choice.cumulative.resize(emitters_.size());
    float total = 0;
    for (std::size_t i = 0; i < emitters_.size(); ++i) {
        const Emitter& e = emitters_[i];
        const Vec3 d = e.centre - receiver.position;
        if (receiver.in_air || dot(receiver.face_normal, d) > -e.radius)
            total += e.power / std::max(dot(d, d), e.radius * e.radius);
        choice.cumulative[i] = total;
    }
    choice.total = total;
}

EmitterPoint Emitters::choose(const Choice& choice, Vec2 random) const {
    EmitterPoint p;
    p.emitter = pick(choice.cumulative, random.x);
    const Emitter& e = emitters_[p.emitter];
    p.triangle = pick(e.cumulative, random.x);
    const float root = std::sqrt(random.x);
    p.u = root * (1 - random.y);
    p.v = root * random.y;
    const RayCaster::Corners c = caster_.corners(e.surface, p.triangle);
    p.position = c.a * (1 - p.u - p.v) + c.b * p.u + c.c * p.v;
    p.normal = c.normal;
    p.area_density = area_density(choice, p.emitter, p.triangle);
    return p;
}

float Emitters::area_density(const Choice& choice, std::uint32_t emitter, std::uint32_t triangle) const {
    const Emitter& e = emitters_[emitter];
    if (!(choice.total > 0) || !(e.area[triangle] > 0)) return 0;
    return step_of(choice.cumulative, emitter) / choice.total * step_of(e.cumulative, triangle) / e.power /
           e.area[triangle];
}

Rgb Emitters::emission(const EmitterPoint& point) const {
    const std::uint32_t s = emitters_[point.emitter].surface;
    return textures_.emission(level_, level_.surfaces[s], point.triangle, point.u, point.v);
}

}  // namespace stasigraph
