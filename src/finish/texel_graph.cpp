#include "finish/texel_graph.hpp"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr float smooth_cosine = 0.8f;
/// Over a border a texel may be this many spacings away, and that share of the way off the plane.
constexpr float border_reach = 1.6f, border_rise = 0.3f;
/// Height of the rays that look for walls, in spacings: above what is between two texels of a bent surface,
/// below what would count as a step.
constexpr float sight_height = 0.1f;
constexpr int over_border = 2;
constexpr std::size_t graph_texels_per_task = 2048;

struct Connector {
    const TexelSet& texels;
    const TexelFlags& wanted;
    const RayCaster& caster;
    std::vector<float> spacing;

    bool open(std::uint32_t a, std::uint32_t b) const {
        if (dot(texels.normal[a], texels.normal[b]) < smooth_cosine) return false;
        const float up =
            ray_start_offset + sight_height * std::min(spacing[texels.grid[a]], spacing[texels.grid[b]]);
        const Vec3 from = texels.position[a] + texels.face_normal[a] * up,
                   to = texels.position[b] + texels.face_normal[b] * up, way = to - from;
        const float far = length(way);
        return !(far > 1e-6f) || caster.closest({from, way * (1 / far), far}).surface == none;
    }
    bool on_rim(std::uint32_t i) const {
        return texels.neighbour(i, 1, 0) == none || texels.neighbour(i, -1, 0) == none ||
               texels.neighbour(i, 0, 1) == none || texels.neighbour(i, 0, -1) == none;
    }
    /// Whether two texels are close in one chart, where the chart itself tells what is beside what.
    bool close_in_chart(std::uint32_t a, std::uint32_t b) const {
        if (texels.grid[a] != texels.grid[b] || texels.uv_of(a).first_cell != texels.uv_of(b).first_cell)
            return false;
        int ax = 0, ay = 0, bx = 0, by = 0;
        texels.place_in_chart(a, ax, ay);
        texels.place_in_chart(b, bx, by);
        return std::abs(ax - bx) <= 2 && std::abs(ay - by) <= 2;
    }
};

/// Texels by the cell of space they lie in.
class CellIndex {
public:
    CellIndex(const TexelSet& texels, std::vector<std::uint32_t> members, float cell)
        : texels_(texels), per_metre_(1 / cell), members_(std::move(members)) {
        std::vector<std::pair<std::uint64_t, std::uint32_t>> keyed;
        for (const std::uint32_t m : members_) keyed.push_back({key(cell_of(texels_.position[m])), m});
        std::sort(keyed.begin(), keyed.end());
        for (std::size_t k = 0; k < keyed.size(); ++k) {
            members_[k] = keyed[k].second;
            const auto [at, fresh] =
                range_.try_emplace(keyed[k].first, static_cast<std::uint32_t>(k), std::uint32_t{0});
            at->second.second = static_cast<std::uint32_t>(k + 1);
        }
    }
    /// Calls f(texel) for all members within a cell's size of a point, and some others.
    template <class F>
    void around(Vec3 p, F&& f) const {
        const std::array<int, 3> c = cell_of(p);
        for (int z = -1; z <= 1; ++z)
            for (int y = -1; y <= 1; ++y)
                for (int x = -1; x <= 1; ++x) {
                    const auto at = range_.find(key({c[0] + x, c[1] + y, c[2] + z}));
                    if (at == range_.end()) continue;
                    for (std::uint32_t k = at->second.first; k < at->second.second; ++k) f(members_[k]);
                }
    }

private:
    std::array<int, 3> cell_of(Vec3 p) const {
        const auto cell = [&](float v) {
            return static_cast<int>(std::floor(std::clamp(v * per_metre_, -1e6f, 1e6f)));
        };
        return {cell(p.x), cell(p.y), cell(p.z)};
    }
    static std::uint64_t key(std::array<int, 3> c) {
        constexpr std::uint64_t mask = (1u << 21) - 1;
        return (static_cast<std::uint64_t>(c[0]) & mask) | (static_cast<std::uint64_t>(c[1]) & mask) << 21 |
               (static_cast<std::uint64_t>(c[2]) & mask) << 42;
    }

    const TexelSet& texels_;
    float per_metre_;
    std::vector<std::uint32_t> members_;
    std::unordered_map<std::uint64_t, std::pair<std::uint32_t, std::uint32_t>> range_;
};

void link(TexelGraph& graph, std::uint32_t a, std::uint32_t b) {
    const auto put = [&](std::uint32_t at, std::uint32_t other) {
        TexelGraph::Beside& list = graph.beside[at];
        if (std::find(list.begin(), list.end(), other) != list.end()) return true;
        const auto free = std::find(list.begin(), list.end(), none);
        if (free == list.end()) return false;
        *free = other;
        return true;
    };
    const bool room = graph.beside[b].back() == none ||
                      std::find(graph.beside[b].begin(), graph.beside[b].end(), a) != graph.beside[b].end();
    if (room && put(a, b)) put(b, a);
}

}  // namespace

std::vector<float> grid_spacing(const TexelSet& texels) {
    std::vector<float> spacing(texels.grids.size(), 0.0f);
    for (std::size_t i = 0; i < texels.size(); ++i)
        spacing[texels.grid[i]] = std::max(spacing[texels.grid[i]], texels.area[i]);
    for (float& s : spacing) s = std::sqrt(s);
    return spacing;
}

TexelGraph connect_texels(const TexelSet& texels, const TexelFlags& wanted, const RayCaster& caster,
                          Job& job) {
    const Connector c{texels, wanted, caster, grid_spacing(texels)};
    TexelGraph graph;
    TexelGraph::Beside alone;
    alone.fill(none);
    graph.beside.assign(texels.size(), alone);

    // Bits 1 and 2: the texels to the right and below are open. 4: on the rim of its chart.
    std::vector<std::uint8_t> found(texels.size(), 0);
    job.parallel(texels.size(), graph_texels_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin; k < end; ++k) {
            const auto i = static_cast<std::uint32_t>(k);
            if (!wanted[i]) continue;
            const std::uint32_t right = texels.neighbour(i, 1, 0), below = texels.neighbour(i, 0, 1);
            if (right != none && wanted[right] && c.open(i, right)) found[i] |= 1;
            if (below != none && wanted[below] && c.open(i, below)) found[i] |= 2;
            if (c.on_rim(i)) found[i] |= 4;
        }
    });
    std::vector<std::uint32_t> rim;
    float widest = 0;
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        if (found[i] & 1) link(graph, i, texels.neighbour(i, 1, 0));
        if (found[i] & 2) link(graph, i, texels.neighbour(i, 0, 1));
        if (!(found[i] & 4)) continue;
        rim.push_back(i);
        widest = std::max(widest, c.spacing[texels.grid[i]]);
    }
    if (rim.empty() || !(widest > 0)) return graph;

    const CellIndex index(texels, rim, border_reach * widest);
    std::vector<std::array<std::uint32_t, over_border>> beyond(rim.size(), {none, none});
    job.parallel(rim.size(), 256, [&](std::size_t begin, std::size_t end) {
        std::vector<std::pair<float, std::uint32_t>> near;
        for (std::size_t k = begin; k < end; ++k) {
            const std::uint32_t i = rim[k];
            near.clear();
            index.around(texels.position[i], [&](std::uint32_t j) {
                const Vec3 way = texels.position[j] - texels.position[i];
                const float far = length(way);
                const float reach =
                    border_reach * std::max(c.spacing[texels.grid[i]], c.spacing[texels.grid[j]]);
                if (j == i || far > reach || c.close_in_chart(i, j)) return;
                if (std::abs(dot(way, texels.face_normal[i])) > border_rise * far + 1e-4f) return;
                near.push_back({far, j});
            });
            std::sort(near.begin(), near.end());
            int taken = 0;
            for (const auto& [far, j] : near) {
                if (taken == over_border) break;
                if (c.open(i, j)) beyond[k][static_cast<std::size_t>(taken++)] = j;
            }
        }
    });
    for (std::size_t k = 0; k < rim.size(); ++k)
        for (const std::uint32_t j : beyond[k])
            if (j != none) link(graph, rim[k], j);
    return graph;
}

TexelFlags grown(const TexelGraph& graph, TexelFlags marked, int steps) {
    std::vector<std::uint32_t> front, next;
    for (std::uint32_t i = 0; i < marked.size(); ++i)
        if (marked[i]) front.push_back(i);
    for (int s = 0; s < steps && !front.empty(); ++s) {
        next.clear();
        for (const std::uint32_t i : front)
            for (const std::uint32_t n : graph.beside[i]) {
                if (n == none) break;
                if (marked[n]) continue;
                marked.set(n);
                next.push_back(n);
            }
        std::swap(front, next);
    }
    return marked;
}

bool Neighbourhood::add(std::uint32_t texel, int step) {
    std::uint32_t slot = mix_bits(texel) % slots;
    while (stamp_[slot] == now_) {
        if (key_[slot] == texel) return true;
        slot = (slot + 1) % slots;
    }
    if (size_ == most) return false;
    stamp_[slot] = now_;
    key_[slot] = texel;
    texel_[size_] = texel;
    step_[size_++] = static_cast<std::uint8_t>(step);
    return true;
}

void Neighbourhood::collect(const TexelGraph& graph, std::uint32_t texel, int steps) {
    if (++now_ == 0) {
        stamp_.fill(0);
        now_ = 1;
    }
    size_ = 0;
    add(texel, 0);
    for (std::size_t k = 0; k < size_ && step_[k] < steps; ++k)
        for (const std::uint32_t n : graph.beside[texel_[k]]) {
            if (n == none) break;
            if (!add(n, step_[k] + 1)) return;
        }
}

}  // namespace stasigraph
