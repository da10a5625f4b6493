#include "results/partial_pages.hpp"

#include <utility>

#include "chart/page_texels.hpp"
#include "codec/images.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

/// The surface whose light each texel of a page holds: by what its charts touch, then outward over the
/// margin, ring by ring, half of it from either side.
std::vector<std::uint32_t> texel_owners(const Atlas& atlas, std::uint32_t page) {
    const int side = atlas.pages[page];
    std::vector<std::uint32_t> owner(static_cast<std::size_t>(side) * static_cast<std::size_t>(side), none);
    std::vector<std::pair<int, int>> ring, next;
    const auto take = [&](int x, int y, std::uint32_t surface, std::vector<std::pair<int, int>>& into) {
        if (x < 0 || y < 0 || x >= side || y >= side) return;
        std::uint32_t& o =
            owner[static_cast<std::size_t>(y) * static_cast<std::size_t>(side) + static_cast<std::size_t>(x)];
        if (o != none) return;
        o = surface;
        into.push_back({x, y});
    };
    for_page_texels(atlas, page, [&](std::uint32_t s, std::size_t, int x, int y) {
        take(x + atlas.surfaces[s].x, y + atlas.surfaces[s].y, s, ring);
    });
    for (int step = 0; step < atlas.margin; ++step) {
        next.clear();
        for (const auto& [x, y] : ring) {
            const std::uint32_t s = owner[static_cast<std::size_t>(y) * static_cast<std::size_t>(side) +
                                          static_cast<std::size_t>(x)];
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx) take(x + dx, y + dy, s, next);
        }
        ring.swap(next);
    }
    return owner;
}

}  // namespace

void keep_other_texels(const Atlas& atlas, const std::vector<std::uint8_t>& chosen, const ResultFiles& result,
                       const ManifestSet& old, BakedSet& set) {
    for (std::uint32_t p = 0; p < set.pages.size(); ++p) {
        const std::vector<std::uint32_t> owner = texel_owners(atlas, p);
        PageImage& page = set.pages[p];
        const std::string& file = old.lightmaps[p].file;
        const std::vector<Rgb> before =
            read_scaled_exr(result.read(file), result.place(file).string(), page.side);
        for (std::size_t i = 0; i < owner.size(); ++i)
            if (owner[i] == none || !chosen[owner[i]]) page.texels[i] = before[i];
        if (p >= set.directional.size()) continue;
        DirectionalPage& gradients = set.directional[p];
        if (p >= old.directional.size())
            throw Error{.what = "was baked without directional pages",
                        .where = set.name,
                        .value = "",
                        .remedy = "Bake everything once."};
        const std::string& layers = old.directional[p].file;
        const LayeredImage gradients_before = read_layered_exr(
            result.read(layers), result.place(layers).string(), gradients.side, directional_layers);
        for (std::size_t i = 0; i < owner.size(); ++i)
            for (std::size_t c = 0; c < 3 && (owner[i] == none || !chosen[owner[i]]); ++c)
                gradients.texels[i][c] = gradients_before.values[3 * i + c];
    }
}

}  // namespace stasigraph
