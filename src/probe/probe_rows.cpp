#include "probe/probe_rows.hpp"

#include <algorithm>
#include <cstring>

#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 16;
constexpr double most_probes = 1e6;

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

ProbeNet place_lattices(const std::vector<Volume>& volumes) {
    ProbeNet net;
    double total = 0;
    for (const Volume& v : volumes) {
        ProbeLattice l{.volume = v.name, .low = {}, .step = {}};
        const float size[3] = {v.high.x - v.low.x, v.high.y - v.low.y, v.high.z - v.low.z};
        float step[3];
        double count = 1;
        for (int a = 0; a < 3; ++a) {
            const double n = std::max(
                1.0, std::ceil(static_cast<double>(size[a]) / static_cast<double>(v.spacing) - 1e-4));
            count *= n;
            if (!(count + total <= most_probes))
                throw Error{.what = "volumes ask for more than a million probes",
                            .where = "volume " + v.name,
                            .value = "spacing " + std::to_string(v.spacing),
                            .remedy = "Use a wider spacing or a smaller box."};
            l.count[a] = static_cast<int>(n);
            step[a] = size[a] / static_cast<float>(l.count[a]);
        }
        total += count;
        l.step = {step[0], step[1], step[2]};
        l.low = v.low + l.step * 0.5f;
        l.first = static_cast<std::uint32_t>(net.size());
        for (int z = 0; z < l.count[2]; ++z)
            for (int y = 0; y < l.count[1]; ++y)
                for (int x = 0; x < l.count[0]; ++x)
                    net.position.push_back(l.low + Vec3{step[0] * static_cast<float>(x),
                                                        step[1] * static_cast<float>(y),
                                                        step[2] * static_cast<float>(z)});
        net.lattices.push_back(l);
    }
    return net;
}

RowSource probe_rows(const ProbeNet& net, std::uint32_t seed) {
    RowSource rows;
    for (Vec3 p : net.position) {
        rows.receivers.push_back({.position = p, .normal = {}, .face_normal = {}, .in_air = true});
        std::uint32_t bits[3];
        std::memcpy(bits, &p, sizeof bits);
        rows.seeds.push_back(combine_bits(
            combine_bits(combine_bits(mix_bits(seed + 0x70726f62u), bits[0]), bits[1]), bits[2]));
    }
    return rows;
}

void measure_probes(const RowSource& rows, const Links& links, const std::vector<float>& distances,
                    ProbeNet& net, Job& job) {
    constexpr int cells = probe_map_side * probe_map_side;
    net.validity.assign(net.size(), 0);
    net.clearance.assign(net.size(), 0);
    net.distance.assign(net.size() * cells, {});
    // Distances beyond the reach of interpolation only blur the near ones.
    std::vector<float> reach(net.size(), 0);
    for (const ProbeLattice& l : net.lattices)
        for (int i = 0; i < l.count[0] * l.count[1] * l.count[2]; ++i)
            reach[l.first + i] = 2 * length(l.step);
    std::array<Vec3, cells> directions;
    for (int c = 0; c < cells; ++c) directions[c] = map_direction(c);
    job.parallel(net.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t p = begin; p < end; ++p) {
            const std::uint32_t n = links.length(p);  // the same for all
            float nearest = 1e30f, backs = 0;
            std::array<Vec2, cells> sum{};
            std::array<float, cells> weight{};
            for (std::uint32_t k = 0; k < n; ++k) {
                const float met = distances[p * n + k], far = std::abs(met), d = std::min(far, reach[p]);
                backs += met < 0 ? 1 : 0;
                nearest = std::min(nearest, far);
                const Vec3 w = row_direction(rows, p, k);
                for (int c = 0; c < cells; ++c) {
                    float s = std::max(0.0f, dot(w, directions[c]));
                    s *= s;
                    s *= s;
                    s *= s;
                    s *= s;
                    s *= s;  // to the 32nd: about one cell wide
                    sum[c] = sum[c] + Vec2{d, d * d} * s;
                    weight[c] += s;
                }
            }
            for (int c = 0; c < cells; ++c)
                net.distance[p * cells + c] =
                    weight[c] > 0 ? sum[c] * (1 / weight[c]) : Vec2{reach[p], reach[p] * reach[p]};
            net.validity[p] = 1 - backs / static_cast<float>(std::max(n, 1u));
            net.clearance[p] = std::min(nearest, 1e6f);
        }
    });
}

std::array<float, 9> convolved_basis(Vec3 direction) {
    constexpr float band[9] = {pi,     2 * pi / 3, 2 * pi / 3, 2 * pi / 3, pi / 4,
                               pi / 4, pi / 4,     pi / 4,     pi / 4};
    std::array<float, 9> basis = sh_basis(direction);
    for (int i = 0; i < 9; ++i) basis[i] *= band[i];
    return basis;
}

void add_light(ShRgb& sh, Vec3 direction, Rgb light) {
    const std::array<float, 9> basis = convolved_basis(direction);
    for (int i = 0; i < 9; ++i) sh[i] += light * basis[i];
}

void light_probes(const DirectLight& light, const RowSource& rows, const LightEffort& effort,
                  const SkyWeights& weights, std::uint32_t seed, const std::vector<std::uint8_t>& wanted,
                  std::vector<ShRgb>& out, Job& job) {
    job.parallel(rows.size(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t p = begin; p < end; ++p) {
            if (!wanted[p]) continue;
            out[p] = {};
            light.gather(rows.receivers[p], effort, weights, combine_bits(rows.seeds[p], seed), scratch,
                         [&](Vec3 w, Rgb e) { add_light(out[p], w, e); });
        }
    });
}

}  // namespace stasigraph
