#include "trace/scene_tree.hpp"

#include "level/field_keys.hpp"
#include "level/scene_cache.hpp"

namespace stasigraph {

namespace {

/// Only what rays ask of a scene: not its images but those that let light through, nor its cache, which holds
/// this.
Scene as_rays_see(const Scene& scene) {
    Scene out = scene;
    out.cache = {};
    for (Material& m : out.materials) {
        m.emission_texture.image = m.normal_texture.image = m.roughness_texture.image = none;
        if (!is_transmissive(m)) m.base_texture.image = m.transmission_texture.image = none;
    }
    std::vector<std::uint8_t> used(out.images.size(), 0);
    for (const Material& m : out.materials)
        for (const TextureUse* use : {&m.base_texture, &m.transmission_texture})
            if (use->image != none) used[use->image] = 1;
    for (std::size_t i = 0; i < used.size(); ++i)
        if (!used[i]) out.images[i] = {};
    return out;
}

/// Surfaces by number, since hits name them so.
std::string tree_key(const Scene& scene, const std::function<bool(const Surface&)>& takes_part) {
    Hasher h("tree");
    for (const Surface& s : scene.surfaces) {
        h.number(takes_part(s));
        if (!takes_part(s)) continue;
        add_fields(h, scene, s, depends::geometry);
        add_shared(h, scene.meshes[s.mesh]);
        add_passage(h, scene, scene.materials[s.material]);
    }
    return h.key();
}

}  // namespace

SceneTree::SceneTree(const Scene& scene, const std::function<bool(const Surface&)>& takes_part,
                     unsigned threads)
    : scene_(as_rays_see(scene)), textures_(scene_), rays_(scene_, textures_, takes_part, threads) {}

std::shared_ptr<const SceneTree> tree_of(const Scene& scene,
                                         const std::function<bool(const Surface&)>& takes_part,
                                         unsigned threads) {
    return kept_with<SceneTree>(scene.cache, tree_key(scene, takes_part), [&] {
        return std::make_shared<const SceneTree>(scene, takes_part, threads);
    });
}

}  // namespace stasigraph
