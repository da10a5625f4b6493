// Leaks, from the result: places of lightmaps, as a game filters them, that show light no point around them
// has.

#include <algorithm>
#include <cmath>
#include <memory>
#include <unordered_map>

#include "bake/shared_texels.hpp"
#include "finish/pages.hpp"
#include "light/direct.hpp"
#include "parts/covered.hpp"
#include "picture/texel_on_page.hpp"
#include "picture/viewer.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

/// A place is looked at closer where it differs this much from its own texel's middle a texel farther in, and
/// is called a leak where it is so far outside of all exact light around it. As ratios.
constexpr float worth_a_look = 1.3f, outside = 1.3f;
/// ... and by this much of the mean light of the set: less is not seen.
constexpr float unseen = 0.02f;
constexpr float off_edge = 0.004f;  ///< Metres from an edge.
constexpr std::uint32_t first_rays = 128, more_rays = 256, sure_rays = 16384, leak_lamp_samples = 16,
                        leak_seed = 0x6c65616bu;
constexpr float steps_a_texel = 1;
/// Texels around a place that a lookup there may hold light of: one by the lookup, one more by its samples.
constexpr float within[] = {-2, -1.5f, -1, -0.5f, 0, 0.5f, 1, 1.5f, 2};

/// A place of a lightmap.
struct Spot {
    std::uint32_t surface = 0;
    Vec3 at, normal, inward;
    Vec2 texel;      ///< Of the page.
    float size = 0;  ///< Metres of a texel.
    float value = 0, ratio = 0;
    Vec3 farther;     ///< Farther in on the same chart,
    float there = 0;  ///< and what the lightmap shows there.
};

/// An edge of a chart, in the world and on its page, with the ways inward.
struct ChartEdge {
    Vec3 a, b, inward;
    Vec2 on_page_a, on_page_b, inward_on_page;  ///< The last for each metre.
    float deep = 0;                             ///< Of its triangle, metres.
    float size = 0;                             ///< Of a texel, metres.
};

/// Places along one that are worth a look; `like` says what they have in common.
void add_spots(const ChartEdge& e, const Spot& like, const PageImage& page, float mean,
               std::vector<Spot>& out) {
    const float texels = length(e.on_page_b - e.on_page_a);
    const int count = std::clamp(static_cast<int>(std::ceil(steps_a_texel * texels)), 1, 4096);
    for (int k = 0; k < count; ++k) {
        const float s = (static_cast<float>(k) + 0.5f) / static_cast<float>(count);
        Spot spot = like;
        spot.at = e.a + (e.b - e.a) * s + e.inward * off_edge;
        spot.texel = e.on_page_a + (e.on_page_b - e.on_page_a) * s + e.inward_on_page * off_edge;
        spot.value = luminance(sample_page(page, spot.texel));
        const float farther = std::min(1.5f * e.size, 0.6f * e.deep);
        const float own = luminance(sample_page(page, spot.texel + e.inward_on_page * farther));
        spot.farther = spot.at + e.inward * farther;
        spot.there = own;
        const float high = std::max(spot.value, own), low = std::min(spot.value, own);
        if (!(high > worth_a_look * low) || !(high - low > unseen * mean)) continue;
        spot.ratio = high / std::max(low, 1e-3f * mean);
        out.push_back(spot);
    }
}

/// Places along the edges at which charts end or fold.
void spots_of(const ChartedLevel& charted, std::uint32_t number, const std::vector<PageImage>& pages,
              float mean, std::vector<Spot>& out) {
    const auto& [level, atlas] = charted;
    const SurfaceUv& uv = atlas.surfaces[number];
    if (uv.page == none) return;
    const Layout& layout = atlas.layouts[uv.layout];
    const Surface& surface = level.surfaces[number];
    const Mesh& mesh = level.meshes[surface.mesh];
    const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
    const auto world = [&](std::size_t i) {
        return transform_point(surface.to_world, mesh.positions[layout.source[layout.indices[i]]]);
    };
    const auto face = [&](std::size_t t) {
        const Vec3 n = cross(world(3 * t + 1) - world(3 * t), world(3 * t + 2) - world(3 * t));
        return length(n) > 0 ? normalize(n) * side : Vec3{};
    };
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> edges;
    // By places of the page: vertices may be there twice.
    const auto key = [&](std::size_t i) {
        const auto place = [&](std::uint32_t v) {
            const auto whole = [](float t) {
                return static_cast<std::uint32_t>(std::lround(t * 64)) & 0xffffu;
            };
            return whole(layout.uv[v].x) << 16 | whole(layout.uv[v].y);
        };
        const std::uint32_t a = place(layout.indices[i]),
                            b = place(layout.indices[i % 3 == 2 ? i - 2 : i + 1]);
        return static_cast<std::uint64_t>(std::min(a, b)) << 32 | std::max(a, b);
    };
    for (std::size_t i = 0; i < layout.indices.size(); ++i)
        if (layout.chart[i / 3] != none) edges[key(i)].push_back(static_cast<std::uint32_t>(i));
    const Vec2 corner{static_cast<float>(uv.x), static_cast<float>(uv.y)};
    for (std::size_t i = 0; i < layout.indices.size(); ++i) {
        const std::size_t t = i / 3, n = i % 3 == 2 ? i - 2 : i + 1;
        if (layout.chart[t] == none) continue;
        const std::vector<std::uint32_t>& there = edges[key(i)];
        const Vec3 normal = face(t);
        if (there.size() == 2 && dot(face(there[0] / 3), face(there[1] / 3)) > 0.9f) continue;
        const Vec3 a = world(i), b = world(n), c = world(i / 3 * 3 + (i % 3 + 2) % 3);
        const Vec2 ua = layout.uv[layout.indices[i]] + corner, ub = layout.uv[layout.indices[n]] + corner,
                   uc = layout.uv[layout.indices[i / 3 * 3 + (i % 3 + 2) % 3]] + corner;
        const float l = length(b - a), texels = length(ub - ua);
        if (!(l > 2 * off_edge) || !(texels > 0)) continue;
        const Vec3 along = (b - a) * (1 / l), in = (c - a) - along * dot(c - a, along);
        const float deep = length(in);
        if (!(deep > 2 * off_edge)) continue;
        // The page's way inward: of the triangle's third corner, without what it goes along the edge.
        const float slide = dot(c - a, along) / l;
        const ChartEdge edge{.a = a,
                             .b = b,
                             .inward = in * (1 / deep),
                             .on_page_a = ua,
                             .on_page_b = ub,
                             .inward_on_page = (uc - ua - (ub - ua) * slide) * (1 / deep),
                             .deep = deep,
                             .size = l / texels};
        add_spots(edge, {.surface = number, .normal = normal, .inward = edge.inward, .size = edge.size},
                  pages[uv.page], mean, out);
    }
}

/// What all sets of a level have in common.
struct LeakGround {
    TexelSet texels;
    std::shared_ptr<const SeenLevel> seen;
    std::vector<SharedPair> walls;  ///< Between texels of one chart.
};

/// Places on either side of walls that stand on a surface in one piece.
void spots_at_walls(const Atlas& atlas, const LeakGround& ground, const std::vector<PageImage>& pages,
                    float mean, std::vector<Spot>& out) {
    const TexelSet& texels = ground.texels;
    const RayCaster& caster = ground.seen->caster;
    for (const SharedPair& pair : ground.walls)
        for (const auto& [own, other] : {std::pair{pair.a, pair.b}, std::pair{pair.b, pair.a}}) {
            const Vec3 normal = texels.face_normal[own], from = texels.position[own] + normal * off_edge,
                       way = texels.position[other] + normal * off_edge - from;
            const float far = length(way);
            if (!(far > 0)) continue;
            const Hit wall = caster.closest({from, way * (1 / far), far});
            if (wall.surface == none || wall.distance < 2 * off_edge) continue;
            const float share = (wall.distance - off_edge) / far;
            const TexelOnPage a = texel_on_page(atlas, texels, own), b = texel_on_page(atlas, texels, other);
            Spot spot{.surface = texels.grid[own] / 2,
                      .at = texels.position[own] + way * share,
                      .normal = normal,
                      .inward = way * (-1 / far),
                      .texel = a.middle() + (b.middle() - a.middle()) * share,
                      .size = far};
            spot.value = luminance(sample_page(pages[a.page], spot.texel));
            const float before = luminance(sample_page(pages[a.page], a.middle()));
            spot.farther = texels.position[own];
            spot.there = before;
            const float high = std::max(spot.value, before), low = std::min(spot.value, before);
            if (!(high > worth_a_look * low) || !(high - low > unseen * mean)) continue;
            spot.ratio = high / std::max(low, 1e-3f * mean);
            out.push_back(spot);
        }
}

/// Whether nobody is meant to look there: nearly all around is nearer than this, or backs of faces that have
/// none. (A bake fills texels there from others.)
bool out_of_sight(const Level& level, const RayCaster& caster, const Spot& s) {
    constexpr float room = 0.4f, most_backs = 0.25f;
    constexpr std::uint32_t looks = 32;
    const Frame frame(s.normal);
    std::uint32_t far = 0, backs = 0;
    for (std::uint32_t k = 0; k < looks; ++k) {
        const Hit hit = caster.closest(
            {s.at + s.normal * off_edge, frame.to_world(cosine_direction(sobol_point(leak_seed, k)))});
        far += hit.surface == none || hit.distance > room ? 1 : 0;
        backs += meets_back(level, caster, hit) ? 1 : 0;
    }
    return far < looks * 3 / 16 || static_cast<float>(backs) > most_backs * looks;
}

/// Light that a place gets, by rays into the result and to every lamp.
float exact_at(const Level& level, const Viewer& viewer, const BakeSet& recipe, const Receiver& r,
               std::uint32_t rays) {
    const Frame frame(r.normal);
    Rgb sum;
    std::uint32_t unused = none;
    for (std::uint32_t k = 0; k < rays; ++k)
        sum += viewer.along(r.position, frame.to_world(cosine_direction(sobol_point(leak_seed, k))), unused);
    sum = sum * (pi / static_cast<float>(rays));
    for (std::uint32_t l = 0; l < level.lights.size(); ++l) {
        const Light& light = level.lights[l];
        const Rgb gain = recipe.gain(light.group);
        if (light.role != BakeRole::whole || !(max_channel(gain * light.color) > 0)) continue;
        draw_light(light, level.profiles, r, {static_cast<int>(leak_lamp_samples), leak_seed + l},
                   [&](Vec3 w, Rgb e, float distance) {
                       const float cosine = r.weight(w);
                       if (cosine > 0)
                           sum += e * gain * viewer.caster().transmitted({r.position, w, distance}) * cosine;
                   });
    }
    return luminance(sum);
}

float mean_light(const std::vector<PageImage>& pages) {
    double whole = 0, count = 0;
    for (const PageImage& p : pages)
        for (const Rgb& e : p.texels) {
            whole += static_cast<double>(luminance(e));
            count += 1;
        }
    return static_cast<float>(count > 0 ? whole / count : 0);
}

/// Looks whether a lightmap shows at a spot what the place itself cannot have.
class LeakJudge {
public:
    LeakJudge(const Level& level, const Viewer& viewer, const BakeSet& recipe, float mean)
        : level_(level), viewer_(viewer), recipe_(recipe), mean_(mean) {}

    bool is_leak(const Spot& s, Leak& leak) const {
        Bounds b;
        b.low = b.high = exact(s, s.at, first_rays);
        if (!is_out(s, b)) return false;
        if (const float there = exact(s, s.farther, more_rays); there > 0) {
            b.more = std::clamp(s.there / there, 1.0f, 4.0f);
            b.less = std::clamp(s.there / there, 0.25f, 1.0f);
        }
        if (!is_out(s, b) || is_covered(level_, viewer_.caster(), s.at, s.normal) ||
            out_of_sight(level_, viewer_.caster(), s))
            return false;
        look_around(s, b);
        if (!is_out(s, b)) return false;
        // Light that comes by few rays is found by many.
        const float sure = exact(s, s.at, sure_rays);
        b.low = std::min(b.low, sure);
        b.high = std::max(b.high, sure);
        leak.least = b.low;
        leak.most = b.high;
        return is_out(s, b);
    }

private:
    /// What there may be. What reflects and has no lightmap is black to these rays: as much as the chart
    /// lacks farther in.
    struct Bounds {
        float low = 0, high = 0, more = 1, less = 1;
    };

    float exact(const Spot& s, Vec3 at, std::uint32_t rays) const {
        return exact_at(level_, viewer_, recipe_, surface_receiver(at, s.normal, s.normal), rays);
    }
    bool is_out(const Spot& s, const Bounds& b) const {
        return (s.value > outside * b.high * b.more && s.value - b.high * b.more > unseen * mean_) ||
               (s.value * outside < b.low * b.less && b.low * b.less - s.value > unseen * mean_);
    }
    /// What lies as far around as a lookup and a texel's own samples reach counts as well, as far as no wall
    /// stands between.
    void look_around(const Spot& s, Bounds& b) const {
        const RayCaster& caster = viewer_.caster();
        const Vec3 across = normalize(cross(s.normal, s.inward));
        b.low = b.high = exact(s, s.at, more_rays);
        for (const float u : within)
            for (const float v : within) {
                if (!is_out(s, b)) return;
                const Vec3 to = s.at + (s.inward * u + across * v) * s.size;
                const Vec3 from = s.at + s.normal * off_edge, way = to + s.normal * off_edge - from;
                const float far = length(way);
                if (far > 0 && caster.blocked({from, way * (1 / far), far})) continue;
                // The surface goes on there; glass does as well, though nothing is blocked by it.
                if (caster.closest({from + way, -s.normal, off_edge + 0.1f * s.size}).surface == none)
                    continue;
                const float e = exact(s, to, more_rays);
                b.low = std::min(b.low, e);
                b.high = std::max(b.high, e);
            }
    }

    const Level& level_;
    const Viewer& viewer_;
    const BakeSet& recipe_;
    float mean_;
};

/// The worst of those that are to be looked at.
std::vector<Spot> worst_spots(const ChartedLevel& charted, const std::vector<PageImage>& pages,
                              const LeakGround& ground, std::size_t most, Job& job) {
    const float mean = mean_light(pages);
    std::vector<std::vector<Spot>> found(charted.level.surfaces.size());
    job.parallel(found.size(), 1, [&](std::size_t s, std::size_t) {
        spots_of(charted, static_cast<std::uint32_t>(s), pages, mean, found[s]);
    });
    std::vector<Spot> spots;
    for (const auto& f : found) spots.insert(spots.end(), f.begin(), f.end());
    spots_at_walls(charted.atlas, ground, pages, mean, spots);
    std::stable_sort(spots.begin(), spots.end(),
                     [](const Spot& a, const Spot& b) { return a.ratio > b.ratio; });
    if (spots.size() > most) spots.resize(most);
    return spots;
}

std::vector<Leak> leaks_under(const ChartedLevel& charted, const ViewLight& light, const LeakGround& ground,
                              std::size_t most, Job& job) {
    const Level& level = charted.level;
    const std::vector<Spot> spots = worst_spots(charted, light.set->pages, ground, most, job);
    ViewOptions settings;
    settings.moving = false;
    settings.black_backs = true;
    const Viewer viewer(charted, light, settings, 1, {.live = false, .meets = ground.seen});
    BakeSet recipe;
    for (const BakeSet& s : level.sets)
        if (s.name == light.set->name) recipe = s;
    const LeakJudge judge(level, viewer, recipe, mean_light(light.set->pages));
    std::vector<std::optional<Leak>> leaks(spots.size());
    job.begin(Stage::leaks, spots.size());
    job.parallel(spots.size(), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Spot& s = spots[i];
            Leak leak{.surface = s.surface,
                      .page = charted.atlas.surfaces[s.surface].page,
                      .x = static_cast<int>(s.texel.x),
                      .y = static_cast<int>(s.texel.y),
                      .at = s.at,
                      .lux = s.value};
            if (judge.is_leak(s, leak)) leaks[i] = leak;
        }
        job.advance(end - begin);
    });
    std::vector<Leak> out;
    for (const std::optional<Leak>& leak : leaks)
        if (leak) out.push_back(*leak);
    std::stable_sort(out.begin(), out.end(), [](const Leak& a, const Leak& b) {
        const auto off = [](const Leak& l) { return l.lux > l.most ? l.lux - l.most : l.least - l.lux; };
        return off(a) > off(b);
    });
    return out;
}

}  // namespace

std::vector<std::vector<Leak>> find_leaks(const Level& level, const Atlas& atlas,
                                          const std::vector<ViewLight>& lights, std::size_t most, Job& job) {
    LeakGround ground{
        place_texels(level, atlas, job), std::make_shared<const SeenLevel>(level, stands_in_bake), {}};
    TexelFlags wanted(ground.texels.size());
    for (std::uint32_t t = 0; t < wanted.size(); ++t)
        wanted.set(t,
                   ground.texels.grid[t] % 2 == 0 && atlas.surfaces[ground.texels.grid[t] / 2].page != none);
    ground.walls = find_shared(ground.texels, wanted, ground.seen->caster, job);
    std::vector<std::vector<Leak>> out;
    for (const ViewLight& light : lights) {
        // A set of a series has a sun and a sky of its own.
        out.push_back(leaks_under({as_in_set(level, set_index(level, light.set->name)), atlas}, light, ground,
                                  most, job));
    }
    return out;
}

}  // namespace stasigraph
