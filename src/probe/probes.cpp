#include "stasigraph/probes.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

/// Probes with a smaller share of rays that met no back face stand in or behind geometry.
constexpr float least_validity = 0.7f;

/// Octahedral map cell of a direction. Cigolle et al., Survey of Efficient Representations for Independent
/// Unit Vectors, JCGT 3(2), 2014.
int map_cell(Vec3 d) {
    const float s = 1.0f / (std::abs(d.x) + std::abs(d.y) + std::abs(d.z));
    float u = d.x * s, v = d.z * s;
    if (d.y < 0) {
        const float a = (1 - std::abs(v)) * (u < 0 ? -1.0f : 1.0f),
                    b = (1 - std::abs(u)) * (v < 0 ? -1.0f : 1.0f);
        u = a;
        v = b;
    }
    const auto cell = [](float f) {
        return std::clamp(static_cast<int>((f * 0.5f + 0.5f) * probe_map_side), 0, probe_map_side - 1);
    };
    return cell(v) * probe_map_side + cell(u);
}

/// Upper bound of the share of the probe's sight that reaches `distance` (Chebyshev's one-tailed inequality,
/// as in Donnelly and Lauritzen, Variance Shadow Maps, 2006). The least spread keeps flat surfaces from
/// cutting sharply.
float sees(const ProbeNet& net, std::uint32_t probe, Vec3 offset, float spread) {
    const float d = length(offset);
    if (!(d > 0)) return 1;
    const Vec2 m =
        net.distance[static_cast<std::size_t>(probe) * probe_map_side * probe_map_side + map_cell(offset)];
    if (d <= m.x) return 1;
    const float variance = std::max(m.y - m.x * m.x, spread * spread), beyond = d - m.x;
    const float p = variance / (variance + beyond * beyond);
    return p * p * p;
}

ProbeWeights lattice_weights(const ProbeNet& net, const ProbeLattice& l, Vec3 point) {
    ProbeWeights weights;
    const float at[3] = {(point.x - l.low.x) / l.step.x, (point.y - l.low.y) / l.step.y,
                         (point.z - l.low.z) / l.step.z};
    int base[3];
    float t[3];
    for (int a = 0; a < 3; ++a) {
        base[a] = std::clamp(static_cast<int>(std::floor(at[a])), 0, std::max(0, l.count[a] - 2));
        t[a] = l.count[a] > 1 ? std::clamp(at[a] - static_cast<float>(base[a]), 0.0f, 1.0f) : 0.0f;
    }
    const float spread = 0.1f * std::min({l.step.x, l.step.y, l.step.z});
    float total = 0;
    for (int k = 0; k < 8; ++k) {
        float w = 1;
        int cell[3];
        for (int a = 0; a < 3; ++a) {
            const int up = (k >> a) & 1;
            cell[a] = std::min(base[a] + up, l.count[a] - 1);
            w *= up ? t[a] : 1 - t[a];
        }
        const std::uint32_t probe =
            l.first + static_cast<std::uint32_t>((cell[2] * l.count[1] + cell[1]) * l.count[0] + cell[0]);
        if (!(w > 1e-5f) || net.validity[probe] < least_validity) continue;
        w *= std::max(1e-4f, sees(net, probe, point - net.position[probe], spread));
        weights.probe[weights.count] = probe;
        weights.weight[weights.count++] = w;
        total += w;
    }
    for (int k = 0; k < weights.count; ++k) weights.weight[k] /= total;
    return weights;
}

/// The nearest place of a lattice's box, half a step around its outermost probes.
Vec3 nearest_place(const ProbeLattice& l, Vec3 p) {
    const Vec3 half = l.step * 0.505f, high = l.low + Vec3{l.step.x * static_cast<float>(l.count[0] - 1),
                                                           l.step.y * static_cast<float>(l.count[1] - 1),
                                                           l.step.z * static_cast<float>(l.count[2] - 1)};
    return min(max(p, l.low - half), high + half);
}

}  // namespace

std::array<float, 9> sh_basis(Vec3 d) {
    const auto [x, y, z] = d;
    return {0.28209479f,
            0.48860251f * y,
            0.48860251f * z,
            0.48860251f * x,
            1.09254843f * x * y,
            1.09254843f * y * z,
            0.31539157f * (3 * z * z - 1),
            1.09254843f * x * z,
            0.54627422f * (x * x - y * y)};
}

Rgb sh_irradiance(const ShRgb& light, Vec3 normal) {
    const std::array<float, 9> basis = sh_basis(normal);
    Rgb sum;
    for (int i = 0; i < 9; ++i) sum += light[i] * basis[i];
    return {std::max(sum.r, 0.0f), std::max(sum.g, 0.0f), std::max(sum.b, 0.0f)};
}

ProbeWeights probe_weights(const ProbeNet& net, Vec3 point, bool outside) {
    const ProbeLattice* nearest = nullptr;
    float distance = 0;
    for (const ProbeLattice& l : net.lattices) {
        const float d = length(nearest_place(l, point) - point);
        if (d == 0) {
            const ProbeWeights weights = lattice_weights(net, l, point);
            if (weights.count > 0) return weights;
        }
        if (!nearest || d < distance) {
            nearest = &l;
            distance = d;
        }
    }
    return outside && nearest && distance > 0 ? lattice_weights(net, *nearest, nearest_place(*nearest, point))
                                              : ProbeWeights{};
}

Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal) {
    Rgb sum;
    for (int k = 0; k < weights.count; ++k)
        sum += sh_irradiance(light[weights.probe[k]], normal) * weights.weight[k];
    return sum;
}

}  // namespace stasigraph
