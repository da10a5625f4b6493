#pragma once
// Places for probes by the rules of volumes, all but those that need light.

#include <memory>

#include "probe/free_space.hpp"
#include "stasigraph/place.hpp"

namespace stasigraph {

/// Adds places to others and keeps the rules that hold for all: free, clear, in their volume, not too close
/// to one that is there already. Places that were added earlier stay.
class PlaceList {
public:
    PlaceList(const Level& level, const RayCaster& caster, Job& job);
    ~PlaceList();
    PlaceList(const PlaceList&) = delete;
    PlaceList& operator=(const PlaceList&) = delete;

    /// By hand: snapped and taken as they are.
    void add_by_hand(const std::vector<Vec3>& places);
    /// Of one volume, by one rule.
    void add(std::uint32_t volume, ProbeRule rule, const std::vector<Vec3>& places);
    /// Kept by an earlier run: taken as they are.
    void add_as_they_are(const std::vector<ProbePlace>& places);

    const std::vector<ProbePlace>& places() const;
    PlaceFigures& figures();
    const FreeSpace& space() const;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// By hand, then by rule: walkable, explore, objects, lattice. Throws Error for a volume in which nothing is
/// free, and for seeds inside of something. `only`: of these volumes alone, `before` holding the others';
/// empty for all.
void find_candidates(const Level& level, const std::vector<std::uint8_t>& only, PlaceList& list, Job& job);

/// A volume's seeds, or the cameras in it that stand free. Throws Error for seeds inside of something.
std::vector<Vec3> seeds_of(const Level& level, const Volume& volume, const std::string& where,
                           const FreeSpace& space);
/// Ground that a figure reaches in a volume, spread out: places on the ground. By Recast.
std::vector<Vec3> walkable_ground(const Level& level, const Volume& volume, const std::vector<Vec3>& seeds);
/// Free space that is reached from the seeds without passing through anything, spread out.
std::vector<Vec3> explored_space(const Volume& volume, const std::vector<Vec3>& seeds, const FreeSpace& space,
                                 Job& job);
/// Around the bounds of a volume's static things.
std::vector<Vec3> around_objects(const Level& level, const Volume& volume);

/// Picks nodes of a graph so that every one is within `steps` of a picked one: the first `always` of the
/// order, then in its order those that are not within that of one. `beside(node, f)` calls f for each
/// neighbour.
template <class Beside>
std::vector<std::uint32_t> spread_out(std::size_t nodes, const std::vector<std::uint32_t>& order,
                                      std::size_t always, int steps, Beside beside) {
    std::vector<int> near(nodes, -1);  // steps that are left around a picked node
    std::vector<std::uint32_t> picked, front, next;
    for (std::size_t i = 0; i < order.size(); ++i) {
        const std::uint32_t n = order[i];
        if (i >= always && near[n] >= 0) continue;
        picked.push_back(n);
        near[n] = steps;
        front.assign(1, n);
        for (int left = steps - 1; left >= 0 && !front.empty(); --left) {
            next.clear();
            for (const std::uint32_t a : front)
                beside(a, [&](std::uint32_t b) {
                    if (near[b] >= left) return;
                    near[b] = left;
                    next.push_back(b);
                });
            front.swap(next);
        }
    }
    return picked;
}

}  // namespace stasigraph
