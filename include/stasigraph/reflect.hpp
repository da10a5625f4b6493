#pragma once
// Reflection probes at work: placed, captured, filtered for rough surfaces, looked up.

#include "stasigraph/bake.hpp"

namespace stasigraph {

/// The direction of a place of a face (0 to 5), texels from its upper left corner; unit length.
Vec3 cube_direction(int side, int face, float x, float y);
/// Bilinear, across the edges of faces as well.
Rgb cube_light(const CubeMap& map, Vec3 direction);

/// What a surface of this roughness mirrors when looked at straight on, along each direction of a smaller
/// cube map: the mean over directions l of radiance, weighted by GGX's density of the normal that mirrors the
/// direction to l, times the cosine between the two. What is over three times the map's mean is summed texel
/// by texel; the rest is importance-sampled by `normals` of a low-discrepancy set, half as many below a
/// roughness of 0.3, each looked up in as much detail as they are dense (Walter et al., Microfacet Models for
/// Refraction through Rough Surfaces, 2007; Krivanek and Colbert, Real-time Shading with Filtered Importance
/// Sampling, 2008). `roughness` in (0, 1], `side` in texels. Same bytes for any number of threads.
CubeMap prefilter(const CubeMap& sharp, float roughness, int side, Job& job, std::uint32_t normals = 2048);
/// All levels of a map. `sharp`: a power of two wide, 16 texels or more.
ReflectionMap filter_levels(CubeMap sharp, Job& job, std::uint32_t normals = 2048);
/// The same of several captures, all as wide: eight take little longer than one.
std::vector<ReflectionMap> filter_levels(std::vector<CubeMap> sharp, Job& job, std::uint32_t normals = 2048);
/// How many levels a capture of that width has.
int reflection_levels(int resolution);
/// What a surface of this roughness, 0 to 1, mirrors along a direction; between levels both are mixed.
Rgb reflected(const ReflectionMap& map, Vec3 direction, float roughness);

/// The share of light that a surface mirrors, `scale` times its reflectance at normal incidence plus `bias`:
/// GGX with Smith's shadowing and Schlick's Fresnel, summed over all of its mirrored light. `cosine` between
/// normal and view.
struct EnvironmentBrdf {
    float scale = 1, bias = 0;
};
EnvironmentBrdf environment_brdf(float cosine, float roughness);

/// The probes that answer for a surface: in their order, each with the share it has of what those before left
/// over. Planes answer for what lies along them alone. `normal`: of the face, unit length; one that a normal
/// map bends may point out of a room. Threads: safe.
ReflectionWeights reflection_weights(const std::vector<ReflectionProbe>& probes, Vec3 at, Vec3 normal);
/// Where to look in a probe's map for what a point mirrors along a direction.
Vec3 lookup_direction(const ReflectionProbe& probe, Vec3 at, Vec3 direction);

/// The reflection probes of a level in the order in which they answer: higher priority first, then smaller
/// ones, those over open ground last. Those that rules ask for are found: rooms by flooding free space and
/// cutting it where it is narrow. Throws Error where a place to capture from lies inside of something, a
/// region is not free, or a surface that should mirror is not flat. Same for any number of threads.
std::vector<ReflectionProbe> place_reflections(const Level& level, Job& job, const BakeStore& store = {});
/// A hash of what captures depend on apart from light: geometry, and what the level asks for.
std::string reflections_key(const Level& level);

/// What captures came to.
struct CaptureFigures {
    std::size_t probes = 0;
    std::size_t rays = 0;                  ///< Sent; each place that is not known sends its own once.
    std::size_t layers = 0, captured = 0;  ///< Light groups of the sets; those that were captured now.
};
struct CapturedBake {
    Baked baked;
    CaptureFigures figures;
};
/// Baker::light(), and every reflection probe captured under every set. What is seen is lit as view() shows
/// it, moving things and live light left out. Light adds up, so each light group is captured and filtered by
/// itself, at unit strength, and sets are mixed of that: with a store a group that is dimmed or tinted costs
/// a sum, and one that is changed is captured again without a ray while geometry stays. Captures are kept as
/// half floats. `only`: as Baker::light() has it.
struct CapturesWanted {
    std::vector<ReflectionProbe> probes;  ///< Of place_reflections().
    std::vector<std::uint32_t> only = {};
};
CapturedBake light_and_capture(Baker& baker, const Level& lit, const CapturesWanted& wanted, Job& job,
                               const BakeStore& store = {});

}  // namespace stasigraph
