#pragma once
// Where light is sampled: all over a texel's footprint, and off the flat face on smooth-shaded meshes.

#include <cmath>

#include "trace/ray_caster.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// How far each texel reaches to its neighbours in the chart: halfway, or all the way to their middles, where
/// the neighbour is not invalid and a short ray to it meets nothing. Where its chart or the open place ends
/// it reaches as far as the surface goes on, and what of it would lie past that is folded back, so that no
/// half of its samples lies on the line where a wall stands. So a texel cut by a wall counts on its middle's
/// side alone. An empty one reaches nowhere.
class Footprints {
public:
    Footprints() = default;
    /// Cost: four short rays a texel, some more at edges.
    Footprints(const TexelSet& texels, const TexelStates& states, const RayCaster& caster, Job& job);

    /// From a texel's middle to a place of its footprint; `place` in [0, 1)^2. Metres. `width`: 1 for the
    /// texel itself; 2 also for half of all those around it.
    Vec3 offset(std::size_t texel, Vec2 place, float width) const {
        if (sides_.empty()) return {};
        const Sides& s = sides_[texel];
        float x = (place.x - 0.5f) * width, y = (place.y - 0.5f) * width;
        if (std::abs(x) > 0.5f && std::abs(y) > 0.5f && !(s.corners & corner(x > 0, y > 0))) {
            x *= 0.5f;
            y *= 0.5f;
        }
        return (x > 0 ? s.right * x : s.left * -x) + (y > 0 ? s.below * y : s.above * -y);
    }

    /// The longest offset there is of a texel.
    float reach(std::size_t texel, float width) const {
        if (sides_.empty()) return 0;
        const Sides& s = sides_[texel];
        return 0.5f * width *
               (std::max(length(s.left), length(s.right)) + std::max(length(s.above), length(s.below)));
    }

    struct Sides {
        Vec3 left, right, above, below;  ///< To the neighbours.
        std::uint32_t corners = 0;       ///< Bits of corner(): those between two neighbours that are open.
        friend bool operator==(const Sides&, const Sides&) = default;
    };
    static constexpr std::uint32_t corner(bool right, bool below) {
        return 1u << ((right ? 1u : 0u) + (below ? 2u : 0u));
    }
    explicit Footprints(std::vector<Sides> sides) : sides_(std::move(sides)) {}
    const std::vector<Sides>& sides() const { return sides_; }

private:
    /// Two opposite sides of a texel; `otherwise`: how long they are where there is no neighbour to either.
    struct Opposite {
        Vec3 &a, &b;
        Vec3 otherwise;
    };
    /// Sets those to which there is no neighbour.
    static void end_at_edge(const TexelSet& texels, const RayCaster& caster, std::uint32_t texel,
                            const Opposite& sides);
    /// How far the surface goes on that way, up to half of it; zero where it does not.
    static Vec3 open_way(const TexelSet& texels, const RayCaster& caster, std::uint32_t texel, Vec3 toward);
    std::vector<Sides> sides_;
};

struct PlaceInPlane {
    std::uint32_t texel = 0;
    Vec3 position;
};
/// Whether a place in a texel's plane is on its own surface: looked for from `up` above, and at most `off`
/// away. Metres.
bool on_own_surface(const TexelSet& texels, const RayCaster& caster, const PlaceInPlane& place, float up,
                    float off);

/// Lifts the receivers of smooth-shaded meshes to the surface their normals tell of, where nothing stands
/// between, so that the shadow of a coarse mesh on itself begins where that surface's would. Their horizon
/// is then that of the shading normal. Hanika, Hacking the Shadow Terminator, Ray Tracing Gems II, 2021.
void lift_receivers(const Level& level, const TexelSet& texels, const RayCaster& caster, RowSource& rows,
                    Job& job);

}  // namespace stasigraph
