#include "bake/shared_texels.hpp"

#include <algorithm>
#include <cmath>

#include "trace/walls.hpp"

namespace stasigraph {

namespace {

/// Above the surface by this share of the way, the ray between two texels looks for walls.
constexpr float look_rise = 0.05f;

/// Where a wall stands between two texels: its thickness; below 0 where there is none.
float wall_of_texels(const TexelSet& texels, const RayCaster& caster, std::uint32_t a, std::uint32_t b) {
    const float far = length(texels.position[b] - texels.position[a]),
                up = ray_start_offset + look_rise * far;
    return wall_between(caster, texels.position[a] + texels.face_normal[a] * up,
                        texels.position[b] + texels.face_normal[b] * up);
}

/// A texel is enclosed where so few of its first links are longer than that.
constexpr float room_to_look = 0.5f;  ///< Metres.
constexpr float enclosed_share = 0.25f;
constexpr std::uint32_t links_looked_at = 64;

bool enclosed(const TexelSet& texels, const Links& links, std::uint32_t i) {
    const std::uint32_t count = std::min(links.length(i), links_looked_at);
    std::uint32_t far = 0;
    for (std::uint32_t k = 0; k < count; ++k) {
        const std::uint32_t word = links.row(i)[k];
        if (!meets_texel(word) && word != sky_word) continue;
        far += word == sky_word || length(texels.position[word] - texels.position[i]) > room_to_look ? 1 : 0;
    }
    return static_cast<float>(far) <= enclosed_share * static_cast<float>(count);
}

}  // namespace

std::vector<SharedPair> find_shared(const TexelSet& texels, const std::vector<std::uint8_t>& wanted,
                                    const RayCaster& caster, Job& job) {
    constexpr std::size_t each = 2048;
    std::vector<std::vector<SharedPair>> found((texels.size() + each - 1) / each);
    job.parallel(texels.size(), each, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin; k < end; ++k) {
            const auto i = static_cast<std::uint32_t>(k);
            if (!wanted[i]) continue;
            // Over corners as well: a texel's corner may lie where none of its sides does.
            constexpr int ways[4][2] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}};
            for (const auto& [dx, dy] : ways) {
                std::uint32_t n = texels.neighbour(i, dx, dy);
                // One buried texel inside the wall is filled from both sides; two keep them apart.
                if (n != none && !wanted[n]) n = texels.neighbour(i, 2 * dx, 2 * dy);
                if (n == none || !wanted[n] || !in_one_plane(texels, i, n)) continue;
                const float wall = wall_of_texels(texels, caster, i, n);
                if (wall >= 0) found[begin / each].push_back({i, n, wall});
            }
        }
    });
    std::vector<SharedPair> all;
    for (const auto& f : found) all.insert(all.end(), f.begin(), f.end());
    return all;
}

std::vector<std::uint8_t> find_hidden(const TexelSet& texels, const std::vector<std::uint8_t>& wanted,
                                      const Links& links, std::vector<SharedPair>& pairs) {
    std::vector<std::uint8_t> hidden(texels.size(), 0);
    std::vector<std::uint32_t> todo;
    const auto hide = [&](std::uint32_t i) {
        hidden[i] = 1;
        todo.push_back(i);
    };
    std::vector<std::pair<std::uint32_t, std::uint32_t>> parted;
    for (const SharedPair& p : pairs) {
        parted.push_back(std::minmax(p.a, p.b));
        const bool a = enclosed(texels, links, p.a), b = enclosed(texels, links, p.b);
        if (a != b && !hidden[a ? p.a : p.b]) hide(a ? p.a : p.b);
    }
    std::sort(parted.begin(), parted.end());
    // And what is enclosed with them, up to the next wall.
    constexpr int steps[4][2] = {{1, 0}, {-1, 0}, {0, 1}, {0, -1}};
    while (!todo.empty()) {
        const std::uint32_t i = todo.back();
        todo.pop_back();
        for (const auto& step : steps) {
            const std::uint32_t n = texels.neighbour(i, step[0], step[1]);
            if (n == none || !wanted[n] || hidden[n] || !enclosed(texels, links, n)) continue;
            if (!std::binary_search(parted.begin(), parted.end(), std::pair(std::min(i, n), std::max(i, n))))
                hide(n);
        }
    }
    std::erase_if(pairs, [&](const SharedPair& p) { return hidden[p.a] || hidden[p.b]; });
    return hidden;
}

}  // namespace stasigraph
