#include "stasigraph/probes.hpp"

#include <algorithm>

#include "probe/lamps.hpp"
#include "probe/net.hpp"
#include "runtime/lamp_sum.hpp"

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
                                                           corrected && !net.nearness.empty());
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

namespace {

/// Cut at zero when all of it is there: light of a mix of probes changes evenly between them, and what their
/// coefficients lack without openings is in those.
Rgb not_negative(Rgb sum) {
    return {std::max(sum.r, 0.0f), std::max(sum.g, 0.0f), std::max(sum.b, 0.0f)};
}

Rgb sum_at(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal) {
    const std::array<float, 9> basis = sh_basis(normal);
    Rgb sum;
    for (int k = 0; k < weights.count; ++k) {
        const ShRgb& sh = light[weights.probe[k]];
        for (int i = 0; i < 9; ++i) sum += sh[i] * (basis[i] * weights.weight[k]);
    }
    return sum;
}

void gather(const ProbeWeights& weights, const ProbeLamps& lamps, runtime::LampSum& seen) {
    const runtime::LampEntries entries{lamps.first.data(), lamps.entry.data()};
    const float* colors = &lamps.color[0].r;
    for (int k = 0; k < weights.count; ++k)
        seen.add_probe(entries, weights.probe[static_cast<std::size_t>(k)],
                       weights.weight[static_cast<std::size_t>(k)], colors);
    constexpr float whole[3] = {1, 1, 1};
    seen.add_color(colors, whole);
    seen.look(view_of(lamps));
}

}  // namespace

int lamps_at(const ProbeWeights& weights, const ProbeLamps& lamps, Vec3 point,
             std::array<SeenLamp, most_seen_lamps>& out) {
    if (lamps.rest.empty() || lamps.entry.empty()) return 0;
    runtime::LampSum seen;
    gather(weights, lamps, seen);
    const runtime::LampView view = view_of(lamps);
    const runtime::Point at{point.x, point.y, point.z};
    std::array<runtime::LampLight, most_seen_lamps> found;
    float unused[27] = {};
    const int count = seen.strongest(view, at, found.data(), most_seen_lamps, unused);
    for (int i = 0; i < count; ++i) {
        const runtime::LampLight& l = found[static_cast<std::size_t>(i)];
        out[static_cast<std::size_t>(i)] = {{l.toward[0], l.toward[1], l.toward[2]},
                                            {l.lux[0], l.lux[1], l.lux[2]},
                                            runtime::lamp_way(view, view.lamp[l.lamp], at).sine};
    }
    return count;
}

Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, Vec3 normal) {
    return not_negative(sum_at(weights, light, normal));
}

Rgb probe_irradiance(const ProbeWeights& weights, const ProbeLight& light, const ProbeLamps& lamps,
                     Vec3 point, Vec3 normal) {
    if (lamps.rest.empty()) return probe_irradiance(weights, light, normal);
    Rgb sum = sum_at(weights, lamps.rest, normal);
    if (!lamps.entry.empty()) {
        runtime::LampSum seen;
        gather(weights, lamps, seen);
        seen.light(view_of(lamps), {point.x, point.y, point.z}, {normal.x, normal.y, normal.z}, &sum.r);
    }
    return not_negative(sum);
}

}  // namespace stasigraph
