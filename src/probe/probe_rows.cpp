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

namespace {

constexpr int map_cell_count = probe_map_side * probe_map_side;

/// Maps of nearness from what rays met. One for each thread's piece of work.
class NearnessMaps {
public:
    explicit NearnessMaps(const RayDistances& met) : met_(met), between_(met.links) {
        for (int c = 0; c < map_cell_count; ++c) directions_[static_cast<std::size_t>(c)] = map_direction(c);
    }

    void measure(std::size_t row, std::size_t probe, ProbeNet& net) {
        reach_ = net.reach[probe];
        most_ = 1 / reach_;
        const float backs = look(row);
        // A cell takes in what lies around it: means are mended until what a lookup blends of them fits. The
        // spread is about that.
        for (int round = 0; round <= mended; ++round) mend(row, round == mended);
        for (std::size_t c = 0; c < map_cell_count; ++c) {
            runtime::NearnessCode code = runtime::to_code(map_[c]);
            // Rounding must not bring anything nearer than the nearest thing is: up to its clearance a probe
            // sees all.
            while (runtime::nearness_of(code).mean > most_ && code.mean < 255) ++code.mean;
            net.nearness[probe * map_cell_count + c] = {code.mean, code.spread};
        }
        net.front_share[probe] = 1 - backs / static_cast<float>(std::max(met_.links, 1u));
    }

private:
    float metres(std::size_t row, std::uint32_t k) const { return met_.metres[row * met_.links + k]; }
    float nearness(float far) const { return 1 / std::clamp(std::abs(far), runtime::nearest_seen, reach_); }

    /// Means of what lies in each cell's direction; how many rays met backs.
    float look(std::size_t row) {
        float backs = 0;
        std::array<float, map_cell_count> mean{}, weight{};
        std::array<Vec3, direction_batch> ways;
        for (std::uint32_t k = 0; k < met_.links; ++k) {
            if (k % direction_batch == 0)
                row_directions(met_.rows, row, k, std::min(direction_batch, met_.links - k), ways);
            const float far = metres(row, k), d = nearness(far);
            backs += far < 0 ? 1.0f : 0.0f;
            most_ = std::max(most_, d);
            const Vec3 w = ways[k % direction_batch];
            between_[k] = runtime::detail::map_cells(probe_map_side, {w.x, w.y, w.z});
            for (std::size_t c = 0; c < map_cell_count; ++c) {
                float s = std::max(0.0f, dot(w, directions_[c]));
                for (int twice = 0; twice < 6; ++twice) s *= s;  // to the 64th: about one cell wide
                mean[c] += d * s;
                weight[c] += s;
            }
        }
        for (std::size_t c = 0; c < map_cell_count; ++c)
            map_[c] = {weight[c] > 0 ? mean[c] / weight[c] : 1 / reach_, 0};
        return backs;
    }

    /// Moves means by what lookups are off, or tells how far they still scatter.
    void mend(std::size_t row, bool last) {
        std::array<float, map_cell_count> off{}, spread{}, shares{};
        for (std::uint32_t k = 0; k < met_.links; ++k) {
            const runtime::detail::MapCells& at = between_[k];
            float apart = nearness(metres(row, k));
            for (int n = 0; n < 4; ++n)
                apart -= at.share[n] * map_[static_cast<std::size_t>(at.cell[n])].mean;
            for (int n = 0; n < 4; ++n) {
                const auto c = static_cast<std::size_t>(at.cell[n]);
                off[c] += apart * at.share[n];
                spread[c] += apart * apart * at.share[n];
                shares[c] += at.share[n];
            }
        }
        for (std::size_t c = 0; c < map_cell_count; ++c) {
            if (!(shares[c] > 0)) continue;
            if (last)
                map_[c].spread = std::sqrt(spread[c] / shares[c]);
            else
                map_[c].mean = std::clamp(map_[c].mean + off[c] / shares[c], 1 / reach_, most_);
        }
    }

    const RayDistances& met_;
    std::array<Vec3, map_cell_count> directions_;
    std::vector<runtime::detail::MapCells> between_;  ///< Of each ray.
    std::array<runtime::Nearness, map_cell_count> map_;
    float reach_ = 1, most_ = 1;
};

}  // namespace

void measure_probes(const RayDistances& met, const std::vector<std::uint32_t>& which, ProbeNet& net,
                    Job& job) {
    net.front_share.assign(net.size(), 0);
    net.nearness.assign(net.size() * map_cell_count, {});
    job.parallel(net.size(), probe_rows_per_task, [&](std::size_t begin, std::size_t end) {
        NearnessMaps maps(met);
        for (std::size_t p = begin; p < end; ++p) maps.measure(which.empty() ? p : which[p], p, net);
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
