#pragma once
// Emissive surfaces as lights: choosing points on them, and the density of that choice.

#include <vector>

#include "light/receiver.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A point chosen on an emitter.
struct EmitterPoint {
    std::uint32_t emitter = 0, triangle = 0;  ///< Emitter number of this set; triangle of its mesh.
    float u = 0, v = 0;
    Vec3 position, normal;
    float area_density = 0;  ///< Of the choice, per square metre.
};

/// The emissive surfaces of one light group. A surface is chosen by its power over squared distance, leaving
/// out those wholly below the receiver's horizon; a triangle by its power; a point uniformly.
///
/// Threads: const members are safe from any number of threads, each with its own Choice.
class Emitters {
public:
    Emitters(const Level& level, const TextureSet& textures, const RayCaster& caster, std::uint32_t group);

    bool empty() const { return emitters_.empty(); }
    /// Emitter number of a surface; none when it is not of this group.
    std::uint32_t find(std::uint32_t surface) const { return number_[surface]; }

    /// How likely each emitter is chosen from one receiver. Keep one for each thread: it owns memory.
    struct Choice {
        std::vector<float> cumulative;
        float total = 0;  ///< 0: none can light this receiver.
    };
    void weigh(const Receiver& receiver, Choice& choice) const;
    EmitterPoint choose(const Choice& choice, Vec2 random) const;
    /// Density per square metre with which choose() picks any given point of this triangle.
    float area_density(const Choice& choice, std::uint32_t emitter, std::uint32_t triangle) const;

    Rgb emission(const EmitterPoint& point) const;
    bool two_sided(std::uint32_t emitter) const { return emitters_[emitter].two_sided; }
    std::uint32_t surface(std::uint32_t emitter) const { return emitters_[emitter].surface; }

private:
    struct Emitter {
        std::uint32_t surface = 0;
        Vec3 centre;
        float radius = 0, power = 0;
        bool two_sided = false;
        std::vector<float> cumulative;  ///< Of triangle power.
        std::vector<float> area;
    };
    const Level& level_;
    const TextureSet& textures_;
    const RayCaster& caster_;
    std::vector<Emitter> emitters_;
    std::vector<std::uint32_t> number_;
};

}  // namespace stasigraph
