#pragma once
// Which texels lie side by side in the world: within charts, over chart borders, and never through a wall.

#include <array>
#include <cstdint>
#include <vector>

#include "chart/texels.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// Rules: (1) edges go both ways. (2) both ends are among the texels asked for, their normals within about 25
/// degrees. (3) a short ray from one to the other, just above the surface, meets nothing.
struct TexelGraph {
    static constexpr int most_beside = 6;  ///< Four in the chart, or others over its border.
    using Beside = std::array<std::uint32_t, most_beside>;
    std::vector<Beside> beside;  ///< For each texel; `none` after the last.
};

/// `wanted`: the texels that take part. Cost: about two rays a texel.
TexelGraph connect_texels(const TexelSet& texels, const TexelFlags& wanted, const RayCaster& caster,
                          Job& job);

/// The texels marked and those within this many steps of one of them.
TexelFlags grown(const TexelGraph& graph, TexelFlags marked, int steps);

/// The texels within some steps of one along the graph, nearest first, itself at the front.
///
/// Threads: one a thread; reused from texel to texel without allocation.
class Neighbourhood {
public:
    static constexpr std::size_t most = 192;

    void collect(const TexelGraph& graph, std::uint32_t texel, int steps);
    std::size_t size() const { return size_; }
    std::uint32_t operator[](std::size_t k) const { return texel_[k]; }
    int step(std::size_t k) const { return step_[k]; }

private:
    bool add(std::uint32_t texel, int step);

    static constexpr std::uint32_t slots = 1024;
    std::array<std::uint32_t, most> texel_{};
    std::array<std::uint8_t, most> step_{};
    std::array<std::uint32_t, slots> key_{}, stamp_{};
    std::uint32_t now_ = 0;
    std::size_t size_ = 0;
};

/// About how far apart the texels of each grid lie, metres.
std::vector<float> grid_spacing(const TexelSet& texels);

}  // namespace stasigraph
