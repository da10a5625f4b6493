#pragma once
// A hierarchy over all sources of a light group, so that a thousand lamps cost a little more than a few.
// After Conty Estevez and Kulla, Importance Sampling of Many Lights with Adaptive Tree Splitting, 2018.

#include <cstdint>
#include <vector>

#include "light/source.hpp"
#include "trace/box.hpp"

namespace stasigraph {

/// What a leaf of the tree knows of its source.
struct SourceBounds {
    Vec3 low, high;
    Vec3 axis{0, 0, 1};   ///< Of the directions it sends light to.
    float cone = pi;      ///< Half angle of its normals around the axis.
    float emit = pi / 2;  ///< Beyond the cone it sends nothing further than this off a normal.
    float power = 0;      ///< Intensity at its strongest, candela.
    float range = 0;      ///< Metres; 0 is unlimited.
    bool uneven = false;  ///< It may send far less than its power to where it sends light at all.
};

/// How hard to look.
struct LightEffort {
    int samples = 16;     ///< Shadow rays for a source that fills the view.
    int cut = 24;         ///< Parts into which the sources are told apart, at most.
    float error = 0.04f;  ///< Parts are split until what is left to chance is under this share of the light.
    bool spread = false;  ///< Rays start all over a texel: sources without a size get several, too.
    float faint = 0.25f;  ///< Share that is looked at of the weaker parts where the strongest are hidden.
};

/// Threads: const members are safe from any number of threads, each with its own Cut.
/// Cost: construction O(n log n) in sources; 80 bytes a source.
class LightTree {
public:
    explicit LightTree(std::vector<SourceBounds> sources);

    bool empty() const { return nodes_.empty(); }

    /// One part of the tree as a receiver tells it apart.
    struct Part {
        std::uint32_t node = 0;
        float weight = 0;  ///< Estimate of the light it sends to the receiver.
        float error = 0;   ///< How uncertain one sample of it would leave that.
    };
    struct Cut {
        std::vector<Part> parts, open;  ///< open: a heap while the cut is made, empty after.
        float total = 0;                ///< Sum of their weights; 0: nothing reaches the receiver.
    };
    /// Parts that cannot light the receiver (out of range, behind it, facing away) are left out: they cost no
    /// ray. Sources that can light it lie in exactly one part each.
    void cut(const Receiver& receiver, const LightEffort& effort, Cut& cut) const;

    /// Whether light that a source sends to a place within `reach` of the receiver may pass through the box.
    /// `size`: metres by which sources reach beyond their bounds.
    bool passes(const Receiver& receiver, float reach, float size, const Box& box) const;

    bool is_leaf(std::uint32_t node) const { return nodes_[node].second == none; }
    std::uint32_t source(std::uint32_t leaf) const { return nodes_[leaf].first; }
    /// A source of the part, chosen by how much it seems to send; `chance` receives the likelihood. None when
    /// no source below can light the receiver.
    std::uint32_t choose(std::uint32_t node, const Receiver& receiver, float random, float& chance) const;

private:
    struct Node {
        Vec3 low, high, axis;
        float cos_cone = -1, sin_cone = 0, cos_emit = 0;
        float power = 0, range = 0;
        bool uneven = false;
        std::uint32_t first = 0, second = none;  ///< Children; of a leaf, its source and none.
    };
    float weight(const Node& node, const Receiver& receiver) const;
    Part part(std::uint32_t node, const Receiver& receiver) const;
    std::uint32_t build(std::vector<SourceBounds>& sources, std::vector<std::uint32_t>& order,
                        std::size_t begin, std::size_t end);

    std::vector<Node> nodes_;
};

}  // namespace stasigraph
