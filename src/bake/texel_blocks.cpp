#include "bake/texel_blocks.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "finish/texel_graph.hpp"

namespace stasigraph {

namespace {

/// Facings are told apart by squares of a cube's face; an odd number, so that walls that stand upright have
/// the middle of one.
constexpr int facings = 5;
/// Surfaces lie on whole metres, and levels around their origin: cells do not end there.
constexpr float off = 0.37f;
constexpr float region_side = 128;  ///< Texels, or up to twice as many.

int facing_of(Vec3 n) {
    const float size[3] = {std::abs(n.x), std::abs(n.y), std::abs(n.z)}, own[3] = {n.x, n.y, n.z};
    const int axis = size[0] >= size[1] && size[0] >= size[2] ? 0 : size[1] >= size[2] ? 1 : 2;
    const auto square = [&](int k) {
        const float at = own[(axis + k) % 3] / std::max(size[axis], 1e-6f);
        return std::clamp(static_cast<int>((at + 1) * 0.5f * facings), 0, facings - 1);
    };
    return ((axis * 2 + (own[axis] < 0 ? 1 : 0)) * facings + square(1)) * facings + square(2);
}

/// The cell of a tile's region.
InBlock::Key region_of(const InBlock::Key& tile) {
    const auto& [spacing, facing, x, y, z] = tile;
    const float side = std::exp2(std::ceil(std::log2(region_side * spacing))),
                tile_side = tile_blocks * block_side * spacing;
    const auto cell = [&](int at) {
        constexpr float far = 1e9f;
        return static_cast<int>(
            std::clamp(std::floor((static_cast<float>(at) + 0.5f) * tile_side / side + off), -far, far));
    };
    return {side, 0, cell(x), cell(y), cell(z)};
}

}  // namespace

TexelBlocks in_blocks(const TexelSet& texels, const TexelStates& states) {
    const std::vector<float> spacing = grid_spacing(texels);
    std::vector<InBlock> all;
    all.reserve(texels.size());
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        if (!is_valid(states[i])) continue;
        int x = 0, y = 0;
        texels.place_in_chart(i, x, y);
        const float apart = spacing[texels.grid[i]], side = block_side * apart;
        const int facing = facing_of(texels.normal[i]);
        const auto cell = [&](float at) {
            constexpr float far = 1e9f;  // what is beyond shares a cell
            return static_cast<int>(std::clamp(std::floor(at / side + off), -far, far));
        };
        const auto tile = [&](float at) {
            return static_cast<int>(std::floor(static_cast<float>(cell(at)) / tile_blocks));
        };
        const Vec3 p = texels.position[i];
        all.push_back({{apart, facing, tile(p.x), tile(p.y), tile(p.z)},
                       {apart, facing, cell(p.x), cell(p.y), cell(p.z)},
                       i,
                       static_cast<std::uint8_t>((x + y) % 2)});
    }
    std::sort(all.begin(), all.end(), [](const InBlock& a, const InBlock& b) {
        return std::tie(a.tile, a.block, a.texel) < std::tie(b.tile, b.block, b.texel);
    });
    TexelBlocks out;
    for (std::size_t k = 0; k < all.size();) {
        Stretch block{k, k};
        while (block.end < all.size() && all[block.end].block == all[k].block) ++block.end;
        if (k == 0 || all[k].tile != all[k - 1].tile) out.tiles.emplace_back();
        out.tiles.back().blocks.push_back(block);
        k = block.end;
    }
    std::map<InBlock::Key, std::vector<std::uint32_t>> by_region;
    for (std::uint32_t t = 0; t < out.tiles.size(); ++t)
        by_region[region_of(all[out.tiles[t].whole().begin].tile)].push_back(t);
    for (auto& [key, some] : by_region) {
        for (std::uint32_t k = 0; k < some.size(); ++k) {
            out.tiles[some[k]].region = static_cast<std::uint32_t>(out.regions.size());
            out.tiles[some[k]].number = k;
        }
        out.regions.push_back(std::move(some));
    }
    out.texels = std::move(all);
    return out;
}

}  // namespace stasigraph
