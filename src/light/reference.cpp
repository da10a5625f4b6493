#include "stasigraph/reference.hpp"

#include "light/path_tracer.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

std::vector<ReferenceLight> reference_light(const Level& level, std::uint32_t set,
                                            const std::vector<ReferencePoint>& points,
                                            const ReferenceOptions& settings, Job& job) {
    const TextureSet textures(level);
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_in_bake, job.threads());
    const PathTracer tracer(level, set, textures, tree->rays());
    std::vector<ReferenceLight> light(points.size());
    job.begin(Stage::reference, points.size());
    job.parallel(points.size(), 4, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            light[i] = tracer.irradiance(
                surface_receiver(points[i].position, points[i].normal, points[i].face_normal), settings,
                combine_bits(settings.seed, static_cast<std::uint32_t>(i)));
        job.advance(end - begin);
    });
    return light;
}

}  // namespace stasigraph
