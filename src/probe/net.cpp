#include "probe/net.hpp"

#include <algorithm>
#include <cmath>

#include "probe/delaunay.hpp"

namespace stasigraph {

namespace {

constexpr float least_reach = 0.5f, lone_reach = 4;  ///< Metres.
/// Times the mean edge from a probe, its reach. Longer: what is far blurs what is near. Shorter: probes
/// across a wide cell do not know what stands in between.
constexpr float reach_of_edges = 1.5f;

/// What places span, by exact arithmetic on their lattice.
struct Span {
    int dimension = 0;
    std::array<std::uint32_t, 4> corner{};  ///< Places that span it.
};
Span span_of(const std::vector<LatticePoint>& p) {
    Span out;
    const auto n = static_cast<std::uint32_t>(p.size());
    if (n < 2) return out;
    // Distinct points: any second one makes a line.
    out.dimension = 1;
    out.corner[1] = 1;
    for (std::uint32_t i = 2; i < n; ++i) {
        if (out.dimension == 1 && !in_line(p[0], p[1], p[i])) {
            out.dimension = 2;
            out.corner[2] = i;
        } else if (out.dimension == 2 && side_of_plane(p[0], p[1], p[out.corner[2]], p[i]) != 0) {
            out.dimension = 3;
            out.corner[3] = i;
            break;
        }
    }
    return out;
}

/// Gives a flat net the points beside it that make it span space.
void add_auxiliary(const Span& span, ProbeNet& net) {
    Vec3 low = net.position[0], high = low;
    for (const Vec3 p : net.position) {
        low = min(low, p);
        high = max(high, p);
    }
    const float far = std::max(1.0f, length(high - low));
    net.base = net.position[0];
    Vec3 normal{0, 1, 0};
    if (span.dimension >= 1) net.axis[0] = normalize(net.position[span.corner[1]] - net.base);
    if (span.dimension == 2) {
        const Vec3 other = net.position[span.corner[2]] - net.base;
        net.axis[1] = normalize(other - net.axis[0] * dot(other, net.axis[0]));
        normal = cross(net.axis[0], net.axis[1]);
    }
    const Frame frame(span.dimension == 2 ? normal : span.dimension == 1 ? net.axis[0] : normal);
    const Vec3 middle = (low + high) * 0.5f;
    if (span.dimension == 2)
        net.auxiliary = {middle + frame.normal * far};
    else if (span.dimension == 1)
        net.auxiliary = {middle + frame.tangent * far, middle + frame.bitangent * far};
    else
        net.auxiliary = {net.base + frame.tangent, net.base + frame.bitangent, net.base + frame.normal};
    for (Vec3& p : net.auxiliary) p = snapped(p);
}

void find_reach(ProbeNet& net) {
    std::vector<float> sum(net.size(), 0), count(net.size(), 0);
    for (const auto& v : net.vertex)
        for (int a = 0; a < 4; ++a)
            for (int b = 0; b < 4; ++b) {
                if (a == b || v[a] >= net.size() || v[b] >= net.size()) continue;
                sum[v[a]] += length(net.position[v[a]] - net.position[v[b]]);
                count[v[a]] += 1;
            }
    for (std::size_t p = 0; p < net.size(); ++p)
        net.reach[p] = count[p] > 0 ? std::max(least_reach, reach_of_edges * sum[p] / count[p]) : lone_reach;
}

}  // namespace

Vec3 snapped(Vec3 p) {
    const auto snap = [](float v) { return std::round(v * 4096.0f) / 4096.0f; };
    return {snap(p.x), snap(p.y), snap(p.z)};
}

ProbeNet connect_probes(const std::vector<ProbePlace>& places, const std::vector<std::string>& volumes) {
    ProbeNet net;
    net.volumes = volumes;
    for (const ProbePlace& p : places) {
        net.position.push_back(p.position);
        net.rule.push_back(p.rule);
        net.volume.push_back(p.volume);
    }
    net.front_share.assign(net.size(), 1.0f);
    net.reach.assign(net.size(), lone_reach);
    if (places.empty()) return net;
    const auto on_lattice = [](const std::vector<Vec3>& points) {
        const PlaceLattice lattice = lattice_of(points);
        std::vector<LatticePoint> out;
        for (const Vec3 p : points) out.push_back(lattice.at(p));
        return out;
    };
    std::vector<LatticePoint> points = on_lattice(net.position);
    const Span span = span_of(points);
    net.dimension = span.dimension;
    if (span.dimension < 3) {
        add_auxiliary(span, net);
        std::vector<Vec3> all = net.position;
        all.insert(all.end(), net.auxiliary.begin(), net.auxiliary.end());
        points = on_lattice(all);
    }
    Tetrahedra made = delaunay(points);
    net.vertex = std::move(made.vertex);
    net.adjacent = std::move(made.adjacent);
    find_reach(net);
    complete_net(net);
    return net;
}

void complete_net(ProbeNet& net) {
    net.points = net.position;
    net.points.insert(net.points.end(), net.auxiliary.begin(), net.auxiliary.end());
    net.inverse.assign(net.vertex.size(), {});
    const runtime::NetView view = view_of(net);
    for (std::uint32_t c = 0; c < net.vertex.size(); ++c)
        runtime::invert_cell(view, c, net.inverse[c].data());
    net.neighbour_first.assign(net.size() + 1, 0);
    net.neighbour.assign(16 * net.vertex.size(), 0);
    runtime::NetView listed = view_of(net);
    runtime::list_neighbours(listed, net.neighbour_first.data(), net.neighbour.data());
    net.neighbour.resize(net.neighbour_first.back());
    net.border.assign(runtime::border_words(listed.cells), 0);
    runtime::find_border(listed, net.border.data());
    net.border_faces = listed.borders;
    net.border_box.assign(runtime::border_floats(listed.borders), 0);
    runtime::lay_border(listed, net.border.data(), net.border_box.data());
}

runtime::NetView view_of(const ProbeNet& net) {
    runtime::NetView view;
    view.count = static_cast<std::uint32_t>(net.size());
    view.cells = static_cast<std::uint32_t>(net.vertex.size());
    view.position = net.points.empty() ? nullptr : &net.points[0].x;
    view.front_share = net.front_share.data();
    view.clearance = net.clearance.size() == net.size() ? net.clearance.data() : nullptr;
    view.reach = net.reach.data();
    view.nearness = net.nearness.empty()
                        ? nullptr
                        : reinterpret_cast<const runtime::NearnessCode*>(net.nearness[0].data());
    view.side = probe_map_side;
    view.vertex = net.vertex.empty() ? nullptr : net.vertex[0].data();
    view.adjacent = net.adjacent.empty() ? nullptr : net.adjacent[0].data();
    view.inverse = net.inverse.empty() ? nullptr : net.inverse[0].data();
    view.neighbour_first = net.neighbour_first.data();
    view.neighbour = net.neighbour.data();
    if (!net.border.empty()) {
        view.hollow = net.border.data();
        view.border = view.hollow + (std::size_t{view.cells} + 31) / 32;
        view.borders = net.border_faces;
        view.border_box = net.border_box.data();
    }
    view.dimension = net.dimension;
    const float base[3] = {net.base.x, net.base.y, net.base.z};
    std::copy(base, base + 3, view.base);
    for (int k = 0; k < 2; ++k) {
        const float axis[3] = {net.axis[k].x, net.axis[k].y, net.axis[k].z};
        std::copy(axis, axis + 3, view.axis[k]);
    }
    return view;
}

}  // namespace stasigraph
