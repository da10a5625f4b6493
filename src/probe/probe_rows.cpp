#include "probe/probe_rows.hpp"

#include <algorithm>
#include <cstring>

#include "runtime/net_lookup.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t probe_rows_per_task = 16;
/// Metres of clearance that are told apart.
constexpr float most_clearance = 1000;
constexpr int mended = 3;  ///< How often means of distances are.

Vec3 map_direction(int cell) {
    float u = (static_cast<float>(cell % probe_map_side) + 0.5f) * 2 / probe_map_side - 1;
    float v = (static_cast<float>(cell / probe_map_side) + 0.5f) * 2 / probe_map_side - 1;
    const float y = 1 - std::abs(u) - std::abs(v);
    if (y < 0) {
        const float a = (1 - std::abs(v)) * (u < 0 ? -1.0f : 1.0f),
                    b = (1 - std::abs(u)) * (v < 0 ? -1.0f : 1.0f);
        u = a;
        v = b;
    }
    return normalize({u, y, v});
}

}  // namespace

RowSource probe_rows(const std::vector<Vec3>& places, std::uint32_t seed) {
    RowSource rows;
    for (Vec3 p : places) {
        rows.receivers.push_back({.position = p, .normal = {}, .face_normal = {}, .in_air = true});
        std::uint32_t bits[3];
        std::memcpy(bits, &p, sizeof bits);
        rows.seeds.push_back(combine_bits(
            combine_bits(combine_bits(mix_bits(seed + 0x70726f62u), bits[0]), bits[1]), bits[2]));
    }
    return rows;
}

void measure_probes(const RayDistances& met, const std::vector<std::uint32_t>& which, ProbeNet& net,
                    Job& job) {
    const auto& [rows, distances, links] = met;
    constexpr int cells = probe_map_side * probe_map_side;
    net.front_share.assign(net.size(), 0);
    net.nearness.assign(net.size() * cells, {});
    std::array<Vec3, cells> directions;
    for (int c = 0; c < cells; ++c) directions[c] = map_direction(c);
    job.parallel(net.size(), probe_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<runtime::detail::MapCells> between(links);
        for (std::size_t p = begin; p < end; ++p) {
            const std::size_t row = which.empty() ? p : which[p];
            const float reach = net.reach[p];
            const auto nearness = [&](float far) {
                return 1 / std::clamp(std::abs(far), runtime::nearest_seen, reach);
            };
            float backs = 0, most = 1 / reach;
            std::array<float, cells> mean{}, weight{};
            std::array<Vec3, direction_batch> ways;
            for (std::uint32_t k = 0; k < links; ++k) {
                if (k % direction_batch == 0)
                    row_directions(rows, row, k, std::min(direction_batch, links - k), ways);
                const float far = distances[row * links + k], d = nearness(far);
                backs += far < 0 ? 1.0f : 0.0f;
                most = std::max(most, d);
                const Vec3 w = ways[k % direction_batch];
                between[k] = runtime::detail::map_cells(probe_map_side, {w.x, w.y, w.z});
                for (int c = 0; c < cells; ++c) {
                    float s = std::max(0.0f, dot(w, directions[c]));
                    s *= s;
                    s *= s;
                    s *= s;
                    s *= s;
                    s *= s;
                    s *= s;  // to the 128th: about one cell wide
                    mean[c] += d * s;
                    weight[c] += s;
                }
            }
            std::array<runtime::Nearness, cells> map;
            for (std::size_t c = 0; c < cells; ++c)
                map[c].mean = weight[c] > 0 ? mean[c] / weight[c] : 1 / reach;
            // A cell takes in what lies around it: means are mended until what a lookup blends of them fits.
            // The spread is about that.
            for (int round = 0; round <= mended; ++round) {
                std::array<float, cells> off{}, spread{}, shares{};
                for (std::uint32_t k = 0; k < links; ++k) {
                    const runtime::detail::MapCells& at = between[k];
                    float apart = nearness(distances[row * links + k]);
                    for (int n = 0; n < 4; ++n)
                        apart -= at.share[n] * map[static_cast<std::size_t>(at.cell[n])].mean;
                    for (int n = 0; n < 4; ++n) {
                        const auto c = static_cast<std::size_t>(at.cell[n]);
                        off[c] += apart * at.share[n];
                        spread[c] += apart * apart * at.share[n];
                        shares[c] += at.share[n];
                    }
                }
                for (std::size_t c = 0; c < cells; ++c) {
                    if (!(shares[c] > 0)) continue;
                    if (round < mended)
                        map[c].mean = std::clamp(map[c].mean + off[c] / shares[c], 1 / reach, most);
                    else
                        map[c].spread = std::sqrt(spread[c] / shares[c]);
                }
            }
            for (std::size_t c = 0; c < cells; ++c) {
                runtime::NearnessCode code = runtime::to_code(map[c]);
                // Rounding must not bring anything nearer than the nearest thing is: up to its clearance a
                // probe sees all.
                while (runtime::nearness_of(code).mean > most && code.mean < 255) ++code.mean;
                net.nearness[p * cells + c] = {code.mean, code.spread};
            }
            net.front_share[p] = 1 - backs / static_cast<float>(std::max(links, 1u));
        }
    });
}

void measure_clearance(const RayCaster& caster, ProbeNet& net, Job& job) {
    net.clearance.assign(net.size(), most_clearance);
    job.parallel(net.size(), probe_rows_per_task, [&](std::size_t begin, std::size_t end) {
        Vec3 where;
        for (std::size_t p = begin; p < end; ++p)
            if (caster.nearest(net.position[p], most_clearance, where))
                net.clearance[p] = length(where - net.position[p]);
    });
}

std::array<float, 9> response(LightBasis kept_by, Vec3 direction) {
    if (kept_by == LightBasis::sides) {
        std::array<float, 9> cosines{};
        for (std::size_t n = 0; n < side_normals.size(); ++n)
            cosines[n] = std::max(0.0f, dot(direction, side_normals[n]));
        return cosines;
    }
    constexpr float band[9] = {pi,     2 * pi / 3, 2 * pi / 3, 2 * pi / 3, pi / 4,
                               pi / 4, pi / 4,     pi / 4,     pi / 4};
    std::array<float, 9> basis = sh_basis(direction);
    for (int i = 0; i < 9; ++i) basis[i] *= band[i];
    return basis;
}

void add_light(ShRgb& to, Vec3 direction, Rgb light, LightBasis basis) {
    const std::array<float, 9> share = response(basis, direction);
    for (int i = 0; i < 9; ++i) to[i] += light * share[i];
}

void light_probes(const ProbePass& pass, std::vector<ShRgb>& out, Job& job) {
    job.parallel(pass.rows.size(), probe_rows_per_task, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t p = begin; p < end; ++p) {
            if (!pass.wanted[p]) continue;
            out[p] = {};
            pass.light.gather(pass.rows.receivers[p],
                              {pass.effort, pass.weights, combine_bits(pass.rows.seeds[p], pass.seed)},
                              scratch, [&](Vec3 w, Rgb e) { add_light(out[p], w, e, pass.basis); });
        }
    });
}

}  // namespace stasigraph
