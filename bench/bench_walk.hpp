#pragma once
#include <vector>

#include "probe/net.hpp"
#include "stasigraph/probes.hpp"

/// Places of something that moves: from probe to probe along edges of the net that both ends see, two
/// centimetres a step. The same in every run.
inline std::vector<stasigraph::Vec3> free_walk(const stasigraph::ProbeNet& net, std::size_t count) {
    using namespace stasigraph;
    const runtime::NetView view = view_of(net);
    std::vector<std::vector<std::uint32_t>> beside(net.size());
    for (const auto& cell : net.vertex)
        for (const std::uint32_t a : cell)
            for (const std::uint32_t b : cell) {
                if (a == b || a >= net.size() || b >= net.size()) continue;
                const Vec3 d = net.position[b] - net.position[a];
                if (runtime::detail::sees(view, a, {d.x, d.y, d.z}) > 0.9f &&
                    runtime::detail::sees(view, b, {-d.x, -d.y, -d.z}) > 0.9f)
                    beside[a].push_back(b);
            }
    std::uint32_t state = 7, at = 0;
    const auto number = [&](std::size_t below) {
        state = state * 1664525u + 1013904223u;
        return (state >> 8) % below;
    };
    std::vector<Vec3> out;
    while (out.size() < count) {
        if (beside[at].empty() || number(40) == 0) {
            at = static_cast<std::uint32_t>(number(net.size()));
            continue;
        }
        const std::uint32_t to = beside[at][number(beside[at].size())];
        const Vec3 way = net.position[to] - net.position[at];
        const float far = length(way);
        for (float s = 0; s < far; s += 0.02f) out.push_back(net.position[at] + way * (s / far));
        at = to;
    }
    return out;
}
