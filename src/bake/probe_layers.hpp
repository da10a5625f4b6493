#pragma once
// Layers at probes.

#include "bake/layers.hpp"
#include "bake/solve_layers.hpp"

namespace stasigraph {

/// Keeps what texels send for probes to take in, in 16 bits.
void carry_light(const Making& m, const LightField& light, Job& job);

/// All light of each layer at every probe: direct light, which the layers hold already, and what the probes'
/// links bring from texels (by the layers' carried light) and the sky; windowed where it rings. Also which
/// lamps each lists, and the light without them.
void light_probe_layers(const std::vector<LayerToMake>& layers, Job& job);

/// Light of every probe under each set.
std::vector<ProbeLight> mix_probes(const Level& lit, const std::vector<Layer>& layers, std::size_t probes);

/// The lamps that probes tell by themselves under each set, and the rest of their light.
std::vector<ProbeLamps> mix_lamps(const Level& lit, const std::vector<Layer>& layers, std::size_t probes);

}  // namespace stasigraph
