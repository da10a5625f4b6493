#include "bake/opening_sight.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "bake/kept_links.hpp"
#include "runtime/lamp_sum.hpp"

namespace stasigraph {

namespace {

/// Openings of a probe, the widest; of this many that are looked at.
constexpr std::size_t openings_of_probe = 3, most_looked_at = 8;
/// Steradians. What is narrower is as good in coefficients.
constexpr float least_angle = 0.04f;
/// Metres to the plane of an opening; probes nearer to it belong to neither side.
constexpr float least_off = 0.02f;
constexpr std::uint32_t opening_looks = 32;  ///< Rays to each part of an opening.
constexpr int pieces_a_side = 12;            ///< Of one in coefficients.

Vec3 vec(const float* v) {
    return {v[0], v[1], v[2]};
}
void put_vec(float* to, Vec3 v) {
    to[0] = v.x;
    to[1] = v.y;
    to[2] = v.z;
}
runtime::Point to_point(Vec3 v) {
    return {v.x, v.y, v.z};
}

/// About what a side of an opening fills of what is seen, steradians; 0 from behind.
float angle_of(const runtime::Lamp& side, Vec3 from) {
    const Vec3 way = from - vec(side.position);
    const float before = dot(way, vec(side.direction));
    if (!(before > least_off)) return 0;
    const float size = side.width * side.width + side.height * side.height,
                square = dot(way, way) + size / 16;
    return side.width * side.height * before / (square * std::sqrt(square));
}

/// The share of a part of an opening, or of all of it where that has no such part, that a place sees.
float share_seen(const RayCaster& caster, const runtime::Lamp& lamp, Vec3 from, std::uint32_t seed) {
    const Vec3 u = vec(lamp.across), v = cross(u, vec(lamp.direction));
    float low = 0, high = 0;
    if (!runtime::detail::part_of_opening(lamp, to_point(from), to_point(v), low, high)) {
        low = -0.5f * lamp.height;
        high = 0.5f * lamp.height;
    }
    float seen = 0;
    for (std::uint32_t k = 0; k < opening_looks; ++k) {
        const Vec2 r = sobol_point(seed, k);
        const Vec3 way =
            vec(lamp.position) + u * ((r.x - 0.5f) * lamp.width) + v * (low + r.y * (high - low)) - from;
        const float far = length(way);
        if (far > 0) seen += luminance(caster.transmitted({from, way * (1 / far), far}));
    }
    return std::min(seen / opening_looks, 1.0f);
}

}  // namespace

OpeningSight openings_as_lamps(const std::vector<Opening>& openings, std::uint32_t seed) {
    OpeningSight out;
    for (const Opening& o : openings)
        for (const float way : {1.0f, -1.0f}) {
            runtime::Lamp lamp;
            put_vec(lamp.position, o.middle);
            put_vec(lamp.direction, o.normal * way);
            put_vec(lamp.across, o.across);
            lamp.width = o.width;
            lamp.height = o.height;
            lamp.kind = runtime::LampKind::opening;
            // One that lies level is the first alone.
            const bool level = std::abs(o.normal.y) > 0.99f;
            for (std::size_t part = 0; part < OpeningSight::parts; ++part) {
                lamp.cos_inner = level && part > 0 ? 1e30f : OpeningSight::rises[part];
                lamp.cos_outer = level ? 1e30f : OpeningSight::rises[part + 1];
                out.lamp.push_back(lamp);
            }
            const Vec3 outwards = o.normal * -way, up = cross(o.normal, o.across);
            std::uint32_t bits[3];
            std::memcpy(bits, &o.middle, sizeof bits);
            const std::uint32_t own = combine_bits(
                combine_bits(combine_bits(mix_bits(seed + 0x6f70656eu + (way > 0 ? 1u : 0u)), bits[0]),
                             bits[1]),
                bits[2]);
            for (std::uint32_t k = 0; k < OpeningSight::rows_a_side; ++k) {
                const Vec2 r = sobol_point(own, k);
                const Vec3 at =
                    o.middle + o.across * ((r.x - 0.5f) * o.width) + up * ((r.y - 0.5f) * o.height);
                out.rows.receivers.push_back(surface_receiver(at, outwards, outwards));
                out.rows.seeds.push_back(combine_bits(own, k));
            }
        }
    return out;
}

std::string opening_name(std::size_t lamp) {
    constexpr std::size_t parts = OpeningSight::parts;
    return "opening " + std::to_string(lamp / (2 * parts) + 1) + (lamp / parts % 2 == 0 ? " in" : " out") +
           " " + std::to_string(lamp % parts + 1);
}

std::size_t opening_part(const runtime::Lamp& first, Vec3 way) {
    const runtime::Point run =
        runtime::detail::run_of(first, to_point(cross(vec(first.across), vec(first.direction))));
    const float flat = dot(way, {run.x, run.y, run.z});
    std::size_t part = 0;
    if (run.x == 0 && run.z == 0) return part;
    while (part + 1 < OpeningSight::parts && way.y > OpeningSight::rises[part + 1] * flat) ++part;
    return part;
}

void see_openings(const RayCaster& caster, const RowSource& probes, const RowFlags& wanted,
                  OpeningSight& sight, Job& job) {
    sight.seen.clear();
    if (sight.lamp.empty()) return;
    std::vector<std::vector<OpeningSight::Seen>> lists(probes.size());
    job.parallel(probes.size(), 16, [&](std::size_t begin, std::size_t end) {
        std::vector<std::pair<float, std::uint32_t>> wide;
        for (std::size_t p = begin; p < end; ++p) {
            if (!wanted[p]) continue;
            const Vec3 from = probes.receivers[p].position;
            wide.clear();
            for (std::uint32_t l = 0; l < sight.lamp.size(); l += OpeningSight::parts)
                if (const float angle = angle_of(sight.lamp[l], from); angle > least_angle)
                    wide.push_back({-angle, l});
            std::sort(wide.begin(), wide.end());
            if (wide.size() > most_looked_at) wide.resize(most_looked_at);
            std::size_t openings = 0;
            for (const auto& [less, first] : wide) {
                const std::size_t before = lists[p].size();
                for (std::uint32_t l = first; l < first + OpeningSight::parts; ++l) {
                    const runtime::Lamp& lamp = sight.lamp[l];
                    const float share =
                        share_seen(caster, lamp, from, combine_bits(probes.seeds[p], 0x77696e64u + l));
                    OpeningSight::Seen seen{static_cast<std::uint32_t>(p),
                                            l,
                                            runtime::lamp_entry(0, share, runtime::farthest_edge),
                                            {}};
                    const float told = runtime::share_of(seen.seen);
                    if (!(told > 0)) continue;
                    runtime::for_opening(
                        lamp, to_point(from), pieces_a_side, [&](runtime::Point toward, float lux) {
                            const std::array<float, 9> basis =
                                response(LightBasis::harmonics, {toward.x, toward.y, toward.z});
                            for (std::size_t b = 0; b < 9; ++b) seen.light[b] += basis[b] * (lux * told);
                        });
                    lists[p].push_back(seen);
                }
                if (lists[p].size() > before && ++openings == openings_of_probe) break;
            }
            std::sort(lists[p].begin(), lists[p].end(),
                      [](const auto& a, const auto& b) { return a.lamp < b.lamp; });
        }
    });
    for (const auto& list : lists) sight.seen.insert(sight.seen.end(), list.begin(), list.end());
}

void OpeningSight::write(BlobWriter& out) const {
    out.array(lamp);
    out.array(seen);
    out.array(rows.receivers);
    out.array(rows.seeds);
    write_links(out, links);
}

bool OpeningSight::read(BlobReader& in) {
    in.array(lamp);
    in.array(seen);
    in.array(rows.receivers);
    in.array(rows.seeds, rows.receivers.size());
    return in.good() && parts * rows.size() == rows_a_side * lamp.size() &&
           read_links(in, rows.size(), links);
}

}  // namespace stasigraph
