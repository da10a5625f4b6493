#pragma once
// Where probes are wanted, and by which rules.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "stasigraph/math.hpp"

namespace stasigraph {

/// What put a probe where it is.
enum class ProbeRule : std::uint8_t { hand, lattice, walkable, explore, objects, light };
inline constexpr int probe_rules = 6;
/// "hand", "lattice" and so on.
const char* to_text(ProbeRule rule);

/// A probe before there is light in it.
struct ProbePlace {
    Vec3 position;  ///< Metres.
    ProbeRule rule = ProbeRule::hand;
    std::uint32_t volume = none;  ///< Into Level::volumes; none where it was placed by hand.
};

enum class VolumeShape : std::uint8_t { box, sphere, capsule };

/// Who walks where the rule `walkable` puts probes.
struct Figure {
    float height = 1.8f;   ///< Metres. Range [0.2, 20].
    float radius = 0.3f;   ///< Metres kept free around it. Range [0.05, 5].
    float step = 0.4f;     ///< Metres it steps up or down. Range [0, 5].
    float slope = pi / 4;  ///< The steepest ground it stands on, radians. Range [0, pi / 2).
    friend bool operator==(const Figure&, const Figure&) = default;
};

/// A region that wants probes, or one that wants none.
struct Volume {
    std::string name;
    VolumeShape shape = VolumeShape::box;
    Vec3 middle;  ///< Metres; of a capsule one end of its axis.
    Vec3 half;    ///< A box's half size along each of its own axes, metres.
    std::array<Vec3, 3> axes{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};  ///< A box's own; a right-handed frame.
    Vec3 end;                                                     ///< The other end of a capsule's axis.
    float radius = 0;                                             ///< Metres, of a sphere or a capsule.
    bool except = false;     ///< Nothing is placed in it, but what was placed by hand.
    float priority = 0;      ///< Where volumes overlap the one with the higher number places alone.
    float spacing = 2;       ///< Metres between probes, at most. Range [0.05, 1000].
    float clearance = 0.2f;  ///< Metres that probes keep from surfaces, at least. Range [0, 10].
    /// Probes only where a surface is within this many metres; 0: everywhere.
    float near = 0;
    std::string floor;  ///< Glob of surfaces beneath which nothing is placed; empty: none.
    std::array<bool, probe_rules> rules{false, true};  ///< By ProbeRule; `hand` unused.
    Figure figure;                                     ///< For `walkable`.
    std::vector<float> heights = {0.3f, 1.6f};         ///< Of probes over walkable ground, metres.
    std::vector<Vec3> seeds;  ///< Where `explore` and `walkable` start; empty: cameras in the volume.
    /// Starts there and wherever a figure has two square metres to stand on.
    bool from_floors = false;
    /// Nobody asked for it: load_level() put it there. Where it finds no free place, it is no error.
    bool by_default = false;
    std::string around = "*";  ///< Glob of static surfaces that `objects` goes around.
    bool has(ProbeRule rule) const { return rules[static_cast<std::size_t>(rule)]; }
};

/// An axis-aligned box with a lattice.
Volume box_volume(std::string name, Vec3 low, Vec3 high, float spacing);
/// Whether a volume holds a place; its rim counts.
bool holds(const Volume& volume, Vec3 place);
/// The place of a volume's bounds, along a box's own axes, at shares in [0, 1] of them.
Vec3 place_in(const Volume& volume, Vec3 share);
/// The sizes of the same bounds, metres.
Vec3 size_of(const Volume& volume);
/// The corners of its axis-aligned bounds.
std::array<Vec3, 2> bounds_of(const Volume& volume);

/// How probes are thinned, and whether a level gets a volume that has none.
struct ProbeOptions {
    bool by_default = true;  ///< See add_default_volume().

    /// Probes go while the light interpolated from the others stays this close to exact light at 95 of 100
    /// places where a figure's body can be, and at three of four in every small room: difference
    /// in perceptual lightness (CIE 1976 L*) over the lightness. Range [0, 1]; 0: all stay.
    float tolerance = 0;
    int budget = 0;   ///< At most this many probes; 0: any number. What was placed by hand stays.
    float merge = 0;  ///< Probes closer than this are one, metres; 0: a quarter of their volume's spacing.
    friend bool operator==(const ProbeOptions&, const ProbeOptions&) = default;
};

}  // namespace stasigraph
