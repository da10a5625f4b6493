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

/// A texel is enclosed where so few of its first links are longer than that, and stands in a room where more
/// are as long as one is wide. Metres; share.
constexpr float room_to_look = 0.5f, room_to_stand = 1.5f;
constexpr float enclosed_share = 0.25f;
constexpr std::uint32_t links_looked_at = 64;
/// Texels that are enclosed together lie in a hollow where no more of their links see a room: a slit with one
/// open end is looked into.
constexpr double open_share = 1.0 / 64;

/// Whether at most a quarter of a texel's first links are longer than that.
bool enclosed(const TexelSet& texels, const Links& links, std::uint32_t i, float room) {
    const std::uint32_t count = std::min(links.length(i), links_looked_at);
    std::uint32_t far = 0;
    for (std::uint32_t k = 0; k < count; ++k) {
        const std::uint32_t word = links.row(i)[k];
        if (!meets_texel(word) && word != sky_word) continue;
        far += word == sky_word || length(texels.position[word] - texels.position[i]) > room ? 1 : 0;
    }
    return static_cast<float>(far) <= enclosed_share * static_cast<float>(count);
}

/// Whether a room can look at texels that are enclosed.
bool looked_into(const TexelSet& texels, const Links& links, const std::vector<std::uint32_t>& together) {
    const auto looked_at = [&](std::uint32_t i) { return std::min(links.length(i), links_looked_at); };
    double all = 0, open = 0;
    for (const std::uint32_t i : together) all += looked_at(i);
    for (const std::uint32_t i : together)
        for (std::uint32_t k = 0; k < looked_at(i); ++k) {
            const std::uint32_t word = links.row(i)[k];
            if (word != sky_word && (!meets_texel(word) || enclosed(texels, links, word, room_to_stand)))
                continue;
            open += 1;
            if (open > open_share * all) return true;
        }
    return false;
}

}  // namespace

std::vector<SharedPair> find_shared(const TexelSet& texels, const TexelFlags& wanted, const RayCaster& caster,
                                    Job& job) {
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
                // One invalid texel inside the wall is filled from both sides; two keep them apart.
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

TexelFlags find_hidden(const TexelSet& texels, const TexelFlags& wanted, const Links& links,
                       std::vector<SharedPair>& pairs) {
    TexelFlags seen(texels.size()), hidden(texels.size());
    std::vector<std::pair<std::uint32_t, std::uint32_t>> parted;
    std::vector<std::uint32_t> first;
    for (const SharedPair& p : pairs) {
        parted.push_back(std::minmax(p.a, p.b));
        const bool a = enclosed(texels, links, p.a, room_to_look),
                   b = enclosed(texels, links, p.b, room_to_look);
        if (a != b) first.push_back(a ? p.a : p.b);
    }
    std::sort(parted.begin(), parted.end());
    constexpr int steps[4][2] = {{1, 0}, {-1, 0}, {0, 1}, {0, -1}};
    for (const std::uint32_t start : first) {
        if (seen[start]) continue;
        seen.set(start);
        // And what is enclosed with it, up to the next wall.
        std::vector<std::uint32_t> together{start};
        for (std::size_t next = 0; next < together.size(); ++next) {
            const std::uint32_t i = together[next];
            for (const auto& step : steps) {
                const std::uint32_t n = texels.neighbour(i, step[0], step[1]);
                if (n == none || !wanted[n] || seen[n] || !enclosed(texels, links, n, room_to_look)) continue;
                if (std::binary_search(parted.begin(), parted.end(),
                                       std::pair(std::min(i, n), std::max(i, n))))
                    continue;
                seen.set(n);
                together.push_back(n);
            }
        }
        if (looked_into(texels, links, together)) continue;
        for (const std::uint32_t i : together) hidden.set(i);
    }
    std::erase_if(pairs, [&](const SharedPair& p) { return hidden[p.a] || hidden[p.b]; });
    return hidden;
}

}  // namespace stasigraph
