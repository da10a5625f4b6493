#include "light/direct.hpp"

#include <algorithm>

namespace stasigraph {

DirectLight::DirectLight(const Level& level, const TextureSet& textures, const RayCaster& caster,
                         std::uint32_t group)
    : caster_(caster), emitters_(level, textures, caster, group) {
    for (const Light& light : level.lights)
        if (light.group == group && light.baked && max_channel(light.color) > 0) lights_.push_back(light);
}

// KHR_lights_punctual, "Inner and Outer Cone Angles".
float DirectLight::cone_share(const Light& light, Vec3 toward_light) {
    if (light.kind != LightKind::spot) return 1;
    const float outer = std::cos(light.outer_cone), inner = std::cos(light.inner_cone);
    const float share = std::clamp(
        (-dot(light.direction, toward_light) - outer) / std::max(0.001f, inner - outer), 0.0f, 1.0f);
    return share * share;
}

// KHR_lights_punctual, "Range Property".
float DirectLight::range_share(const Light& light, float distance) {
    if (!(light.range > 0)) return 1;
    const float q = distance / light.range;
    return std::clamp(1 - q * q * q * q, 0.0f, 1.0f);
}

}  // namespace stasigraph
