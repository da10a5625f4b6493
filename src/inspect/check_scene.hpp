#pragma once
// What the rules of check() share: rays, sizes, places that people look from.

#include "level/texture.hpp"
#include "probe/free_space.hpp"
#include "stasigraph/check.hpp"
#include "trace/box.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A point of a surface's lit side.
struct SurfacePoint {
    Vec3 at, normal;
    std::uint32_t surface = 0, triangle = 0;
};

struct SurfaceFacts {
    double area = 0;    ///< Square metres.
    Box box;            ///< In the world.
    float density = 0;  ///< Texels per metre it asks for at the level's tier; 0: no lightmap.
    double texels() const { return area * static_cast<double>(density) * static_cast<double>(density); }
};

/// What is seen from where people are.
struct Looks {
    bool known = false;        ///< There are volumes or cameras to look from; else places all over the level.
    std::vector<Vec3> places;  ///< Metres; none of them inside of anything.
    std::vector<std::uint32_t> volume;                   ///< By place; none: a camera's.
    std::vector<std::uint32_t> fronts, backs;            ///< Rays that met each surface from either side.
    std::vector<std::vector<std::uint8_t>> from_behind;  ///< By surface and triangle: its back was met.
};

/// Shares in [0, 1] of a box, spread evenly: the i-th of a seed's.
Vec3 share_of(std::uint32_t seed, std::uint32_t i);
/// As RayCaster::corners(), of any surface, whether a caster holds it or not.
RayCaster::Corners world_corners(const Level& level, std::uint32_t s, std::uint32_t triangle);

/// Threads: const use is safe from any number of threads.
/// Owner:   borrows the level and the job.
struct CheckScene {
    const Level& level;
    Job& job;
    TextureSet textures;
    RayCaster caster;  ///< All that a bake sees.
    FreeSpace space;
    std::vector<SurfaceFacts> facts;
    Box bounds;  ///< Of all that stands still.
    Looks looks;

    CheckScene(const Level& l, Job& j);

    bool still(std::uint32_t s) const { return level.surfaces[s].part == Part::still; }
    const Material& material(std::uint32_t s) const { return level.materials[level.surfaces[s].material]; }
    bool glows(std::uint32_t s) const {
        return max_channel(material(s).emission) > 0 && level.surfaces[s].emission_gain > 0;
    }
    /// Corners and outward normal in the world, of any surface, moving ones as well.
    RayCaster::Corners corners(std::uint32_t s, std::uint32_t triangle) const {
        return world_corners(level, s, triangle);
    }
    /// Points at even steps of a surface's area, `per_m2` of them but at least `least` and at most `most`.
    std::vector<SurfacePoint> points(std::uint32_t s, double per_m2, std::size_t least,
                                     std::size_t most) const;
    /// Whether a place on a surface can be seen from any of the places, nearest ones first; true where there
    /// are none.
    bool seen(Vec3 at, Vec3 normal) const;
    /// Whether any of a surface can be seen from the places, by points spread over it.
    bool seen(std::uint32_t s) const;
    /// Sets that have the level's own sun and sky, layers left out.
    std::vector<std::uint32_t> plain_sets() const;
};

/// Irradiance at points under a set by a few paths each, lux. `seed`: other seeds, other noise.
std::vector<Rgb> glimpse(const CheckScene& scene, std::uint32_t set, const std::vector<SurfacePoint>& points,
                         int paths, std::uint32_t seed);

using Findings = std::vector<Finding>;

// One function for each subject; each adds to the list.
void check_lights(const CheckScene& scene, Findings& out);
void check_materials(const CheckScene& scene, Findings& out);
void check_remarks(const CheckScene& scene, Findings& out);
void check_moving(const CheckScene& scene, Findings& out);
void check_faces(const CheckScene& scene, Findings& out);
void check_texels(const CheckScene& scene, Findings& out);
void check_given_uvs(const CheckScene& scene, Findings& out);
void check_walls(const CheckScene& scene, Findings& out);
void check_gaps(const CheckScene& scene, Findings& out);
void check_probes(const CheckScene& scene, Findings& out);
void check_zones(const CheckScene& scene, Findings& out);
void check_dark(const CheckScene& scene, Findings& out);

/// Where a surface is best shown: the middle of a small one, or of a large one the point that most places
/// see; the side that is seen, and how large it is.
struct ShownSurface {
    Vec3 at, facing;
    float size = 0.5f;
};
ShownSurface show_surface(const CheckScene& scene, std::uint32_t s);

/// Numbers as messages have them: three digits.
std::string short_text(double value);
/// "a, b and 3 more".
std::string some_of(const std::vector<std::string>& names, std::size_t most = 3);

}  // namespace stasigraph
