#pragma once
// Layers at probes.

#include "bake/layers.hpp"
#include "bake/solve_layers.hpp"

namespace stasigraph {

/// Keeps what texels send for probes to take in, in 16 bits.
void carry_light(const Making& m, const LightField& light, Job& job);

/// All light of each layer at every probe: direct light, which the layers hold already, and what the probes'
/// links bring from texels (by the layers' radiosity) and the sky; windowed where it rings. Also which
/// lamps each lists, what comes through openings, and the light without either. Of UnlitLevel::probe_basis
/// `sides` the light alone, as it is.
void light_probe_layers(const std::vector<LayerToMake>& layers, Job& job);

/// Light of every probe under each set.
std::vector<ProbeLight> mix_probes(const Level& lit, const std::vector<Layer>& layers, std::size_t probes);

/// Nit under a set by opening as a lamp.
std::vector<Rgb> mix_openings(const Level& lit, std::uint32_t set, const std::vector<Layer>& layers,
                              const OpeningSight& openings);

/// The lamps that probes tell by themselves under each set, openings among them, and the rest of their light.
std::vector<ProbeLamps> mix_lamps(const Level& lit, const std::vector<Layer>& layers,
                                  const UnlitLevel& unlit);

}  // namespace stasigraph
