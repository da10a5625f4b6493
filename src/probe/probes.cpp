#include "stasigraph/probes.hpp"

#include <algorithm>

#include "probe/net.hpp"

namespace stasigraph {

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

ProbeWeights probe_weights(const ProbeNet& net, Vec3 point, std::uint32_t& hint, bool corrected) {
    const runtime::NetWeights found = runtime::net_weights(view_of(net), {point.x, point.y, point.z}, hint,
                                                           corrected && !net.distance.empty());
    ProbeWeights out;
    out.count = found.count;
    out.beyond = found.beyond;
    std::copy(found.probe, found.probe + found.count, out.probe.begin());
    std::copy(found.weight, found.weight + found.count, out.weight.begin());
    return out;
}

ProbeWeights probe_weights(const ProbeNet& net, Vec3 point) {
    std::uint32_t hint = none;
    return probe_weights(net, point, hint);
}

Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal) {
    // Summed before it is cut at zero: light of a mix of probes changes evenly between them.
    const std::array<float, 9> basis = sh_basis(normal);
    Rgb sum;
    for (int k = 0; k < weights.count; ++k) {
        const ShRgb& sh = light[weights.probe[k]];
        for (int i = 0; i < 9; ++i) sum += sh[i] * (basis[i] * weights.weight[k]);
    }
    return {std::max(sum.r, 0.0f), std::max(sum.g, 0.0f), std::max(sum.b, 0.0f)};
}

}  // namespace stasigraph
