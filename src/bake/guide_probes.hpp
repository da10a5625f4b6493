#pragma once
// Guides of probes: where light comes from that evenly spread links of a probe meet by chance, as the probes
// around it tell.

#include "bake/layers.hpp"
#include "transport/guided_links.hpp"

namespace stasigraph {

/// What each texel sends of each layer that is lit, column by column, lux: irradiance times albedo.
struct SentByTexels {
    std::vector<Rgb> lux;
    std::size_t layers = 0;
    Rgb at(std::size_t texel, std::size_t layer) const { return lux[texel * layers + layer]; }
};

/// For each layer the probes that want links of their own, with those links traced. Guides are learnt from
/// pilot links, which count for nothing else: a probe's own say from where it is lit, and of what they meet
/// seldom those of the probes within some metres tell as well, as bright places that the probe looks for from
/// where it is, openings to the sky among them. Deterministic; the guides of a layer depend on its own light
/// alone. None at tiers with few links.
std::vector<GuidedLinks> guide_probes(const std::vector<LayerToMake>& layers, const SentByTexels& sent,
                                      Job& job);

}  // namespace stasigraph
