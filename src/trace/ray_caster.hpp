#pragma once
// The one door to the ray kernel. World triangles, one geometry for each surface.

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "base/random.hpp"
#include "level/texture.hpp"
#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Distance a ray starts off its surface, metres. Smaller: surfaces shadow themselves. Larger: light slips
/// past thin walls and contact shadows open. Within 4 km of the origin one float step is at most 0.24 mm, so
/// 0.5 mm clears it.
inline constexpr float ray_start_offset = 0.0005f;

struct Ray {
    Vec3 origin;
    Vec3 direction;     ///< Unit length.
    float far = 1e30f;  ///< Metres.
};

struct Hit {
    std::uint32_t surface = none;  ///< none: nothing was hit.
    std::uint32_t triangle = 0;    ///< Of the surface's mesh.
    float u = 0, v = 0;            ///< Barycentric weights of the triangle's second and third corner.
    float distance = 0;
    bool back = false;  ///< The face was met from behind.
};

/// The seed with which ray k of a row passes glass.
inline std::uint32_t gather_seed(std::uint32_t row_seed, std::uint32_t k) {
    return combine_bits(row_seed ^ 0x676c6173u, k);
}

/// Threads: const members are safe from any number of threads.
/// Owner:   borrows the scene and its textures; the caller keeps them alive and unchanged.
/// Cost:    construction is O(n log n) in triangles counting instances, on as many threads as asked for.
///
/// Of triangles met at one distance those met from the front come first, then the first surface's first one
/// counts, so that a hit depends on what the ray meets alone and never on the rest of the level, nor on how
/// the kernel's tree is built.
///
/// Cut-outs let rays through where their texture is below the cutoff, for every kind of ray. What lets a part
/// of the light through (BLEND, transmission; "glass" from here on) is met from both sides alike, except that
/// a single-sided closed mesh is crossed once: where light leaves it, nothing is taken from it any more.
class RayCaster {
public:
    RayCaster(const Scene& scene, const TextureSet& textures,
              const std::function<bool(const Surface&)>& takes_part, unsigned threads = 1);
    ~RayCaster();
    RayCaster(const RayCaster&) = delete;
    RayCaster& operator=(const RayCaster&) = delete;

    /// The first face met, glass included.
    Hit closest(const Ray& ray) const noexcept;
    /// What is left of white light over the length of the ray: 0 where something solid stands in it.
    Rgb transmitted(const Ray& ray) const noexcept;
    /// Whether nothing at all gets through.
    bool blocked(const Ray& ray) const noexcept { return !(max_channel(transmitted(ray)) > 0); }

    /// Where a sample of light along the ray comes from: glass is passed with the likelihood of what it lets
    /// through, decided by (seed, name of the surface, triangle) alone; `tint` is the colour of what was
    /// passed. A ray that ends on a triangle's edge is decided by one to a place just inside of it.
    Hit gathered(const Ray& ray, std::uint32_t seed, Rgb& tint) const noexcept;
    /// Rays from one origin: directions[i] has the seed gather_seed(row_seed, numbers[i]).
    struct Batch {
        Vec3 origin;
        std::span<const Vec3> directions;
        const std::uint8_t* order;  ///< In which they are traced: indices.
        std::uint32_t row_seed;
        const std::uint32_t* numbers;
    };
    /// The same for such rays, by their index. `tints` is written only where the answer is true. A ray's hit
    /// does not depend on the others of its batch. (The last bits of distance and u, v may differ from
    /// gathered(): the kernel has other code for single rays.)
    bool gathered_batch(const Batch& batch, Hit* hits, Rgb* tints) const noexcept;

    /// Into how many solids a place lies, as seen along a ray: faces left from behind less those met from the
    /// front. Glass and double-sided faces do not count.
    int solids_around(Vec3 place, Vec3 direction, float far = 1e30f) const noexcept;
    /// The nearest place of any face within a distance; false where there is none. Cost: a walk down the
    /// tree.
    bool nearest(Vec3 place, float within, Vec3& where) const noexcept;

    /// Whether a surface is glass.
    bool is_glass(std::uint32_t surface) const noexcept;

    /// The bare kernel on the same rays: only whether something was hit. For benches.
    bool closest_raw(const Ray& ray) const noexcept;

    /// World corners and the outward unit normal of a triangle.
    struct Corners {
        Vec3 a, b, c, normal;
    };
    Corners corners(std::uint32_t surface, std::uint32_t triangle) const;

    /// The place a hit names: shading and face normals lie on the side the ray came from.
    struct SurfacePoint {
        Vec3 position, normal, face_normal;
    };
    SurfacePoint place(const Hit& hit) const;

private:
    Hit gathered_once(const Ray& ray, std::uint32_t seed, Rgb& tint) const noexcept;
    /// What a ray to a place just inside of the triangle meets that `on_edge` names.
    Hit gathered_inside(const Hit& on_edge, const Ray& ray, std::uint32_t seed, Rgb& tint) const noexcept;

    struct Tree;
    std::unique_ptr<Tree> tree_;
};

}  // namespace stasigraph
