// Surfaces by area, probes by sight.

#include <algorithm>
#include <cmath>
#include <map>
#include <string>
#include <tuple>

#include "base/random.hpp"
#include "base/text.hpp"
#include "probe/free_space.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/link_zones.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

constexpr double places_in_box = 256;
/// The share of a zone's heart that a probe has to see to belong to it. Lower: probes that look in through a
/// door belong to the room. Higher: those at the far end of a room with corners do not.
constexpr float seen_enough = 0.2f;
constexpr std::uint32_t zone_looks = 128;  ///< Rays with which a probe finds zones that have no box.
/// Of a surface, by probes: with fewer its area decides.
constexpr std::uint32_t sightings_enough = 64;
constexpr float near_enough = 0.5f;  ///< Metres from a place to the probe that it means.

bool in_boxes(const Zone& zone, Vec3 place) {
    return std::any_of(zone.boxes.begin(), zone.boxes.end(),
                       [&](const Volume& v) { return holds(v, place); });
}

/// The share of a surface's area in a zone's boxes, by sixteen places a triangle.
class Share {
public:
    explicit Share(const Zone& zone) : zone_(zone) {}
    void add(Vec3 a, Vec3 b, Vec3 c) {
        constexpr int n = 4;
        const float area = length(cross(b - a, c - a));
        const auto at = [&](float u, float v) {
            const float w = 1.0f / (3 * n);
            total_ += static_cast<double>(area);
            if (in_boxes(zone_, a + (b - a) * (u * w) + (c - a) * (v * w)))
                inside_ += static_cast<double>(area);
        };
        // Middles of its parts when each edge is cut in four.
        for (int v = 0; v < n; ++v)
            for (int u = 0; u + v < n; ++u) {
                at(static_cast<float>(3 * u + 1), static_cast<float>(3 * v + 1));
                if (u + v + 1 < n) at(static_cast<float>(3 * u + 2), static_cast<float>(3 * v + 2));
            }
    }
    bool most() const { return 2 * inside_ > total_ && total_ > 0; }

private:
    const Zone& zone_;
    double inside_ = 0, total_ = 0;
};

bool has(const std::vector<std::uint32_t>& list, std::uint32_t what) {
    return std::find(list.begin(), list.end(), what) != list.end();
}

/// How often the probes of each zone saw each surface, and how often within the zone's boxes.
struct Sightings {
    std::vector<std::uint32_t> all, inside;  ///< By surface and zone.
};

std::uint32_t listed_in(const Level& level, std::uint32_t s) {
    for (std::uint32_t z = static_cast<std::uint32_t>(level.zones.size()); z-- > 0;)
        if (has(level.zones[z].listed, s)) return z;
    return none;
}

/// The zone of surfaces that go together, and that the sheet lists in none.
std::uint32_t zone_of(const Level& level, const std::vector<std::uint32_t>& together, const Sightings& seen) {
    const auto zones = static_cast<std::uint32_t>(level.zones.size());
    const auto left_out = [&](std::uint32_t z) {
        return std::any_of(together.begin(), together.end(),
                           [&](std::uint32_t s) { return has(level.zones[z].left_out, s); });
    };
    std::uint32_t best = none, most = sightings_enough - 1, any = 0;
    for (std::uint32_t z = 0; z < zones; ++z) {
        std::uint32_t all = 0, inside = 0;
        for (const std::uint32_t s : together) {
            all += seen.all[std::size_t{s} * zones + z];
            inside += seen.inside[std::size_t{s} * zones + z];
        }
        any += all;
        if (left_out(z) || 2 * inside <= all || inside <= most) continue;
        most = inside;
        best = z;
    }
    if (any >= sightings_enough) return best;
    for (std::uint32_t z = zones; z-- > 0;) {
        const Zone& zone = level.zones[z];
        if (zone.boxes.empty() || left_out(z)) continue;
        Share share(zone);
        for (const std::uint32_t s : together) {
            const Surface& surface = level.surfaces[s];
            const Mesh& mesh = level.meshes[surface.mesh];
            const auto corner = [&](std::size_t i) {
                return transform_point(surface.to_world, mesh.positions[mesh.indices[i]]);
            };
            for (std::size_t i = 0; i + 2 < mesh.indices.size(); i += 3)
                share.add(corner(i), corner(i + 1), corner(i + 2));
        }
        if (share.most()) return z;
    }
    return none;
}

/// Surfaces by the thing they are part of: primitives of one node, or of one copy that a rig made, switch
/// together, so that a tree's bark is never in another zone than its needles. A surface that the sheet puts
/// somewhere, or leaves out of somewhere, goes by itself.
std::vector<std::vector<std::uint32_t>> things(const Level& level) {
    std::map<std::tuple<std::uint32_t, bool, std::string>, std::size_t> by_node;
    std::vector<std::vector<std::uint32_t>> out;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        // What was cut was cut because its parts lie in different rooms.
        const bool alone = surface.source_node == none || surface.one_side ||
                           !level.meshes[surface.mesh]->between.empty() || listed_in(level, s) != none ||
                           std::any_of(level.zones.begin(), level.zones.end(),
                                       [&](const Zone& z) { return has(z.left_out, s); });
        const bool copy = surface.copy_of != none;
        const auto [at, fresh] =
            alone ? std::pair(by_node.end(), true)
                  : by_node.try_emplace({surface.source_node, copy, copy ? surface.node : ""}, out.size());
        if (fresh) out.emplace_back();
        (fresh ? out.back() : out[at->second]).push_back(s);
    }
    return out;
}

/// Places spread evenly through a box.
std::vector<Vec3> spread(const Volume& b) {
    const double volume =
        8.0 * static_cast<double>(b.half.x) * static_cast<double>(b.half.y) * static_cast<double>(b.half.z);
    const auto step = static_cast<float>(std::cbrt(volume / places_in_box));
    const auto count = [&](float half) {
        return std::max(1, static_cast<int>(std::lround(2 * half / step)));
    };
    const auto share = [](int i, int of) { return (static_cast<float>(i) + 0.5f) / static_cast<float>(of); };
    const int n[3] = {count(b.half.x), count(b.half.y), count(b.half.z)};
    std::vector<Vec3> out;
    for (int z = 0; z < n[2]; ++z)
        for (int y = 0; y < n[1]; ++y)
            for (int x = 0; x < n[0]; ++x)
                out.push_back(place_in(b, {share(x, n[0]), share(y, n[1]), share(z, n[2])}));
    return out;
}

class Linker {
public:
    Linker(const Level& level, Job& job)
        : level_(level),
          job_(job),
          tree_(tree_of(level, stands_still, job.threads())),
          caster_(tree_->rays()),
          space_(level, caster_) {}

    /// What a zone's own probes see counts, and not what lies inside of something or faces away from them: the underside of
    /// a floor, the other side of a wall.
    Sightings look_around(const std::vector<Vec3>& probes, const std::vector<std::uint32_t>& zone_of) const {
        const std::size_t zones = level_.zones.size();
        std::vector<std::uint32_t> met(probes.size() * zone_looks, none);
        std::vector<std::uint8_t> inside(met.size(), 0);
        job_.parallel(probes.size(), 8, [&](std::size_t begin, std::size_t end) {
            for (std::size_t p = begin; p < end; ++p)
                for (std::uint32_t i = 0; i < zone_looks && zone_of[p] != none; ++i) {
                    const Vec3 way = sphere_direction(sobol_point(0, i));
                    const Hit hit = caster_.closest({probes[p], way});
                    if (hit.surface == none || hit.back) continue;
                    met[p * zone_looks + i] = hit.surface;
                    // A little before it, so that what lies in a box's rim is in it.
                    inside[p * zone_looks + i] = in_boxes(
                        level_.zones[zone_of[p]], probes[p] + way * std::max(0.0f, hit.distance - 0.02f));
                }
        });
        Sightings out{std::vector<std::uint32_t>(level_.surfaces.size() * zones, 0),
                      std::vector<std::uint32_t>(level_.surfaces.size() * zones, 0)};
        for (std::size_t i = 0; i < met.size(); ++i) {
            if (met[i] == none) continue;
            const std::size_t at = met[i] * zones + zone_of[i / zone_looks];
            ++out.all[at];
            out.inside[at] += inside[i];
        }
        return out;
    }

    void find_hearts() {
        hearts_.resize(level_.zones.size());
        for (std::size_t z = 0; z < hearts_.size(); ++z)
            for (const Volume& box : level_.zones[z].boxes) hearts_[z].push_back(heart(box));
    }

    /// `walled`: zones whose boxes hold the place while it sees too little of them.
    std::uint32_t zone_at(Vec3 place, const std::vector<std::uint32_t>& by_surface,
                          std::vector<std::uint32_t>& walled) const {
        std::uint32_t best = none;
        float most = 0;
        bool listed_only = false;
        for (std::uint32_t z = 0; z < level_.zones.size(); ++z) {
            const Zone& zone = level_.zones[z];
            listed_only |= zone.boxes.empty() && zone.probes != ZoneProbes::listed;
            if (zone.probes == ZoneProbes::listed || !in_boxes(zone, place)) continue;
            float share = 1;
            if (zone.probes == ZoneProbes::seen) {
                share = 0;
                for (std::size_t b = 0; b < zone.boxes.size(); ++b)
                    if (holds(zone.boxes[b], place)) share = std::max(share, seen(place, hearts_[z][b]));
                if (share < seen_enough) {
                    walled.push_back(z);
                    continue;
                }
            }
            if (share >= most) {
                most = share;
                best = z;
            }
        }
        return best == none && listed_only ? looked_up(place, by_surface) : best;
    }

private:
    /// The places in a box that one of them sees, of that one which sees most; without those that see less
    /// than half of them, which look in through a door.
    std::vector<Vec3> heart(const Volume& box) const {
        const std::vector<Vec3> places = spread(box);
        std::vector<float> share(places.size(), 0);
        const auto each = [&](auto&& f) {
            job_.parallel(places.size(), 8, [&](std::size_t begin, std::size_t end) {
                for (std::size_t i = begin; i < end; ++i) f(i);
            });
        };
        each([&](std::size_t i) { share[i] = space_.solid(places[i]) ? 0 : seen(places[i], places); });
        const auto best = std::max_element(share.begin(), share.end());
        if (!(*best > 0)) return {};
        const Vec3 from = places[static_cast<std::size_t>(best - share.begin())];
        std::vector<Vec3> all, out;
        for (const Vec3 p : places)
            if (space_.sees(from, p)) all.push_back(p);
        for (const Vec3 p : all)
            if (seen(p, all) >= 0.5f) out.push_back(p);
        return out.empty() ? all : out;
    }
    /// The share of places that one sees.
    float seen(Vec3 from, const std::vector<Vec3>& places) const {
        std::size_t count = 0;
        for (const Vec3 p : places) count += space_.sees(from, p);
        return places.empty() ? 0 : static_cast<float>(count) / static_cast<float>(places.size());
    }
    std::uint32_t looked_up(Vec3 place, const std::vector<std::uint32_t>& by_surface) const {
        std::vector<std::uint32_t> met(level_.zones.size(), 0);
        std::uint32_t all = 0;
        for (std::uint32_t i = 0; i < zone_looks; ++i) {
            const Hit hit = caster_.closest({place, sphere_direction(sobol_point(0, i))});
            if (hit.surface == none) continue;
            ++all;
            if (const std::uint32_t z = by_surface[hit.surface]; z != none && level_.zones[z].boxes.empty())
                ++met[z];
        }
        for (std::uint32_t z = 0; z < met.size(); ++z)
            if (2 * met[z] > all && level_.zones[z].probes != ZoneProbes::listed) return z;
        return none;
    }

    const Level& level_;
    Job& job_;
    std::shared_ptr<const SceneTree> tree_;
    const RayCaster& caster_;
    FreeSpace space_;
    std::vector<std::vector<std::vector<Vec3>>> hearts_;  ///< By zone and box.
};

/// The probe that a place means.
std::uint32_t nearest(const std::vector<Vec3>& probes, Vec3 at, const Zone& zone) {
    std::uint32_t best = none;
    float least = near_enough;
    for (std::uint32_t i = 0; i < probes.size(); ++i)
        if (const float d = length(probes[i] - at); d <= least) {
            least = d;
            best = i;
        }
    if (best == none)
        throw Error{.what = "there is no probe within 0.5 m of a place it lists",
                    .where = "zone " + zone.name,
                    .value = to_text(at.x) + ", " + to_text(at.y) + ", " + to_text(at.z),
                    .remedy = "`stasigraph place --json` tells where probes are."};
    return best;
}

}  // namespace

ZoneLinks link_zones(const Level& level, const std::vector<Vec3>& probes,
                     const std::vector<ReflectionProbe>& reflections, Job& job) {
    ZoneLinks out;
    out.surface.assign(level.surfaces.size(), none);
    out.probe.assign(probes.size(), none);
    out.reflection.assign(reflections.size(), none);
    out.light.assign(level.lights.size(), none);
    out.walled_off.assign(level.zones.size(), 0);
    if (level.zones.empty()) return out;
    for (std::size_t i = 0; i < level.lights.size(); ++i)
        for (std::uint32_t z = 0; z < level.zones.size(); ++z)
            if (in_boxes(level.zones[z], level.lights[i].position)) out.light[i] = z;
    Linker linker(level, job);
    linker.find_hearts();
    std::vector<std::uint32_t> listed(level.surfaces.size());
    for (std::uint32_t s = 0; s < listed.size(); ++s) listed[s] = listed_in(level, s);
    std::vector<std::vector<std::uint32_t>> walled(probes.size());
    job.parallel(probes.size(), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) out.probe[i] = linker.zone_at(probes[i], listed, walled[i]);
    });
    for (const auto& list : walled)
        for (const std::uint32_t z : list) ++out.walled_off[z];
    for (std::size_t i = 0; i < reflections.size(); ++i) {
        std::vector<std::uint32_t> unused;
        out.reflection[i] = linker.zone_at(reflections[i].capture, listed, unused);
    }
    for (std::uint32_t z = 0; z < level.zones.size(); ++z) {
        for (const Vec3 at : level.zones[z].with) out.probe[nearest(probes, at, level.zones[z])] = z;
        for (const Vec3 at : level.zones[z].without) {
            std::uint32_t& of = out.probe[nearest(probes, at, level.zones[z])];
            if (of == z) of = none;
        }
    }
    const Sightings seen = linker.look_around(probes, out.probe);
    const std::vector<std::vector<std::uint32_t>> all_things = things(level);
    job.parallel(all_things.size(), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t listed_zone = listed_in(level, all_things[i].front());
            const std::uint32_t zone =
                listed_zone != none ? listed_zone : zone_of(level, all_things[i], seen);
            for (const std::uint32_t s : all_things[i]) out.surface[s] = zone;
        }
    });
    return out;
}

Rgb zone_color(std::uint32_t zone) {
    if (zone == none) return {0.25f, 0.25f, 0.25f};
    // Hues by the golden section, so that neighbours in the list differ most; linear.
    const float hue = std::fmod(0.07f + 0.618034f * static_cast<float>(zone), 1.0f) * 6;
    const auto channel = [&](float shift) {
        const float h = std::fmod(hue + shift, 6.0f);
        return 0.06f + 0.6f * std::clamp(std::abs(h - 3) - 1, 0.0f, 1.0f);
    };
    return {channel(0), channel(4), channel(2)};
}

}  // namespace stasigraph
